using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Tracking;

/// <summary>What the verdict is made of.</summary>
internal sealed class TrackFacts
{
    /// <summary>Actual that moves by less than this share of desired is stuck.</summary>
    private const double StuckShare = 0.08;

    /// <summary>Share of the judged time outside on one side from which actual is below or above.</summary>
    private const double OneSided = 0.2;

    /// <summary>Half swings on one plateau from which they are no dying ringing.</summary>
    private const int LeastTurns = 5;

    /// <summary>What counts as a half swing, in bands, and how much of the first ones the last ones keep where nothing dies down.</summary>
    private const double HalfSwing = 0.4,
        LeastKept = 0.55;

    private readonly IReadOnlyList<TrackedStep> _steps;
    private readonly TrackPoint[] _course;

    public TrackFacts(Channel desired, Channel actual, TrackPoint[] course, IReadOnlyList<TrackedStep> steps, double riseLimit)
    {
        (_steps, _course) = (steps, course);
        DesiredMoves = Statistics.Quantile(desired.Samples, 0.97) - Statistics.Quantile(desired.Samples, 0.03);
        ActualMoves = Statistics.Quantile(actual.Samples, 0.97) - Statistics.Quantile(actual.Samples, 0.03);
        Judged = [.. course.Where(p => !IsExcused(p.Seconds, riseLimit))];
        if (Judged.Length == 0)
            Judged = course;
        Below = Judged.Count(p => p.Actual < p.Desired - p.Band) / (double)Judged.Length;
        Above = Judged.Count(p => p.Actual > p.Desired + p.Band) / (double)Judged.Length;
        Bias =
            steps.Count > 0 && Judged.Length < course.Length
                ? Statistics.Mean(Judged.Select(p => p.Actual - p.Desired).ToArray())
                : Statistics.Median(Judged.Select(p => p.Actual - p.Desired));
        Breaches = Outside(course, riseLimit);
        Oscillates = AreSwinging();
    }

    public TrackPoint[] Judged { get; }
    public double DesiredMoves { get; }
    public double ActualMoves { get; }
    public double Below { get; }
    public double Above { get; }
    public double Bias { get; }
    public bool Oscillates { get; }
    public IReadOnlyList<Breach> Breaches { get; }
    public int Steps => _steps.Count;

    /// <summary>The largest distance on one side (1 above, −1 below): of the stretches listed, else of what is judged.</summary>
    public double Worst(int side)
    {
        var listed = Breaches.Select(b => side * b.Worst).Where(w => w > 0).DefaultIfEmpty(0).Max();
        return listed > 0 ? listed : Judged.Max(p => side * (p.Actual - p.Desired));
    }

    /// <summary>The typical figure of the rising steps; of the falling ones where none rises.</summary>
    public double? Sided(Func<TrackedStep, double?> figure) =>
        Typical(_steps.Where(s => s.End > s.Start), figure) ?? Typical(_steps.Where(s => s.End < s.Start), figure);

    /// <summary>The larger of the typical figures of rising and falling steps.</summary>
    public double Largest(Func<TrackedStep, double?> figure) =>
        Math.Max(Typical(_steps.Where(s => s.End > s.Start), figure) ?? 0, Typical(_steps.Where(s => s.End < s.Start), figure) ?? 0);

    /// <summary>True where most steps of one direction never reach their end within the limit.</summary>
    public bool IsSlow(double limit)
    {
        bool Slow(TrackedStep s) => s.DelaySeconds is not null && (s.RiseSeconds ?? s.SettleSeconds ?? double.PositiveInfinity) > limit;
        return _steps.GroupBy(s => s.End > s.Start).Any(g => g.Count(Slow) > 0.5 * g.Count());
    }

    /// <summary>Time that a step may take: until it settles, or until three fifths of its plateau where it never does.</summary>
    private bool IsExcused(double seconds, double limit)
    {
        foreach (var step in _steps)
            if (seconds >= step.From && seconds < step.To)
                return seconds < step.From + (step.SettleSeconds ?? Math.Max(limit, 0.6 * (step.To - step.From)));
        return false;
    }

    /// <summary>Stretches outside of the band that last, or outlast the time a step may take.</summary>
    private List<Breach> Outside(TrackPoint[] course, double limit)
    {
        const double leastSeconds = 0.3;
        var breaches = new List<Breach>();
        for (var i = 0; i < course.Length; i++)
        {
            if (!(Math.Abs(course[i].Actual - course[i].Desired) > course[i].Band))
                continue;
            var first = i;
            var worst = course[i].Actual - course[i].Desired;
            while (i + 1 < course.Length && Math.Abs(course[i + 1].Actual - course[i + 1].Desired) > course[i + 1].Band)
                if (Math.Abs(course[++i].Actual - course[i].Desired) > Math.Abs(worst))
                    worst = course[i].Actual - course[i].Desired;
            var (from, to) = (course[first].Seconds, course[i].Seconds);
            var allowed = _steps.Any(s => from >= s.From - 0.2 && from < s.From + limit) ? limit : leastSeconds;
            if (to - from >= allowed && i - first >= 2)
                breaches.Add(new Breach(from, to, worst));
        }

        return breaches;
    }

    /// <summary>
    /// Actual keeps crossing desired, on one side at least beyond the band, again and again, and its swing does not die down.
    /// </summary>
    private bool AreSwinging()
    {
        List<(double From, double To)> plateaus =
            _steps.Count > 0 ? [.. _steps.Select(s => (s.From, s.To))] : [(_course[0].Seconds, _course[^1].Seconds + 1)];
        var swinging = plateaus.Count(p => KeepsSwinging(p.From + (_steps.Count > 0 ? 0.2 : 0) * (p.To - p.From), p.To));
        return swinging > 0.5 * plateaus.Count;
    }

    private bool KeepsSwinging(double from, double to)
    {
        var tops = Tops(from, to);
        if (tops.Count <= LeastTurns)
            return false;
        double Side(int sign) => Statistics.Median(tops.Where(t => Math.Sign(t) == sign).Select(Math.Abs));
        return Math.Max(Side(1), Side(-1)) > 1 && Swing(tops.TakeLast(4)) > LeastKept * Swing(tops.Take(4));
    }

    private static double Swing(IEnumerable<double> tops) => tops.Average(Math.Abs);

    /// <summary>
    /// The furthest of each half swing from desired, in bands; a half swing begins clear of desired on its other side.
    /// </summary>
    private List<double> Tops(double from, double to)
    {
        var tops = new List<double>();
        foreach (var p in _course.Where(p => p.Seconds >= from && p.Seconds < to))
        {
            var off = (p.Actual - p.Desired) / p.Band;
            if (!(Math.Abs(off) > HalfSwing))
                continue;
            if (tops.Count == 0 || Math.Sign(tops[^1]) != Math.Sign(off))
                tops.Add(off);
            else if (Math.Abs(off) > Math.Abs(tops[^1]))
                tops[^1] = off;
        }

        return tops;
    }

    /// <summary>The verdict, the worst that is true first.</summary>
    public string Verdict(double riseLimit, double overshootLimit)
    {
        if (DesiredMoves > 0 && ActualMoves < StuckShare * DesiredMoves && Below + Above > OneSided)
            return "stuck";
        if (Oscillates)
            return "oscillates";
        if (Below > OneSided && Below > 3 * Above)
            return "below";
        if (Above > OneSided && Above > 3 * Below)
            return "above";
        if (IsSlow(riseLimit))
            return "slow";
        if (Largest(s => s.OvershootPercent) > overshootLimit)
            return "overshoots";
        return Below + Above > 2 * OneSided
            ? Below > Above
                ? "below"
                : "above"
            : "tracks";
    }

    /// <summary>The median of a figure over the steps that have it.</summary>
    public static double? Typical(IEnumerable<TrackedStep> steps, Func<TrackedStep, double?> figure)
    {
        var all = steps.Select(figure).Where(v => v is not null).Select(v => v!.Value).ToArray();
        return all.Length > 0 ? Statistics.Median(all) : null;
    }
}
