using Maschera.Core.Signals;

namespace Maschera.Core.Readings.PulseCount;

/// <summary>Whole revolutions: where each begins among the pulses.</summary>
/// <param name="Starts">Number of the first pulse of each revolution, and the one behind the last.</param>
/// <param name="Marks">When the mark passed at each start, s; empty without a mark.</param>
internal sealed record Turns(IReadOnlyList<int> Starts, IReadOnlyList<double> Marks)
{
    /// <summary>A pattern that does not repeat so well is none.</summary>
    private const double LeastLikeness = 0.55;

    /// <summary>Lags alike to within so much are multiples of one another.</summary>
    private const double AsGood = 0.12;

    private const int ShortestTurn = 3;

    public int Count => Starts.Count - 1;

    /// <summary>Pulses of each revolution.</summary>
    public int[] Counts { get; } = [.. Starts.Zip(Starts.Skip(1), (a, b) => b - a)];

    public int Pulses => Starts[^1] - Starts[0];

    /// <summary>Revolutions from one mark to the next.</summary>
    public static Turns? ByMark(PulseEdges pulses, double[] marks)
    {
        var inside = marks
            .Where(m => pulses.Count > 0 && m >= pulses.Begins[0] - Pitch(pulses) && m <= pulses.Begins[^1] + Pitch(pulses))
            .ToList();
        return inside.Count < 2 ? null : new([.. inside.Select(m => PulseEdges.FirstAfter(pulses.Begins, m))], inside);
    }

    /// <summary>A wheel turned by hand, exactly so many times: the pulses in equal parts.</summary>
    public static Turns? ByHand(PulseEdges pulses, int revolutions) =>
        pulses.Count < revolutions
            ? null
            : new([.. Enumerable.Range(0, revolutions + 1).Select(r => (int)Math.Round((double)r * pulses.Count / revolutions))], []);

    /// <summary>The pattern that repeats: the smallest number of pulses after which the lengths come again.</summary>
    public static Turns? ByPattern(PulseEdges pulses, int? target)
    {
        var lengths = Lengths(pulses.Begins);
        var longest = lengths.Length * 2 / 5;
        var likeness = new double[longest + 1];
        for (var lag = ShortestTurn; lag <= longest; lag++)
            likeness[lag] = Likeness(lengths, lag);
        var best = likeness.DefaultIfEmpty(0).Max();
        if (best < LeastLikeness)
            return null;
        var good = Enumerable.Range(ShortestTurn, Math.Max(0, longest - ShortestTurn + 1)).Where(l => likeness[l] > best - AsGood).ToList();
        var lagFound =
            target is { } wanted && good.Where(l => l <= wanted && wanted - l <= Math.Max(1, wanted / 6)).ToList() is { Count: > 0 } near
                ? near.MaxBy(l => likeness[l])
                : good[0];
        var first = FirstOfPattern(lengths, lagFound);
        var turns = (pulses.Count - 1 - first) / lagFound;
        return turns < 1 ? null : new([.. Enumerable.Range(0, turns + 1).Select(r => first + r * lagFound)], []);
    }

    /// <summary>The pulse behind the largest gap of the first turn, so that a turn begins there.</summary>
    private static int FirstOfPattern(double[] lengths, int lag)
    {
        var largest = 0;
        for (var i = 0; i < Math.Min(lag, lengths.Length); i++)
            if (lengths[i] > lengths[largest])
                largest = i;
        return lengths[largest] > 0.4 ? (largest + 1) % lag : 0;
    }

    /// <summary>Each interval against the mean of its neighbours, less 1, capped so that a stop does not drown the rest.</summary>
    public static double[] Lengths(double[] begins)
    {
        var intervals = begins.Zip(begins.Skip(1), (a, b) => b - a).ToArray();
        return [.. intervals.Select((own, i) => Math.Clamp(own / Usual(intervals, i) - 1, -0.8, 2.5))];
    }

    /// <summary>The middle of two intervals before and two behind, so that a gap among them does not count.</summary>
    public static double Usual(double[] intervals, int i)
    {
        Span<double> around = stackalloc double[4];
        var count = 0;
        for (var k = Math.Max(0, i - 2); k <= Math.Min(intervals.Length - 1, i + 2); k++)
            if (k != i)
                around[count++] = intervals[k];
        if (count == 0)
            return intervals[i];
        var sorted = around[..count];
        sorted.Sort();
        return count == 4 ? (sorted[0] + sorted[1] + sorted[2]) / 3 : sorted[count / 2];
    }

    private static double Likeness(double[] lengths, int lag)
    {
        double products = 0,
            own = 0,
            other = 0;
        for (var i = 0; i + lag < lengths.Length; i++)
        {
            products += lengths[i] * lengths[i + lag];
            own += lengths[i] * lengths[i];
            other += lengths[i + lag] * lengths[i + lag];
        }

        return products / Math.Max(1e-12, Math.Sqrt(own * other));
    }

    private static double Pitch(PulseEdges pulses) => pulses.Count > 1 ? (pulses.Begins[^1] - pulses.Begins[0]) / (pulses.Count - 1) : 0;
}
