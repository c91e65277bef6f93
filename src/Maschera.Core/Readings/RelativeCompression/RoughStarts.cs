using Maschera.Core.Signals;

namespace Maschera.Core.Readings.RelativeCompression;

/// <summary>Rough starts of a fit: with speed and shape as expected, the amplitudes are linear for any phase.</summary>
/// <param name="angles">Firing TDC of each position, degrees after that of position 1.</param>
/// <param name="deviation">Residual that counts as one standard deviation, in the unit of the load.</param>
internal sealed class RoughStarts(CrankingFold fold, double[] angles, StarterUnknowns unknowns, double reach, double deviation)
{
    private static readonly double[] s_lags = [0.04, 0.08];

    /// <summary>The starts at phases that are clearly apart, best first.</summary>
    public List<(double Cost, double[] Parameters)> All(bool even)
    {
        var (mean, speed) = fold.Mean(unknowns.UsualSwing.Mean / reach);
        var usual = unknowns.Shape();
        var span = even ? 720.0 / angles.Length : 720;
        var count = even ? 24 : 96;
        var starts = s_lags
            .SelectMany(lag => Enumerable.Range(0, count).Select(i => Start(i * span / count, lag, mean, speed, usual)))
            .ToList();
        starts.Sort((a, b) => a.Cost.CompareTo(b.Cost));
        return Distinct(starts, span);
    }

    private (double Cost, double[] Parameters) Start(double phase, double lag, double[] mean, double[] speed, Func<double, double> usual)
    {
        var n = angles.Length;
        var columns = new List<double[]>();
        foreach (var angle in angles)
        {
            var torque = new double[mean.Length];
            for (var b = 0; b < torque.Length; b++)
                torque[b] = usual(CrankingFold.AfterTdc(CrankingFold.BinAngle(b) - phase - angle));
            columns.Add(StarterModel.Follow(torque, speed, lag));
        }

        columns.Add([.. Enumerable.Repeat(1.0, mean.Length)]);
        var solved = LeastSquares.Linear(columns, mean);
        double cost = 0;
        for (var b = 0; b < mean.Length; b++)
        {
            var left = mean[b];
            for (var c = 0; c <= n; c++)
                left -= solved[c] * columns[c][b];
            cost += Square(left / deviation);
        }

        var middle = Statistics.Median(solved.Take(n));
        if (middle <= 0)
            cost += 1e6;
        var parameters = unknowns.Usual(phase, Math.Log(lag));
        for (var i = 0; i < n; i++)
        {
            var share = middle > 0 ? solved[i] / middle : 1;
            cost += 1e3 * (Square(Math.Min(share, 0)) + Square(Math.Max(share - 1.2, 0)));
            parameters[StarterUnknowns.FirstLeak + i] = StarterUnknowns.LeakFor(share);
        }

        return (cost, parameters);
    }

    private static List<(double Cost, double[] Parameters)> Distinct(List<(double Cost, double[] Parameters)> starts, double span)
    {
        var apart = Math.Min(20, span / 5);
        var kept = new List<(double Cost, double[] Parameters)>();
        foreach (var start in starts)
        {
            var isNew = kept.All(k =>
            {
                var off = Math.Abs(k.Parameters[StarterUnknowns.Phase] - start.Parameters[StarterUnknowns.Phase]);
                return Math.Min(off, span - off) > apart;
            });
            if (isNew)
                kept.Add(start);
        }

        return kept;
    }

    private static double Square(double value) => value * value;
}
