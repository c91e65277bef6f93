using Maschera.Core.Engines;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Misfire;

/// <summary>Every firing with its verdict, and what makes the whole doubtful.</summary>
internal sealed record Judged(IReadOnlyList<FiringMark> Marks, Note? Doubt);

/// <summary>Tells misfires from firings.</summary>
internal static class MisfireJudge
{
    /// <summary>
    /// Work of a firing against the swing of the crank's energy within one firing: 1.7 to 2.3 on engines of 2 to 8
    /// cylinders, for the swing is compression and expansion of about that work.
    /// </summary>
    private const double WorkPerSwing = 1.9;

    /// <summary>Less than this share of the swing is scatter or a weak cylinder, not a missing firing.</summary>
    private const double LeastDepth = 0.5;

    /// <summary>A misfire that stands less clear of the scatter than this, in standard deviations, is not told from it.</summary>
    private const double LeastSeparation = 5;

    /// <summary>From here on a group below all others is looked for, in standard deviations.</summary>
    private const double Outlier = 4.2;

    /// <summary>Below this separation single misfires may be missed or invented.</summary>
    private const double SafeSeparation = 7;

    /// <summary>Judges every firing.</summary>
    public static Judged Judge(AngleClock clock, Engine engine, List<Firing> firings)
    {
        var swing = FiringEnergies.Swing(clock, firings, engine.Cylinders);
        var usual = Usual(firings, engine.Cylinders, swing);
        var below = firings.Select(f => f.Gain - usual[f.Place]).ToArray();
        var (scatter, centre) = Healthy(below);
        var cut = Cut(below, centre, scatter, swing);
        var fired = Mean(below, v => v > cut);
        var missed = Mean(below, v => v <= cut);
        var misfires = !double.IsNaN(missed);
        // The work of a firing: what a missing one lacks; without any, what the swing lets expect.
        var work = misfires ? fired - missed : WorkPerSwing * swing;
        var marks = firings.Select((f, i) => new FiringMark(f.Cycle, engine.FiringOrder[f.Place], f.Seconds, f.SpeedRpm, work > 0 ? 100 * (1 + (below[i] - fired) / work) : null, below[i] <= cut)).ToList();
        return new Judged(marks, Doubt(misfires, work / Math.Max(scatter, 1e-9)));
    }

    /// <summary>
    /// What a sound firing of each place gains. The wheel's errors come every turn at the same place, so they are part
    /// of it; but no wheel error is as large as a missing firing: a place that far below the others is not sound.
    /// </summary>
    private static double[] Usual(List<Firing> firings, int places, double swing)
    {
        var upper = Enumerable.Range(0, places).Select(p => Statistics.Quantile(Statistics.Sorted(firings.Where(f => f.Place == p).Select(f => f.Gain)), 0.7)).ToArray();
        var sound = Statistics.Quantile(Statistics.Sorted(upper), 0.7);
        // Companions share their place on the wheel, so the better of them tells its error.
        return [.. upper.Select(u => u > sound - LeastDepth * swing ? u : sound)];
    }

    /// <summary>Standard deviation and middle of the firings that took place, from the upper part alone.</summary>
    private static (double Scatter, double Centre) Healthy(double[] below)
    {
        var sorted = Statistics.Sorted(below);
        // Misfires are up to two fifths of all firings; the upper quarters of the rest are sound.
        var (middle, high) = (Statistics.Quantile(sorted, 0.7), Statistics.Quantile(sorted, 0.93));
        var sound = sorted.Where(v => v > middle - 4 * (high - middle)).ToArray();
        var centre = Statistics.Quantile(sound, 0.5);
        // 1.4826 makes the median deviation a standard deviation on a normal scatter.
        return (1.4826 * Statistics.Median(sound.Select(v => Math.Abs(v - centre))), centre);
    }

    /// <summary>The level below which a firing is missing; minus infinity where none is.</summary>
    private static double Cut(double[] below, double centre, double scatter, double swing)
    {
        var found = Settled(below, centre, scatter, swing, centre - 0.5 * WorkPerSwing * swing);
        // At high speed wheel errors blow the swing up; then a group that stands clear of all others is looked for.
        return double.IsNegativeInfinity(found) ? Settled(below, centre, scatter, swing, centre - Outlier * scatter) : found;
    }

    /// <summary>Moves the cut half way between the two groups until it stays.</summary>
    private static double Settled(double[] below, double centre, double scatter, double swing, double cut)
    {
        for (var pass = 0; pass < 6; pass++)
        {
            var missed = Mean(below, v => v <= cut);
            if (double.IsNaN(missed)) return double.NegativeInfinity;
            var fired = Mean(below, v => v > cut);
            var depth = fired - missed;
            if (depth < LeastDepth * swing || depth < LeastSeparation * scatter) return double.NegativeInfinity;
            var next = fired - depth / 2;
            if (Math.Abs(next - cut) < 1e-3 * depth) return next;
            cut = next;
        }

        return cut;
    }

    private static double Mean(double[] values, Func<double, bool> wanted)
    {
        double sum = 0;
        var count = 0;
        foreach (var value in values)
        {
            if (!wanted(value)) continue;
            sum += value;
            count++;
        }

        return count > 0 ? sum / count : double.NaN;
    }

    private static Note? Doubt(bool misfires, double separation)
    {
        if (separation > SafeSeparation) return null;
        return misfires
            ? new Note("close", "Misfires stand only little clear of the scatter: single ones may be missed or too many. Sample faster, or capture at a lower speed.")
            : new Note("blind", "At this speed and sampling a single missing firing would hardly stand clear of the scatter. Sample faster, or capture at a lower speed.");
    }
}
