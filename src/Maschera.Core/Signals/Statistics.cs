namespace Maschera.Core.Signals;

/// <summary>Order statistics and moments that the readings share. NaN samples are left out.</summary>
public static class Statistics
{
    /// <summary>A sorted copy of the values that are numbers.</summary>
    public static double[] Sorted(IEnumerable<double> values)
    {
        var sorted = values.Where(double.IsFinite).ToArray();
        Sorting.Sort(sorted);
        return sorted;
    }

    /// <summary>The value below which <paramref name="share"/> (0-1) of a sorted list lies, interpolated.</summary>
    public static double Quantile(ReadOnlySpan<double> sorted, double share)
    {
        if (sorted.Length == 0)
            return double.NaN;
        var place = share * (sorted.Length - 1);
        var below = (int)place;
        if (below >= sorted.Length - 1)
            return sorted[^1];
        return sorted[below] + (place - below) * (sorted[below + 1] - sorted[below]);
    }

    /// <summary>A quantile of samples, taken from at most some 20,000 of them evenly spread.</summary>
    public static double Quantile(ReadOnlySpan<float> samples, double share)
    {
        var stride = Math.Max(1, samples.Length / 20_000);
        var picked = new List<double>(samples.Length / stride + 1);
        for (var i = 0; i < samples.Length; i += stride)
            if (float.IsFinite(samples[i]))
                picked.Add(samples[i]);
        Sorting.Sort(picked);
        return Quantile(System.Runtime.InteropServices.CollectionsMarshal.AsSpan(picked), share);
    }

    /// <summary>The middle value; NaN of nothing.</summary>
    public static double Median(IEnumerable<double> values) => Quantile(Sorted(values), 0.5);

    /// <summary>
    /// The median distance from <paramref name="centre"/>, times 1.4826: the standard deviation of a normal scatter, whatever a few
    /// values far off do (Hampel 1974).
    /// </summary>
    public static double Scatter(IEnumerable<double> values, double centre) => 1.4826 * Median(values.Select(v => Math.Abs(v - centre)));

    /// <summary>The distance of the quartiles of a sorted list, times 0.7413: the standard deviation of a normal scatter.</summary>
    public static double InnerScatter(ReadOnlySpan<double> sorted) => 0.7413 * (Quantile(sorted, 0.75) - Quantile(sorted, 0.25));

    /// <summary>The mean; NaN of nothing.</summary>
    public static double Mean(ReadOnlySpan<double> values)
    {
        double sum = 0;
        foreach (var value in values)
            sum += value;
        return sum / values.Length;
    }

    /// <summary>The mean of samples that are all numbers; NaN of nothing.</summary>
    public static double Mean(ReadOnlySpan<float> samples)
    {
        double sum = 0;
        foreach (var sample in samples)
            sum += sample;
        return sum / samples.Length;
    }

    /// <summary>Mean of angles that repeat after <paramref name="turn"/> degrees, and their root mean square distance from it.</summary>
    public static (double Mean, double Spread) Circular(IReadOnlyList<double> degrees, double turn)
    {
        var scale = Math.Tau / turn;
        var mean = Math.Atan2(degrees.Average(d => Math.Sin(d * scale)), degrees.Average(d => Math.Cos(d * scale))) / scale;
        return (mean, Math.Sqrt(degrees.Average(d => Math.Pow(Math.IEEERemainder(d - mean, turn), 2))));
    }

    /// <summary>The sample standard deviation (divisor n-1); 0 of fewer than two.</summary>
    public static double StandardDeviation(ReadOnlySpan<double> values)
    {
        if (values.Length < 2)
            return 0;
        var mean = Mean(values);
        double sum = 0;
        foreach (var value in values)
            sum += (value - mean) * (value - mean);
        return Math.Sqrt(sum / (values.Length - 1));
    }

    /// <summary>
    /// The smallest difference between two neighbouring values that differ: the last place they are written in; 0 where all are alike.
    /// </summary>
    public static double LastPlace(ReadOnlySpan<float> samples)
    {
        var smallest = double.PositiveInfinity;
        for (var i = 1; i < samples.Length; i++)
            if (Math.Abs(samples[i] - samples[i - 1]) is > 0 and var step && step < smallest)
                smallest = step;
        return double.IsFinite(smallest) ? smallest : 0;
    }

    /// <summary>A value to three digits: more of a window's end nobody knows.</summary>
    public static double Rounded(double value) =>
        value == 0 ? 0 : Math.Round(value, Math.Clamp(2 - (int)Math.Floor(Math.Log10(Math.Abs(value))), 0, 12));
}
