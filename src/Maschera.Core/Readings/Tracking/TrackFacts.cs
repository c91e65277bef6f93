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

    /// <summary>On a plateau with few half swings, so many have to be there, and the last keep so much of the first.</summary>
    private const int FewTurns = 3;
    private const double KeptOfFew = 0.75;

    /// <summary>
    /// On its way still, and so no end that is never reached: an error that shrinks to this share within the last two fifths.
    /// </summary>
    private const double StillMoving = 0.8;

    /// <summary>
    /// What desired did within this time, s, and so many times the time actual runs behind, it may still be on its way to.
    /// </summary>
    private const double Just = 2,
        LagsToRest = 3;

    /// <summary>Without steps, points closer than this tell no more, s.</summary>
    private const double Finest = 0.02;

    /// <summary>Share of the steps that end short on one side from which that is the verdict.</summary>
    private const double EndShort = 0.25;

    /// <summary>Noise has no correlation above this over so many samples, told from so many at least.</summary>
    private const double Memoryless = 0.35;
    private const int LongestMemory = 20,
        LeastForNoise = 80;

    private readonly IReadOnlyList<TrackedStep> _steps;
    private readonly TrackPoint[] _course;
    private readonly int _behind;

    public TrackFacts(Channel desired, Channel actual, TrackPoint[] course, IReadOnlyList<TrackedStep> steps, double riseLimit)
    {
        (_steps, _course) = (steps, steps.Count == 0 ? Coarse(course) : course);
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
        _behind = steps.Count == 0 ? Behind() : 0;
        IsNoise = steps.Count == 0 && IsWithoutMemory();
        Oscillates = AreSwinging();
        Short = [.. steps.Where(EndsShort)];
    }

    public TrackPoint[] Judged { get; }

    /// <summary>Whether desired makes no step and what actual does beside it is noise.</summary>
    public bool IsNoise { get; }

    public double DesiredMoves { get; }
    public double ActualMoves { get; }
    public double Below { get; }
    public double Above { get; }
    public double Bias { get; }
    public bool Oscillates { get; }
    public IReadOnlyList<Breach> Breaches { get; }
    public int Steps => _steps.Count;

    /// <summary>Seconds by which actual runs behind a desired value without steps; null where it can't be told or is none.</summary>
    public double? BehindSeconds => _behind > 0 ? _behind * Step : null;

    /// <summary>Steps at whose end actual stands outside of the band and comes no nearer.</summary>
    public IReadOnlyList<TrackedStep> Short { get; }

    /// <summary>True where single steps end short while the whole lies inside of the band most of the time.</summary>
    public bool IsShortOnly => ShortSide() != 0 && Below <= OneSided && Above <= OneSided;

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
    /// Where no distance from desired tells any of the next ones, whatever the beat, actual does not swing: each sample scatters alone.
    /// </summary>
    private bool IsWithoutMemory()
    {
        var off = _course.Select(p => p.Actual - p.Desired).Where(double.IsFinite).ToArray();
        if (off.Length < LeastForNoise)
            return false;
        var mean = Statistics.Mean(off);
        var own = off.Sum(v => (v - mean) * (v - mean));
        double Memory(int lag) => Enumerable.Range(0, off.Length - lag).Sum(i => (off[i] - mean) * (off[i + lag] - mean)) / own;
        return own > 0 && Enumerable.Range(1, LongestMemory).All(lag => Math.Abs(Memory(lag)) < Memoryless);
    }

    /// <summary>
    /// Actual keeps crossing desired, on one side at least beyond the band, again and again, and its swing does not die down.
    /// </summary>
    private bool AreSwinging()
    {
        if (IsNoise)
            return false;
        List<(double From, double To)> plateaus =
            _steps.Count > 0 ? [.. _steps.Select(s => (s.From, s.To))] : [(_course[0].Seconds, _course[^1].Seconds + 1)];
        var swinging = plateaus.Count(p => KeepsSwinging(p.From + (_steps.Count > 0 ? 0.2 : 0) * (p.To - p.From), p.To));
        return swinging > 0.5 * plateaus.Count;
    }

    private bool KeepsSwinging(double from, double to)
    {
        var tops = Tops(from, to);
        if (tops.Count < FewTurns)
            return false;
        if (tops.Count <= LeastTurns)
            return tops.All(t => Math.Abs(t) > 1) && Math.Abs(tops[^1]) > KeptOfFew * Math.Abs(tops[0]);
        double Side(int sign) => Statistics.Median(tops.Where(t => Math.Sign(t) == sign).Select(Math.Abs));
        return Math.Max(Side(1), Side(-1)) > 1 && Swing(tops.TakeLast(4)) > LeastKept * Swing(tops.Take(4));
    }

    /// <summary>Outside of the band over the last two fifths, and no nearer in their second half than in their first.</summary>
    private bool EndsShort(TrackedStep step)
    {
        if (step is not { SettleSeconds: null, SteadyError: { } error })
            return false;
        var late = _course.Where(p => p.Seconds >= step.From + 0.6 * (step.To - step.From) && p.Seconds < step.To).ToArray();
        if (late.Length < 4 || !(Math.Abs(error) > late[^1].Band))
            return false;
        double Error(IEnumerable<TrackPoint> part) => part.Average(p => Math.Abs(p.Actual - step.End));
        return Error(late.Skip(late.Length / 2)) > StillMoving * Error(late.Take(late.Length / 2));
    }

    /// <summary>The side (1 above, −1 below) on which the steps that end short all end; 0 where there are too few or they differ.</summary>
    private int ShortSide()
    {
        if (Short.Count < 2 || Short.Count < EndShort * _steps.Count)
            return 0;
        var sides = Short.Select(s => Math.Sign(s.SteadyError!.Value)).Distinct().ToArray();
        return sides is [var side] ? side : 0;
    }

    private static double Swing(IEnumerable<double> tops) => tops.Average(Math.Abs);

    /// <summary>
    /// The furthest of each half swing from desired, in bands; a half swing begins clear of desired on its other side. Without steps,
    /// what lies no further from desired than that has just moved is on its way, and no swing.
    /// </summary>
    private List<double> Tops(double from, double to)
    {
        var tops = new List<double>();
        for (var i = 0; i < _course.Length; i++)
        {
            if (_course[i].Seconds < from || _course[i].Seconds >= to)
                continue;
            var off = (_course[i].Actual - _course[i].Desired) / _course[i].Band;
            if (!(Math.Abs(off) > HalfSwing) || _steps.Count == 0 && IsOnItsWay(i))
                continue;
            if (tops.Count == 0 || Math.Sign(tops[^1]) != Math.Sign(off))
                tops.Add(off);
            else if (Math.Abs(off) > Math.Abs(tops[^1]))
                tops[^1] = off;
        }

        return tops;
    }

    private bool IsOnItsWay(int at)
    {
        double low = _course[at].Desired,
            high = low;
        for (var i = at - 1; i >= 0 && _course[i].Seconds > _course[at].Seconds - Just - LagsToRest * _behind * Step; i--)
            (low, high) = (Math.Min(low, _course[i].Desired), Math.Max(high, _course[i].Desired));
        return high - low + HalfSwing * _course[at].Band >= Math.Abs(_course[at].Actual - _course[at].Desired);
    }

    /// <summary>The share outside of the band about desired as it was when actual began to follow it.</summary>
    private double OutsideBehind() =>
        Enumerable
            .Range(_behind, _course.Length - _behind)
            .Average(i => Math.Abs(_course[i].Actual - _course[i - _behind].Desired) > _course[i].Band ? 1 : 0);

    /// <summary>
    /// Samples by which actual runs behind a desired value that moves without steps: where its mean distance from desired as it was
    /// before is least; 0 where that explains little of it.
    /// </summary>
    private int Behind()
    {
        const double most = 5,
            explains = 0.6;
        double Distance(int lag) =>
            Enumerable.Range(lag, _course.Length - lag).Average(i => Math.Abs(_course[i].Actual - _course[i - lag].Desired));
        var lags = (int)Math.Min(most / Step, _course.Length / 5);
        var best = Enumerable.Range(0, lags + 1).MinBy(Distance);
        return best > 1 && Distance(best) < explains * Distance(0) ? best : 0;
    }

    /// <summary>
    /// What glides is followed no finer than <see cref="Finest"/>: the search for a delay goes with the square of the rate.
    /// </summary>
    private static TrackPoint[] Coarse(TrackPoint[] course)
    {
        var stride = (int)(Finest * (course.Length - 1) / (course[^1].Seconds - course[0].Seconds));
        return stride < 2 ? course : [.. course.Where((_, i) => i % stride == 0)];
    }

    private double Step => (_course[^1].Seconds - _course[0].Seconds) / (_course.Length - 1);

    /// <summary>The verdict, the worst that is true first.</summary>
    public string Verdict(double riseLimit, double overshootLimit)
    {
        if (DesiredMoves > 0 && ActualMoves < StuckShare * DesiredMoves && Below + Above > OneSided)
            return "stuck";
        if (Oscillates)
            return "oscillates";
        if (IsNoise && Math.Abs(Bias) <= Statistics.Median(Judged.Select(p => p.Band)))
            return "tracks";
        if (BehindSeconds is { } behind && OutsideBehind() <= 2 * OneSided)
            return behind > riseLimit ? "slow" : "tracks";
        if (Below > OneSided && Below > 3 * Above)
            return "below";
        if (Above > OneSided && Above > 3 * Below)
            return "above";
        if (ShortSide() is var side and not 0)
            return side < 0 ? "below" : "above";
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
