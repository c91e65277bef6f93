using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Duty;

/// <summary>
/// The rails of a train that a coil's kick overshoots: where the signal dwells, not how far it reaches. A kick is short, begins at an edge
/// and runs out towards the level it belongs to, so that it fills no level of its own.
/// </summary>
internal static class TrainLevels
{
    /// <summary>A level is as many samples as possible within this share of the reach, and the other one at least so far from it.</summary>
    private const double Width = 0.02,
        Apart = 0.06;

    /// <summary>
    /// A kick is beyond the level by this share of the swing, for no more than this share of the time, and more often than spikes are.
    /// </summary>
    private const double Beyond = 0.5,
        MostTime = 0.15,
        LeastTime = 0.002;

    /// <summary>The other level holds at least this share of the samples, and both together this one: noise dwells nowhere.</summary>
    private const double LeastLevel = 0.01,
        Both = 0.5;

    private const int MostSamples = 200_000;

    /// <summary>The rails, and how far a kick goes beyond them; null where nothing kicks.</summary>
    public static (Rails Rails, double Kick)? OfKicking(float[] samples)
    {
        var stride = Math.Max(1, samples.Length / MostSamples);
        var sorted = Statistics.Sorted(samples.Where((v, i) => i % stride == 0 && float.IsFinite(v)).Select(v => (double)v));
        if (sorted.Length < 100)
            return null;
        var reach = sorted[^1] - sorted[0];
        var (one, most) = Densest(sorted, Width * reach, _ => true);
        var (other, count) = Densest(sorted, Width * reach, v => Math.Abs(v - one) > Apart * reach);
        if (!double.IsFinite(other) || count < LeastLevel * sorted.Length || most + count < Both * sorted.Length)
            return null;
        var rails = new Rails(Math.Min(one, other), Math.Max(one, other));
        var kick = Math.Max(sorted[^1] - rails.High, rails.Low - sorted[0]);
        var kicked = sorted.Count(v => v > rails.High + Beyond * rails.Swing || v < rails.Low - Beyond * rails.Swing);
        return kicked > LeastTime * sorted.Length && kicked < MostTime * sorted.Length ? (rails, kick) : null;
    }

    /// <summary>The middle of the window that holds most of the samples among those asked for, and how many it holds.</summary>
    private static (double Level, int Count) Densest(double[] sorted, double width, Func<double, bool> isAsked)
    {
        var (best, level) = (0, double.NaN);
        for (int first = 0, end = 0; first < sorted.Length; first++)
        {
            while (end < sorted.Length && sorted[end] <= sorted[first] + width)
                end++;
            var middle = sorted[(first + end - 1) / 2];
            if (end - first > best && isAsked(middle))
                (best, level) = (end - first, middle);
        }

        return (level, best);
    }
}
