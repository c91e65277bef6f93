using Maschera.Core.Signals;

namespace Maschera.Rig.Fuel;

/// <summary>A minute and a half: three pulls at high load, cruising between.</summary>
public sealed class KnockingDrive(int seed)
{
    private readonly Random _random = new(seed);

    /// <summary>It knocks under load.</summary>
    public bool Real { get; init; }

    /// <summary>The module holds what it took back as long as a pull lasts, instead of trying again.</summary>
    public bool Held { get; init; }

    /// <summary>How long a pull lasts, s.</summary>
    public double Pull { get; init; } = 6;

    /// <summary>Something rattles at light throttle.</summary>
    public bool Noise { get; init; }

    /// <summary>Single values of retard now and then.</summary>
    public bool Blips { get; init; }

    /// <summary>°C.</summary>
    public double Coolant { get; init; } = 90;

    /// <summary>The log; a sign of −1 for a module that shows retard as negative.</summary>
    public Capture Log(int sign = 1)
    {
        var pulls = new[] { 14.0, 43, 71 }.Select(p => p + 3 * _random.NextDouble()).ToArray();
        List<double> times = [];
        for (var t = 0.0; t < 95; t += 0.06 + 0.03 * _random.NextDouble())
            times.Add(t);
        double Since(double t) => pulls.Where(p => t >= p).Select(p => t - p).DefaultIfEmpty(1e9).Min();
        bool Pulling(double t) => Since(t) < Pull;
        var retards = times.Select(t => Retard(Since(t), Pulling(t)) + (Blips && (int)(t * 10) % 97 == 0 ? 5 : 0)).ToList();
        var axis = TimeAxis.FromStamps([.. times]);
        Channel Made(string name, string unit, Func<int, double> value) =>
            new(name, unit, axis, [.. Enumerable.Range(0, times.Count).Select(i => (float)value(i))]);
        return new Capture(
            "knock.csv",
            [
                Made("Knock retard", "°", i => sign * Math.Round(Math.Max(0, retards[i]), 1)),
                Made("Engine load", "%", i => (Pulling(times[i]) ? 88 : 28) + 2 * (_random.NextDouble() - 0.5)),
                Made("Engine speed", "rpm", i => Rpm(Since(times[i])) + 10 * _random.NextDouble()),
                Made("Coolant temperature", "°C", _ => Coolant),
                Made("Intake air temperature", "°C", _ => 34),
                Made("Spark advance", "°", i => (Pulling(times[i]) ? 18 : 31) - Math.Max(0, retards[i])),
            ],
            []
        );
    }

    /// <summary>It climbs while pulling and falls back to cruising.</summary>
    private double Rpm(double since) => 1_900 + 350 * Math.Min(since, Pull) * Math.Exp(-Math.Max(0, since - Pull) / 1.6);

    private double Retard(double since, bool pulling)
    {
        if (Real)
            return since < 1.5 ? 0
                : since < 2.5 ? 9 * (since - 1.5)
                : Math.Max(0, 9 - 1.9 * Math.Max(0, since - (Held ? Pull : 2.5)));
        return Noise && !pulling && since > 8 ? 7 : 0;
    }
}
