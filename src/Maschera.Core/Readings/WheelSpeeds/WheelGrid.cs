using Maschera.Core.Signals;

namespace Maschera.Core.Readings.WheelSpeeds;

/// <summary>The wheels' speeds on one axis, in km/h or in what stands for it.</summary>
internal sealed class WheelGrid
{
    /// <summary>The rolling radius that a speed in rad/s is taken with, m: only thresholds depend on it.</summary>
    private const double Radius = 0.31;

    /// <summary>
    /// What stands for a km/h where pulses a second are logged: 48 of them over two metres. Only thresholds depend on it.
    /// </summary>
    private const double PulsesPerSpeed = 48 / 2.0 / 3.6;

    private const double MilesToKilometres = 1.609344;

    public WheelGrid(IReadOnlyDictionary<string, Channel> channels)
    {
        var own = WheelNames.All.Select(n => channels.GetValueOrDefault(n)).ToArray();
        var first = own.First(c => c is not null)!;
        Unit = first.Unit;
        Times = [.. Enumerable.Range(0, first.Time.Count).Select(i => first.Time[i])];
        Speeds = [.. own.Select(c => c is null ? null : OnAxis(c, ToSpeed(c.Unit)))];
        Step = Times.Length > 1 ? Statistics.Median(Times.Zip(Times.Skip(1), (a, b) => b - a)) : 1;
        Braking = channels.TryGetValue("brake", out var brake) ? Pressed(brake) : null;
    }

    /// <summary>s.</summary>
    public double[] Times { get; }

    /// <summary>One list a wheel, null for a wheel that was not logged; NaN where there is no value.</summary>
    public double[]?[] Speeds { get; }

    /// <summary>A typical step, s.</summary>
    public double Step { get; }

    public string Unit { get; }

    public bool IsInHertz => Unit.Equals("Hz", StringComparison.OrdinalIgnoreCase);

    /// <summary>What a value of the file is multiplied by for km/h.</summary>
    public double Factor => ToSpeed(Unit);

    /// <summary>Where the brake is pressed; null where it was not logged.</summary>
    private bool[]? Braking { get; }

    public int Count => Times.Length;

    /// <summary>
    /// True where the brake is pressed or, where it was not logged, where <paramref name="reference"/> falls as under a brake.
    /// </summary>
    public bool[] UnderBrake(double[] reference)
    {
        if (Braking is not null)
            return Braking;
        const double hard = 2 * 3.6;
        var around = Math.Max(1, (int)(0.25 / Step));
        var braking = new bool[Count];
        for (var i = 0; i < Count; i++)
        {
            var (a, b) = (Math.Max(0, i - around), Math.Min(Count - 1, i + around));
            braking[i] = (reference[b] - reference[a]) / Math.Max(1e-9, Times[b] - Times[a]) < -hard;
        }

        return braking;
    }

    private static double ToSpeed(string unit) =>
        unit.ToLowerInvariant() switch
        {
            "mph" => MilesToKilometres,
            "rad/s" => Radius * 3.6,
            "hz" => 1 / PulsesPerSpeed,
            "m/s" => 3.6,
            "rpm" or "1/min" => Math.Tau / 60 * Radius * 3.6,
            _ => 1,
        };

    private double[] OnAxis(Channel channel, double factor)
    {
        var (time, samples) = (channel.Time, channel.Samples);
        var values = new double[Times.Length];
        var at = 0;
        for (var i = 0; i < values.Length; i++)
        {
            while (at < time.Count - 1 && time[at + 1] <= Times[i])
                at++;
            var next = Math.Min(at + 1, time.Count - 1);
            if (time.Count == 0 || float.IsNaN(samples[at]))
                values[i] = double.NaN;
            else
            {
                var part = next == at || Times[i] <= time[at] ? 0 : Math.Min(1, (Times[i] - time[at]) / (time[next] - time[at]));
                values[i] =
                    factor * (part == 0 || float.IsNaN(samples[next]) ? samples[at] : samples[at] + part * (samples[next] - samples[at]));
            }
        }

        return values;
    }

    private bool[] Pressed(Channel brake)
    {
        var rest = Statistics.Quantile(brake.Samples, 0.1);
        var most = brake.Samples.Where(float.IsFinite).DefaultIfEmpty(0).Max();
        if (brake.Words is { } words)
            (rest, most) = (Math.Max(0, words.ToList().FindIndex(w => w.StartsWith("rel", StringComparison.OrdinalIgnoreCase))), 1);
        var pressed = new bool[Times.Length];
        for (var i = 0; i < pressed.Length && brake.Time.Count > 0; i++)
        {
            var held = Resampling.Held(brake, Times[i] + 1e-6);
            pressed[i] = brake.Words is null ? held - rest > 0.1 * (most - rest) && most > rest : held != rest;
        }

        return pressed;
    }
}
