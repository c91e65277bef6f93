using Maschera.Core.Basics;
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

    /// <summary>A phone that listens; null without one.</summary>
    public PhoneSound? Phone { get; init; }

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
    /// <summary>What the inputs measure, V.</summary>
    private const double BatteryRange = 20,
        CrankRange = 10,
        CoilRange = 100;

    /// <summary>Runs the plan. The engine needs geometry and valve timing.</summary>
    /// <exception cref="ArgumentException">The engine lacks them.</exception>
    public static (Capture Capture, CrankingTruth Truth) Record(CrankingPlan plan)
    {
        if (plan.Engine.Geometry is null || plan.Engine.ValveTiming is null)
            throw new ArgumentException("The stand-in engine needs geometry and valve timing.", nameof(plan));
        return new Simulation(plan).Run();
    }

    private sealed class Simulation(CrankingPlan plan)
    {
        /// <summary>Time after engagement that belongs to the start and not to steady cranking, s.</summary>
        private const double Settling = 1.2;

        private readonly Random _random = new(plan.Seed);
        private readonly List<EngineState> _states = [];
        private readonly List<double> _heard = [];
        private readonly Dictionary<int, List<double>> _work = [];
        private double _steadyDegrees;
        private double _steadySeconds;

        public (Capture, CrankingTruth) Run()
        {
            var engine = new StarterEngine(plan.Engine, plan.Starter, plan.Faults, _random);
            var total = plan.RestBefore + plan.Cranking + plan.RestAfter;
            var every = Math.Max(1, (int)Math.Round(1 / (plan.Rate * StarterEngine.Step)));
            var heardEvery = plan.Phone is { } phone ? Math.Max(1, (int)Math.Round(1 / (phone.Rate * StarterEngine.Step))) : int.MaxValue;
            var released = plan.RestBefore + plan.Cranking;
            for (var i = 0; i * StarterEngine.Step < total; i++)
            {
                var now = i * StarterEngine.Step;
                var state = engine.State(keyed: now >= plan.RestBefore && now < released);
                if (i % every == 0)
                    _states.Add(state);
                if (plan.Phone is not null && i % heardEvery == 0)
                    _heard.Add(state.Degrees);
                var steady = now > plan.RestBefore + Settling && now < released;
                engine.Turn(state.Current, steady ? Note : null);
                if (!steady)
                    continue;
                _steadyDegrees += engine.State(keyed: false).Degrees - state.Degrees;
                _steadySeconds += StarterEngine.Step;
            }

            var channels = Channels(every * StarterEngine.Step);
            if (plan.Phone is { } microphone)
                channels.Add(CrankingSound.Of(microphone, _heard, heardEvery * StarterEngine.Step, plan.Engine.Cylinders, _random));
            return (new Capture("stand-in", channels, []), Truth());
        }

        private void Note(int cylinder, double work)
        {
            if (!_work.TryGetValue(cylinder, out var list))
                _work[cylinder] = list = [];
            list.Add(work);
        }

        private CrankingTruth Truth()
        {
            var mean = _work.ToDictionary(pair => pair.Key, pair => pair.Value.Average());
            var sound = Statistics.Median(mean.Where(pair => plan.Faults.All(f => f.Cylinder != pair.Key)).Select(pair => pair.Value));
            return new CrankingTruth(
                mean.ToDictionary(pair => pair.Key, pair => 100 * pair.Value / sound),
                _steadyDegrees / 6 / _steadySeconds
            );
        }

        private List<Channel> Channels(double step)
        {
            var time = TimeAxis.Uniform(0, step, _states.Count);
            var scope = new Converter(plan.Bits, _random);
            var channels = new List<Channel>
            {
                new(
                    "Starter current",
                    "A",
                    time,
                    [.. _states.Select(s => scope.Take(s.Current + plan.ClampOffset, plan.ClampNoise, plan.ClampRange))]
                )
                {
                    Range = plan.ClampRange,
                },
                new("Battery voltage", "V", time, [.. _states.Select(s => scope.Take(s.Volts, 0.01, BatteryRange))])
                {
                    Range = BatteryRange,
                },
            };
            if (plan.SyncCylinder is { } cylinder)
                channels.Add(new Channel("Ignition", "V", time, [.. Ignition(cylinder, scope)]) { Range = CoilRange });
            if (plan.CrankSensor && plan.Engine.CrankWheel is { } wheel)
                channels.Add(
                    new Channel(
                        "Crank sensor",
                        "V",
                        time,
                        [.. _states.Select(s => scope.Take(EngineSignals.CrankVolts(wheel, s.Degrees), 0.02, CrankRange))]
                    )
                    {
                        Range = CrankRange,
                    }
                );
            return channels;
        }

        private IEnumerable<float> Ignition(int cylinder, Converter scope)
        {
            var coil = new CoilPrimary(plan.Engine, cylinder);
            foreach (var state in _states)
                yield return scope.Take(coil.Volts(state), 0.05, CoilRange);
        }
    }
}

/// <summary>A scope's input: noise, end stops and converter steps.</summary>
internal sealed class Converter(int bits, Random random)
{
    /// <summary>
    /// What the scope stores for a value, with noise of that standard deviation on a range of ±<paramref name="range"/>.
    /// </summary>
    public float Take(double value, double noise, double range)
    {
        var step = 2 * range / (1 << bits);
        var noisy = value + noise * Noise.Gaussian(random);
        return (float)(Math.Round(Math.Clamp(noisy, -range, range - step) / step) * step);
    }
}
