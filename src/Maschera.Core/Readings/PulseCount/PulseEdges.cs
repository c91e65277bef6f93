using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.PulseCount;

/// <summary>The pulses of a toothed target: when each begins, and the level that lasts longest between two.</summary>
internal sealed class PulseEdges
{
    /// <summary>Fewer samples a pulse can't be told from what sampling makes of a faster one.</summary>
    public const double LeastSamples = 3;

    private PulseEdges(double[] begins, double[] ends, bool isSine)
    {
        (Begins, Ends, IsSine) = (begins, ends, isSine);
    }

    /// <summary>The edges of one direction, s.</summary>
    public double[] Begins { get; }

    /// <summary>The edges of the other direction, s.</summary>
    public double[] Ends { get; }

    public bool IsSine { get; }

    /// <summary>The same pulses counted by their other edge.</summary>
    public PulseEdges Turned => new(Ends, Begins, IsSine);

    public int Count => Begins.Length;

    public static PulseEdges Find(Channel signal)
    {
        var edges = SensorEdges.Find(signal);
        var kept = edges.IsInductive ? WithoutNoise(signal, edges.Edges) : edges.Edges;
        return new(
            [.. kept.Where(e => e.Rising).Select(e => e.Seconds)],
            [.. kept.Where(e => !e.Rising).Select(e => e.Seconds)],
            edges.IsInductive
        );
    }

    /// <summary>Number of the first edge at a moment or after it.</summary>
    public static int FirstAfter(double[] edges, double seconds)
    {
        var found = Array.BinarySearch(edges, seconds);
        return found < 0 ? ~found : found;
    }

    /// <summary>The middle of the longest level between pulse <paramref name="index"/> and the next: what is missing lies there.</summary>
    public double MiddleOfGap(int index)
    {
        var (from, to) = (Begins[index], Begins[index + 1]);
        var between = FirstAfter(Ends, from);
        var longest = (From: from, To: to);
        if (between < Ends.Length && Ends[between] < to)
            longest = Ends[between] - from > to - Ends[between] ? (from, Ends[between]) : (Ends[between], to);
        return (longest.From + longest.To) / 2;
    }

    /// <summary>Half waves of a wheel that stands are noise: those no larger than what stands between two samples anyway.</summary>
    private static IReadOnlyList<Edge> WithoutNoise(Channel signal, IReadOnlyList<Edge> edges)
    {
        var noise = Noise(signal.Samples);
        if (!(noise > 0))
            return edges;
        List<Edge> kept = [];
        for (var i = 0; i + 1 < edges.Count; i++)
        {
            var (first, end) = (signal.Time.IndexAtOrAfter(edges[i].Seconds), signal.Time.IndexAtOrAfter(edges[i + 1].Seconds));
            var wave = Extreme(signal.Samples, first, end, edges[i].Rising);
            var before =
                i > 0 ? Extreme(signal.Samples, signal.Time.IndexAtOrAfter(edges[i - 1].Seconds), first, edges[i - 1].Rising) : double.NaN;
            if (double.IsNaN(before) || Math.Abs(wave - before) > 8 * noise)
                kept.Add(edges[i]);
        }

        if (edges.Count > 0)
            kept.Add(edges[^1]);
        return InTurn(kept);
    }

    private static double Extreme(float[] samples, int first, int end, bool highest)
    {
        var extreme = double.NaN;
        for (var i = first; i < end; i++)
            if (double.IsNaN(extreme) || (highest ? samples[i] > extreme : samples[i] < extreme))
                extreme = samples[i];
        return extreme;
    }

    /// <summary>Rising and falling in turn: of two of one direction the second is dropped.</summary>
    private static List<Edge> InTurn(List<Edge> edges)
    {
        List<Edge> turned = [];
        foreach (var edge in edges)
            if (turned.Count == 0 || turned[^1].Rising != edge.Rising)
                turned.Add(edge);
        return turned;
    }

    /// <summary>The standard deviation of a sample about its neighbours where the signal is quietest, a tenth of the time.</summary>
    private static double Noise(float[] samples)
    {
        const int together = 24;
        List<double> pieces = [];
        var stride = Math.Max(together, samples.Length / 4_000);
        for (var i = 1; i + together < samples.Length; i += stride)
        {
            double sum = 0;
            for (var k = i; k < i + together; k++)
            {
                var bend = samples[k] - (samples[k - 1] + samples[k + 1]) / 2;
                sum += bend * bend;
            }

            pieces.Add(Math.Sqrt(sum / together / 1.5));
        }

        return Statistics.Quantile(Statistics.Sorted(pieces), 0.1);
    }
}
