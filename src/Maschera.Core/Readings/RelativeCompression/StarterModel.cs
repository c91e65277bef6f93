using Maschera.Core.Engines;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.RelativeCompression;

/// <summary>What is known of the engine before the fit, with its doubt.</summary>
internal readonly record struct Prior(double Mean, double Deviation);

/// <summary>The fitted engine.</summary>
/// <param name="TdcDegrees">Firing TDC of position 1 on the folded axis, degrees.</param>
/// <param name="SpeedSwing">Share of the speed lost per unit of load above the mean.</param>
/// <param name="Work">Compression work of every position, one unit for all.</param>
/// <param name="Mean">The mean cycle on the folded axis.</param>
/// <param name="Fitted">The model's cycle.</param>
/// <param name="Misfit">Root mean square of what is left over the signal's reach.</param>
/// <param name="Cost">What the fit minimised.</param>
/// <param name="Starved">The position that seals but does not fill, and its pressure where the intake closes, over the one outside.</param>
internal sealed record StarterFit(
    double TdcDegrees,
    double SpeedSwing,
    double[] Work,
    double[] Mean,
    double[] Fitted,
    double Misfit,
    double Cost,
    double[] Parameters,
    (int Position, double Filling)? Starved
);

/// <summary>
/// An engine on its starter, fitted to the mean cranking cycle. Every cylinder compresses its charge along the
/// slider-crank with a leak of its own; the sum of the gas torques loads a motor whose current follows with the
/// electromechanical time constant. The speed follows from the current, so the engine's own surge over a weak
/// cylinder, and the expansion the weak cylinder does not give back to the next compression, are both part of the
/// model and are not mistaken for compression. The compression work of each cylinder is read off the fitted engine.
/// </summary>
internal sealed class StarterModel
{
    /// <summary>Residual that counts as one standard deviation, as a share of the signal's reach.</summary>
    private const double ResidualShare = 0.01;

    /// <summary>Below this share of the upper load the starter overruns and its current tells nothing of the load.</summary>
    private const double OverrunShare = 0.05;

    private const int Bins = CrankingFold.Bins;
    private const int Swing = 0,
        Phase = 1,
        Ratio = 2,
        Closing = 3,
        Opening = 4,
        Lag = 5,
        Hole = 6,
        FirstLeak = 7;

    private readonly CrankingFold _fold;
    private readonly double[] _angles;
    private readonly double _reach;
    private readonly double _overrun;
    private readonly Prior _swing;
    private readonly Prior _ratio;
    private readonly Prior _closing;
    private readonly Prior _opening;
    private static readonly Prior s_lag = new(Math.Log(0.06), 0.5);
    private static readonly Prior s_leak = new(Math.Log(0.0004), 1.5);
    private static readonly Prior s_hole = new(0.2, 0.3);
    private readonly int? _starved;

    /// <param name="starved">The position that is tried as one that seals but does not fill; null where all fill.</param>
    public StarterModel(CrankingSignal signal, List<(int From, int To)> cycles, Engine engine, int? starved = null)
    {
        _starved = starved;
        _fold = new CrankingFold(Resampling.Smooth(signal.Load.Samples, 5), cycles);
        _angles = engine.Angles();
        var used = _fold.Load.AsSpan(cycles[0].From, cycles[^1].To - cycles[0].From);
        _reach = Statistics.Quantile(used, 0.95) - Statistics.Quantile(used, 0.05);
        _overrun = signal.IsSpeed ? double.NegativeInfinity : OverrunShare * Statistics.Quantile(used, 0.95);
        var mean = Statistics.Mean(used);
        var seen = _reach / (signal.Stall.Load - mean);
        _swing = double.IsFinite(seen) && seen is > 0.02 and < 1.5 ? new(seen, signal.Stall.Doubt) : new(0.5, 0.25);
        _ratio = engine.Geometry is { } g ? new(g.CompressionRatio, 0.06) : new(engine.IsDiesel ? 17 : 11, 0.25);
        _closing = engine.ValveTiming is { } v ? new(v.Ivc - 540, 5) : new(50, 8);
        _opening = engine.ValveTiming is { } w ? new(180 - w.Evo, 5) : new(50, 8);
    }

    /// <summary>The cycles laid on each other.</summary>
    public CrankingFold Folded => _fold;

    /// <summary>What the cycles' differences from one another leave in their mean, as a share of the reach.</summary>
    public double Noise(StarterFit fit)
    {
        var cycles = _fold.Each(fit.SpeedSwing);
        var squares = Enumerable.Range(0, Bins).Average(b => Square(Statistics.StandardDeviation([.. cycles.Select(c => c.Load[b])])));
        return Math.Sqrt(squares / cycles.Count) / _reach;
    }

    /// <summary>The signal's reach over the used cycles, 5th to 95th percentile.</summary>
    public double Reach => _reach;

    /// <summary>
    /// Rough starts, best first: with speed and shape as expected, the amplitudes are linear for any phase.
    /// </summary>
    public List<(double Cost, double[] Parameters)> Starts(bool even)
    {
        var n = _angles.Length;
        var (mean, speed) = _fold.Mean(_swing.Mean / _reach);
        var usual = Shape(_ratio.Mean, _closing.Mean, _opening.Mean, 0.0004);
        var span = even ? 720.0 / n : 720;
        var count = even ? 24 : 96;
        var starts = new List<(double Cost, double[] Parameters)>();
        foreach (var lag in (ReadOnlySpan<double>)[0.04, 0.08])
            for (var i = 0; i < count; i++)
                starts.Add(Start(i * span / count, lag, mean, speed, usual));
        starts.Sort((a, b) => a.Cost.CompareTo(b.Cost));
        return Distinct(starts, span);
    }

    /// <summary>The same start with every cylinder sound: where neighbours are weak the rough amplitudes mislead.</summary>
    public static double[] WithoutLeaks(double[] start)
    {
        var sound = (double[])start.Clone();
        Array.Fill(sound, s_leak.Mean, FirstLeak, start.Length - FirstLeak);
        return sound;
    }

    /// <summary>The start of a model with a starved cylinder, from a fit without one: it seals as its neighbours do.</summary>
    public static double[] WithStarved(double[] fitted, int position)
    {
        double[] start = [.. fitted, Math.Log(0.7)];
        start[FirstLeak + position] = Statistics.Median(fitted.Skip(FirstLeak));
        return start;
    }

    /// <summary>
    /// A forgiving fit, in which the signal weighs little against what is usual: it keeps far starts from running
    /// into a corner, and tells which of them are worth a sharp fit.
    /// </summary>
    public (double Cost, double[] Parameters) Approach(double[] start, CancellationToken cancel)
    {
        var (near, cost) = LeastSquares.NonLinear(q => Residuals(q, 8 * ResidualShare), start, Unknowns(), new(10), cancel: cancel);
        return (cost, near);
    }

    /// <summary>The sharp fit.</summary>
    public StarterFit Fit(double[] start, CancellationToken cancel)
    {
        var (q, cost) = LeastSquares.NonLinear(q => Residuals(q, ResidualShare), start, Unknowns(), new(30), cancel: cancel);
        var (r, mean, work, _, _) = Evaluate(q);
        var fitted = mean.Select((value, i) => value - r[i]).ToArray();
        var misfit = Math.Sqrt(r.Sum(x => x * x) / Bins) / _reach;
        (int, double)? starved = _starved is { } position ? (position, Math.Exp(q[^1])) : null;
        return new StarterFit(CrankingFold.Wrap(q[Phase]), Math.Max(0, q[Swing]) / _reach, work, mean, fitted, misfit, cost, q, starved);
    }

    /// <summary>
    /// Standard deviation of each position's work over the cycles, in the unit of the work: every cycle's difference
    /// from the fit is put down to the leaks, in first order.
    /// </summary>
    public double[] Spread(StarterFit fit)
    {
        var n = _angles.Length;
        var (_, _, work, scale, speed) = Evaluate(fit.Parameters);
        var columns = new List<double[]>();
        var perUnit = new double[n];
        for (var i = 0; i < n; i++)
        {
            // A leak enough to be felt, added to this cylinder alone.
            var moved = (double[])fit.Parameters.Clone();
            moved[FirstLeak + i] = Math.Log(Math.Exp(moved[FirstLeak + i]) + 0.0004);
            var (torque, movedWork) = Torque(moved, speed);
            var (baseTorque, _) = Torque(fit.Parameters, speed);
            perUnit[i] = movedWork[i] - work[i];
            columns.Add([
                .. Follow(torque, speed, Math.Exp(moved[Lag]))
                    .Zip(Follow(baseTorque, speed, Math.Exp(moved[Lag])), (a, b) => (a - b) * scale),
            ]);
        }

        columns.Add([.. Enumerable.Repeat(1.0, Bins)]);
        var folds = _fold.Each(fit.SpeedSwing);
        var deltas = Enumerable.Range(0, n).Select(_ => new List<double>()).ToArray();
        foreach (var fold in folds)
        {
            var left = fold.Load.Zip(fit.Mean, (a, b) => a - b).ToArray();
            var solved = LeastSquares.Linear(columns, left, ridge: 1e-4);
            for (var i = 0; i < n; i++)
                deltas[i].Add(solved[i] * perUnit[i]);
        }

        return [.. deltas.Select(d => Statistics.StandardDeviation(d.ToArray()))];
    }

    private Unknown[] Unknowns()
    {
        var unknowns = new Unknown[FirstLeak + _angles.Length + (_starved is null ? 0 : 1)];
        Array.Fill(unknowns, new Unknown(0.02, 1, -12, 1));
        if (_starved is not null)
            unknowns[^1] = new(0.02, 0.3, -3, 0);
        unknowns[Swing] = new(0.01, 0.1, 0, 1.5);
        unknowns[Phase] = new(0.3, 8);
        unknowns[Ratio] = new(0.1, 2, 5, 26);
        unknowns[Closing] = new(1, 8, 0, 94);
        unknowns[Opening] = new(1, 8, 0, 94);
        unknowns[Lag] = new(0.02, 0.3, -6, 0);
        unknowns[Hole] = new(0.02, 0.3, 0, 1);
        return unknowns;
    }

    private (double Cost, double[] Parameters) Start(double phase, double lag, double[] mean, double[] speed, Func<double, double> usual)
    {
        var n = _angles.Length;
        var columns = new List<double[]>();
        for (var i = 0; i < n; i++)
        {
            var torque = new double[Bins];
            for (var b = 0; b < Bins; b++)
                torque[b] = usual(CrankingFold.AfterTdc(CrankingFold.BinAngle(b) - phase - _angles[i]));
            columns.Add(Follow(torque, speed, lag));
        }

        columns.Add([.. Enumerable.Repeat(1.0, Bins)]);
        var solved = LeastSquares.Linear(columns, mean);
        double cost = 0;
        for (var b = 0; b < Bins; b++)
        {
            var left = mean[b];
            for (var c = 0; c <= n; c++)
                left -= solved[c] * columns[c][b];
            cost += left * left / Square(ResidualShare * _reach);
        }

        var middle = Statistics.Median(solved.Take(n));
        if (middle <= 0)
            cost += 1e6;
        var parameters = new double[FirstLeak + n];
        (parameters[Swing], parameters[Phase], parameters[Ratio]) = (_swing.Mean, phase, _ratio.Mean);
        (parameters[Closing], parameters[Opening], parameters[Lag]) = (_closing.Mean, _opening.Mean, Math.Log(lag));
        parameters[Hole] = s_hole.Mean;
        for (var i = 0; i < n; i++)
        {
            var share = middle > 0 ? solved[i] / middle : 1;
            cost += 1e3 * (Square(Math.Min(share, 0)) + Square(Math.Max(share - 1.2, 0)));
            // A cylinder at half its neighbours' amplitude leaks about ten times as much as a good one.
            parameters[FirstLeak + i] = s_leak.Mean + 5 * (1 - Math.Clamp(share, 0.3, 1.0));
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
                var off = Math.Abs(k.Parameters[Phase] - start.Parameters[Phase]);
                return Math.Min(off, span - off) > apart;
            });
            if (isNew)
                kept.Add(start);
        }

        return kept;
    }

    private double[] Residuals(double[] q, double share)
    {
        var (r, _, _, scale, _) = Evaluate(q);
        var n = _angles.Length;
        var all = new double[Bins + 7 + n];
        for (var b = 0; b < Bins; b++)
            all[b] = r[b] / (share * _reach);
        all[Bins] = (q[Swing] - _swing.Mean) / _swing.Deviation;
        all[Bins + 1] = Math.Log(q[Ratio] / _ratio.Mean) / _ratio.Deviation;
        all[Bins + 2] = (q[Closing] - _closing.Mean) / _closing.Deviation;
        all[Bins + 3] = (q[Opening] - _opening.Mean) / _opening.Deviation;
        all[Bins + 4] = (q[Lag] - s_lag.Mean) / s_lag.Deviation;
        all[Bins + 6] = (q[Hole] - s_hole.Mean) / s_hole.Deviation;
        all[Bins + 5] = 50 * Math.Min(scale, 0) / _reach;
        for (var i = 0; i < n; i++)
            all[Bins + 7 + i] = (q[FirstLeak + i] - s_leak.Mean) / s_leak.Deviation;
        return all;
    }

    private (double[] Residual, double[] Mean, double[] Work, double Scale, double[] Speed) Evaluate(double[] q)
    {
        var (mean, speed) = _fold.Mean(q[Swing] / _reach);
        var (torque, work) = Torque(q, speed);
        var load = Follow(torque, speed, Math.Exp(q[Lag]));
        var use = Array.ConvertAll(mean, value => value > _overrun);
        var solved = LeastSquares.Linear([load, [.. Enumerable.Repeat(1.0, Bins)]], mean, use);
        var residual = new double[Bins];
        for (var b = 0; b < Bins; b++)
            residual[b] = use[b] ? mean[b] - solved[0] * load[b] - solved[1] : 0;
        return (residual, mean, work, solved[0], speed);
    }

    /// <summary>Sum of the cylinders' gas torques over the folded cycle, and each cylinder's compression work.</summary>
    private (double[] Torque, double[] Work) Torque(double[] q, double[] speed)
    {
        var n = _angles.Length;
        var torque = new double[Bins];
        var work = new double[n];
        var crank = new SliderCrank(q[Ratio], SliderCrank.UsualRodRatio);
        var meanSpeed = Statistics.Mean(speed);
        var volumes = ChargeVolumes.Of(crank);
        for (var i = 0; i < n; i++)
        {
            var tdc = q[Phase] + _angles[i];
            var pressed = CompressedCharge.March(
                volumes,
                q[Closing],
                q[Opening],
                new Leak(Math.Exp(q[FirstLeak + i]), q[Hole]),
                degree => meanSpeed / speed[CrankingFold.Bin(tdc + degree)],
                i == _starved ? Math.Exp(q[^1]) : 1
            );
            work[i] = pressed.Work;
            for (var b = 0; b < Bins; b++)
            {
                var after = CrankingFold.AfterTdc(CrankingFold.BinAngle(b) - tdc);
                if (Math.Abs(after) < 180)
                    torque[b] += pressed.At(after);
                else if (i == _starved && after < -180)
                    torque[b] += (1 - Math.Exp(q[^1])) * Suction(crank, after);
            }
        }

        return (torque, work);
    }

    /// <summary>Torque that draws the piston down against a valve that hardly opens, for a pressure that falls evenly to its lowest.</summary>
    private static double Suction(SliderCrank crank, double after)
    {
        var radians = double.DegreesToRadians(after);
        return (1 - Math.Cos(radians)) / 2 * crank.VolumeSlope(radians);
    }

    /// <summary>The gas torque of a lone cylinder by degrees after TDC, for the rough start.</summary>
    private static Func<double, double> Shape(double ratio, double closing, double opening, double leak)
    {
        var pressed = CompressedCharge.March(
            ChargeVolumes.Of(new SliderCrank(ratio, SliderCrank.UsualRodRatio)),
            closing,
            opening,
            new Leak(leak, 0),
            _ => 1
        );
        return after => Math.Abs(after) < 180 ? pressed.At(after) : 0;
    }

    /// <summary>The motor's answer to a load: a first-order lag in time, closed over the cycle.</summary>
    private static double[] Follow(double[] torque, double[] speed, double lag)
    {
        var keep = new double[Bins];
        double product = 1,
            state = 0;
        for (var b = 0; b < Bins; b++)
        {
            keep[b] = Math.Exp(-CrankingFold.BinDegrees / (speed[b] * lag));
            product *= keep[b];
            state = keep[b] * state + (1 - keep[b]) * torque[b];
        }

        state /= 1 - product;
        var load = new double[Bins];
        for (var b = 0; b < Bins; b++)
            load[b] = state = keep[b] * state + (1 - keep[b]) * torque[b];
        return load;
    }

    private static double Square(double value) => value * value;
}
