using Maschera.Core.Engines;
using Maschera.Core.Signals;

namespace Maschera.Rig;

/// <summary>What the stand-in vehicle is asked to log on the road.</summary>
public sealed record DrivePlan(Engine Engine)
{
    public double Seconds { get; init; } = 180;

    /// <summary>Values a second of each channel; their steps are uneven, as loggers have them.</summary>
    public double Rate { get; init; } = 10;

    /// <summary>The hose behind the charge air cooler is split: boost stays below what is wanted under load.</summary>
    public bool SplitHose { get; init; }

    /// <summary>The cylinder that needs more fuel to give the same; 0 for none.</summary>
    public int WeakCylinder { get; init; }

    public int Seed { get; init; } = 1;
}

/// <summary>Logs of a made-up drive: idle, pulls, cruising and slowing down, desired beside actual, balance of each cylinder.</summary>
public static class DriveLog
{
    private const double Step = 0.01,
        Ambient = 94,
        RailLow = 280,
        RailHigh = 1_500;

    /// <summary>Runs the plan.</summary>
    public static Capture Record(DrivePlan plan)
    {
        var random = new Random(plan.Seed);
        var drive = new Drive(plan, random);
        var names = drive.Names;
        var times = new List<double>();
        var values = names.Select(_ => new List<float>()).ToArray();
        for (var (t, next) = (0.0, 0.0); t < plan.Seconds; t += Step)
        {
            drive.Advance(t);
            if (t < next)
                continue;
            next = t + (0.75 + 0.5 * random.NextDouble()) / plan.Rate;
            times.Add(Math.Round(t, 2));
            var now = drive.Values();
            for (var c = 0; c < values.Length; c++)
                values[c].Add((float)now[c]);
        }

        var axis = TimeAxis.FromStamps([.. times]);
        return new Capture("drive", [.. names.Select((n, c) => new Channel(n.Name, n.Unit, axis, [.. values[c]]))], []);
    }

    private sealed class Drive(DrivePlan plan, Random random)
    {
        private double _rpm = 820,
            _speed,
            _pedal,
            _boost = Ambient,
            _wanted = Ambient,
            _rail = RailLow,
            _railWanted = RailLow,
            _coolant = 78;

        public IReadOnlyList<(string Name, string Unit)> Names { get; } =
        [
            ("Engine speed", "rpm"),
            ("Vehicle speed", "km/h"),
            ("Accelerator pedal", "%"),
            ("Boost pressure desired", "kPa"),
            ("Boost pressure actual", "kPa"),
            ("Rail pressure desired", "bar"),
            ("Rail pressure actual", "bar"),
            ("Air mass flow", "g/s"),
            ("Coolant temperature", "°C"),
            ("Intake air temperature", "°C"),
            ("Control module voltage", "V"),
            .. Enumerable.Range(1, plan.Engine.Cylinders).Select(n => ($"Injection correction cylinder {n}", "mg/stroke")),
        ];

        public void Advance(double t)
        {
            _pedal = Foot(t % 60);
            _rpm += ((_pedal > 0 ? 1_150 + 27 * _pedal : 820) - _rpm) * Step / (_pedal > 50 ? 4.5 : 2);
            _speed += (_pedal * 1.35 - _speed) * Step / 11;
            _wanted = _pedal < 8 ? Ambient : Ambient + 1.15 * _pedal * Math.Min(1, Math.Max(0, _rpm - 1_000) / 900);
            var reached = plan.SplitHose ? Ambient + 0.42 * (_wanted - Ambient) : _wanted;
            _boost += (reached - _boost) * Step / 0.5;
            _railWanted = RailLow + (RailHigh - RailLow) * Math.Min(1, _pedal / 85) * Math.Min(1, _rpm / 2_200);
            _rail += (_railWanted - _rail) * Step / 0.12;
            _coolant += (89 - _coolant) * Step / 90;
        }

        public double[] Values() =>
            [
                Math.Round(_rpm + Noise(5)),
                Math.Round(_speed),
                Math.Round(_pedal, 1),
                Math.Round(_wanted, 1),
                Math.Round(_boost + Noise(0.4), 1),
                Math.Round(_railWanted),
                Math.Round(_rail + Noise(4)),
                Math.Round(_rpm * _boost / 5_200 + Noise(0.15), 2),
                Math.Round(_coolant),
                Math.Round(24 + _speed / 14),
                Math.Round(14.1 + Noise(0.03), 2),
                .. plan
                    .Engine.FiringOrder.Order()
                    .Select(n => Math.Round((n == plan.WeakCylinder ? 2.1 : 0.1 * Math.Sin(n)) + Noise(0.12), 2)),
            ];

        /// <summary>The driver's foot through one minute: idle, a pull, cruising, a short one, off.</summary>
        private static double Foot(double t) =>
            t switch
            {
                < 12 => 0,
                < 24 => 97,
                < 38 => 34,
                < 44 => 82,
                < 50 => 20,
                _ => 0,
            };

        private double Noise(double size) => size * Maschera.Rig.Noise.Gaussian(random);
    }
}
