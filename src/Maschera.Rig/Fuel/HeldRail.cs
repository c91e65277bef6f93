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

    /// <summary>How long it is logged after the stop.</summary>
    public double Seconds { get; init; } = 75;

    /// <summary>When the pump stops, s.</summary>
    public double Stop { get; } = 5 + new Random(seed).NextDouble() * 3;

    /// <summary>Fuel pressure, with the pump's voltage where asked for.</summary>
    public Capture Log(bool withPump)
    {
        const double step = 0.1;
        var count = (int)((Stop + Seconds) / step);
        var axis = TimeAxis.Uniform(0, step, count);
        List<Channel> channels = [new("Fuel pressure", "bar", axis, [.. Enumerable.Range(0, count).Select(i => Pressure(i * step))])];
        if (withPump)
            channels.Add(new("Pump voltage", "V", axis, [.. Enumerable.Range(0, count).Select(i => Pump(i * step))]));
        return new Capture("hold.csv", channels, []);
    }

    private float Pump(double t) => (float)((t > 1 && t < Stop ? 13.2 : 0) + 0.05 * (_random.NextDouble() - 0.5));

    private float Pressure(double t)
    {
        const double high = 4;
        var since = t - Stop;
        var held = HalfLife is { } half ? (high - 0.1) * Math.Pow(2, -since / half) : high - 0.1 - LossAMinute * since / 60;
        var pressure =
            t < 1 ? 1.4
            : since < 0 ? 1.4 + (high - 1.4) * (1 - Math.Exp(-(t - 1) / 0.3)) + 0.05 * Math.Sin(41 * t)
            : held + 0.1 * Math.Exp(-since / 0.12);
        return (float)(Math.Round((pressure + 0.008 * (_random.NextDouble() - 0.5)) / 0.005) * 0.005);
    }
}
