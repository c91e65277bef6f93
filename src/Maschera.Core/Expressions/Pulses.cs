using Maschera.Core.Signals;

namespace Maschera.Core.Expressions;

/// <summary>What a pulse train tells from edge to edge.</summary>
internal static class Pulses
{
    /// <summary>More edges than this are noise, and would fill the memory.</summary>
    private const int MostEdges = 20_000_000;

    private const int RailSamples = 200_000;
    private const int Chunk = 16_384;

    /// <summary>A tooth may take so many times its neighbours' time and still be one gap of missing teeth.</summary>
    private const int WidestGap = 6;

    /// <summary>Edges of a stream: two passes over it, one for the rails and one for the crossings.</summary>
    /// <exception cref="ExpressionException">It is no pulse train.</exception>
    public static List<Edge> EdgesOf(Func<SampleStream> open, ISampleReader axis)
    {
        var finder = new EdgeFinder(RailsOf(open, axis.Count));
        using var stream = open();
        using var times = new Times(axis);
        var values = new float[Chunk];
        var seconds = new double[Chunk];
        for (var left = axis.Count; left > 0; )
        {
            var count = stream.Read(values.AsSpan(0, Math.Min(Chunk, left)));
            if (count == 0)
                break;
            for (var i = 0; i < count; i++)
                seconds[i] = times.Next();
            finder.Add(new SamplePiece(0, values.AsMemory(0, count), 0, 0, seconds.AsMemory(0, count)));
            if (finder.Edges.Count > MostEdges)
                throw new ExpressionException(
                    $"The pulse train has more than {MostEdges} edges; smooth it first, for example with median(x, 5)."
                );
            left -= count;
        }

        if (finder.Edges.Count < 3)
            throw new ExpressionException("The signal has fewer than three edges, so it is no pulse train.");
        return finder.Edges;
    }

    /// <summary>From one rising edge to the next, with a value for each.</summary>
    public static List<(double From, double To, double Value)> EachPeriod(List<Edge> edges, Func<Edge, Edge, Edge, double> value)
    {
        var steps = new List<(double, double, double)>();
        for (var i = edges.FindIndex(e => e.Rising); i >= 0 && i + 2 < edges.Count; i += 2)
            steps.Add((edges[i].Seconds, edges[i + 2].Seconds, value(edges[i], edges[i + 1], edges[i + 2])));
        return steps;
    }

    /// <summary>
    /// Revolutions a minute, tooth by tooth. A tooth that takes a whole number of times as long as both its neighbours
    /// is a gap of missing teeth, and counts as so many.
    /// </summary>
    public static List<(double From, double To, double Value)> Speed(List<Edge> edges, double teeth)
    {
        var periods = EachPeriod(edges, (a, _, c) => c.Seconds - a.Seconds);
        var speeds = new List<(double From, double To, double Value)>(periods.Count);
        for (var i = 0; i < periods.Count; i++)
        {
            var around = Math.Max(i > 0 ? periods[i - 1].Value : 0, i + 1 < periods.Count ? periods[i + 1].Value : 0);
            var ratio = around > 0 ? periods[i].Value / around : 1;
            var passed = ratio is > 1.5 and < WidestGap + 0.5 ? Math.Round(ratio) : 1;
            speeds.Add((periods[i].From, periods[i].To, 60 * passed / (teeth * periods[i].Value)));
        }

        return speeds;
    }

    private static Rails RailsOf(Func<SampleStream> open, int total)
    {
        using var stream = open();
        var stride = Math.Max(1, total / RailSamples);
        var picked = new List<float>(RailSamples);
        var values = new float[Chunk];
        for (var (first, count) = (0, 1); count > 0 && first < total; first += count)
        {
            count = stream.Read(values.AsSpan(0, Math.Min(Chunk, total - first)));
            for (var i = (stride - first % stride) % stride; i < count; i += stride)
                picked.Add(values[i]);
        }

        return PulseTrain.FindRails(System.Runtime.InteropServices.CollectionsMarshal.AsSpan(picked));
    }
}
