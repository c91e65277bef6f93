using Maschera.Core.Engines;
using Maschera.Core.Signals;

namespace Maschera.Core.Timing;

/// <summary>A compression tower: when it peaks, s, how high, in the trace's unit, and how long it stays above half height, s.</summary>
internal readonly record struct Tower(double Seconds, double Peak, double Width);

/// <summary>
/// The compression towers of a cylinder-pressure trace: stretches above half height. With a valve that stays shut there
/// is a second one every turn, or the exhaust stroke rises as high as the tower, but wider.
/// </summary>
internal static class Towers
{
    /// <summary>Stretches this many times wider than the narrowest ones are no towers.</summary>
    private const double WideFrom = 2.9;

    /// <summary>
    /// A tower stands above half its height for so many times the samples that are averaged; bare noise does not. Averaged are the first
    /// of these half widths at which that is so.
    /// </summary>
    private const int LeastSamples = 3;

    private static readonly int[] s_averaged = [0, 3, 12];

    /// <summary>The share of a tower's height from which its peak is fitted.</summary>
    private const double Top = 0.85;

    /// <summary>Whole towers in time order.</summary>
    public static List<Tower> Find(Channel pressure)
    {
        foreach (var half in s_averaged)
        {
            var samples = half == 0 ? pressure.Samples : Resampling.Smooth(pressure.Samples, 2 * half);
            var low = Statistics.Quantile(samples, 0.02);
            var high = Highest(samples);
            var runs = Runs(samples, (low + high) / 2, 0.1 * (high - low));
            if (runs.Count == 0)
                return [];
            var widths = Statistics.Sorted(runs.Select(r => r.To - r.From + 1.0));
            var narrow = Statistics.Quantile(widths, 0.25);
            if (narrow >= LeastSamples * (2 * half + 1))
                return
                [
                    .. runs.Where(r => r.To - r.From + 1 < WideFrom * narrow && r.To - r.From + 1 > 0.4 * narrow)
                        .Select(r => Peak(pressure, samples, r.From, r.To, low)),
                ];
        }

        return [];
    }

    /// <summary>A height the towers reach: nearly the highest of the maxima of twenty pieces, so that one spike does not decide.</summary>
    private static double Highest(float[] samples)
    {
        const int pieces = 20;
        var length = Math.Max(1, samples.Length / pieces);
        var tops = samples.Chunk(length).Select(c => (double)c.Where(float.IsFinite).DefaultIfEmpty(float.NaN).Max());
        return Statistics.Quantile(Statistics.Sorted(tops), 0.9);
    }

    /// <summary>Stretches above a level, their ends taken with some play; cut ones at the capture's ends left out.</summary>
    private static List<(int From, int To)> Runs(float[] samples, double level, double play)
    {
        var runs = new List<(int, int)>();
        var start = -1;
        var below = false;
        for (var i = 0; i < samples.Length; i++)
        {
            if (samples[i] < level - play)
            {
                if (start > 0)
                    runs.Add((start, Last(samples, i, level)));
                (start, below) = (-1, true);
            }
            else if (samples[i] >= level && start < 0 && below)
                start = i;
        }

        return runs;
    }

    private static int Last(float[] samples, int from, double level)
    {
        while (from > 0 && !(samples[from] >= level))
            from--;
        return from;
    }

    /// <summary>The peak by a quartic through the tower's upper part.</summary>
    private static Tower Peak(Channel channel, float[] samples, int from, int to, double low)
    {
        var width = channel.Time[to] - channel.Time[from];
        var top = from;
        for (var i = from; i <= to; i++)
            if (samples[i] > samples[top])
                top = i;
        var enough = low + Top * (samples[top] - low);
        var (first, last) = (top, top);
        while (first > from && samples[first - 1] >= enough)
            first--;
        while (last < to && samples[last + 1] >= enough)
            last++;
        if (last - first < 8)
            return new Tower(channel.Time[top], samples[top], width);
        var (middle, half) = ((channel.Time[first] + channel.Time[last]) / 2, (channel.Time[last] - channel.Time[first]) / 2);
        const int powers = 5;
        var columns = Enumerable.Range(0, powers).Select(_ => new double[last - first + 1]).ToArray();
        var values = new double[last - first + 1];
        for (var i = first; i <= last; i++)
        {
            var x = (channel.Time[i] - middle) / half;
            for (var (k, power) = (0, 1.0); k < powers; k++, power *= x)
                columns[k][i - first] = power;
            values[i - first] = samples[i];
        }

        var c = LeastSquares.Linear(columns, values);
        double At(double x) => c[0] + x * (c[1] + x * (c[2] + x * (c[3] + x * c[4])));
        var best = Enumerable.Range(-200, 401).Select(k => k / 200.0).MaxBy(At);
        return new Tower(middle + best * half, At(best), width);
    }
}
