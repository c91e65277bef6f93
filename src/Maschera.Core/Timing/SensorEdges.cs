using Maschera.Core.Expressions;
using Maschera.Core.Signals;

namespace Maschera.Core.Timing;

/// <summary>The edges of a speed sensor, hall or inductive, in time order.</summary>
/// <param name="Edges">All crossings, rising and falling in turn.</param>
/// <param name="IsInductive">True for a sensor without rails, whose amplitude grows with speed.</param>
/// <param name="Jitter">How well a single edge is known, standard deviation in s: sampling alone.</param>
public sealed record SensorEdges(IReadOnlyList<Edge> Edges, bool IsInductive, double Jitter)
{
    /// <summary>Share of samples near a rail from which a signal counts as switching.</summary>
    private const double NearRails = 0.8;

    /// <summary>What is near a rail, as a share of the swing.</summary>
    private const double RailShare = 0.2;

    /// <summary>So many samples, evenly spread, tell the kind of sensor.</summary>
    private const int SketchSamples = 60_000;

    /// <summary>An inductive half wave counts from this share of the amplitude of the last ones.</summary>
    private const double HalfWaveShare = 0.3;

    /// <summary>A half wave may be so much smaller than those before it, an engine slows down no faster.</summary>
    private const double AmplitudeDecay = 0.8;

    /// <summary>The crossings that go up, or those that go down.</summary>
    public double[] Times(bool rising) => [.. Edges.Where(e => e.Rising == rising).Select(e => e.Seconds)];

    /// <summary>Finds them; empty where the channel stands still.</summary>
    public static SensorEdges Find(Channel channel)
    {
        var rails = PulseTrain.FindRails(Sketch(channel.Samples));
        if (!(rails.Swing > 0))
            return new SensorEdges([], false, 0);
        return Switches(channel.Samples, rails)
            // Between samples nothing is known of a steep edge: even over one step.
            ? new SensorEdges(PulseTrain.FindEdges(channel, rails, 0.25), false, channel.Time.Step / Math.Sqrt(12))
            : new SensorEdges(Crossings(channel), true, channel.Time.Step / Math.Sqrt(12) / 2);
    }

    /// <summary>Every so many samples; all of them where they are few.</summary>
    private static float[] Sketch(float[] samples)
    {
        if (samples.Length <= SketchSamples)
            return samples;
        var stride = samples.Length / SketchSamples | 1;
        var picked = new float[(samples.Length - 1) / stride + 1];
        for (var i = 0; i < picked.Length; i++)
            picked[i] = samples[i * stride];
        return picked;
    }

    private static bool Switches(float[] samples, Rails rails)
    {
        int near = 0,
            all = 0;
        foreach (var sample in Sketch(samples))
        {
            if (!float.IsFinite(sample))
                continue;
            all++;
            if (Math.Min(Math.Abs(sample - rails.Low), Math.Abs(sample - rails.High)) < RailShare * rails.Swing)
                near++;
        }

        return near > NearRails * all;
    }

    /// <summary>
    /// Crossings of the standing level by half waves that reach a share of the amplitude of those before them, so that
    /// noise in a gap counts for nothing at any speed. Dated by the line between the samples round the crossing.
    /// </summary>
    private static List<Edge> Crossings(Channel channel)
    {
        var samples = channel.Samples;
        var time = channel.Time;
        var level = Level(samples);
        // The noise of a standing engine must not count as teeth.
        var floor = 0.02 * (Statistics.Quantile(samples, 0.99) - Statistics.Quantile(samples, 0.01));
        var edges = new List<Edge>();
        double amplitude = 0,
            peak = 0,
            crossing = double.NaN,
            before = double.NaN;
        var beforeAt = 0.0;
        bool? up = null;
        for (var i = 0; i < samples.Length; i++)
        {
            var value = samples[i] - level;
            if (!double.IsFinite(value))
                continue;
            if (before < 0 != value < 0 && !double.IsNaN(before))
                crossing = Resampling.Crossed(0, (beforeAt, before), (time[i], value));
            (before, beforeAt) = (value, time[i]);
            if (up is { } high && (high ? value : -value) > peak)
                peak = high ? value : -value;
            var threshold = Math.Max(floor, HalfWaveShare * amplitude);
            bool? now =
                value > threshold ? true
                : value < -threshold ? false
                : up;
            if (now == up)
                continue;
            if (up is not null && !double.IsNaN(crossing))
                edges.Add(new Edge(crossing, now!.Value));
            amplitude = Math.Max(AmplitudeDecay * amplitude, peak);
            (up, peak) = (now, Math.Abs(value));
        }

        return edges;
    }

    /// <summary>The level the sensor rests at: the mean, for what it induces one way it induces the other.</summary>
    private static double Level(float[] samples)
    {
        double sum = 0;
        var count = 0;
        foreach (var sample in samples)
        {
            if (!float.IsFinite(sample))
                continue;
            sum += sample;
            count++;
        }

        return count > 0 ? sum / count : 0;
    }
}
