using Maschera.Core.Basics;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Contribution;

/// <summary>
/// Where a module does not balance at all: most do so at idle only, and show one and the same figure for every cylinder outside of it
/// or with the engine off. Such stretches tell nothing of the cylinders, and more of them than half a log would hide an odd one.
/// </summary>
internal static class Rests
{
    /// <summary>All cylinders show one figure for at least so many seconds and values.</summary>
    private const double LeastSeconds = 3;
    private const int LeastValues = 5;

    /// <summary>One column shows one figure.</summary>
    private readonly record struct Same(float Figure, Stretch Span);

    /// <summary>The stretches (s) in which the columns show one figure; none where most of them show it in between as well.</summary>
    public static IReadOnlyList<Stretch> Of(IReadOnlyCollection<Channel> columns)
    {
        var common = columns.Select(Runs).Aggregate(Common).Where(s => s.Span.To - s.Span.From >= LeastSeconds).ToList();
        var rests = common.Select(s => s.Span).ToList();
        var elsewhere = columns.Select(c => ShareOf(c, rests, [.. common.Select(s => s.Figure)])).ToList();
        return Statistics.Median(elsewhere) < 0.5 ? rests : [];
    }

    /// <summary>What a column shows outside of the stretches.</summary>
    public static Channel Without(Channel column, IReadOnlyList<Stretch> rests)
    {
        if (rests.Count == 0)
            return column;
        var kept = Enumerable.Range(0, column.Samples.Length).Where(i => !Inside(column.Time[i], rests)).ToList();
        return new(
            column.Name,
            column.Unit,
            TimeAxis.FromStamps([.. kept.Select(i => column.Time[i])]),
            [.. kept.Select(i => column.Samples[i])]
        );
    }

    private static bool Inside(double seconds, IReadOnlyList<Stretch> rests) => rests.Any(r => seconds >= r.From && seconds <= r.To);

    /// <summary>Share of a column's values outside of the stretches that are one of the figures shown within them.</summary>
    private static double ShareOf(Channel column, IReadOnlyList<Stretch> rests, HashSet<float> figures)
    {
        var outside = Without(column, rests).Samples;
        return outside.Length == 0 ? 0 : outside.Count(figures.Contains) / (double)outside.Length;
    }

    private static List<Same> Runs(Channel column)
    {
        List<Same> runs = [];
        var known = Enumerable.Range(0, column.Samples.Length).Where(i => float.IsFinite(column.Samples[i])).ToArray();
        for (var first = 0; first < known.Length; )
        {
            var (figure, next) = (column.Samples[known[first]], first + 1);
            while (next < known.Length && column.Samples[known[next]] == figure)
                next++;
            if (next - first >= LeastValues)
                runs.Add(new(figure, new(column.Time[known[first]], column.Time[known[next - 1]])));
            first = next;
        }
        return runs;
    }

    private static List<Same> Common(List<Same> some, List<Same> others)
    {
        List<Same> both = [];
        var at = 0;
        foreach (var one in some)
        {
            while (at < others.Count && others[at].Span.To < one.Span.From)
                at++;
            for (var k = at; k < others.Count && others[k].Span.From < one.Span.To; k++)
                if (others[k].Figure == one.Figure)
                    both.Add(new(one.Figure, new(Math.Max(one.Span.From, others[k].Span.From), Math.Min(one.Span.To, others[k].Span.To))));
        }
        return both;
    }
}
