using Maschera.Core.Signals;

namespace Maschera.Core.Timing;

/// <summary>One excursion of a sync signal from its resting level, seconds.</summary>
/// <param name="Start">Where it leaves the rest.</param>
/// <param name="Peak">Where it is furthest away.</param>
/// <param name="End">Where it is back.</param>
public readonly record struct SyncEvent(double Start, double Peak, double End);

/// <summary>Finds the events of a signal that marks one cylinder: sparks, injector pulses, cam windows, pressure towers.</summary>
public static class SyncEvents
{
    /// <summary>The share of the largest excursions that a sample must exceed to belong to an event.</summary>
    private const double Threshold = 0.4;

    /// <summary>Events a quarter of the usual step apart are two; this apart they are looked for first, s.</summary>
    private const double RoughlyApart = 0.006;

    /// <summary>
    /// When a signal marks its cylinder, s: the peaks of pressure towers, where the events of anything else begin.
    /// </summary>
    /// <param name="kind">What it is on: ignition, injector, cam or pressure.</param>
    /// <param name="apart">What lies within this is one event, s; by default a quarter of the usual step between events.</param>
    public static double[] Marks(Channel sync, string kind, double? apart = null)
    {
        if (kind == "pressure")
            return [.. Towers.Find(sync).Select(t => t.Seconds)];
        if (apart is { } known)
            return Times(known);
        var rough = Times(RoughlyApart);
        return rough.Length < 2 ? rough : Times(0.25 * Statistics.Median(rough.Zip(rough.Skip(1), (a, b) => b - a)));

        double[] Times(double within) => [.. Find(sync, within).Select(e => e.Start)];
    }

    /// <summary>
    /// Events, in time order. The rest is the signal's median; what stays within <paramref name="apart"/> seconds is
    /// one event. Empty where nothing rises clear of the noise.
    /// </summary>
    public static List<SyncEvent> Find(Channel channel, double apart = 0.02)
    {
        var samples = channel.Samples;
        var rest = Statistics.Quantile(samples, 0.5);
        // Between these quantiles lies rest alone, also where a dwell takes up to a third of the time.
        var noise = Math.Max(Statistics.Quantile(samples, 0.65) - rest, rest - Statistics.Quantile(samples, 0.35));
        var level = Threshold * ThirdLargestExcursion(samples, rest);
        var events = new List<SyncEvent>();
        if (!(level > 4 * noise))
            return events;
        var furthest = 0.0;
        for (var i = 0; i < samples.Length; i++)
        {
            var away = Math.Abs(samples[i] - rest);
            if (!(away > level))
                continue;
            var now = channel.Time[i];
            if (events.Count == 0 || now - events[^1].End > apart)
            {
                events.Add(new SyncEvent(now, now, now));
                furthest = away;
                continue;
            }

            var peak = away > furthest ? now : events[^1].Peak;
            furthest = Math.Max(furthest, away);
            events[^1] = events[^1] with { Peak = peak, End = now };
        }

        return events;
    }

    private static double ThirdLargestExcursion(float[] samples, double rest)
    {
        double first = 0,
            second = 0,
            third = 0;
        foreach (var sample in samples)
        {
            var away = Math.Abs(sample - rest);
            if (!(away > third))
                continue;
            if (away > first)
                (first, second, third) = (away, first, second);
            else if (away > second)
                (second, third) = (away, second);
            else
                third = away;
        }

        return third;
    }
}
