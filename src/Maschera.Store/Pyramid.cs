using System.Numerics;
using System.Runtime.InteropServices;
using Maschera.Core.Expressions;

namespace Maschera.Store;

/// <summary>
/// The least and greatest of every <see cref="Group"/> samples, of every <see cref="Fan"/> of those, and so on up to a
/// level that fits on one page. Grown node by node while samples pass through.
/// </summary>
internal sealed class Pyramid
{
    /// <summary>Samples below a node of level 1.</summary>
    public const int Group = 64;

    /// <summary>Nodes below a node of any higher level.</summary>
    public const int Fan = 8;

    /// <summary>Nodes on a page.</summary>
    public const int PageNodes = 1_024;

    /// <summary>The highest level: the one page of it is enough for any int count of samples.</summary>
    public const int Highest = 8;

    private readonly Level[] _levels = [.. Enumerable.Range(1, Highest).Select(number => new Level(number))];

    /// <summary>Samples below one node of <paramref name="level"/>.</summary>
    public static long SamplesBelow(int level)
    {
        long samples = Group;
        for (var i = 1; i < level; i++)
            samples *= Fan;
        return samples;
    }

    /// <summary>Takes a page that is full: level, page, pairs of least and greatest, and pairs of first and last second.</summary>
    public delegate void PageFull(int level, int page, byte[] pairs, byte[] times);

    /// <summary>Adds the next samples; only the last call before <see cref="Finish"/> may hold a broken group.</summary>
    public void Append(ReadOnlySpan<float> samples, ReadOnlySpan<double> times, PageFull full)
    {
        for (var start = 0; start < samples.Length; start += Group)
        {
            var count = Math.Min(Group, samples.Length - start);
            var (low, high) = Extremes(samples.Slice(start, count));
            Add(0, new Node(low, high, times[start], times[start + count - 1]), full);
        }
    }

    /// <summary>Hands over what is left.</summary>
    public void Finish(PageFull full)
    {
        for (var i = 0; i < _levels.Length; i++)
        {
            if (_levels[i].TakePending() is { } pending)
                Add(i, pending, full);
            Flush(_levels[i], full);
        }
    }

    private void Add(int at, Node node, PageFull full)
    {
        Store(at, node, full);
        if (at + 1 < _levels.Length && _levels[at + 1].Gather(node) is { } parent)
            Add(at + 1, parent, full);
    }

    private void Store(int at, Node node, PageFull full)
    {
        if (_levels[at].Put(node))
            Flush(_levels[at], full);
    }

    private static void Flush(Level level, PageFull full)
    {
        if (level.Count == 0)
            return;
        full(
            level.Number,
            level.Page,
            MemoryMarshal.AsBytes(level.Pairs.AsSpan(0, 2 * level.Count)).ToArray(),
            MemoryMarshal.AsBytes(level.Times.AsSpan(0, 2 * level.Count)).ToArray()
        );
        level.Turn();
    }

    /// <summary>Least and greatest of the numbers among the samples; NaN where there is none.</summary>
    private static (float Low, float High) Extremes(ReadOnlySpan<float> group)
    {
        if (group.Length == Group && FullExtremes(group) is var (least, greatest) && !float.IsNaN(least + greatest))
            return (least, greatest);
        float low = float.PositiveInfinity,
            high = float.NegativeInfinity;
        foreach (var value in group)
        {
            // Comparisons with NaN are false, so a gap changes nothing.
            if (value < low)
                low = value;
            if (value > high)
                high = value;
        }

        return low > high ? (float.NaN, float.NaN) : (low, high);
    }

    /// <summary>The same of a full group, many at a time; NaN where one of them is.</summary>
    private static (float Low, float High) FullExtremes(ReadOnlySpan<float> group)
    {
        var low = new Vector<float>(group);
        var high = low;
        for (var i = Vector<float>.Count; i < Group; i += Vector<float>.Count)
        {
            var next = new Vector<float>(group[i..]);
            low = Vector.Min(low, next);
            high = Vector.Max(high, next);
        }

        var (least, greatest) = (low[0], high[0]);
        for (var i = 1; i < Vector<float>.Count; i++)
            (least, greatest) = (Math.Min(least, low[i]), Math.Max(greatest, high[i]));
        return (least, greatest);
    }

    private readonly record struct Node(float Low, float High, double First, double Last)
    {
        public Node With(Node next) => new(float.MinNumber(Low, next.Low), float.MaxNumber(High, next.High), First, next.Last);
    }

    private sealed class Level(int number)
    {
        private Node _pending;
        private int _gathered;

        public int Number => number;
        public int Page { get; private set; }
        public int Count { get; private set; }
        public float[] Pairs { get; } = new float[2 * PageNodes];
        public double[] Times { get; } = new double[2 * PageNodes];

        /// <summary>Joins a node of the level below; returns the joint one once it is complete.</summary>
        public Node? Gather(Node node)
        {
            _pending = _gathered == 0 ? node : _pending.With(node);
            if (++_gathered < Fan)
                return null;
            _gathered = 0;
            return _pending;
        }

        public Node? TakePending()
        {
            if (_gathered == 0)
                return null;
            _gathered = 0;
            return _pending;
        }

        /// <summary>Puts a node on the page; true where the page is full.</summary>
        public bool Put(Node node)
        {
            (Pairs[2 * Count], Pairs[2 * Count + 1]) = (node.Low, node.High);
            (Times[2 * Count], Times[2 * Count + 1]) = (node.First, node.Last);
            return ++Count == PageNodes;
        }

        public void Turn()
        {
            Page++;
            Count = 0;
        }
    }
}
