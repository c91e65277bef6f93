using Maschera.Core.Readings.WheelSpeeds;
using Maschera.Core.Signals;

namespace Maschera.Rig.Road;

/// <summary>Two minutes: from standstill to 50, 80 and 30 km/h with stops, two turns, and what is asked for.</summary>
public sealed class FourWheels(int seed)
{
    /// <summary>The wheels in the order of their numbers.</summary>
    public static IReadOnlyList<string> Names => WheelNames.All;

    private readonly Random _random = new(seed);
    private readonly double[] _sizes = new double[4];

    /// <summary>When the driven wheel at the rear right slips, s.</summary>
    public double? SlipAt { get; init; }

    /// <summary>When the front left wheel locks while braking, s.</summary>
    public double? LockAt { get; init; }

    /// <summary>dead, drops-out, erratic or late (its sensor starts at <see cref="ReadsFrom"/>); null for none.</summary>
    public string? Fault { get; init; }

    /// <summary>From which speed on a late sensor reads, km/h.</summary>
    public double ReadsFrom { get; init; } = 14;

    /// <summary>How much faster the outer wheels are than the vehicle in the middle of a turn, as a share.</summary>
    public double Tightness { get; init; } = 0.04;

    /// <summary>The wheel with the fault, from 0.</summary>
    public int FaultyWheel { get; init; }

    /// <summary>Speed of the faulty wheel against the others: a tyre of another size.</summary>
    public double Size { get; init; } = 1;

    /// <summary>Speed of the rear axle against the front one.</summary>
    public double AxleSize { get; init; } = 1;

    /// <summary>Turns: from, to in s, and 1 for a turn to the left.</summary>
    public List<(double From, double To, int Side)> Turns { get; } = [(40, 44, 1), (84, 87.5, -1)];

    /// <summary>A wheel's speed against the median of the other three.</summary>
    public double RatioAgainstOthers(int wheel) =>
        _sizes[wheel] / Enumerable.Range(0, 4).Where(w => w != wheel).Select(w => _sizes[w]).Order().ElementAt(1);

    /// <summary>Two minutes on the road.</summary>
    public Capture Log()
    {
        for (var wheel = 0; wheel < 4; wheel++)
            if (_sizes[wheel] == 0)
                _sizes[wheel] = 1 + 0.006 * (_random.NextDouble() - 0.5);
        if (Size != 1 && Math.Abs(_sizes[FaultyWheel] - 1) < 0.01)
            _sizes[FaultyWheel] *= Size;
        if (AxleSize != 1)
            (_sizes[2], _sizes[3]) = (_sizes[2] * AxleSize, _sizes[3] * AxleSize);
        List<double> times = [];
        for (var t = 0.0; t < 125; t += 0.05 + 0.04 * _random.NextDouble())
            times.Add(t);
        var drops = Enumerable.Range(0, 6).Select(i => 14 + 15 * i + 4 * _random.NextDouble()).ToList();
        var axis = TimeAxis.FromStamps([.. times]);
        List<Channel> channels = [];
        for (var wheel = 0; wheel < 4; wheel++)
        {
            var own = wheel;
            channels.Add(new(WheelName(wheel), "km/h", axis, [.. times.Select(t => (float)Math.Round(Wheel(own, t, drops), 2))]));
        }

        channels.Add(new("Brake pedal", "", axis, [.. times.Select(t => IsBraking(t) ? 1f : 0f)]) { Words = ["released", "pressed"] });
        return new Capture("drive.csv", channels, []);
    }

    private static string WheelName(int wheel) => $"{Names[wheel].Replace('-', ' ')} wheel speed";

    private static bool IsBraking(double t) => t is > 54 and < 58 or > 98 and < 103 or > 114 and < 120;

    private static double Vehicle(double t)
    {
        (double At, double Speed)[] plan =
        [
            (0, 0),
            (3, 0),
            (10, 50),
            (54, 50),
            (58, 0),
            (60, 0),
            (70, 80),
            (98, 80),
            (103, 30),
            (114, 30),
            (118, 0),
            (125, 0),
        ];
        var next = Math.Max(1, Array.FindIndex(plan, p => p.At > t));
        var (a, b) = (plan[next - 1], plan[next]);
        return a.Speed + (b.Speed - a.Speed) * (t - a.At) / (b.At - a.At);
    }

    private double Wheel(int wheel, double t, List<double> drops)
    {
        var speed = Vehicle(t) * _sizes[wheel];
        foreach (var (from, to, side) in Turns)
            if (t > from && t < to)
                speed *= 1 + side * (wheel % 2 == 0 ? -1 : 1) * Tightness * Math.Sin(Math.PI * (t - from) / (to - from));
        if (wheel == 3 && SlipAt is { } slip && t > slip && t < slip + 2)
            speed += 14 * Math.Sin(Math.PI * (t - slip) / 2);
        if (wheel == 0 && LockAt is { } locked && t > locked && t < locked + 0.8)
            speed *= 1 - 0.9 * Math.Sin(Math.PI * (t - locked) / 0.8);
        if (wheel == FaultyWheel)
            speed = Spoilt(speed, t, drops);
        var read = speed + (speed > 0 ? 0.06 * (_random.NextDouble() - 0.5) : 0);
        return read < (Fault == "late" && wheel == FaultyWheel ? ReadsFrom : 2.5) ? 0 : read;
    }

    private double Spoilt(double speed, double t, List<double> drops) =>
        Fault switch
        {
            "dead" => t > 30 ? 0 : speed,
            "drops-out" => drops.Any(d => t > d && t < d + 0.5) ? 0 : speed,
            "erratic" when speed > 8 && _random.NextDouble() < 0.12 => speed
                + (_random.NextDouble() < 0.5 ? -1 : 1) * (9 + 12 * _random.NextDouble()),
            _ => speed,
        };
}
