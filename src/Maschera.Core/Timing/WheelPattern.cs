using Maschera.Core.Signals;

namespace Maschera.Core.Timing;

/// <summary>
/// A trigger wheel as a sensor shows it: tooth edges, each so many pitches behind the one before.
/// </summary>
/// <param name="Teeth">Tooth places a turn, missing ones counted.</param>
/// <param name="Missing">Size of each gap, beginning with the one that stands before place 0.</param>
/// <param name="GapPlaces">Place (0 to <paramref name="Teeth"/> - 1) of the first tooth after each gap, the first 0.</param>
public sealed record WheelPattern(int Teeth, IReadOnlyList<int> Missing, IReadOnlyList<int> GapPlaces)
{
    /// <summary>True where a tooth more between two others marks the turn; place 0 is the tooth after it.</summary>
    public bool HasExtraTooth { get; init; }

    /// <summary>True where the wheel shows where its turn begins.</summary>
    public bool HasMark => HasExtraTooth || Missing.Count > 0;

    /// <summary>The wheel in words: tooth places, less the missing ones, plus an extra one.</summary>
    public string Said => $"{Teeth} tooth places{string.Concat(Missing.Select(m => $" − {m}"))}{(HasExtraTooth ? " + 1" : "")}";

    /// <summary>True where both have the same teeth at the same places.</summary>
    public bool IsLike(WheelPattern other) =>
        Teeth == other.Teeth
        && HasExtraTooth == other.HasExtraTooth
        && Missing.SequenceEqual(other.Missing)
        && GapPlaces.SequenceEqual(other.GapPlaces);

    /// <summary>Where the turn can be told: places behind gaps with their size, or the place behind the extra tooth with size 0.</summary>
    internal IEnumerable<(int Place, int Size)> Marks => HasExtraTooth ? [(0, 0)] : GapPlaces.Zip(Missing);

    /// <summary>Pitch in crank degrees.</summary>
    public double Pitch => 360.0 / Teeth;

    /// <summary>How often the pattern repeats in one turn; 1 where only a whole turn brings it back.</summary>
    public int Symmetry
    {
        get
        {
            if (HasExtraTooth)
                return 1;
            if (Missing.Count == 0)
                return Teeth;
            for (var times = Missing.Count; times > 1; times--)
                if (Missing.Count % times == 0 && Teeth % times == 0 && RepeatsAfter(Missing.Count / times, Teeth / times))
                    return times;
            return 1;
        }
    }

    private bool RepeatsAfter(int gaps, int places) =>
        Enumerable
            .Range(0, Missing.Count)
            .All(i =>
                Missing[i] == Missing[(i + gaps) % Missing.Count]
                && (GapPlaces[i] + places) % Teeth == GapPlaces[(i + gaps) % Missing.Count]
            );
}

/// <summary>Tooth edges with their places: what the clock runs on.</summary>
internal sealed class ToothTrain
{
    /// <summary>An interval this share longer than its neighbours is a gap.</summary>
    private const double GapRatio = 1.5;

    /// <summary>Intervals on either side that tell the usual one.</summary>
    private const int Around = 4;

    private ToothTrain(double[] seconds, int[] steps, double misfit)
    {
        (Seconds, Steps, Misfit) = (seconds, steps, misfit);
        Places = new int[seconds.Length];
        for (var i = 1; i < seconds.Length; i++)
            Places[i] = Places[i - 1] + steps[i - 1];
    }

    /// <summary>Time of each edge, s.</summary>
    public double[] Seconds { get; }

    /// <summary>Pitches from each edge to the next.</summary>
    public int[] Steps { get; }

    /// <summary>Pitches since the first edge.</summary>
    public int[] Places { get; }

    /// <summary>How far gaps are from whole pitches, root mean square in pitches.</summary>
    public double Misfit { get; }

    /// <summary>Edges that were left out because they split one interval in two.</summary>
    public int Extra => Extras.Length;

    /// <summary>The number of the edge that follows each of those left out.</summary>
    public int[] Extras { get; private init; } = [];

    /// <summary>Edges behind a gap with its size, or behind an extra tooth with size 0: what the wheel's place is told by.</summary>
    public IEnumerable<(int Edge, int Size)> Marks(WheelPattern wheel) =>
        wheel.HasExtraTooth
            ? Extras.Where(e => e < Seconds.Length).Select(e => (e, 0))
            : Enumerable.Range(0, Steps.Length).Where(i => Steps[i] > 1).Select(i => (i + 1, Steps[i] - 1));

    /// <summary>Counts the pitches between edges.</summary>
    public static ToothTrain Of(double[] seconds)
    {
        var (clean, extras) = WithoutExtra(seconds);
        var intervals = Intervals(clean);
        var steps = new int[intervals.Length];
        double squares = 0;
        var gaps = 0;
        for (var i = 0; i < intervals.Length; i++)
        {
            steps[i] = 1;
            if (IsPlain(intervals, i))
                continue;
            var usual = Usual(intervals, i);
            steps[i] = intervals[i] > GapRatio * usual ? (int)Math.Round(intervals[i] / Pitch(intervals, i, usual)) : 1;
            steps[i] = Math.Max(1, steps[i]);
            if (steps[i] == 1)
                continue;
            var off = intervals[i] / Pitch(intervals, i, usual) - steps[i];
            squares += off * off;
            gaps++;
        }

        return new ToothTrain(clean, steps, gaps > 0 ? Math.Sqrt(squares / gaps) : 0) { Extras = extras };
    }

    /// <summary>The pitch beside a gap: the mean of its neighbours, so that a steady change of speed cancels.</summary>
    private static double Pitch(double[] intervals, int at, double usual)
    {
        var before = at > 0 ? intervals[at - 1] : usual;
        var after = at + 1 < intervals.Length ? intervals[at + 1] : usual;
        // Beside one gap there may be another; then the usual interval has to do.
        if (before > GapRatio * usual)
            before = usual;
        if (after > GapRatio * usual)
            after = usual;
        return (before + after) / 2;
    }

    /// <summary>True for an interval hardly longer than either neighbour: no gap, without looking further.</summary>
    private static bool IsPlain(double[] intervals, int at) =>
        at > 0 && at + 1 < intervals.Length && intervals[at] < 1.35 * Math.Min(intervals[at - 1], intervals[at + 1]);

    private static double Usual(double[] intervals, int at)
    {
        var from = Math.Max(0, at - Around);
        var to = Math.Min(intervals.Length, at + Around + 1);
        Span<double> near = stackalloc double[2 * Around + 1];
        intervals.AsSpan(from, to - from).CopyTo(near);
        near = near[..(to - from)];
        near.Sort();
        return near[near.Length / 2];
    }

    private static double[] Intervals(double[] seconds)
    {
        var intervals = new double[Math.Max(0, seconds.Length - 1)];
        for (var i = 0; i < intervals.Length; i++)
            intervals[i] = seconds[i + 1] - seconds[i];
        return intervals;
    }

    /// <summary>Two short intervals that together make one usual one are one interval with a spike in it.</summary>
    private static (double[] Seconds, int[] Extras) WithoutExtra(double[] seconds)
    {
        var intervals = Intervals(seconds);
        var kept = new List<double>(seconds.Length);
        for (var i = 0; i < seconds.Length; i++)
        {
            if (i > 0 && i < intervals.Length)
            {
                var (before, after) = (intervals[i - 1], intervals[i]);
                var beside = Math.Max(i > 1 ? intervals[i - 2] : 0, i + 1 < intervals.Length ? intervals[i + 1] : 0);
                // Two whole intervals together are longer than the one beside them, also at a gap's end.
                var usual = before + after > 1.6 * beside ? 0 : Usual(intervals, i);
                // A spike close to a tooth leaves the rest nearly whole; no tooth is that short.
                var whole = Math.Min(before, after) < 0.25 * usual ? 1.1 : 0.9;
                if (Math.Min(before, after) < 0.6 * usual && Math.Max(before, after) < whole * usual && before + after < 1.3 * usual)
                {
                    kept.Add(double.NaN);
                    continue;
                }
            }

            kept.Add(seconds[i]);
        }

        // Where two neighbours were both struck out, the first of them was the tooth.
        for (var i = 1; i < kept.Count; i++)
            if (double.IsNaN(kept[i]) && double.IsNaN(kept[i - 1]))
                kept[i] = seconds[i];
        var (clean, extras) = (new List<double>(seconds.Length), new List<int>());
        foreach (var second in kept)
            if (double.IsNaN(second))
                extras.Add(clean.Count);
            else
                clean.Add(second);
        return ([.. clean], [.. extras]);
    }
}

/// <summary>Finds the wheel from its teeth.</summary>
internal static class WheelFinder
{
    /// <summary>Share of gaps that must come where the pattern has them.</summary>
    private const double LeastAgreement = 0.8;

    private const int MostGaps = 6;

    /// <summary>
    /// The pattern that repeats, its tooth places as few as can be; null where nothing repeats. Empty gaps mean a plain wheel.
    /// </summary>
    public static WheelPattern? Find(ToothTrain train)
    {
        if (ByExtraTooth(train) is { } marked)
            return marked;
        var gaps = Enumerable
            .Range(0, train.Steps.Length)
            .Where(i => train.Steps[i] > 1)
            .Select(i => (Place: train.Places[i + 1], Missing: train.Steps[i] - 1))
            .ToList();
        // A lost edge now and then looks like a gap; a wheel's gaps come at least once in each of a few turns.
        if (gaps.Count < 2 || gaps.Count < train.Seconds.Length / 800)
            return new WheelPattern(0, [], []);
        return Repeating(gaps) ?? (gaps.Count < train.Seconds.Length / 130 ? new WheelPattern(0, [], []) : null);
    }

    /// <summary>A wheel whose turn is marked by one tooth too many, always at the same place; null where that is not so.</summary>
    private static WheelPattern? ByExtraTooth(ToothTrain train)
    {
        var extras = train.Extras.Where(e => e < train.Places.Length).Select(e => (Place: train.Places[e], Missing: 0)).ToList();
        return extras.Count >= 3 && Repeating(extras) is { Missing.Count: 1, Teeth: >= 4 } found
            ? new WheelPattern(found.Teeth, [], []) { HasExtraTooth = true }
            : null;
    }

    /// <summary>The shortest turn after which nearly every gap comes again, and the gaps it holds.</summary>
    private static WheelPattern? Repeating(List<(int Place, int Missing)> gaps)
    {
        var there = gaps.ToHashSet();
        var last = gaps[^1].Place;
        var turns = gaps.SelectMany(
                (g, i) => gaps.Skip(i + 1).Take(MostGaps + 2).Where(h => h.Missing == g.Missing).Select(h => h.Place - g.Place)
            )
            .Where(t => t >= 3)
            .GroupBy(t => t)
            .Where(g => g.Count() >= Math.Max(1, gaps.Count / 12))
            .Select(g => g.Key)
            .Order();
        foreach (var turn in turns)
        {
            var within = gaps.Where(g => g.Place + turn <= last).ToList();
            if (within.Count == 0 || within.Count(g => there.Contains((g.Place + turn, g.Missing))) < LeastAgreement * within.Count)
                continue;
            // What belongs to the wheel comes in most turns; a lost edge now and then does not.
            var often = gaps.GroupBy(g => (Place: g.Place % turn, g.Missing))
                .Where(g => g.Count() * turn > 0.5 * (last - gaps[0].Place))
                .Select(g => g.Key)
                .OrderBy(g => g.Place)
                .ToList();
            if (often.Count is > 0 and <= MostGaps)
                return Canonical(often, turn);
        }

        return null;
    }

    /// <summary>The same wheel always begins at the same gap: the one with the longest run of teeth behind it, then the largest.</summary>
    private static WheelPattern Canonical(List<(int Place, int Missing)> gaps, int turn)
    {
        var rotations = Enumerable
            .Range(0, gaps.Count)
            .Select(first =>
                Enumerable
                    .Range(0, gaps.Count)
                    .Select(i => gaps[(first + i) % gaps.Count])
                    .Select(g => (Place: ((g.Place - gaps[first].Place) % turn + turn) % turn, g.Missing))
                    .ToList()
            )
            .ToList();
        var best = rotations
            .OrderByDescending(r => r.Count > 1 ? r[1].Place : turn)
            .ThenByDescending(r => r[0].Missing)
            .ThenByDescending(r => r.Count > 2 ? r[2].Place : 0)
            .First();
        return new WheelPattern(turn, [.. best.Select(g => g.Missing)], [.. best.Select(g => g.Place)]);
    }

    /// <summary>The same pattern several times round one wheel.</summary>
    public static WheelPattern Repeated(WheelPattern pattern, int times) =>
        new(
            pattern.Teeth * times,
            [.. Enumerable.Range(0, times).SelectMany(_ => pattern.Missing)],
            [.. Enumerable.Range(0, times).SelectMany(t => pattern.GapPlaces.Select(p => p + t * pattern.Teeth))]
        );
}
