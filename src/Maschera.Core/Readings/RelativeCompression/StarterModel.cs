using Maschera.Core.Engines;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.RelativeCompression;

/// <summary>The fitted engine.</summary>
/// <param name="TdcDegrees">Firing TDC of position 1 on the folded axis, degrees.</param>
/// <param name="SpeedSwing">Share of the speed lost per unit of load above the mean.</param>
/// <param name="Work">Compression work of every position, one unit for all.</param>
/// <param name="Mean">The mean cycle on the folded axis.</param>
/// <param name="Fitted">The model's cycle.</param>
/// <param name="Misfit">Root mean square of what is left over the signal's reach.</param>
/// <param name="Cost">What the fit minimised.</param>
/// <param name="Noise">
/// What noise leaves in the mean cycle, as a share of the reach: half of what every second cycle's mean differs from the others', their
/// levels aside. What changes slowly over the cranking is in both alike.
/// </param>
/// <param name="Starved">The positions that do not fill, and their pressure where the intake closes, over the one outside.</param>
internal sealed record StarterFit(
    double TdcDegrees,
    double SpeedSwing,
    double[] Work,
    double[] Mean,
    double[] Fitted,
    double Misfit,
    double Cost,
    double[] Parameters,
    double Noise,
    List<(int Position, double Filling)> Starved
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

    private static readonly double[] s_ones = [.. Enumerable.Repeat(1.0, Bins)];

    private readonly CrankingFold _fold;
    private readonly double[] _angles;
    private readonly double _reach;
    private readonly double _overrun;
    private readonly double _noiseShare;
    private readonly int[] _starved;
    private readonly StarterUnknowns _unknowns;
    private readonly List<int[]> _meanOnly;
    private readonly CylinderTorques _torques;
    private (double Ratio, ChargeVolumes Volumes)? _volumes;

    /// <param name="starved">The positions that are tried as ones that do not fill.</param>
    public StarterModel(CrankingSignal signal, List<(int From, int To)> cycles, Engine engine, params int[] starved)
    {
        (_starved, _noiseShare) = (starved, signal.NoiseShare);
        _fold = new CrankingFold(Resampling.Smooth(signal.Load.Samples, 5), cycles);
        _angles = engine.Angles();
        _torques = new CylinderTorques(_angles.Length);
        var used = _fold.Load.AsSpan(cycles[0].From, cycles[^1].To - cycles[0].From);
        _reach = Statistics.Quantile(used, 0.95) - Statistics.Quantile(used, 0.05);
        _overrun = signal.IsSpeed ? double.NegativeInfinity : OverrunShare * Statistics.Quantile(used, 0.95);
        var mean = Statistics.Mean(used);
        var seen = _reach / (signal.Stall.Load - mean);
        Prior swing = double.IsFinite(seen) && seen is > 0.02 and < 1.5 ? new(seen, signal.Stall.Doubt) : new(0.5, 0.25);
        _unknowns = new StarterUnknowns(engine, swing, starved);
        _meanOnly = _fold.Stretches(signal.IsMeanOnly, swing.Mean / _reach);
    }

    /// <summary>Its unknowns, and what is known of them.</summary>
    public StarterUnknowns Unknowns => _unknowns;

    /// <summary>The cycles laid on each other.</summary>
    public CrankingFold Folded => _fold;

    /// <summary>Rough starts, best first.</summary>
    public List<(double Cost, double[] Parameters)> Starts(bool even) =>
        new RoughStarts(_fold, _angles, _unknowns, _reach, ResidualShare * _reach).All(even);

    /// <summary>
    /// A forgiving fit, in which the signal weighs little against what is usual: it keeps far starts from running
    /// into a corner, and tells which of them are worth a sharp fit.
    /// </summary>
    public (double Cost, double[] Parameters) Approach(double[] start, CancellationToken cancel)
    {
        var (near, cost) = LeastSquares.NonLinear(q => Residuals(q, 8 * ResidualShare), start, _unknowns.Bounds(), new(10), cancel: cancel);
        return (cost, near);
    }

    /// <summary>The sharp fit.</summary>
    public StarterFit Fit(double[] start, CancellationToken cancel)
    {
        var (q, cost) = LeastSquares.NonLinear(q => Residuals(q, ResidualShare), start, _unknowns.Bounds(), new(30), cancel: cancel);
        var (r, mean, charges, _, _) = Evaluate(q);
        var fitted = mean.Select((value, i) => value - r[i]).ToArray();
        var misfit = Math.Sqrt(r.Sum(x => x * x) / Bins) / _reach;
        var swing = Math.Max(0, q[StarterUnknowns.Swing]) / _reach;
        var starved = _starved.Select(position => (position, charges[position].Filling)).ToList();
        double[] work = [.. charges.Select(c => c.Work)];
        return new StarterFit(
            CrankingFold.Wrap(q[StarterUnknowns.Phase]),
            swing,
            work,
            mean,
            fitted,
            misfit,
            cost,
            q,
            Noise(swing),
            starved
        );
    }

    private double Noise(double speedSwing)
    {
        var cycles = _fold.Each(speedSwing);
        var differences = Enumerable
            .Range(0, Bins)
            .Select(b =>
                cycles.Where((_, i) => i % 2 == 0).Average(c => c.Load[b]) - cycles.Where((_, i) => i % 2 == 1).Average(c => c.Load[b])
            )
            .ToArray();
        return _noiseShare * Statistics.StandardDeviation(differences) / 2 / _reach;
    }

    /// <summary>
    /// Standard deviation of each position's work over the cycles, in the unit of the work: every cycle's difference
    /// from the fit is put down to the leaks, in first order.
    /// </summary>
    public double[] Spread(StarterFit fit)
    {
        var n = _angles.Length;
        var (_, _, charges, scale, speed) = Evaluate(fit.Parameters);
        var columns = new List<double[]>();
        var perUnit = new double[n];
        var lag = Math.Exp(fit.Parameters[StarterUnknowns.Lag]);
        var usual = Follow(Torque(fit.Parameters, speed).Torque, speed, lag);
        for (var i = 0; i < n; i++)
        {
            // A worse seal or filling, and nothing else, is moved.
            var (torque, movedCharges) = Torque(_unknowns.Worse(fit.Parameters, i), speed);
            perUnit[i] = movedCharges[i].Work - charges[i].Work;
            columns.Add([.. Follow(torque, speed, lag).Zip(usual, (a, b) => (a - b) * scale)]);
        }

        columns.Add(s_ones);
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

    private double[] Residuals(double[] q, double share)
    {
        var (r, _, _, scale, _) = Evaluate(q);
        double[] all = [.. r, 50 * Math.Min(scale, 0) / _reach, .. _unknowns.Off(q)];
        for (var b = 0; b < Bins; b++)
            all[b] /= share * _reach;
        return all;
    }

    private (double[] Residual, double[] Mean, CompressedCharge[] Charges, double Scale, double[] Speed) Evaluate(double[] q)
    {
        var (mean, speed) = _fold.Mean(q[StarterUnknowns.Swing] / _reach);
        var (torque, charges) = Torque(q, speed);
        var load = Follow(torque, speed, Math.Exp(q[StarterUnknowns.Lag]));
        var (told, known) = (Levelled(load), Levelled(mean));
        var use = Array.ConvertAll(mean, value => value > _overrun);
        var solved = LeastSquares.Linear([told, s_ones], known, use);
        var residual = new double[Bins];
        for (var b = 0; b < Bins; b++)
            residual[b] = use[b] ? known[b] - solved[0] * told[b] - solved[1] : 0;
        return (residual, mean, charges, solved[0], speed);
    }

    /// <summary>The same with the mean of each stretch of which only that is measured.</summary>
    private double[] Levelled(double[] bins)
    {
        if (_meanOnly.Count == 0)
            return bins;
        var levelled = (double[])bins.Clone();
        foreach (var stretch in _meanOnly)
        {
            var mean = stretch.Average(b => bins[b]);
            foreach (var b in stretch)
                levelled[b] = mean;
        }

        return levelled;
    }

    /// <summary>Sum of the cylinders' gas torques over the folded cycle, and each cylinder's charge.</summary>
    private (double[] Torque, CompressedCharge[] Charges) Torque(double[] q, double[] speed)
    {
        var torque = new double[Bins];
        var charges = new CompressedCharge[_angles.Length];
        var meanSpeed = Statistics.Mean(speed);
        var volumes = Volumes(q[StarterUnknowns.Ratio]);
        for (var i = 0; i < charges.Length; i++)
        {
            var (leak, intake) = (StarterUnknowns.LeakOf(q, i), _unknowns.Intake(q, i));
            double[] from =
            [
                q[StarterUnknowns.Swing],
                q[StarterUnknowns.Phase],
                q[StarterUnknowns.Ratio],
                q[StarterUnknowns.Closing],
                q[StarterUnknowns.Opening],
                q[StarterUnknowns.Hole],
                leak.Size,
                intake?.Height ?? 0,
                intake?.Lost ?? 0,
            ];
            var tdc = q[StarterUnknowns.Phase] + _angles[i];
            var first = CrankingFold.Wrap(tdc - 360);
            double Slowness(int degree) => meanSpeed / speed[(int)((first + 360 + degree) / CrankingFold.BinDegrees) % Bins];
            var cylinder = _torques.Of(
                i,
                from,
                () =>
                    CylinderTorque.Of(
                        CompressedCharge.March(volumes, q[StarterUnknowns.Closing], q[StarterUnknowns.Opening], leak, Slowness, intake),
                        tdc
                    )
            );
            charges[i] = cylinder.Charge;
            for (var b = 0; b < Bins; b++)
                torque[b] += cylinder.Bins[b];
        }

        return (torque, charges);
    }

    private ChargeVolumes Volumes(double ratio)
    {
        if (_volumes is not { } last || last.Ratio != ratio)
            _volumes = (ratio, new ChargeVolumes(new SliderCrank(ratio, SliderCrank.UsualRodRatio)));
        return _volumes.Value.Volumes;
    }

    /// <summary>The motor's answer to a load: a first-order lag in time, closed over the cycle.</summary>
    public static double[] Follow(double[] torque, double[] speed, double lag)
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
}
