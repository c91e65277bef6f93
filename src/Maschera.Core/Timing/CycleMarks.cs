using Maschera.Core.Signals;

namespace Maschera.Core.Timing;

/// <summary>
/// Edges that come again with the engine's cycle, of a cam or of one cylinder's ignition: they tell a turn where the wheel's gaps come
/// several times in it, or where it has none. Looked for when they are needed.
/// </summary>
/// <param name="ways">Which edges to take, the best way first.</param>
public sealed class CycleMarks(Func<IReadOnlyList<IReadOnlyList<Edge>>> ways)
{
    private const double WithinPlaces = 0.45,
        Share = 0.9;

    /// <summary>No cycle has more tooth places, no firing fewer.</summary>
    private const int LeastPlaces = 3,
        MostPlaces = 1_500;

    /// <summary>One edge of a direction where there are fewer than this.</summary>
    private const double OneEdge = 1.5;

    private readonly Lazy<IReadOnlyList<IReadOnlyList<Edge>>> _ways = new(ways);

    /// <summary>All edges of one channel.</summary>
    public static CycleMarks Of(Channel channel) => new(() => [SensorEdges.Find(channel).Edges]);

    /// <summary>True where they come again after so many tooth places.</summary>
    internal bool ComeAgain(ToothPlaces places, int after) =>
        _ways.Value.Any(edges => ComeAgain(Turned(edges, places), after, places.Count));

    /// <summary>
    /// The least number of tooth places after which they come again, null where they never do; and whether that holds one segment only,
    /// so that it may be any part of a cycle. Else it is even, as a cycle is.
    /// </summary>
    internal (int Places, bool IsOneSegment)? Least(ToothPlaces places) =>
        _ways.Value.Select(edges => Least(Turned(edges, places), places.Count)).FirstOrDefault(found => found is not null);

    private static (int, bool)? Least(List<(bool Rising, double Place)> turned, int last)
    {
        // A cycle begins and ends with like edges, so only their distances can be its length.
        var distances = turned
            .Take(200)
            .SelectMany(
                (e, i) => turned.Skip(i + 1).Take(60).Where(f => f.Rising == e.Rising).Select(f => (int)Math.Round(f.Place - e.Place))
            )
            .Where(d => d is >= LeastPlaces and < MostPlaces)
            .GroupBy(d => d)
            .Where(g => g.Count() >= 2)
            .Select(g => g.Key)
            .Order();
        foreach (var distance in distances)
        {
            // What is off by part of a place once is off by more of them later on.
            var times = Math.Clamp(last / 2 / distance, 1, 8);
            if (!ComeAgain(turned, distance, last) || !ComeAgain(turned, times * distance, last))
                continue;
            var cycles = (turned[^1].Place - turned[0].Place) / distance + 1;
            var most = Math.Max(turned.Count(e => e.Rising), turned.Count(e => !e.Rising));
            if (most / cycles < OneEdge || distance % 2 == 0)
                return (distance, most / cycles < OneEdge);
        }

        return null;
    }

    private static List<(bool Rising, double Place)> Turned(IReadOnlyList<Edge> edges, ToothPlaces places) =>
        [.. edges.Select(e => (e.Rising, Place: places.At(e.Seconds))).Where(e => !double.IsNaN(e.Place))];

    private static bool ComeAgain(List<(bool Rising, double Place)> turned, int after, int last)
    {
        var within = turned.Where(e => e.Place + after < last - 1).ToList();
        if (within.Count < 2)
            return false;
        var rising = turned.Where(e => e.Rising).Select(e => e.Place).ToArray();
        var falling = turned.Where(e => !e.Rising).Select(e => e.Place).ToArray();
        return within.Count(e => HasNear(e.Rising ? rising : falling, e.Place + after)) >= Share * within.Count;
    }

    private static bool HasNear(double[] sorted, double wanted)
    {
        var at = Array.BinarySearch(sorted, wanted);
        if (at >= 0)
            return true;
        at = ~at;
        return at < sorted.Length && sorted[at] - wanted < WithinPlaces || at > 0 && wanted - sorted[at - 1] < WithinPlaces;
    }
}
