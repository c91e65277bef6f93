using Maschera.Core.Engines;
using Maschera.Core.Signals;

namespace Maschera.Rig;

/// <summary>A cylinder that misfires now and then.</summary>
/// <param name="Cylinder">Its number.</param>
/// <param name="Share">Share of its firings that are missing, 0 to 1, drawn at random.</param>
/// <param name="AboveRpm">Only above this speed.</param>
public sealed record MisfireSchedule(int Cylinder, double Share, double AboveRpm = 0);

/// <summary>What the stand-in engine is asked to do on its own fuel.</summary>
public sealed record RunningPlan(Engine Engine)
{
    /// <summary>Speed the load is set for, rpm.</summary>
    public double SpeedRpm { get; init; } = 850;

    /// <summary>Speed at the end, reached in a straight line; null to hold it.</summary>
    public double? EndRpm { get; init; }

    public double Seconds { get; init; } = 8;

    /// <summary>Samples a second of the scope.</summary>
    public double Rate { get; init; } = 50_000;

    public int Bits { get; init; } = 12;

    /// <summary>Inductive sensors, whose voltage grows with speed; hall sensors otherwise.</summary>
    public bool InductiveCrank { get; init; }

    /// <summary>An inductive cam sensor: one wave at the beginning of each of the cam's teeth.</summary>
    public bool InductiveCam { get; init; }

    /// <summary>The crank sensor connected the other way round.</summary>
    public bool TurnedRound { get; init; }

    public IReadOnlyList<MisfireSchedule> Misfires { get; init; } = [];

    /// <summary>Scatter of the work from firing to firing, as a share of it.</summary>
    public double Scatter { get; init; } = 0.05;

    /// <summary>Noise of the sensors as a share of their swing.</summary>
    public double Noise { get; init; } = 0.004;

    /// <summary>Standard deviation of each tooth from its place, crank degrees.</summary>
    public double ToothErrorDegrees { get; init; } = 0.05;

    /// <summary>How much later the cam stands than it should, crank degrees.</summary>
    public double CamOffsetDegrees { get; init; }

    /// <summary>Flutter of its drive from cycle to cycle, standard deviation in crank degrees.</summary>
    public double CamFlutterDegrees { get; init; } = 0.1;

    /// <summary>A phaser that goes to and fro by so much within the capture, crank degrees.</summary>
    public double PhaserDegrees { get; init; }

    /// <summary>Teeth in a thousand that the sensor loses.</summary>
    public double LostTeethPerMille { get; init; }

    /// <summary>A tooth that stands off its place, by its number after the gap from 1, and by how many degrees.</summary>
    public (int Tooth, double Degrees)? BentTooth { get; init; }

    /// <summary>Cylinder whose coil carries the sync probe; null without one.</summary>
    public int? SyncCylinder { get; init; } = 1;

    public int Seed { get; init; } = 1;
}

/// <summary>What really happened.</summary>
/// <param name="Misfires">Missing firings of each cylinder.</param>
/// <param name="Firings">Firings of each cylinder, missing ones counted.</param>
/// <param name="SpeedRpm">Mean speed.</param>
public sealed record RunningTruth(IReadOnlyDictionary<int, int> Misfires, IReadOnlyDictionary<int, int> Firings, double SpeedRpm);

/// <summary>
/// The stand-in engine running: compression and expansion along a polytrope, a burn after Wiebe (Heywood, Internal
/// Combustion Engine Fundamentals, ch. 9), a load that holds the speed slowly, and sensors on crank and cam.
/// </summary>
public static class RunningRun
{
    private const double Step = 2e-5;
    private const double Polytrope = 1.32;
    private const double Ambient = 101_325;

    /// <summary>Cam edges of the stand-in: starts and ends of its teeth, crank degrees after the first tooth behind the gap.</summary>
    private static readonly (double From, double To)[] s_camTeeth = [(25, 85), (205, 330), (420, 445), (570, 690)];

    /// <summary>Width of the wave an inductive cam sensor gives, crank degrees.</summary>
    private const double CamWave = 14;

    /// <summary>Runs the plan. The engine needs geometry and a crank wheel.</summary>
    /// <exception cref="ArgumentException">The engine lacks them.</exception>
    public static (Capture Capture, RunningTruth Truth) Record(RunningPlan plan)
    {
        if (plan.Engine.Geometry is null || plan.Engine.CrankWheel is null) throw new ArgumentException("The stand-in engine needs geometry and a crank wheel.", nameof(plan));
        return new Simulation(plan).Run();
    }

    private sealed class Simulation
    {
        private readonly RunningPlan _plan;
        private readonly Random _random;
        private readonly double[] _angles;
        private readonly double[] _heat;
        private readonly SliderCrank _crank;
        private readonly double _swept;
        private readonly double _intake;
        private readonly double _usualHeat;
        private readonly Dictionary<int, int> _misfires = [];
        private readonly Dictionary<int, int> _firings = [];
        private readonly double[] _toothErrors;
        private double _flutter;
        private long _flutterCycle = long.MinValue;

        public Simulation(RunningPlan plan)
        {
            (_plan, _random, _angles) = (plan, new Random(plan.Seed), plan.Engine.Angles());
            var g = plan.Engine.Geometry!;
            _crank = SliderCrank.Of(g, g.CompressionRatio);
            _swept = Math.PI / 4 * g.BoreMm * g.BoreMm * g.StrokeMm * 1e-9;
            // Half-open throttle; the burn raises the pressure so many times.
            (_intake, _usualHeat) = (0.45 * Ambient, 2.2);
            _heat = [.. Enumerable.Repeat(_usualHeat, plan.Engine.Cylinders)];
            _toothErrors = [.. Enumerable.Range(0, plan.Engine.CrankWheel!.Teeth).Select(_ => plan.ToothErrorDegrees * Gaussian())];
                if (plan.BentTooth is var (tooth, degrees)) _toothErrors[tooth - 1] += degrees;
        foreach (var cylinder in plan.Engine.FiringOrder) (_misfires[cylinder], _firings[cylinder]) = (0, 0);
        }

        public (Capture, RunningTruth) Run()
        {
            var degrees = 720 + _random.NextDouble() * 720;
            var first = degrees;
            var speed = _plan.SpeedRpm * Math.Tau / 60;
            var inertia = 0.06 + 0.035 * _plan.Engine.Cylinders;
            var work = MeanTorque();
            var count = (int)(_plan.Seconds * _plan.Rate);
            var (crank, cam, coil) = (new float[count], new float[count], new float[count]);
            var converter = new Converter(_plan.Bits, _random);
            var (next, time) = (0, 0.0);
            while (next < count)
            {
                var before = degrees;
                degrees += double.RadiansToDegrees(speed) * Step;
                for (; next < count && next / _plan.Rate < time + Step; next++)
                    Sample(converter, before + (degrees - before) * (next / _plan.Rate - time) / Step, speed, next, crank, cam, coil);
                for (var place = 0; place < _angles.Length; place++) Fire(place, before, degrees, speed);
                var wanted = (_plan.SpeedRpm + ((_plan.EndRpm ?? _plan.SpeedRpm) - _plan.SpeedRpm) * time / _plan.Seconds) * Math.Tau / 60;
                var load = work + inertia * 1.5 * (speed - wanted);
                speed = Math.Max(5, speed + (Torque(degrees) - load) / inertia * Step);
                time += Step;
            }

            var axis = TimeAxis.Uniform(0, 1 / _plan.Rate, count);
            List<Channel> channels = [new("Crank sensor", "V", axis, crank), new("Cam sensor", "V", axis, cam)];
            if (_plan.SyncCylinder is not null) channels.Add(new Channel("Ignition", "V", axis, coil));
            return (new Capture("stand-in", channels, []), new RunningTruth(_misfires, _firings, (degrees - first) / 6 / time));
        }

        /// <summary>Decides, 20° before TDC, what the next firing of a place burns.</summary>
        private void Fire(int place, double before, double now, double speed)
        {
            const double decided = 700;
            if (!(EngineSignals.After(_angles[place], before) < decided && EngineSignals.After(_angles[place], now) is >= decided and < 715)) return;
            var cylinder = _plan.Engine.FiringOrder[place];
            var rpm = speed * 60 / Math.Tau;
            var missing = _plan.Misfires.Any(m => m.Cylinder == cylinder && rpm >= m.AboveRpm && _random.NextDouble() < m.Share);
            _firings[cylinder]++;
            if (missing) _misfires[cylinder]++;
            _heat[place] = missing ? 0 : _usualHeat * (1 + _plan.Scatter * Gaussian());
        }

        private double Torque(double degrees)
        {
            double sum = 0;
            for (var place = 0; place < _angles.Length; place++) sum += Torque(EngineSignals.After(_angles[place], degrees), _heat[place]);
            return sum;
        }

        /// <summary>Torque of one cylinder at an angle after its firing TDC, N m.</summary>
        private double Torque(double after, double heat)
        {
            var angle = double.DegreesToRadians(after);
            var full = _crank.Volume(Math.PI);
            var pressure = after switch
            {
                < 140 => _intake * Math.Pow(full / _crank.Volume(angle), Polytrope) * (1 + heat * Burnt(after)),
                < 360 => 1.03 * Ambient,
                < 540 => _intake,
                _ => _intake * Math.Pow(full / _crank.Volume(angle), Polytrope),
            };
            return (pressure - Ambient) * _swept * _crank.VolumeSlope(angle);
        }

        /// <summary>Wiebe: share burnt, from 10° before TDC over 55°.</summary>
        private static double Burnt(double after) => 1 - Math.Exp(-5 * Math.Pow((after + 10) / 55, 3));

        private double MeanTorque()
        {
            double sum = 0;
            for (var at = 0.5; at < 720; at++) sum += Torque(at, _usualHeat) / 720;
            return sum * _plan.Engine.Cylinders;
        }

        private void Sample(Converter converter, double degrees, double speed, int index, float[] crank, float[] cam, float[] coil)
        {
            var wheel = _plan.Engine.CrankWheel!;
            var volts = _plan.InductiveCrank ? Inductive(wheel, degrees, speed) : Hall(wheel, degrees);
            if (_plan.TurnedRound) volts = _plan.InductiveCrank ? -volts : 5.2 - volts;
            crank[index] = converter.Take(volts, _plan.Noise * (_plan.InductiveCrank ? 8 : 5), _plan.InductiveCrank ? 20 : 10);
            cam[index] = converter.Take(Cam(degrees, index / _plan.Rate, speed), _plan.Noise * 5, 10);
            if (_plan.SyncCylinder is not { } cylinder) return;
            var after = EngineSignals.After(_angles[_plan.Engine.FiringOrder.ToList().IndexOf(cylinder)], degrees + 15);
            coil[index] = converter.Take(after < 0.006 * speed ? 55 : after > 690 ? 0.6 : 13.8, 0.05, 100);
        }

        /// <summary>Degrees from the nearest tooth's leading edge and the tooth's number since the start; null in a gap or at a lost tooth.</summary>
        private (double Into, double Pitch)? Tooth(CrankWheel wheel, double degrees)
        {
            var pitch = 360.0 / wheel.Teeth;
            var fromFirst = degrees + (wheel.GapToTdc ?? 90);
            // A tooth may stand a little early, so a place begins a quarter pitch before it.
            var number = (long)Math.Floor(fromFirst / pitch + 0.25);
            var slot = (int)(((number % wheel.Teeth) + wheel.Teeth) % wheel.Teeth);
            if (IsGap(wheel, slot) || IsLost(number)) return null;
            // The extra tooth stands between the last place and the first.
            if (wheel.Extra == 1 && slot == wheel.Teeth - 1 && fromFirst - number * pitch >= pitch / 2) return ((fromFirst - (number + 0.5) * pitch) * 2, pitch);
            return (fromFirst - number * pitch - _toothErrors[slot], wheel.Extra == 1 ? 0.7 * pitch : pitch);
        }

        /// <summary>Gaps lie at the end of equal parts of the turn, but for the last, which lies a sixth of a part early: so no part is like another.</summary>
        private static bool IsGap(CrankWheel wheel, int slot)
        {
            var parts = wheel.Missing.Count;
            for (var i = 0; i < parts; i++)
            {
                var end = i == parts - 1 ? wheel.Teeth : (i + 1) * wheel.Teeth / parts - wheel.Teeth / (6 * parts);
                var size = wheel.Missing[(i + 1) % parts];
                if (slot >= end - size && slot < end) return true;
            }

            return false;
        }

        private bool IsLost(long number)
        {
            // Drawn from the tooth's number, so that a tooth stays lost for all its samples.
            return _plan.LostTeethPerMille > 0 && new Random((int)(number * 7_919 % int.MaxValue) ^ _plan.Seed).NextDouble() < _plan.LostTeethPerMille / 1000;
        }

        private double Hall(CrankWheel wheel, double degrees) => Tooth(wheel, degrees) is var (into, pitch) && into >= 0 && into < pitch / 2 ? 5 : 0.2;

        /// <summary>One wave for each tooth, falling through zero a quarter pitch behind its leading edge; its height grows with speed.</summary>
        private double Inductive(CrankWheel wheel, double degrees, double speed)
        {
            if (Tooth(wheel, degrees) is not var (into, pitch)) return 0;
            var share = into / (pitch / 2);
            return share is > 0 and < 1 ? 0.08 * speed * Math.Sin(Math.Tau * share) : 0;
        }

        private double Cam(double degrees, double seconds, double speed)
        {
            var turned = degrees + (_plan.Engine.CrankWheel!.GapToTdc ?? 90) - _plan.CamOffsetDegrees - _plan.PhaserDegrees / 2 * Math.Sin(Math.Tau * seconds / _plan.Seconds);
            var cycle = (long)Math.Floor(turned / 720);
            if (cycle != _flutterCycle) (_flutterCycle, _flutter) = (cycle, _plan.CamFlutterDegrees * Gaussian());
            var at = EngineSignals.After(0, turned - _flutter);
            if (_plan.InductiveCam) return s_camTeeth.Where(t => at >= t.From && at < t.From + CamWave).Select(t => 0.03 * speed * Math.Sin(Math.Tau * (at - t.From) / CamWave)).FirstOrDefault();
            return s_camTeeth.Any(t => at >= t.From && at < t.To) ? 5 : 0.1;
        }

        private double Gaussian() => Math.Sqrt(-2 * Math.Log(1 - _random.NextDouble())) * Math.Cos(Math.Tau * _random.NextDouble());
    }
}
