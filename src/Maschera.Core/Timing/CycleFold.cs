using Maschera.Core.Signals;

namespace Maschera.Core.Timing;

/// <summary>A cycle that is unlike the others.</summary>
/// <param name="Seconds">When it begins, s.</param>
/// <param name="Distance">Its distance from the mean cycle, root mean square in the channel's unit.</param>
/// <param name="Values">Its own course, as the mean's.</param>
public sealed record OddCycle(double Seconds, double Distance, float[] Values);

/// <summary>
/// A channel folded on the 720° of a cycle: every cycle on top of the other, one value a degree, NaN where there is none.
/// </summary>
/// <param name="Mean">Mean over the cycles.</param>
/// <param name="Spread">Standard deviation over the cycles.</param>
/// <param name="Cycles">Whole cycles folded.</param>
/// <param name="Odd">Cycles that stand out, the oddest first.</param>
/// <param name="Singles">Some single cycles, evenly over the capture, to show what the spread is made of.</param>
public sealed record CycleFold(float[] Mean, float[] Spread, int Cycles, IReadOnlyList<OddCycle> Odd, IReadOnlyList<float[]> Singles)
{
    /// <summary>Values a cycle.</summary>
    public const int Bins = 720;

    /// <summary>A cycle is odd where its distance lies this many times the usual scatter of distances above the usual one.</summary>
    private const double OddFrom = 6;

    private const int MostOdd = 5;

    private const int MostSingles = 12;

    /// <summary>Degrees between values of a slowly sampled channel; what is further apart is a gap.</summary>
    private const int MostGap = 30;

    /// <summary>Folds the whole cycles of a channel; null where there are fewer than two.</summary>
    /// <param name="zero">Degrees on the clock at which a cycle begins.</param>
    public static CycleFold? Of(Channel channel, AngleClock clock, double zero)
    {
        var first = (int)Math.Ceiling((clock.Degrees[0] - zero) / Bins);
        var count = (int)Math.Floor((clock.Degrees[^1] - zero) / Bins) - first;
        if (count < 2)
            return null;
        var cycles = Binned(channel, clock, zero + first * Bins, count);
        var (mean, spread) = Moments(cycles);
        var distances = cycles.Select(c => Distance(c, mean)).ToArray();
        var usual = Statistics.Median(distances);
        var scatter = Statistics.Scatter(distances, usual);
        var odd = Enumerable
            .Range(0, count)
            .Where(i => distances[i] > usual + OddFrom * scatter && distances[i] > 1.2 * usual)
            .OrderByDescending(i => distances[i])
            .Take(MostOdd)
            .Select(i => new OddCycle(clock.TimeAt(zero + (first + i) * Bins), distances[i], cycles[i]))
            .ToList();
        var shown = Math.Min(count, MostSingles);
        return new CycleFold(mean, spread, count, odd, [.. Enumerable.Range(0, shown).Select(i => cycles[i * count / shown])]);
    }

    /// <summary>Mean of each cycle's samples in each degree; degrees between samples lie on the line through their neighbours.</summary>
    private static float[][] Binned(Channel channel, AngleClock clock, double start, int count)
    {
        var cycles = Enumerable.Range(0, count).Select(_ => new float[Bins]).ToArray();
        var hits = new int[count * Bins];
        var degrees = new double[channel.Samples.Length];
        clock.Fill(channel.Time, degrees);
        for (var i = 0; i < degrees.Length; i++)
        {
            var place = (int)Math.Floor(degrees[i] - start);
            if ((uint)place >= (uint)hits.Length || !float.IsFinite(channel.Samples[i]))
                continue;
            cycles[place / Bins][place % Bins] += channel.Samples[i];
            hits[place]++;
        }

        for (var place = 0; place < hits.Length; place++)
            cycles[place / Bins][place % Bins] = hits[place] > 0 ? cycles[place / Bins][place % Bins] / hits[place] : float.NaN;
        foreach (var cycle in cycles)
            if (LongestGap(cycle) <= MostGap)
                Resampling.BridgeGaps(cycle);
        return cycles;
    }

    /// <summary>
    /// The cycles that can be counted on for every degree: those in which a stretch of more than <see cref="MostGap"/> degrees has
    /// no value are left out, for a line over it would be invented.
    /// </summary>
    internal static float[][] Whole(Channel channel, AngleClock clock, double start, int count) =>
        [.. Binned(channel, clock, start, count).Where(c => Array.TrueForAll(c, float.IsFinite))];

    private static int LongestGap(float[] cycle)
    {
        var (longest, run) = (0, 0);
        foreach (var value in cycle)
            longest = Math.Max(longest, run = float.IsFinite(value) ? 0 : run + 1);
        return longest;
    }

    private static (float[] Mean, float[] Spread) Moments(float[][] cycles)
    {
        var (mean, spread) = (new float[Bins], new float[Bins]);
        for (var bin = 0; bin < Bins; bin++)
        {
            var values = cycles.Select(c => (double)c[bin]).Where(double.IsFinite).ToArray();
            (mean[bin], spread[bin]) =
                values.Length > 0 ? ((float)Statistics.Mean(values), (float)Statistics.StandardDeviation(values)) : (float.NaN, float.NaN);
        }

        return (mean, spread);
    }

    private static double Distance(float[] cycle, float[] mean)
    {
        double sum = 0;
        var count = 0;
        for (var i = 0; i < cycle.Length; i++)
        {
            if (!float.IsFinite(cycle[i] - mean[i]))
                continue;
            sum += (cycle[i] - mean[i]) * (cycle[i] - mean[i]);
            count++;
        }

        return count > 0 ? Math.Sqrt(sum / count) : 0;
    }
}
