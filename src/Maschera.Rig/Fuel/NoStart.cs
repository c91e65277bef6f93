using Maschera.Core.Signals;

namespace Maschera.Rig.Fuel;

/// <summary>Key on for two seconds, then cranking; everything as it should be unless told otherwise.</summary>
public sealed class NoStart(int seed)
{
    private const double Begins = 2;

    private readonly Random _random = new(seed);

    /// <summary>V while cranking.</summary>
    public double Battery { get; init; } = 10.6;

    /// <summary>Speed while cranking.</summary>
    public double Rpm { get; init; } = 215;

    /// <summary>Rail pressure, bar.</summary>
    public double Rail { get; init; } = 290;

    /// <summary>When cam and crank are in step, s of cranking; null for never.</summary>
    public double? SyncAt { get; init; } = 0.7;

    /// <summary>Commanded injection, mg.</summary>
    public double Quantity { get; init; } = 22;

    /// <summary>Its state as a word.</summary>
    public string Immobiliser { get; init; } = "released";

    /// <summary>Whether it runs in the end.</summary>
    public bool Starts { get; init; }

    /// <summary>How long it is cranked.</summary>
    public double Seconds { get; init; } = 6;

    /// <summary>The scan tool's log.</summary>
    public Capture Log()
    {
        List<double> times = [];
        for (var t = 0.0; t < Begins + Seconds + 2; t += 0.06 + 0.04 * _random.NextDouble())
            times.Add(t);
        var axis = TimeAxis.FromStamps([.. times]);
        bool Turned(double t) => t >= Begins && t < Begins + Seconds;
        bool Runs(double t) => Starts && t >= Begins + Seconds;
        double Wobble() => 1 + 0.02 * (_random.NextDouble() - 0.5);
        Channel Made(string name, string unit, Func<double, double> value) =>
            new(name, unit, axis, [.. times.Select(t => (float)value(t))]);
        return new Capture(
            "cranking.csv",
            [
                Made(
                    "Engine speed",
                    "rpm",
                    t =>
                        Runs(t) ? 850
                        : Turned(t) ? Math.Round(Rpm * Math.Min(1, (t - Begins) / 0.3 + 0.15) * Wobble())
                        : 0
                ),
                Made(
                    "Battery voltage",
                    "V",
                    t =>
                        Runs(t) ? 14
                        : Turned(t) ? Battery * Wobble()
                        : 12.5
                ),
                Made("Rail pressure", "bar", t => Turned(t) || Runs(t) ? Rail * (1 - Math.Exp(-(t - Begins) / 0.5)) : 2),
                Made("Injection quantity", "mg", t => SyncAt is { } s && (Turned(t) || Runs(t)) && t > Begins + s ? Quantity : 0),
                Made("Sync", "", t => SyncAt is { } s && (Turned(t) || Runs(t)) && t >= Begins + s ? 1 : 0) with
                {
                    Words = ["searching", "in step"],
                },
                Made("Immobiliser", "", _ => 0) with
                {
                    Words = [Immobiliser],
                },
            ],
            []
        );
    }
}
