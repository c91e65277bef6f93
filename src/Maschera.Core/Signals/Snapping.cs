namespace Maschera.Core.Signals;

/// <summary>What a jaw is drawn to.</summary>
public enum SnapTo
{
    /// <summary>An edge where there is one, else a peak.</summary>
    Nearest,

    /// <summary>The middle of a flank.</summary>
    Edge,

    /// <summary>The sample that stands out most, upwards or downwards.</summary>
    Peak,

    /// <summary>Where the signal crosses a level; zero unless another is given.</summary>
    Level,
}

/// <summary>A place a jaw was drawn to.</summary>
/// <param name="Seconds">Where, s.</param>
/// <param name="What">What is there: rising edge, falling edge, peak, trough, crossing.</param>
public readonly record struct Snap(double Seconds, string What);

/// <summary>Finds the place near a pointer that a person means.</summary>
public static class Snapping
{
    /// <summary>More samples than this are not searched; the reach is narrowed instead.</summary>
    private const int MostSamples = 2_000_000;

    /// <summary>A flank's height against the typical step of neighbours: less is noise.</summary>
    private const double EdgeAboveNoise = 6;

    /// <summary>The place nearest to <paramref name="at"/> within <paramref name="reach"/> seconds on either side; null where nothing stands out.</summary>
    /// <param name="level">The level that <see cref="SnapTo.Level"/> looks for, in the channel's unit.</param>
    public static Snap? Find(ISampleReader reader, double at, double reach, SnapTo to, double level = 0)
    {
        reach = Math.Min(reach, MostSamples / 2 * reader.Step);
        var (first, count) = reader.Inside(at - reach, at + reach);
        // One sample more on either side, so that a crossing beside the only sample is seen.
        var near = reader.Load(first - 1, count + 2);
        return to switch
        {
            SnapTo.Edge => Edge(near, at, reach),
            SnapTo.Peak => Peak(near),
            SnapTo.Level => Crossing(near, at, reach, level),
            _ => Edge(near, at, reach) ?? Peak(near),
        };
    }

    private static Snap? Edge(Channel near, double at, double reach)
    {
        var (low, high) = Reach(near.Samples);
        var rails = new Rails(low, high);
        var steps = Statistics.Median(Enumerable.Range(1, Math.Max(0, near.Samples.Length - 1)).Select(i => (double)Math.Abs(near.Samples[i] - near.Samples[i - 1])));
        if (!(rails.Swing > EdgeAboveNoise * steps)) return null;
        var edges = PulseTrain.FindEdges(near, rails).Where(e => Math.Abs(e.Seconds - at) <= reach).ToList();
        if (edges.Count == 0) return null;
        var nearest = edges.MinBy(e => Math.Abs(e.Seconds - at));
        return new Snap(nearest.Seconds, nearest.Rising ? "rising edge" : "falling edge");
    }

    private static Snap? Peak(Channel near)
    {
        var middle = Statistics.Quantile(near.Samples, 0.5);
        int best = -1;
        for (var i = 0; i < near.Samples.Length; i++)
            if (float.IsFinite(near.Samples[i]) && (best < 0 || Math.Abs(near.Samples[i] - middle) > Math.Abs(near.Samples[best] - middle))) best = i;
        if (best < 0 || near.Samples[best] == middle) return null;
        return new Snap(near.Time[best], near.Samples[best] > middle ? "peak" : "trough");
    }

    private static Snap? Crossing(Channel near, double at, double reach, double level)
    {
        Snap? nearest = null;
        for (var i = 1; i < near.Samples.Length; i++)
        {
            double before = near.Samples[i - 1], after = near.Samples[i];
            if (!(before < level != after < level) || !double.IsFinite(before + after)) continue;
            var seconds = near.Time[i - 1] + (level - before) / (after - before) * (near.Time[i] - near.Time[i - 1]);
            if (Math.Abs(seconds - at) > reach || nearest is { } n && Math.Abs(n.Seconds - at) <= Math.Abs(seconds - at)) continue;
            nearest = new Snap(seconds, after > before ? "rising crossing" : "falling crossing");
        }

        return nearest;
    }

    private static (double Low, double High) Reach(float[] samples)
    {
        double low = double.PositiveInfinity, high = double.NegativeInfinity;
        foreach (var sample in samples)
        {
            if (sample < low) low = sample;
            if (sample > high) high = sample;
        }

        return (low, high);
    }
}
