using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Tracking;

/// <summary>Finds the steps of the desired value and measures how actual follows each.</summary>
internal static class TrackedSteps
{
    /// <summary>A step is at least this share of desired's range.</summary>
    private const double LeastStep = 0.1;

    /// <summary>Within a plateau desired stays within this share of its range.</summary>
    private const double PlateauRoom = 0.02;

    /// <summary>A plateau lasts at least so long, s, and has at least so many samples.</summary>
    private const double LeastPlateau = 0.6;

    private const int LeastSamples = 4;

    /// <summary>Between two plateaus a step takes no longer than this, s; more is a ramp.</summary>
    private const double MostTransition = 0.6;

    /// <summary>The plateau before tells where actual stood: its last so many seconds.</summary>
    private const double Before = 1;

    private readonly record struct Plateau(int First, int Last, double Level);

    /// <summary>The steps, in time order.</summary>
    public static List<TrackedStep> Find(Channel desired, Channel actual, TrackBand band, double range)
    {
        var plateaus = Plateaus(desired, PlateauRoom * range);
        var steps = new List<TrackedStep>();
        for (var i = 1; i < plateaus.Count; i++)
        {
            var (from, to) = (plateaus[i - 1], plateaus[i]);
            if (Math.Abs(to.Level - from.Level) < LeastStep * range)
                continue;
            var (left, right) = (desired.Time[from.Last], desired.Time[to.First]);
            // One interval is between them at the least, however coarse the log.
            if (right - left > MostTransition + 2 * desired.Time.Step)
                continue;
            var end = to.Last + 1 < desired.Time.Count ? desired.Time[to.Last + 1] : desired.Time[to.Last];
            if (Measure(actual, band, (left + right) / 2, end, from.Level, to.Level) is { } step)
                steps.Add(step);
        }

        return steps;
    }

    private static List<Plateau> Plateaus(Channel desired, double room)
    {
        var plateaus = new List<Plateau>();
        var samples = desired.Samples;
        for (var first = 0; first < samples.Length; )
        {
            double low = samples[first],
                high = samples[first];
            var last = first;
            while (last + 1 < samples.Length && float.IsFinite(samples[last + 1]))
            {
                (low, high) = (Math.Min(low, samples[last + 1]), Math.Max(high, samples[last + 1]));
                if (high - low > room)
                    break;
                last++;
            }

            if (last - first + 1 >= LeastSamples && desired.Time[last] - desired.Time[first] >= LeastPlateau)
                plateaus.Add(new Plateau(first, last, Statistics.Median(samples[first..(last + 1)].Select(s => (double)s))));
            first = last + 1;
        }

        return plateaus;
    }

    private static TrackedStep? Measure(Channel actual, TrackBand band, double at, double end, double start, double stop)
    {
        var time = actual.Time;
        var (first, last) = (time.IndexAtOrAfter(at), time.IndexAtOrAfter(end));
        if (last - first < LeastSamples)
            return null;
        var before = time.IndexAtOrAfter(at - Before);
        var level = before < first ? Statistics.Median(actual.Samples[before..first].Select(s => (double)s)) : start;
        var step = stop - start;
        double Moved(int i) => (actual.Samples[i] - level) / step;
        var delay = Crossing(first, last, Moved, 0.1, time);
        var risen = delay is null ? null : Crossing(time.IndexAtOrAfter(delay.Value), last, Moved, 0.9, time);
        var settled = Settled(actual, band, first, last, stop, at);
        var errors = (
            settled is { } s
                ? Enumerable.Range(time.IndexAtOrAfter(at + s), last - time.IndexAtOrAfter(at + s))
                : Enumerable.Range(first, last - first).Where(i => time[i] >= at + 0.6 * (end - at))
        )
            .Select(i => (double)actual.Samples[i] - stop)
            .ToArray();
        return new TrackedStep(
            at,
            end,
            start,
            stop,
            delay - at,
            risen - delay,
            Overshoot(actual.Samples, first, last, stop, Math.Sign(step)) / Math.Abs(step) * 100,
            settled,
            errors.Length > 0 ? Statistics.Mean(errors) : null
        );
    }

    /// <summary>When a share is first reached and kept for another sample, on the line between samples.</summary>
    private static double? Crossing(int first, int last, Func<int, double> moved, double share, TimeAxis time)
    {
        for (var i = first; i < last; i++)
        {
            if (!(moved(i) >= share) || i + 1 < last && moved(i + 1) < share)
                continue;
            if (i == first || !(moved(i - 1) < share))
                return time[i];
            return Resampling.Crossed(share, (time[i - 1], moved(i - 1)), (time[i], moved(i)));
        }

        return null;
    }

    /// <summary>Seconds after which actual stays in the band; null where it is still outside in the last tenth.</summary>
    private static double? Settled(Channel actual, TrackBand band, int first, int last, double stop, double at)
    {
        var time = actual.Time;
        for (var i = last - 1; i >= first; i--)
        {
            var off = Math.Abs(actual.Samples[i] - stop) - band.At(time[i], stop);
            if (!(off > 0))
                continue;
            if (time[i] > at + 0.9 * (time[last - 1] - at))
                return null;
            var next = Math.Abs(actual.Samples[i + 1] - stop) - band.At(time[i + 1], stop);
            return Resampling.Crossed(0, (time[i], off), (time[i + 1], next)) - at;
        }

        return 0;
    }

    /// <summary>How far actual goes beyond the end: the top of the parabola through the highest sample and its neighbours.</summary>
    private static double Overshoot(float[] samples, int first, int last, double stop, int sign)
    {
        var top = first;
        for (var i = first; i < last; i++)
            if (sign * samples[i] > sign * samples[top])
                top = i;
        double a = top > first ? sign * samples[top - 1] : double.NaN,
            b = sign * samples[top],
            c = top + 1 < last ? sign * samples[top + 1] : double.NaN;
        var curve = a - 2 * b + c;
        var height = curve < 0 ? b - (a - c) * (a - c) / (8 * curve) : b;
        return Math.Max(0, height - sign * stop);
    }
}
