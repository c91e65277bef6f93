namespace Maschera.Core.Signals;

/// <summary>What a jaw is drawn to.</summary>
public enum SnapTo
{
    /// <summary>An edge where there is one, else a peak.</summary>
    Nearest,

    /// <summary>The middle of a flank.</summary>
    Edge,

    /// <summary>The middle of a flank that goes up.</summary>
    RisingEdge,

    /// <summary>The middle of a flank that goes down.</summary>
    FallingEdge,

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

    /// <summary>
    /// The place nearest to <paramref name="at"/> within <paramref name="reach"/> seconds on either side; null where nothing
    /// stands out.
    /// </summary>
    /// <param name="level">The level that <see cref="SnapTo.Level"/> looks for, in the channel's unit.</param>
    public static Snap? Find(ISampleReader reader, double at, double reach, SnapTo to, double level = 0)
    {
        reach = Math.Min(reach, MostSamples / 2 * reader.Step);
        var (first, count) = reader.Inside(at - reach, at + reach);
        // One sample more on either side, so that a crossing beside the only sample is seen.
        var near = reader.Load(first - 1, count + 2);
        return to switch
        {
            SnapTo.Edge => Edge(near, at, reach, _ => true),
            SnapTo.RisingEdge => Edge(near, at, reach, e => e.Rising),
            SnapTo.FallingEdge => Edge(near, at, reach, e => !e.Rising),
            SnapTo.Peak => Peak(near),
            SnapTo.Level => Crossing(near, at, reach, level),
            _ => Edge(near, at, reach, _ => true) ?? Peak(near),
        };
    }

    private static Snap? Edge(Channel near, double at, double reach, Func<Edge, bool> wanted)
    {
        var (low, high) = Reach(near.Samples);
        var rails = new Rails(low, high);
        var steps = Statistics.Median(
            Enumerable.Range(1, Math.Max(0, near.Samples.Length - 1)).Select(i => (double)Math.Abs(near.Samples[i] - near.Samples[i - 1]))
        );
        if (!(rails.Swing > EdgeAboveNoise * steps))
            return null;
        var edges = PulseTrain.FindEdges(near, rails).Where(e => wanted(e) && Math.Abs(e.Seconds - at) <= reach).ToList();
        if (edges.Count == 0)
            return null;
        var nearest = edges.MinBy(e => Math.Abs(e.Seconds - at));
        return new Snap(nearest.Seconds, nearest.Rising ? "rising edge" : "falling edge");
    }

    /// <summary>
    /// The greatest or least sample; not one at the end of the reach, for there the signal only goes on rising or falling.
    /// </summary>
    private static Snap? Peak(Channel near)
    {
        int least = 0,
            greatest = 0;
        var samples = near.Samples;
        for (var i = 1; i < samples.Length; i++)
        {
            if (samples[i] > samples[greatest] || float.IsNaN(samples[greatest]))
                greatest = i;
            if (samples[i] < samples[least] || float.IsNaN(samples[least]))
                least = i;
        }

        var middle = Statistics.Quantile(samples, 0.5);
        var up = IsInside(greatest) ? samples[greatest] - middle : 0;
        var down = IsInside(least) ? middle - samples[least] : 0;
        if (up <= 0 && down <= 0)
            return null;
        return up >= down ? new Snap(near.Time[greatest], "peak") : new Snap(near.Time[least], "trough");

        bool IsInside(int index) => index > 1 && index < samples.Length - 2;
    }

    private static Snap? Crossing(Channel near, double at, double reach, double level)
    {
        Snap? nearest = null;
        for (var i = 1; i < near.Samples.Length; i++)
        {
            double before = near.Samples[i - 1],
                after = near.Samples[i];
            if (!(before < level != after < level) || !double.IsFinite(before + after))
                continue;
            var seconds = near.Time[i - 1] + (level - before) / (after - before) * (near.Time[i] - near.Time[i - 1]);
            if (Math.Abs(seconds - at) > reach || nearest is { } n && Math.Abs(n.Seconds - at) <= Math.Abs(seconds - at))
                continue;
            nearest = new Snap(seconds, after > before ? "rising crossing" : "falling crossing");
        }

        return nearest;
    }

    private static (double Low, double High) Reach(float[] samples)
    {
        double low = double.PositiveInfinity,
            high = double.NegativeInfinity;
        foreach (var sample in samples)
        {
            if (sample < low)
                low = sample;
            if (sample > high)
                high = sample;
        }

        return (low, high);
    }
}
