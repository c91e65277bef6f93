using Maschera.Core.Engines;
using Maschera.Core.Signals;

namespace Maschera.Rig;

/// <summary>What the stand-in engine is asked to do on its starter.</summary>
public sealed record CrankingPlan(Engine Engine)
{
    public IReadOnlyList<CylinderFault> Faults { get; init; } = [];
    public StarterCircuit Starter { get; init; } = new();

    /// <summary>Rest before the starter engages, s.</summary>
    public double RestBefore { get; init; } = 0.6;

    /// <summary>Time the key is held, s.</summary>
    public double Cranking { get; init; } = 5;

    /// <summary>Rest after, s.</summary>
    public double RestAfter { get; init; } = 0.6;

    /// <summary>Samples a second of the scope.</summary>
    public double Rate { get; init; } = 5_000;

    /// <summary>Bits of the scope's converter.</summary>
    public int Bits { get; init; } = 12;

    /// <summary>Noise of the clamp, A.</summary>
    public double ClampNoise { get; init; } = 3;

    /// <summary>Reading of the clamp at no current, A.</summary>
    public double ClampOffset { get; init; }

    /// <summary>Range of the clamp, A: beyond it the scope shows its end stop.</summary>
    public double ClampRange { get; init; } = 1_000;

    /// <summary>Cylinder whose plug lead carries the sync probe; null without one.</summary>
    public int? SyncCylinder { get; init; }

    /// <summary>Adds the crank sensor where the engine has a wheel.</summary>
    public bool CrankSensor { get; init; }

    /// <summary>Seed of all noise and of the angle at which the engine stands.</summary>
    public int Seed { get; init; } = 1;
}

/// <summary>What really happened in a stand-in run.</summary>
/// <param name="WorkPercent">Compression work of each cylinder, by number from 1, against the median of the sound ones.</param>
/// <param name="SpeedRpm">Mean speed of steady cranking.</param>
public sealed record CrankingTruth(IReadOnlyDictionary<int, double> WorkPercent, double SpeedRpm);

/// <summary>The stand-in engine on its starter: plugs out of circuit or fuel off, so nothing fires.</summary>
public static class CrankingRun
{
    /// <summary>Step of the simulation, s.</summary>
    private const double Step = 4e-5;

    /// <summary>A leak every sound cylinder has, see <see cref="CylinderFault.LeakPerSecond"/>.</summary>
    private const double SoundLeak = 0.3;

    /// <summary>Runs the plan. The engine needs geometry and valve timing.</summary>
    /// <exception cref="ArgumentException">The engine lacks them.</exception>
    public static (Capture Capture, CrankingTruth Truth) Record(CrankingPlan plan)
    {
        if (plan.Engine.Geometry is null || plan.Engine.ValveTiming is null) throw new ArgumentException("The stand-in engine needs geometry and valve timing.", nameof(plan));
        return new Simulation(plan).Run();
    }

    private sealed class Simulation(CrankingPlan plan)
    {
        private readonly Random _random = new(plan.Seed);
        private readonly double[] _angles = plan.Engine.Angles();
        private readonly int _cylinders = plan.Engine.Cylinders;
        private readonly List<(double Degrees, double Current, double Volts)> _states = [];
        private readonly Dictionary<int, List<double>> _work = [];
        private double _degrees;
        private double _speed;
        private double _steadyDegrees;
        private double _steadySeconds;

        public (Capture, CrankingTruth) Run()
        {
            _degrees = _random.NextDouble() * 720;
            var gases = Enumerable.Range(0, _cylinders).Select(place => Gas(place)).ToArray();
            var running = new double[_cylinders];
            var total = plan.RestBefore + plan.Cranking + plan.RestAfter;
            var every = Math.Max(1, (int)Math.Round(1 / (plan.Rate * Step)));
            for (var i = 0; i * Step < total; i++)
            {
                var keyed = i * Step >= plan.RestBefore && i * Step < plan.RestBefore + plan.Cranking;
                var (current, volts) = Electric(keyed);
                if (i % every == 0) _states.Add((_degrees, current, volts));
                Turn(gases, running, current, i * Step);
            }

            return (new Capture("stand-in", Channels(every * Step), []), Truth());
        }

        private CylinderGas Gas(int place)
        {
            var cylinder = plan.Engine.FiringOrder[place];
            var leak = SoundLeak * (1 + 0.1 * (_random.NextDouble() - 0.5)) + plan.Faults.Where(f => f.Cylinder == cylinder).Sum(f => f.LeakPerSecond);
            return new CylinderGas(plan.Engine, leak, After(place, _degrees));
        }

        private double After(int place, double degrees) => ((degrees - _angles[place]) % 720 + 720) % 720;

        private (double Current, double Volts) Electric(bool keyed)
        {
            if (!keyed) return (0, plan.Starter.BatteryVolts);
            var s = plan.Starter;
            // The pinion's freewheel lets the engine run ahead: the motor never brakes it.
            var current = Math.Max(0, (s.BatteryVolts - s.VoltSeconds * _speed) / (s.BatteryOhms + s.MotorOhms));
            return (current, s.BatteryVolts - current * s.BatteryOhms);
        }

        private void Turn(CylinderGas[] gases, double[] running, double current, double now)
        {
            var s = plan.Starter;
            var torque = s.VoltSeconds * current;
            var moved = double.RadiansToDegrees(_speed) * Step;
            for (var place = 0; place < _cylinders; place++)
            {
                var at = After(place, _degrees + moved);
                var (gas, work) = gases[place].Advance(at, Step);
                torque += gas;
                if (at > 540) running[place] += work;
                else if (running[place] != 0)
                {
                    if (now > plan.RestBefore + 1.2 && now < plan.RestBefore + plan.Cranking) Note(place, running[place]);
                    running[place] = 0;
                }
            }

            if (now > plan.RestBefore + 1.2 && now < plan.RestBefore + plan.Cranking)
            {
                _steadyDegrees += moved;
                _steadySeconds += Step;
            }

            _degrees += moved;
            var drag = s.FrictionNm + s.DampingNms * _speed;
            if (_speed <= 0 && torque < drag) _speed = 0;
            else _speed = Math.Max(0, _speed + (torque - drag) / s.Inertia * Step);
        }

        private void Note(int place, double work)
        {
            var cylinder = plan.Engine.FiringOrder[place];
            if (!_work.TryGetValue(cylinder, out var list)) _work[cylinder] = list = [];
            list.Add(work);
        }

        private CrankingTruth Truth()
        {
            var mean = _work.ToDictionary(pair => pair.Key, pair => pair.Value.Average());
            var sound = Statistics.Median(mean.Where(pair => plan.Faults.All(f => f.Cylinder != pair.Key)).Select(pair => pair.Value));
            return new CrankingTruth(mean.ToDictionary(pair => pair.Key, pair => 100 * pair.Value / sound), _steadyDegrees / 6 / _steadySeconds);
        }

        private List<Channel> Channels(double step)
        {
            var time = TimeAxis.Uniform(0, step, _states.Count);
            var scope = new Converter(plan.Bits, _random);
            var channels = new List<Channel>
            {
                new("Starter current", "A", time, [.. _states.Select(s => scope.Take(s.Current + plan.ClampOffset, plan.ClampNoise, plan.ClampRange))]),
                new("Battery voltage", "V", time, [.. _states.Select(s => scope.Take(s.Volts, 0.01, 20))]),
            };
            if (plan.SyncCylinder is { } cylinder) channels.Add(new Channel("Ignition", "V", time, [.. Ignition(cylinder, scope)]));
            if (plan.CrankSensor && plan.Engine.CrankWheel is { } wheel) channels.Add(new Channel("Crank sensor", "V", time, [.. _states.Select(s => scope.Take(Tooth(wheel, s.Degrees) ? 5 : 0.2, 0.02, 10))]));
            return channels;
        }

        /// <summary>The coil's primary: battery, ground during the dwell before the spark 8° before TDC, then a flyback.</summary>
        private IEnumerable<float> Ignition(int cylinder, Converter scope)
        {
            const double sparkBeforeTdc = 8, dwellDegrees = 8;
            var place = plan.Engine.FiringOrder.ToList().IndexOf(cylinder);
            var before = double.NaN;
            foreach (var state in _states)
            {
                var after = After(place, state.Degrees + sparkBeforeTdc);
                var sparks = before > 700 && after < 20;
                var volts = sparks ? 55 : after > 720 - dwellDegrees && after != before ? 0.6 : state.Volts;
                before = after;
                yield return scope.Take(volts, 0.05, 100);
            }
        }

        private static bool Tooth(CrankWheel wheel, double degrees)
        {
            var pitch = 360.0 / wheel.Teeth;
            var fromFirst = ((degrees + (wheel.GapToTdc ?? 90)) % 360 + 360) % 360;
            var slot = (int)(fromFirst / pitch);
            return slot < wheel.Teeth - wheel.Missing.Sum() && fromFirst - slot * pitch < pitch / 2;
        }
    }
}

/// <summary>A scope's input: noise, end stops and converter steps.</summary>
internal sealed class Converter(int bits, Random random)
{
    /// <summary>What the scope stores for a value, with noise of that standard deviation on a range of ±<paramref name="range"/>.</summary>
    public float Take(double value, double noise, double range)
    {
        var step = 2 * range / (1 << bits);
        var noisy = value + noise * Gaussian();
        return (float)(Math.Round(Math.Clamp(noisy, -range, range - step) / step) * step);
    }

    /// <summary>Box and Muller 1958.</summary>
    private double Gaussian() => Math.Sqrt(-2 * Math.Log(1 - random.NextDouble())) * Math.Cos(Math.Tau * random.NextDouble());
}
