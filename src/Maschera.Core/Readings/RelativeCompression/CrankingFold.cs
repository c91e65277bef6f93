using Maschera.Core.Signals;

namespace Maschera.Core.Readings.RelativeCompression;

/// <summary>
/// Cranking cycles laid on each other by degrees: the speed, and with it the degrees of every sample, follows from the load.
/// </summary>
/// <param name="load">The load on the starter, smoothed, a value a sample.</param>
/// <param name="cycles">First sample of every cycle and of the one behind it.</param>
internal sealed class CrankingFold(float[] load, List<(int From, int To)> cycles)
{
    /// <summary>Bins of the folded cycle.</summary>
    public const int Bins = 360;

    /// <summary>Degrees a bin.</summary>
    public const double BinDegrees = 720.0 / Bins;

    private (double Swing, double[] Mean, double[] Speed)? _lastFold;

    /// <summary>The load, a value a sample.</summary>
    public float[] Load => load;

    /// <summary>Degrees on the folded axis of a moment in the capture; null outside the used cycles.</summary>
    public double? DegreesAt(double sample, double speedSwing)
    {
        foreach (var (from, to) in cycles)
        {
            if (sample < from || sample >= to)
                continue;
            var angle = CumulativeAngle(from, to, speedSwing);
            var at = (int)(sample - from);
            return angle[at] + (sample - from - at) * (angle[at + 1] - angle[at]);
        }

        return null;
    }

    /// <summary>
    /// The sample at which a cycle reaches an angle on the folded axis; angles beyond 0-720 reach into the neighbours' time.
    /// </summary>
    public double SampleAt(int cycle, double degrees, double speedSwing)
    {
        var (from, to) = cycles[cycle];
        if (degrees < 0)
            return from + degrees / 720 * (to - from);
        var angle = CumulativeAngle(from, to, speedSwing);
        var at = Array.BinarySearch(angle, degrees);
        if (at < 0)
            at = ~at;
        return from + Math.Min(at, to - from);
    }

    /// <summary>The folded cycles one by one: the load in every bin.</summary>
    public List<(double[] Load, double[] Speed)> Each(double speedSwing) =>
        [.. cycles.Select(cycle => FoldOne(cycle.From, cycle.To, speedSwing))];

    /// <summary>The fold of the last swing asked for: most steps of a fit leave the swing alone.</summary>
    public (double[] Mean, double[] Speed) Mean(double speedSwing)
    {
        if (_lastFold is { } last && last.Swing == speedSwing)
            return (last.Mean, last.Speed);
        var (mean, speed) = Fold(speedSwing);
        _lastFold = (speedSwing, mean, speed);
        return (mean, speed);
    }

    /// <summary>
    /// Stretches of bins that lie in marked samples in most of the cycles; one that runs over the end of the cycle is one.
    /// </summary>
    public List<int[]> Stretches(bool[] marked, double speedSwing)
    {
        var counts = new int[Bins];
        foreach (var (from, to) in marked.Length > 0 ? cycles : [])
        {
            var angle = CumulativeAngle(from, to, speedSwing);
            int[] bins = [.. Enumerable.Range(0, to - from).Where(i => marked[from + i]).Select(i => Bin(angle[i])).Distinct()];
            foreach (var bin in bins)
                counts[bin]++;
        }

        bool IsIn(int bin) => 2 * counts[bin % Bins] > cycles.Count;
        return
        [
            .. Enumerable
                .Range(0, Bins)
                .Where(b => IsIn(b) && !IsIn(b + Bins - 1))
                .Select(b => Enumerable.Range(b, Bins).TakeWhile(IsIn).Select(i => i % Bins).ToArray()),
        ];
    }

    private (double[] Mean, double[] Speed) Fold(double speedSwing)
    {
        var mean = new double[Bins];
        var speed = new double[Bins];
        foreach (var (from, to) in cycles)
        {
            var (values, pace) = FoldOne(from, to, speedSwing);
            for (var b = 0; b < Bins; b++)
            {
                mean[b] += values[b] / cycles.Count;
                speed[b] += pace[b] / cycles.Count;
            }
        }

        return (mean, speed);
    }

    private (double[] Load, double[] Speed) FoldOne(int from, int to, double speedSwing)
    {
        var angle = CumulativeAngle(from, to, speedSwing);
        var folded = new double[Bins];
        var speed = new double[Bins];
        var at = 0;
        for (var b = 0; b < Bins; b++)
        {
            while (at + 2 < angle.Length && angle[at + 1] < BinAngle(b))
                at++;
            var width = angle[at + 1] - angle[at];
            var share = (BinAngle(b) - angle[at]) / width;
            var next = Math.Min(from + at + 1, load.Length - 1);
            folded[b] = load[from + at] + share * (load[next] - load[from + at]);
            speed[b] = width / CrankingSignal.Step;
        }

        return (folded, speed);
    }

    /// <summary>Degrees since the cycle began at each of its samples, the last one 720.</summary>
    private double[] CumulativeAngle(int from, int to, double speedSwing)
    {
        var angle = new double[to - from + 1];
        var mean = Statistics.Mean(load.AsSpan(from, to - from));
        for (var i = 0; i < to - from; i++)
            angle[i + 1] = angle[i] + Math.Max(0.1, 1 - speedSwing * (load[from + i] - mean));
        var scale = 720 / angle[^1];
        for (var i = 0; i < angle.Length; i++)
            angle[i] *= scale;
        return angle;
    }

    public static double BinAngle(int bin) => (bin + 0.5) * BinDegrees;

    public static int Bin(double degrees) => (int)(Wrap(degrees) / BinDegrees) % Bins;

    public static double AfterTdc(double degrees) => Wrap(degrees + 360) - 360;

    public static double Wrap(double degrees)
    {
        if (degrees is >= 0 and < 720)
            return degrees;
        var wrapped = degrees % 720;
        return wrapped < 0 ? wrapped + 720 : wrapped;
    }
}
