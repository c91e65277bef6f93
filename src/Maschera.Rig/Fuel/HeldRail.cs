using Maschera.Core.Signals;

namespace Maschera.Rig.Fuel;

/// <summary>A pump that builds up 4 bar, runs with its ripple, stops with a run-out of a tenth of a bar.</summary>
public sealed class HeldRail(int seed)
{
    private readonly Random _random = new(seed);

    /// <summary>bar a minute, evenly.</summary>
    public double LossAMinute { get; init; }

    /// <summary>Seconds in which half is lost; null for an even loss.</summary>
    public double? HalfLife { get; init; }

    /// <summary>bar to which it falls, with <see cref="HalfLife"/>; 0 for all of it.</summary>
    public double EndsAt { get; init; }

    /// <summary>Whether the file begins with the pump running.</summary>
    public bool BeginsRunning { get; init; }

    /// <summary>bar of the running pump's beat; s and bar of a sample's time and noise.</summary>
    public double Beat { get; init; } = 0.05;
    public double Step { get; init; } = 0.1;
    public double Noise { get; init; } = 0.004;

    /// <summary>Whether it beats behind the stop as well: it was another's.</summary>
    public bool BeatsOn { get; init; }

    /// <summary>How long it is logged after the stop.</summary>
    public double Seconds { get; init; } = 75;

    /// <summary>When the pump stops, s.</summary>
    public double Stop { get; } = 5 + new Random(seed).NextDouble() * 3;

    /// <summary>Fuel pressure, with the pump's voltage where asked for.</summary>
    public Capture Log(bool withPump)
    {
        var count = (int)((Stop + Seconds) / Step);
        var axis = TimeAxis.Uniform(0, Step, count);
        List<Channel> channels = [new("Fuel pressure", "bar", axis, [.. Enumerable.Range(0, count).Select(i => Pressure(i * Step))])];
        if (withPump)
            channels.Add(new("Pump voltage", "V", axis, [.. Enumerable.Range(0, count).Select(i => Pump(i * Step))]));
        return new Capture("hold.csv", channels, []);
    }

    private float Pump(double t) => (float)(((BeginsRunning || t > 1) && t < Stop ? 13.2 : 0) + 0.05 * (_random.NextDouble() - 0.5));

    private float Pressure(double t)
    {
        const double high = 4;
        var since = t - Stop;
        var lost = high - 0.1 - EndsAt;
        var held = HalfLife is { } half ? EndsAt + lost * Math.Pow(2, -since / half) : high - 0.1 - LossAMinute * since / 60;
        var beat = Beat * Math.Sin(41 * t);
        var built = BeginsRunning ? high : 1.4 + (high - 1.4) * (1 - Math.Exp(-(t - 1) / 0.3));
        var pressure =
            t < 1 && !BeginsRunning ? 1.4
            : since < 0 ? built + beat
            : held + 0.1 * Math.Exp(-since / 0.12) + (BeatsOn ? beat : 0);
        return (float)(Math.Round((pressure + 2 * Noise * (_random.NextDouble() - 0.5)) / 0.005) * 0.005);
    }
}
