using Maschera.Core.Engines;
using Maschera.Core.Expressions;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.Pulses;

/// <summary>
/// Pressure in the exhaust: mean, peak and ripple while idling and on a snap of the throttle, and the vehicle's own sensor
/// beside it.
/// </summary>
internal static class BackPressures
{
    /// <summary>Faster than so many times the slowest speed the throttle was snapped open.</summary>
    private const double SnapFrom = 1.5,
        IdleTo = 1.2;

    /// <summary>A reading's peak is the height that this share of the samples stays below, so that one spike is none.</summary>
    private const double Peak = 0.999;

    /// <summary>Each condition that the capture holds at least a cycle of.</summary>
    public static IReadOnlyList<BackPressure> Of(Channel pressure, AngleClock clock, ReadingRequest request)
    {
        var cycles = new List<(double Rpm, float[] Samples)>();
        for (var turn = Math.Ceiling(clock.Degrees[0] / 720) * 720; turn + 720 <= clock.Degrees[^1]; turn += 720)
        {
            var (from, to) = (clock.TimeAt(turn), clock.TimeAt(turn + 720));
            var samples = pressure.Between(from, to).Samples.Where(float.IsFinite).ToArray();
            if (samples.Length > 1)
                cycles.Add((120 / (to - from), samples));
        }

        if (cycles.Count == 0)
            return [];
        var idle = Statistics.Quantile(Statistics.Sorted(cycles.Select(c => c.Rpm)), 0.1);
        (string Condition, Func<double, bool> Is)[] conditions =
        [
            ("idle", rpm => rpm <= IdleTo * idle),
            ("snap", rpm => rpm >= SnapFrom * idle),
        ];
        return
        [
            .. conditions
                .Select(c => (c.Condition, Cycles: cycles.Where(cycle => c.Is(cycle.Rpm)).Select(cycle => cycle.Samples).ToList()))
                .Where(c => c.Cycles.Count > 0)
                .Select(c => Figures(c.Condition, c.Cycles, request)),
        ];
    }

    private static BackPressure Figures(string condition, List<float[]> cycles, ReadingRequest request)
    {
        var all = Statistics.Sorted(cycles.SelectMany(c => c).Select(v => (double)v));
        var ripple = Statistics.Median(cycles.Select(c => (double)(c.Max() - c.Min())));
        var mean = all.Average();
        var limit = request.Options.ContainsKey("limit-" + condition) ? request.Number("limit-" + condition, 0) : (double?)null;
        return new BackPressure(condition, mean, Statistics.Quantile(all, Peak), ripple, limit, mean > limit);
    }

    /// <summary>What to add to the sentence.</summary>
    public static string Said(IReadOnlyList<BackPressure> pressures, string? unit) =>
        string.Concat(
            pressures.Select(p =>
                $" Back pressure at {p.Condition}: {p.Mean:0.000} {unit}, peak "
                + $"{p.Peak:0.000}{(p.Exceeds ? $", above the limit of {p.Limit:0.###}" : "")}."
            )
        );

    /// <summary>The vehicle's own sensor as a straight line over the transducer, by least squares over means of 50 ms.</summary>
    public static SensorLine? Line(Channel pressure, Channel sensor)
    {
        const double step = 0.05;
        var (ours, theirs) = (Resampling.ToStep(pressure, step).Samples, Resampling.ToStep(sensor, step).Samples);
        var n = Math.Min(ours.Length, theirs.Length);
        if (n < 5 || ours[..n].Max() - ours[..n].Min() < 1e-6)
            return null;
        double[] x = [.. ours[..n].Select(v => (double)v)],
            y = [.. theirs[..n].Select(v => (double)v)];
        var fit = LeastSquares.Linear(
            [
                [.. Enumerable.Repeat(1.0, n)],
                x,
            ],
            y
        );
        return new SensorLine(fit[0], fit[1], Enumerable.Range(0, n).Max(i => Math.Abs(y[i] - fit[0] - fit[1] * x[i])));
    }
}
