namespace Maschera.Core.Signals;

/// <summary>A crossing of a level: when, in seconds, and in which direction.</summary>
public readonly record struct Edge(double Seconds, bool Rising);

/// <summary>The two levels between which a pulse train switches, in the channel's unit.</summary>
public readonly record struct Rails(double Low, double High)
{
    /// <summary>Half way between the rails: where duty is counted.</summary>
    public double Mid => (Low + High) / 2;

    /// <summary>The distance between the rails.</summary>
    public double Swing => High - Low;
}

/// <summary>Finds rails and edges of switching signals.</summary>
public static class PulseTrain
{
    /// <summary>
    /// The rails: the medians of the samples above and below the middle of the signal's reach, so that spikes,
    /// ringing and very uneven duty don't move them. The reach leaves out the outermost 0.02 % of the samples.
    /// </summary>
    public static Rails FindRails(ReadOnlySpan<float> samples)
    {
        var finite = new List<double>();
        var stride = Math.Max(1, samples.Length / 200_000);
        for (var i = 0; i < samples.Length; i += stride)
            if (float.IsFinite(samples[i])) finite.Add(samples[i]);
        finite.Sort();
        var sorted = System.Runtime.InteropServices.CollectionsMarshal.AsSpan(finite);
        if (sorted.Length == 0) return new Rails(double.NaN, double.NaN);
        var rails = new Rails(Statistics.Quantile(sorted, 0.0002), Statistics.Quantile(sorted, 0.9998));
        for (var pass = 0; pass < 4; pass++)
        {
            var split = sorted.BinarySearch(rails.Mid);
            if (split < 0) split = ~split;
            if (split == 0 || split == sorted.Length) break;
            rails = new Rails(Statistics.Quantile(sorted[..split], 0.5), Statistics.Quantile(sorted[split..], 0.5));
        }

        return rails;
    }

    /// <summary>
    /// Crossings of the middle level. An edge counts once the signal has gone on past <paramref name="hysteresis"/>
    /// (a share of the swing) beyond the middle on the other side, and is dated by the straight line between the two
    /// samples round the middle. NaN samples are passed over.
    /// </summary>
    public static List<Edge> FindEdges(Channel channel, Rails rails, double hysteresis = 0.15)
    {
        var edges = new List<Edge>();
        var mid = (float)rails.Mid;
        var upper = (float)(rails.Mid + hysteresis * rails.Swing);
        var lower = (float)(rails.Mid - hysteresis * rails.Swing);
        var samples = channel.Samples;
        var time = channel.Time;
        bool? high = null;
        var crossing = double.NaN;
        var before = -1;
        for (var i = 0; i < samples.Length; i++)
        {
            var value = samples[i];
            if (!float.IsFinite(value)) continue;
            if (before >= 0 && samples[before] < mid != value < mid)
            {
                var share = (mid - samples[before]) / (value - samples[before]);
                crossing = time[before] + share * (time[i] - time[before]);
            }

            before = i;
            var now = value > upper ? true : value < lower ? false : high;
            if (now == high) continue;
            if (high is not null && now is not null) edges.Add(new Edge(crossing, now.Value));
            high = now;
        }

        return edges;
    }
}
