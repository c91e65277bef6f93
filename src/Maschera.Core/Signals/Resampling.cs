namespace Maschera.Core.Signals;

/// <summary>Brings a channel to an even, coarser rate.</summary>
public static class Resampling
{
    /// <summary>When a level is crossed on the straight line between two samples, s.</summary>
    public static double Crossed(double level, (double Seconds, double Value) before, (double Seconds, double Value) after) =>
        before.Seconds + (level - before.Value) / (after.Value - before.Value) * (after.Seconds - before.Seconds);

    /// <summary>The value of an even channel at a time, on the straight line between two samples; the nearest beyond the ends.</summary>
    public static double Linear(Channel channel, double seconds)
    {
        var at = Math.Clamp((seconds - channel.Time.Start) / channel.Time.Step, 0, channel.Samples.Length - 1);
        var below = Math.Min((int)at, Math.Max(0, channel.Samples.Length - 2));
        var next = Math.Min(below + 1, channel.Samples.Length - 1);
        return channel.Samples[below] + (at - below) * ((double)channel.Samples[next] - channel.Samples[below]);
    }

    /// <summary>
    /// Means over windows of <paramref name="step"/> seconds (a boxcar low-pass and decimation); where the channel is
    /// slower than that it is interpolated linearly. Gaps and NaN are bridged in a straight line.
    /// </summary>
    /// <returns>An even channel with the same name and unit.</returns>
    public static Channel ToStep(Channel channel, double step)
    {
        var time = channel.Time;
        var count = Math.Max(1, (int)((time.End - time.Start) / step) + 1);
        var sums = new double[count];
        var hits = new int[count];
        for (var i = 0; i < time.Count; i++)
        {
            var value = channel.Samples[i];
            if (!float.IsFinite(value))
                continue;
            var slot = Math.Min(count - 1, (int)((time[i] - time.Start) / step));
            sums[slot] += value;
            hits[slot]++;
        }

        var samples = new float[count];
        for (var i = 0; i < count; i++)
            samples[i] = hits[i] > 0 ? (float)(sums[i] / hits[i]) : float.NaN;
        BridgeGaps(samples);
        return channel with { Time = TimeAxis.Uniform(time.Start + step / 2, step, count), Samples = samples };
    }

    /// <summary>A course thinned evenly to <paramref name="most"/> places for a picture; as it is where it is short.</summary>
    public static T[] Thinned<T>(T[] course, int most)
    {
        var stride = (course.Length - 1) / most + 1;
        return stride == 1 ? course : [.. course.Where((_, i) => i % stride == 0)];
    }

    /// <summary>The value at a time as a log holds it: the last one before, the first one where there is none before.</summary>
    public static double Held(Channel channel, double seconds)
    {
        var at = channel.Time.IndexAtOrAfter(seconds);
        if (at == channel.Time.Count || at > 0 && channel.Time[at] > seconds)
            at--;
        return channel.Samples[at];
    }

    /// <summary>Replaces runs of NaN by a straight line between their neighbours, at the ends by the nearest value.</summary>
    public static void BridgeGaps(Span<float> samples)
    {
        var last = -1;
        for (var i = 0; i < samples.Length; i++)
        {
            if (!float.IsFinite(samples[i]))
                continue;
            for (var j = last + 1; j < i; j++)
                samples[j] = last < 0 ? samples[i] : samples[last] + (samples[i] - samples[last]) * (j - last) / (i - last);
            last = i;
        }

        if (last >= 0)
            samples[(last + 1)..].Fill(samples[last]);
    }

    /// <summary>
    /// The mean of each value and <paramref name="half"/> on both sides of it, fewer at the ends; a NaN spoils no more than those.
    /// </summary>
    public static double[] RunningMean(double[] values, int half)
    {
        var means = new double[values.Length];
        for (var i = 0; i < values.Length; i++)
            means[i] = Statistics.Mean(values.AsSpan()[Math.Max(0, i - half)..Math.Min(values.Length, i + half + 1)]);
        return means;
    }

    /// <summary>A centred running mean over <paramref name="width"/> samples (made odd), shortened at the ends.</summary>
    public static float[] Smooth(ReadOnlySpan<float> samples, int width)
    {
        var half = Math.Max(0, width / 2);
        var sums = new double[samples.Length + 1];
        for (var i = 0; i < samples.Length; i++)
            sums[i + 1] = sums[i] + samples[i];
        var smooth = new float[samples.Length];
        for (var i = 0; i < samples.Length; i++)
        {
            var from = Math.Max(0, i - half);
            var to = Math.Min(samples.Length, i + half + 1);
            smooth[i] = (float)((sums[to] - sums[from]) / (to - from));
        }

        return smooth;
    }
}
