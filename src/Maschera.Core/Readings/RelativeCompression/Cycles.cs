using Maschera.Core.Signals;

namespace Maschera.Core.Readings.RelativeCompression;

/// <summary>Cuts a cranking load into 720° cycles by its own likeness to itself.</summary>
internal static class Cycles
{
    private const double SlowestRpm = 70;
    private const double FastestRpm = 520;

    /// <summary>An even engine of eight repeats itself two dozen times within the slowest cycle.</summary>
    private const int MostCandidates = 26;

    /// <summary>Loads this far apart from the usual cycle's mean, as a share, don't belong to steady cranking.</summary>
    private const double SteadyShare = 0.2;

    /// <summary>A cycle this many times as far from the middle one as usual is left out.</summary>
    private const double OddShape = 3;

    /// <summary>
    /// Periods in seconds after which the load looks like itself, best first. An even engine also repeats after every
    /// firing; which of the periods is a cycle is for the model to tell.
    /// </summary>
    public static List<double> CandidatePeriods(ReadOnlySpan<float> load)
    {
        var x = WithoutDrift(load);
        var shortest = (int)(120 / FastestRpm / CrankingSignal.Step);
        var longest = Math.Min((int)(120 / SlowestRpm / CrankingSignal.Step), x.Length * 2 / 5);
        var likeness = new double[longest + 2];
        for (var lag = shortest - 1; lag <= longest; lag++)
            likeness[lag] = Likeness(x, lag);
        var peaks = new List<(double R, int Lag)>();
        for (var lag = shortest; lag < longest; lag++)
            if (likeness[lag] > likeness[lag - 1] && likeness[lag] >= likeness[lag + 1])
                peaks.Add((likeness[lag], lag));
        if (peaks.Count == 0)
            return [];
        var best = peaks.Max(p => p.R);
        return
        [
            .. peaks
                .Where(p => p.R > Math.Max(0.4, best - 0.2))
                .OrderByDescending(p => p.R)
                .Take(MostCandidates)
                .Select(p => p.Lag * CrankingSignal.Step),
        ];
    }

    /// <summary>
    /// Sample numbers of cycle boundaries: each next one is where the following cycle is most like the present one.
    /// </summary>
    public static List<int> Track(ReadOnlySpan<float> load, int first, int end, double period)
    {
        var length = (int)Math.Round(period / CrankingSignal.Step);
        var bounds = new List<int> { first };
        while (bounds[^1] + 2.1 * length < end)
            bounds.Add(bounds[^1] + BestShift(load, bounds[^1], length, end));
        var lastLength = bounds.Count > 1 ? bounds[^1] - bounds[^2] : length;
        if (bounds[^1] + lastLength < end)
            bounds.Add(bounds[^1] + lastLength);
        return bounds;
    }

    /// <summary>The cycles of steady cranking: those like most in duration and mean load, as pairs of sample numbers.</summary>
    public static List<(int From, int To)> Steady(ReadOnlySpan<float> load, List<int> bounds)
    {
        var all = bounds.Zip(bounds.Skip(1)).Select(pair => (From: pair.First, To: pair.Second)).ToList();
        var means = new double[all.Count];
        for (var i = 0; i < all.Count; i++)
            means[i] = Statistics.Mean(load[all[i].From..all[i].To]);
        var usualMean = Statistics.Median(means);
        var usualLength = Statistics.Median(all.Select(c => (double)(c.To - c.From)));
        var reach = 0.5 * (Statistics.Quantile(load[bounds[0]..bounds[^1]], 0.95) - Statistics.Quantile(load[bounds[0]..bounds[^1]], 0.05));
        List<(int From, int To)> steady =
        [
            .. all.Where(
                (c, i) =>
                    Math.Abs(means[i] - usualMean) < Math.Max(SteadyShare * Math.Abs(usualMean), 0.5 * reach)
                    && Math.Abs((c.To - c.From) / usualLength - 1) < SteadyShare / 2
            ),
        ];
        return LikeTheOthers(load, steady);
    }

    /// <summary>Without cycles whose shape differs from the middle one far more than the cycles usually do.</summary>
    private static List<(int From, int To)> LikeTheOthers(ReadOnlySpan<float> load, List<(int From, int To)> cycles)
    {
        if (cycles.Count < 4)
            return cycles;
        const int points = 120;
        var shapes = new double[cycles.Count][];
        for (var c = 0; c < cycles.Count; c++)
        {
            shapes[c] = new double[points];
            for (var p = 0; p < points; p++)
                shapes[c][p] = load[cycles[c].From + (int)((long)p * (cycles[c].To - cycles[c].From) / points)];
        }

        var middle = Enumerable.Range(0, points).Select(p => Statistics.Median(shapes.Select(s => s[p]))).ToArray();
        var off = shapes.Select(s => Math.Sqrt(s.Zip(middle, (a, b) => (a - b) * (a - b)).Average())).ToArray();
        var usual = Statistics.Median(off);
        return [.. cycles.Where((_, i) => off[i] <= OddShape * usual)];
    }

    private static float[] WithoutDrift(ReadOnlySpan<float> load)
    {
        var slow = Resampling.Smooth(load, (int)(1.5 / CrankingSignal.Step));
        for (var i = 0; i < slow.Length; i++)
            slow[i] = load[i] - slow[i];
        return slow;
    }

    private static double Likeness(float[] x, int lag)
    {
        double product = 0,
            left = 0,
            right = 0;
        for (var i = 0; i + lag < x.Length; i++)
        {
            product += x[i] * x[i + lag];
            left += x[i] * x[i];
            right += x[i + lag] * x[i + lag];
        }

        return product / Math.Sqrt(left * right + 1e-30);
    }

    private static int BestShift(ReadOnlySpan<float> load, int at, int length, int end)
    {
        var (best, shift) = (double.MaxValue, length);
        for (var lag = (int)(0.93 * length); lag <= (int)(1.07 * length) && at + lag + length <= end; lag++)
        {
            double difference = 0,
                squared = 0;
            for (var i = 0; i < length; i++)
            {
                double d = load[at + lag + i] - load[at + i];
                difference += d;
                squared += d * d;
            }

            var variance = squared - difference * difference / length;
            if (variance < best)
                (best, shift) = (variance, lag);
        }

        return shift;
    }
}
