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
internal sealed record StarterFit(
    double TdcDegrees,
    double SpeedSwing,
    double[] Work,
    double[] Mean,
    double[] Fitted,
    double Misfit,
    double Cost,
    double[] Parameters
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
    /// <summary>Bins of the folded cycle.</summary>
    public const int Bins = 360;

    /// <summary>Polytropic exponent of air in a cold cylinder at cranking speed.</summary>
    private const double Exponent = 1.3;

    /// <summary>Residual that counts as one standard deviation, as a share of the signal's reach.</summary>
    private const double ResidualShare = 0.01;

    /// <summary>Below this share of the upper load the starter overruns and its current tells nothing of the load.</summary>
    private const double OverrunShare = 0.05;

    private const double BinDegrees = 720.0 / Bins;
    private const int Swing = 0,
        Phase = 1,
        Ratio = 2,
        Closing = 3,
        Opening = 4,
        Lag = 5,
        Leak = 6;

    private readonly float[] _load;
    private readonly List<(int From, int To)> _cycles;
    private readonly double[] _angles;
    private readonly double _reach;
    private readonly double _overrun;
    private readonly Prior _swing;
    private readonly Prior _ratio;
    private readonly Prior _closing;
    private readonly Prior _opening;
    private (double Swing, double[] Mean, double[] Speed)? _lastFold;
    private static readonly Prior s_lag = new(Math.Log(0.06), 0.5);
    private static readonly Prior s_leak = new(Math.Log(0.0004), 1.5);

    public StarterModel(CrankingSignal signal, List<(int From, int To)> cycles, Engine engine)
    {
        _load = Resampling.Smooth(signal.Load.Samples, 5);
        _cycles = cycles;
        _angles = engine.Angles();
        var used = _load.AsSpan(cycles[0].From, cycles[^1].To - cycles[0].From);
        _reach = Statistics.Quantile(used, 0.95) - Statistics.Quantile(used, 0.05);
        _overrun = signal.Load.Unit == "rpm" ? double.NegativeInfinity : OverrunShare * Statistics.Quantile(used, 0.95);
        var mean = Statistics.Mean(used);
        var seen = _reach / (signal.Stall.Load - mean);
        _swing = double.IsFinite(seen) && seen is > 0.02 and < 1.5 ? new(seen, signal.Stall.Doubt) : new(0.5, 0.25);
        _ratio = engine.Geometry is { } g ? new(g.CompressionRatio, 0.06) : new(engine.IsDiesel ? 17 : 11, 0.25);
        _closing = engine.ValveTiming is { } v ? new(v.Ivc - 540, 5) : new(50, 8);
        _opening = engine.ValveTiming is { } w ? new(180 - w.Evo, 5) : new(50, 8);
    }

    /// <summary>The signal's reach over the used cycles, 5th to 95th percentile.</summary>
    public double Reach => _reach;

    /// <summary>
    /// Rough starts, best first: with speed and shape as expected, the amplitudes are linear for any phase.
    /// </summary>
    public List<(double Cost, double[] Parameters)> Starts(bool even)
    {
        var n = _angles.Length;
        var (mean, speed) = Fold(_swing.Mean / _reach);
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
        Array.Fill(sound, s_leak.Mean, Leak, start.Length - Leak);
        return sound;
    }

    /// <summary>
    /// A forgiving fit, in which the signal weighs little against what is usual: it keeps far starts from running
    /// into a corner, and tells which of them are worth a sharp fit.
    /// </summary>
    public (double Cost, double[] Parameters) Approach(double[] start, CancellationToken cancel)
    {
        var (near, cost) = LeastSquares.NonLinear(q => Residuals(q, 8 * ResidualShare), start, Unknowns(), 10, cancel);
        return (cost, near);
    }

    /// <summary>The sharp fit.</summary>
    public StarterFit Fit(double[] start, CancellationToken cancel)
    {
        var (q, cost) = LeastSquares.NonLinear(q => Residuals(q, ResidualShare), start, Unknowns(), 30, cancel);
        var (r, mean, work, _, _) = Evaluate(q);
        var fitted = mean.Select((value, i) => value - r[i]).ToArray();
        var misfit = Math.Sqrt(r.Sum(x => x * x) / Bins) / _reach;
        return new StarterFit(Wrap(q[Phase]), Math.Max(0, q[Swing]) / _reach, work, mean, fitted, misfit, cost, q);
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
            moved[Leak + i] = Math.Log(Math.Exp(moved[Leak + i]) + 0.0004);
            var (torque, movedWork) = Torque(moved, speed);
            var (baseTorque, _) = Torque(fit.Parameters, speed);
            perUnit[i] = movedWork[i] - work[i];
            columns.Add([
                .. Follow(torque, speed, Math.Exp(moved[Lag]))
                    .Zip(Follow(baseTorque, speed, Math.Exp(moved[Lag])), (a, b) => (a - b) * scale),
            ]);
        }

        columns.Add([.. Enumerable.Repeat(1.0, Bins)]);
        var folds = FoldEach(fit.SpeedSwing);
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

    /// <summary>Degrees on the folded axis of a moment in the capture; null outside the used cycles.</summary>
    public double? DegreesAt(double sample, double speedSwing)
    {
        foreach (var (from, to) in _cycles)
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
        var (from, to) = _cycles[cycle];
        if (degrees < 0)
            return from + degrees / 720 * (to - from);
        var angle = CumulativeAngle(from, to, speedSwing);
        var at = Array.BinarySearch(angle, degrees);
        if (at < 0)
            at = ~at;
        return from + Math.Min(at, to - from);
    }

    /// <summary>The folded cycles one by one: the load in every bin.</summary>
    public List<(double[] Load, double[] Speed)> FoldEach(double speedSwing) =>
        [.. _cycles.Select(cycle => FoldOne(cycle.From, cycle.To, speedSwing))];

    private Unknown[] Unknowns()
    {
        var unknowns = new Unknown[Leak + _angles.Length];
        Array.Fill(unknowns, new Unknown(0.02, 1, -12, 1));
        unknowns[Swing] = new(0.01, 0.1, 0, 1.5);
        unknowns[Phase] = new(0.3, 8);
        unknowns[Ratio] = new(0.1, 2, 5, 26);
        unknowns[Closing] = new(1, 8, 0, 94);
        unknowns[Opening] = new(1, 8, 0, 94);
        unknowns[Lag] = new(0.02, 0.3, -6, 0);
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
                torque[b] = usual(AfterTdc(BinAngle(b) - phase - _angles[i]));
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
        var parameters = new double[Leak + n];
        (parameters[Swing], parameters[Phase], parameters[Ratio]) = (_swing.Mean, phase, _ratio.Mean);
        (parameters[Closing], parameters[Opening], parameters[Lag]) = (_closing.Mean, _opening.Mean, Math.Log(lag));
        for (var i = 0; i < n; i++)
        {
            var share = middle > 0 ? solved[i] / middle : 1;
            cost += 1e3 * (Square(Math.Min(share, 0)) + Square(Math.Max(share - 1.2, 0)));
            // A cylinder at half its neighbours' amplitude leaks about ten times as much as a good one.
            parameters[Leak + i] = s_leak.Mean + 5 * (1 - Math.Clamp(share, 0.3, 1.0));
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
        var all = new double[Bins + 6 + n];
        for (var b = 0; b < Bins; b++)
            all[b] = r[b] / (share * _reach);
        all[Bins] = (q[Swing] - _swing.Mean) / _swing.Deviation;
        all[Bins + 1] = Math.Log(q[Ratio] / _ratio.Mean) / _ratio.Deviation;
        all[Bins + 2] = (q[Closing] - _closing.Mean) / _closing.Deviation;
        all[Bins + 3] = (q[Opening] - _opening.Mean) / _opening.Deviation;
        all[Bins + 4] = (q[Lag] - s_lag.Mean) / s_lag.Deviation;
        all[Bins + 5] = 50 * Math.Min(scale, 0) / _reach;
        for (var i = 0; i < n; i++)
            all[Bins + 6 + i] = (q[Leak + i] - s_leak.Mean) / s_leak.Deviation;
        return all;
    }

    private (double[] Residual, double[] Mean, double[] Work, double Scale, double[] Speed) Evaluate(double[] q)
    {
        var (mean, speed) = FoldCached(q[Swing] / _reach);
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
        var volumes = Volumes.Of(crank);
        for (var i = 0; i < n; i++)
        {
            var tdc = q[Phase] + _angles[i];
            var pressed = Compress(volumes, q[Closing], q[Opening], Math.Exp(q[Leak + i]), degree => meanSpeed / speed[Bin(tdc + degree)]);
            work[i] = pressed.Work;
            for (var b = 0; b < Bins; b++)
            {
                var after = AfterTdc(BinAngle(b) - tdc);
                if (Math.Abs(after) < 180)
                    torque[b] += pressed.At(after);
            }
        }

        return (torque, work);
    }

    /// <summary>The gas torque of a lone cylinder by degrees after TDC, for the rough start.</summary>
    private static Func<double, double> Shape(double ratio, double closing, double opening, double leak)
    {
        var pressed = Compress(Volumes.Of(new SliderCrank(ratio, SliderCrank.UsualRodRatio)), closing, opening, leak, _ => 1);
        return after => Math.Abs(after) < 180 ? pressed.At(after) : 0;
    }

    /// <summary>
    /// Marches a charge from intake closing to exhaust opening, a degree a step: polytropic change of volume, and a
    /// leak whose mass flow grows with the overpressure (narrow gaps) and with the time a degree takes.
    /// </summary>
    private static Pressed Compress(Volumes volumes, double closing, double opening, double leak, Func<int, double> slowness)
    {
        var torque = new double[361];
        var work = 0.0;
        var first = (int)Math.Ceiling(-180 + closing + 1e-9);
        var last = (int)Math.Floor(180 - opening);
        // Valve events fall between whole degrees: the first step is the part of a degree that is left.
        var logPressure = Exponent * (Math.Log(volumes.At(-180 + closing)) - volumes.Log(first));
        for (var degree = first; degree <= last; degree++)
        {
            if (degree > first)
                logPressure += Exponent * (volumes.Log(degree - 1) - volumes.Log(degree));
            // Mass goes with pressure over temperature, temperature with the polytropic power of the pressure.
            var density = Math.Exp(logPressure / Exponent);
            var lost = leak * (Math.Exp(logPressure) - 1) / (density * volumes[degree]) * slowness(degree);
            logPressure -= Exponent * Math.Clamp(lost, -0.3, 0.3);
            torque[degree + 180] = (1 - Math.Exp(logPressure)) * volumes.Slope(degree);
            if (degree < 0)
                work += torque[degree + 180];
        }

        return new Pressed(torque, work);
    }

    /// <summary>The motor's answer to a load: a first-order lag in time, closed over the cycle.</summary>
    private static double[] Follow(double[] torque, double[] speed, double lag)
    {
        var keep = new double[Bins];
        double product = 1,
            state = 0;
        for (var b = 0; b < Bins; b++)
        {
            keep[b] = Math.Exp(-BinDegrees / (speed[b] * lag));
            product *= keep[b];
            state = keep[b] * state + (1 - keep[b]) * torque[b];
        }

        state /= 1 - product;
        var load = new double[Bins];
        for (var b = 0; b < Bins; b++)
            load[b] = state = keep[b] * state + (1 - keep[b]) * torque[b];
        return load;
    }

    /// <summary>The fold of the last swing asked for: most steps of a fit leave the swing alone.</summary>
    private (double[] Mean, double[] Speed) FoldCached(double speedSwing)
    {
        if (_lastFold is { } last && last.Swing == speedSwing)
            return (last.Mean, last.Speed);
        var (mean, speed) = Fold(speedSwing);
        _lastFold = (speedSwing, mean, speed);
        return (mean, speed);
    }

    private (double[] Mean, double[] Speed) Fold(double speedSwing)
    {
        var mean = new double[Bins];
        var speed = new double[Bins];
        foreach (var (from, to) in _cycles)
        {
            var (load, pace) = FoldOne(from, to, speedSwing);
            for (var b = 0; b < Bins; b++)
            {
                mean[b] += load[b] / _cycles.Count;
                speed[b] += pace[b] / _cycles.Count;
            }
        }

        return (mean, speed);
    }

    private (double[] Load, double[] Speed) FoldOne(int from, int to, double speedSwing)
    {
        var angle = CumulativeAngle(from, to, speedSwing);
        var load = new double[Bins];
        var speed = new double[Bins];
        var at = 0;
        for (var b = 0; b < Bins; b++)
        {
            while (at + 2 < angle.Length && angle[at + 1] < BinAngle(b))
                at++;
            var width = angle[at + 1] - angle[at];
            var share = (BinAngle(b) - angle[at]) / width;
            var next = Math.Min(from + at + 1, _load.Length - 1);
            load[b] = _load[from + at] + share * (_load[next] - _load[from + at]);
            speed[b] = width / CrankingSignal.Step;
        }

        return (load, speed);
    }

    /// <summary>Degrees since the cycle began at each of its samples, the last one 720.</summary>
    private double[] CumulativeAngle(int from, int to, double speedSwing)
    {
        var angle = new double[to - from + 1];
        var mean = Statistics.Mean(_load.AsSpan(from, to - from));
        for (var i = 0; i < to - from; i++)
            angle[i + 1] = angle[i] + Math.Max(0.1, 1 - speedSwing * (_load[from + i] - mean));
        var scale = 720 / angle[^1];
        for (var i = 0; i < angle.Length; i++)
            angle[i] *= scale;
        return angle;
    }

    private static double BinAngle(int bin) => (bin + 0.5) * BinDegrees;

    private static int Bin(double degrees) => (int)(Wrap(degrees) / BinDegrees) % Bins;

    private static double AfterTdc(double degrees) => Wrap(degrees + 360) - 360;

    private static double Wrap(double degrees)
    {
        var wrapped = degrees % 720;
        return wrapped < 0 ? wrapped + 720 : wrapped;
    }

    private static double Square(double value) => value * value;

    /// <summary>Gas torque by whole degrees after TDC from -180, and the work of compression.</summary>
    private readonly record struct Pressed(double[] Torque, double Work)
    {
        public double At(double afterTdc)
        {
            var place = afterTdc + 180;
            var below = Math.Min((int)place, 359);
            return Torque[below] + (place - below) * (Torque[below + 1] - Torque[below]);
        }
    }

    /// <summary>Cylinder volume over its volume at bottom dead centre, by whole degrees.</summary>
    private sealed class Volumes(SliderCrank crank)
    {
        private static Volumes? s_last;
        private readonly double[] _volume =
        [
            .. Enumerable.Range(-180, 361).Select(d => crank.Volume(double.DegreesToRadians(d)) / crank.Volume(Math.PI)),
        ];
        private readonly double[] _log =
        [
            .. Enumerable.Range(-180, 361).Select(d => Math.Log(crank.Volume(double.DegreesToRadians(d)) / crank.Volume(Math.PI))),
        ];
        private readonly double[] _slope = [.. Enumerable.Range(-180, 361).Select(d => crank.VolumeSlope(double.DegreesToRadians(d)))];

        public double this[int degree] => _volume[degree + 180];

        public double Log(int degree) => _log[degree + 180];

        public static Volumes Of(SliderCrank crank)
        {
            var last = s_last;
            if (last is not null && last.Crank == crank)
                return last;
            return s_last = new Volumes(crank);
        }

        private SliderCrank Crank => crank;

        public double At(double degree) => crank.Volume(double.DegreesToRadians(degree)) / crank.Volume(Math.PI);

        public double Slope(int degree) => _slope[degree + 180];
    }
}
