using Maschera.Core.Engines;
using Maschera.Core.Signals;

namespace Maschera.Core.Timing;

/// <summary>One edge of a cam's pattern over all cycles.</summary>
/// <param name="Rising">Its direction.</param>
/// <param name="Degrees">Its median place, crank degrees on the pattern's own 720.</param>
/// <param name="Spread">Standard deviation over the cycles, degrees.</param>
public sealed record PatternEdge(bool Rising, double Degrees, double Spread);

/// <summary>A cam sensor's edges folded on the 720° of a cycle.</summary>
/// <param name="Edges">The edges in order, from the pattern's own start.</param>
/// <param name="Cycles">For each whole cycle, the degrees of its edges in that order, and the time of its first edge, s.</param>
/// <param name="Origin">Degrees after the wheel's zero at which the pattern starts: in the middle of its longest pause.</param>
public sealed record CamPattern(IReadOnlyList<PatternEdge> Edges, IReadOnlyList<(double Seconds, double[] Degrees)> Cycles, double Origin)
{
    /// <summary>Cycles with another number of edges than usual may be so many: starts, stops, a lost edge.</summary>
    private const double MostOddCycles = 0.34;

    /// <summary>Edges further from their usual place than this belong to no cycle, degrees.</summary>
    private const double MostAstray = 45;

    /// <summary>Folds edges on a clock; null where no pattern repeats.</summary>
    public static CamPattern? Of(IReadOnlyList<Edge> edges, AngleClock clock)
    {
        var turned = edges
            .Where(e => e.Seconds >= clock.Seconds[0] && e.Seconds <= clock.Seconds[^1])
            .Select(e => (e.Rising, e.Seconds, Degrees: clock.At(e.Seconds)))
            .ToList();
        if (turned.Count < 2)
            return null;
        var origin = Pause(turned.Select(e => Modulo(e.Degrees)));
        var cycles = turned.GroupBy(e => (int)Math.Floor((e.Degrees - origin) / 720)).ToDictionary(g => g.Key, g => g.ToList());
        // The first and the last cycle are not whole.
        var whole = cycles
            .Where(c => 720 * c.Key + origin >= clock.Degrees[0] && 720 * (c.Key + 1) + origin <= clock.Degrees[^1])
            .OrderBy(c => c.Key)
            .ToList();
        if (whole.Count < 2)
            return null;
        var usual = whole.GroupBy(c => Signs(c.Value.Select(e => e.Rising))).OrderByDescending(g => g.Count()).First();
        if (usual.Key.Length == 0 || usual.Count() < (1 - MostOddCycles) * whole.Count)
            return null;
        var places = usual
            .Select(c => (c.Value[0].Seconds, Degrees: c.Value.Select(e => e.Degrees - 720 * c.Key - origin).ToArray()))
            .ToList();
        var medians = Enumerable.Range(0, usual.Key.Length).Select(i => Statistics.Median(places.Select(p => p.Degrees[i]))).ToArray();
        var kept = places
            .Where(p => Enumerable.Range(0, medians.Length).All(i => Math.Abs(p.Degrees[i] - medians[i]) < MostAstray))
            .ToList();
        if (kept.Count < 2)
            return null;
        return new CamPattern(
            [
                .. medians.Select(
                    (m, i) => new PatternEdge(usual.Key[i] == '+', m, Statistics.StandardDeviation([.. kept.Select(p => p.Degrees[i])]))
                ),
            ],
            kept,
            origin
        );
    }

    /// <summary>A pattern given as numbers, as an engine file stores it.</summary>
    public static CamPattern Stored(IReadOnlyList<CamEdge> edges) =>
        new([.. edges.OrderBy(e => e.Degrees).Select(e => new PatternEdge(e.Direction == "rise", e.Degrees, 0))], [], 0);

    /// <summary>0 or 360: the turn by which this pattern's cycle was begun away from the other's, both of one engine.</summary>
    public double TurnFrom(CamPattern other)
    {
        var count = Edges.Count;
        if (count != other.Edges.Count)
            return 0;
        var best = (Misfit: double.MaxValue, Off: 0.0);
        for (var turn = 0; turn < count; turn++)
        {
            var (mean, spread) = Statistics.Circular(
                [
                    .. Enumerable
                        .Range(0, count)
                        .Select(i => Edges[i].Degrees + Origin - other.Edges[(i + turn) % count].Degrees - other.Origin),
                ],
                720
            );
            if (Enumerable.Range(0, count).All(i => Edges[i].Rising == other.Edges[(i + turn) % count].Rising) && spread < best.Misfit)
                best = (spread, mean);
        }

        return Math.Abs(Math.IEEERemainder(best.Off, 720)) > 180 ? 360 : 0;
    }

    private static string Signs(IEnumerable<bool> rising) => string.Concat(rising.Select(r => r ? '+' : '-'));

    /// <summary>The middle of the longest stretch of the cycle without edges.</summary>
    private static double Pause(IEnumerable<double> degrees)
    {
        // Edges lost or too many now and then must not fill the pause: count in bins, and look for the longest quiet run.
        const int bins = 360;
        var counts = new int[bins];
        foreach (var d in degrees)
            counts[(int)(d / 720 * bins) % bins]++;
        var quiet = counts.Max() * 0.05;
        int best = 0,
            bestAt = 0;
        for (int i = 0, run = 0; i < 2 * bins; i++)
        {
            run = counts[i % bins] <= quiet ? run + 1 : 0;
            if (run > best && run <= bins)
                (best, bestAt) = (run, i);
        }

        return Modulo((bestAt - best / 2.0 + 0.5) * 720 / bins);
    }

    /// <summary>An angle on 0-720.</summary>
    public static double Modulo(double degrees) => (degrees % 720 + 720) % 720;
}
