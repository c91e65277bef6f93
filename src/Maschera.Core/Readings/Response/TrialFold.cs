using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Response;

/// <summary>Trials laid on each other at their start.</summary>
internal static class TrialFold
{
    private const int MostPoints = 160;

    /// <summary>The share of the change at which the response has started to move.</summary>
    private const double Started = 0.2,
        UnderWay = 0.5;

    /// <summary>Seconds before and behind a trial that the picture shows, in trials.</summary>
    private const double Lead = 0.3,
        Tail = 0.6;

    /// <summary>The response of a trial on an even grid from its start, less its level before.</summary>
    public static TrialCourse Course(Channel response, double from, double length, double before, bool responds)
    {
        var seconds = Grid(-Lead * length, (1 + Tail) * length, Math.Max(response.Time.Step, (1 + Lead + Tail) * length / MostPoints));
        return new(
            [.. seconds.Select(s => Math.Round(s, 4))],
            [.. Means(response, from, seconds).Select(v => double.IsFinite(v - before) ? v - before : (double?)null)],
            responds
        );
    }

    /// <summary>
    /// Seconds until 20 % of the change, from the mean of the given trials: the last crossing before half of it is reached, so that
    /// noise before the response moves does not count. Null where it never gets that far.
    /// </summary>
    /// <param name="trials">Start and level before of each trial, and its change.</param>
    public static double? Delay(Channel response, IReadOnlyList<(double From, double Before, double Change)> trials, double length)
    {
        if (trials.Count == 0)
            return null;
        var step = Math.Max(response.Time.Step / Math.Min(4, trials.Count), length / 2000);
        var seconds = Grid(-0.2 * length, length, step);
        var mean = new double[seconds.Length];
        foreach (var (from, before, change) in trials)
        {
            var values = Linear(response, from, seconds);
            for (var i = 0; i < mean.Length; i++)
                mean[i] += (values[i] - before) / change / trials.Count;
        }

        var smooth = Resampling.RunningMean(mean, Math.Max(1, (int)(0.02 * length / step)));
        var reached = Array.FindIndex(smooth, v => v >= UnderWay);
        if (reached < 0)
            return null;
        var at = reached;
        while (at > 0 && smooth[at - 1] > Started)
            at--;
        if (at == 0)
            return 0;
        var part = (Started - smooth[at - 1]) / Math.Max(1e-12, smooth[at] - smooth[at - 1]);
        return Math.Max(0, seconds[at - 1] + Math.Clamp(part, 0, 1) * step);
    }

    private static double[] Grid(double from, double to, double step) =>
        [.. Enumerable.Range(0, 1 + (int)((to - from) / step)).Select(i => from + i * step)];

    /// <summary>Means of the samples that fall on each place of the grid, the line between its neighbours where none does.</summary>
    private static double[] Means(Channel response, double from, double[] seconds)
    {
        var linear = Linear(response, from, seconds);
        var half = seconds.Length > 1 ? (seconds[1] - seconds[0]) / 2 : 0;
        for (var i = 0; i < seconds.Length; i++)
        {
            var first = response.Time.IndexAtOrAfter(from + seconds[i] - half);
            var end = response.Time.IndexAtOrAfter(from + seconds[i] + half);
            if (end - first > 1)
                linear[i] = Statistics.Mean(Statistics.Sorted(response.Samples[first..end].Select(v => (double)v)));
        }

        return linear;
    }

    /// <summary>The response on the line between its samples; NaN outside of the log.</summary>
    private static double[] Linear(Channel response, double from, double[] seconds)
    {
        var values = new double[seconds.Length];
        for (var i = 0; i < seconds.Length; i++)
        {
            var at = from + seconds[i];
            var above = response.Time.IndexAtOrAfter(at);
            while (above < response.Time.Count && float.IsNaN(response.Samples[above]))
                above++;
            var below = Math.Min(above, response.Time.Count) - 1;
            while (below >= 0 && float.IsNaN(response.Samples[below]))
                below--;
            if (below < 0 || above >= response.Time.Count)
            {
                values[i] = double.NaN;
                continue;
            }

            var part = (at - response.Time[below]) / Math.Max(1e-12, response.Time[above] - response.Time[below]);
            values[i] = response.Samples[below] + part * (response.Samples[above] - response.Samples[below]);
        }

        return values;
    }
}
