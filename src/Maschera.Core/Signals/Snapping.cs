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

    /// <summary>How many reaches on the next place is looked for.</summary>
    private const int MostLooks = 2_000;

    /// <summary>What lies closer than this share of the reach is the place one stands on.</summary>
    private const double LeastStep = 0.3;

    /// <summary>A flank's height against the typical step of neighbours: less is noise.</summary>
    private const double EdgeAboveNoise = 6;

    /// <summary>A flank counts as an edge where it passes its swing in less than the reach divided by this.</summary>
    private const double SteepShare = 3;

    /// <summary>The calmed trace is a mean over the stretch looked at divided by this: some three of its 28 pixels.</summary>
    private const int CalmShare = 9;

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

    /// <summary>
    /// The first place after <paramref name="at"/>, or before it, that stands out at the scale of the reach; null for none.
    /// </summary>
    public static Snap? Next(ISampleReader reader, double at, double reach, SnapTo to, double level, bool back)
    {
        var sign = back ? -1 : 1;
        for (var n = 1; n <= MostLooks; n++)
        {
            var middle = at + sign * n * reach;
            if (middle + reach < reader.Start || middle - reach > reader.End)
                return null;
            if (Find(reader, middle, reach, to, level) is { } found && sign * (found.Seconds - at) > reach * LeastStep)
                return found;
        }

        return null;
    }

    /// <summary>A flank near by that is steep at the scale of the reach: its swing is passed in less than a third of it.</summary>
    private static Snap? Edge(Channel near, double at, double reach, Func<Edge, bool> wanted)
    {
        var smooth = Calmed(near);
        var (low, high) = Reach(smooth.Samples);
        var steps = Enumerable.Range(1, Math.Max(0, smooth.Samples.Length - 1));
        var steepest = steps.Select(i => (double)Math.Abs(smooth.Samples[i] - smooth.Samples[i - 1])).DefaultIfEmpty(0).Max();
        var usual = Statistics.Median(steps.Select(i => (double)Math.Abs(near.Samples[i] - near.Samples[i - 1])));
        var rails = new Rails(low, high);
        if (!(rails.Swing > EdgeAboveNoise * usual) || !(rails.Swing / steepest < Math.Max(2, reach / Spacing(near) / SteepShare)))
            return null;
        var (rawLow, rawHigh) = Reach(near.Samples);
        var edges = PulseTrain
            .FindEdges(near, new Rails(rawLow, rawHigh))
            .Where(e => wanted(e) && Math.Abs(e.Seconds - at) <= reach)
            .ToList();
        if (edges.Count == 0)
            return null;
        var nearest = edges.MinBy(e => Math.Abs(e.Seconds - at));
        return new Snap(nearest.Seconds, nearest.Rising ? "rising edge" : "falling edge");
    }

    /// <summary>
    /// The top or trough that stands out most at the scale of the reach, refined on the samples: the vertex of a parabola
    /// through a rounded one, the sample itself of a sharp one. Not one at the end of the reach, for there the signal only goes
    /// on rising or falling.
    /// </summary>
    private static Snap? Peak(Channel near)
    {
        var smooth = Calmed(near).Samples;
        if (smooth.Length < 5)
            return null;
        var (top, trough) = (Extreme(smooth, 1), Extreme(smooth, -1));
        var (up, down) = (Prominence(smooth, top, 1), Prominence(smooth, trough, -1));
        var noise = Statistics.Scatter([.. smooth.Zip(near.Samples, (s, n) => (double)n - s).Where(double.IsFinite)], 0);
        if (!(Math.Max(up, down) > noise))
            return null;
        return up >= down
            ? new Snap(Refined(near, smooth, top, 1, noise), "peak")
            : new Snap(Refined(near, smooth, trough, -1, noise), "trough");
    }

    private static double Spacing(Channel near) => near.Samples.Length > 1 ? (near.Time[^1] - near.Time[0]) / (near.Samples.Length - 1) : 1;

    /// <summary>The signal without what is finer than a few pixels of the picture it is looked at in.</summary>
    private static Channel Calmed(Channel near)
    {
        var width = near.Samples.Length / CalmShare;
        return width < 3 || Array.Exists(near.Samples, float.IsNaN)
            ? near
            : near with
            {
                Samples = Resampling.Smooth(near.Samples, width | 1),
            };
    }

    private static int Extreme(float[] samples, int sign)
    {
        var at = 0;
        for (var i = 1; i < samples.Length; i++)
            if (sign * samples[i] > sign * samples[at] || float.IsNaN(samples[at]))
                at = i;
        return at;
    }

    /// <summary>How far the signal falls away on the side where it falls least.</summary>
    private static double Prominence(float[] samples, int at, int sign)
    {
        if (at <= 1 || at >= samples.Length - 2)
            return 0;
        var before = samples.AsSpan(0, at).ToArray().Select(v => sign * (samples[at] - v)).Where(float.IsFinite).DefaultIfEmpty(0).Max();
        var after = samples.AsSpan(at + 1).ToArray().Select(v => sign * (samples[at] - v)).Where(float.IsFinite).DefaultIfEmpty(0).Max();
        return Math.Min(before, after);
    }

    private static double Refined(Channel near, float[] smooth, int at, int sign, double noise)
    {
        var half = Math.Max(1, near.Samples.Length / CalmShare);
        var (from, to) = (Math.Max(0, at - half), Math.Min(near.Samples.Length - 1, at + half));
        var sharp = from + Extreme(near.Samples[from..(to + 1)], sign);
        // A sharp one stands out of the calmed trace by far more than its noise does.
        if (to - from < 6 || sign * (near.Samples[sharp] - smooth[sharp]) > EdgeAboveNoise * Math.Max(noise, float.Epsilon))
            return near.Time[sharp];
        return Vertex(near, from, to) is { } vertex && vertex >= near.Time[from] && vertex <= near.Time[to] ? vertex : near.Time[at];
    }

    /// <summary>Where a parabola through some samples by least squares has its vertex; null where it has none.</summary>
    private static double? Vertex(Channel near, int from, int to)
    {
        var (middle, scale) = ((near.Time[from] + near.Time[to]) / 2, (near.Time[to] - near.Time[from]) / 2);
        var places = Enumerable.Range(from, to - from + 1).Where(i => float.IsFinite(near.Samples[i])).ToArray();
        if (places.Length < 4)
            return null;
        var x = places.Select(i => (near.Time[i] - middle) / scale).ToArray();
        var fit = LeastSquares.Linear(
            [
                [.. x.Select(_ => 1.0)],
                x,
                [.. x.Select(v => v * v)],
            ],
            [.. places.Select(i => (double)near.Samples[i])]
        );
        return fit[2] == 0 ? null : middle - scale * fit[1] / (2 * fit[2]);
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
            var seconds = Resampling.Crossed(level, (near.Time[i - 1], before), (near.Time[i], after));
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
