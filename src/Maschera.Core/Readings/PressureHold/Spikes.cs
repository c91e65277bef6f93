using Maschera.Core.Signals;

namespace Maschera.Core.Readings.PressureHold;

/// <summary>Single samples that no pressure can follow.</summary>
internal static class Spikes
{
    /// <summary>A spike stands off its neighbours by this share of the pressure, and so many times what the samples about it do.</summary>
    private const double Least = 0.05,
        Clear = 8;

    /// <summary>Its neighbours differ from each other by no more than this share of it.</summary>
    private const double Alike = 0.25;

    /// <summary>So many samples to either side tell what is usual: where a pump ripples much is.</summary>
    private const int About = 10;

    /// <summary>The pressure with its spikes as gaps, and how many there are.</summary>
    public static (Channel Pressure, int Count) Without(Channel pressure)
    {
        var samples = pressure.Samples;
        var off = Enumerable.Range(0, samples.Length).Select(i => Off(samples, i)).ToArray();
        var least = Least * Statistics.Median(samples.Where(float.IsFinite).Select(v => (double)Math.Abs(v)));
        var found = Enumerable.Range(0, samples.Length).Where(IsSpike).ToList();
        if (found.Count == 0)
            return (pressure, 0);
        var kept = (float[])samples.Clone();
        found.ForEach(i => kept[i] = float.NaN);
        return (pressure with { Samples = kept }, found.Count);

        bool IsSpike(int i) =>
            Math.Abs(off[i]) > least
            && Math.Abs(samples[i + 1] - samples[i - 1]) < Alike * Math.Abs(off[i])
            && Math.Abs(off[i]) > Clear * Usual(i);

        double Usual(int i) =>
            Statistics.Median(off[Math.Max(0, i - About)..Math.Min(off.Length, i + About + 1)].Select(Math.Abs).Where(double.IsFinite));
    }

    /// <summary>How far a sample stands off the middle of its neighbours; NaN at the ends.</summary>
    private static double Off(float[] samples, int i) =>
        i == 0 || i + 1 >= samples.Length ? double.NaN : samples[i] - (samples[i - 1] + (double)samples[i + 1]) / 2;
}
