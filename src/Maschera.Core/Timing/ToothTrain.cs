namespace Maschera.Core.Timing;

/// <summary>Tooth edges with their places: what the clock runs on.</summary>
internal sealed class ToothTrain
{
    /// <summary>An interval this share longer than its neighbours is a gap.</summary>
    private const double GapRatio = 1.5;

    /// <summary>Intervals on either side that tell the usual one.</summary>
    private const int Around = 4;

    /// <summary>Edges whose steps are known.</summary>
    /// <param name="seconds">Time of each edge, s.</param>
    /// <param name="steps">Pitches from each edge to the next.</param>
    /// <param name="extras">The number of the edge that follows each of those left out.</param>
    internal ToothTrain(double[] seconds, int[] steps, int[] extras)
    {
        (Seconds, Steps, Extras) = (seconds, steps, extras);
        Places = new int[seconds.Length];
        for (var i = 1; i < seconds.Length; i++)
            Places[i] = Places[i - 1] + steps[i - 1];
        Misfit = MisfitOf(Intervals(seconds), steps);
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
    public int[] Extras { get; }

    /// <summary>Edges that are missing where the wheel has teeth, as far as a wheel laid on the train tells.</summary>
    public int Lost { get; init; }

    /// <summary>Edges behind a gap with its size, or behind an extra tooth with size 0: what the wheel's place is told by.</summary>
    public IEnumerable<(int Edge, int Size)> Marks(WheelPattern wheel) =>
        wheel.HasExtraTooth
            ? Extras.Where(e => e < Seconds.Length).Select(e => (e, 0))
            : Enumerable.Range(0, Steps.Length).Where(i => Steps[i] > 1).Select(i => (i + 1, Steps[i] - 1));

    /// <summary>Logarithms of the times between edges; edges that came at once lie a nanosecond apart.</summary>
    public static double[] LogIntervals(double[] seconds) => [.. Intervals(seconds).Select(interval => Math.Log(Math.Max(interval, 1e-9)))];

    /// <summary>Counts the pitches between edges.</summary>
    public static ToothTrain Of(double[] seconds)
    {
        var (clean, extras) = WithoutExtra(seconds);
        var intervals = Intervals(clean);
        var steps = new int[intervals.Length];
        for (var i = 0; i < intervals.Length; i++)
        {
            steps[i] = 1;
            if (IsPlain(intervals, i))
                continue;
            var usual = Usual(intervals, i);
            if (intervals[i] > GapRatio * usual)
                steps[i] = Math.Max(1, (int)Math.Round(intervals[i] / Pitch(intervals, i, usual)));
        }

        return new ToothTrain(clean, steps, extras);
    }

    /// <summary>The mean speed if so many tooth places make a turn; 0 where none do.</summary>
    public double Rpm(int teeth) => teeth == 0 ? 0 : 60.0 * Places[^1] / teeth / (Seconds[^1] - Seconds[0]);

    /// <summary>The same edges, each one pitch behind the one before.</summary>
    public ToothTrain WithoutGaps() => new(Seconds, [.. Steps.Select(_ => 1)], Extras);

    private static double MisfitOf(double[] intervals, int[] steps)
    {
        double squares = 0;
        var gaps = 0;
        for (var i = 0; i < steps.Length; i++)
        {
            if (steps[i] == 1)
                continue;
            var off = intervals[i] / Pitch(intervals, i, Usual(intervals, i)) - steps[i];
            squares += off * off;
            gaps++;
        }

        return gaps > 0 ? Math.Sqrt(squares / gaps) : 0;
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
