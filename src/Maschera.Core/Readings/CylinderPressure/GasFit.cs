using Maschera.Core.Engines;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.CylinderPressure;

/// <summary>A measured mean cycle to be explained.</summary>
/// <param name="Mean">720 values, one a degree, the first half a degree after the tower's peak.</param>
/// <param name="SpeedRpm">The speed it was taken at.</param>
/// <param name="HasClock">True where its degrees come from a crank sensor; else the speed swings between the towers unseen.</param>
/// <param name="Shut">The valve taken to stay shut.</param>
internal sealed record MeanCycle(float[] Mean, double SpeedRpm, bool HasClock, ShutValve Shut = ShutValve.None);

/// <summary>A computed cylinder laid over a measured mean cycle.</summary>
/// <param name="State">What the cylinder must be like; pressures in the trace's unit, absolute.</param>
/// <param name="Shut">The valve that stays shut in it.</param>
/// <param name="Lead">How far the tower's peak lies before TDC, degrees: heat and blow-by take pressure away before the piston turns.</param>
/// <param name="Vacuum">What is added to the trace to make it absolute, in its unit.</param>
/// <param name="Misfit">Root mean square of what is left over, against the allowed error.</param>
/// <param name="Angles">Degrees after firing TDC, from -360 to 720, of each value of the mean cycle, rising.</param>
/// <param name="LostShare">Share of the charge that leaks away between the intake's closing and the exhaust's opening.</param>
/// <param name="ExhaustError">Standard error of the exhaust's shift, for all but the first cycle that against the first's, degrees.</param>
/// <param name="IntakeError">The same of the intake's.</param>
internal sealed record GasFit(CylinderState State, ShutValve Shut, double Lead, double Vacuum, double Misfit, double[] Angles, double LostShare, double ExhaustError, double IntakeError);

/// <summary>
/// Lays computed cylinders over mean cycles of one engine: what belongs to the engine is the same in all (valve areas by
/// speed, opening, heat, exponent, swing of the speed), what belongs to a capture is its own (TDC, zero, levels, leak,
/// shifts). Nothing here depends on zero or scale of the sensor.
/// </summary>
internal sealed class GasFitter
{
    /// <summary>The allowed error: a share of the tower's swing, and of the pressure above its lowest.</summary>
    private const double FloorError = 0.002, ShareError = 0.01;

    /// <summary>Speed at which areas are counted, rpm.</summary>
    private const double Nominal = 800;

    private const int Iterations = 40;

    /// <summary>What is left over is alike over about so many degrees, so that so many values count as one.</summary>
    private const double AlikeDegrees = 20;

    private static readonly Unknown[] s_engine =
    [
        new(0.01, 0.5, -6, 0), // logarithm of the intake area
        new(0.01, 0.5, -6, 0), // of the exhaust area
        new(1e-5, 1e-3, 0, 0.02), // heat
        new(1e-4, 0.02, 1.25, 1.42), // exponent
        new(0.02, 0.3, 0.6, 3.5), // power of the opening
        new(0.02, 0.5, -6, -0.75), // logarithm of the nearness
        new(0.1, 3, -25, 25), // swing of the speed once a cycle: its sine
        new(0.1, 3, -25, 25), // and cosine, degrees at the nominal speed
        new(0.1, 3, -25, 25), // the same once a firing
        new(0.1, 3, -25, 25),
    ];

    private static readonly Unknown[] s_capture =
    [
        new(0.05, 4, -15, 30), // lead
        new(1e-4, 0.05, 0.005, 2), // zero
        new(1e-4, 0.05, 0.005, 2), // intake
        new(1e-4, 0.05, 0.005, 2), // exhaust
        new(1e-5, 1e-3, 0, 0.02), // leak
        new(0.25, 8, -60, 60), // exhaust shift
        new(0.25, 8, -60, 60), // intake shift
    ];

    private const int ExhaustShift = 5, IntakeShift = 6;

    private readonly Trace[] _traces;
    private readonly Unknown[] _unknowns;

    /// <param name="cycles">The cycles; shifts of all but the first count from the first's.</param>
    /// <param name="crank">Volumes.</param>
    /// <param name="timing">Valve timing from which the first's shifts count.</param>
    /// <param name="cylinders">Cylinders of the engine: how often a cycle its speed swings.</param>
    public GasFitter(IReadOnlyList<MeanCycle> cycles, SliderCrank crank, ValveTiming timing, int cylinders)
    {
        _traces = [.. cycles.Select(c => new Trace(c, new MotoredCylinder(crank, timing, c.Shut), cylinders))];
        _unknowns = [.. s_engine, .. cycles.SelectMany(_ => s_capture)];
        Start = [Math.Log(0.05), Math.Log(0.07), 1e-4, 1.35, 1.7, -1.5, 0, 0, 0, 0, .. _traces.SelectMany(t => t.Guess(crank))];
    }

    private double[] Start { get; }

    /// <summary>Fits the cycles together.</summary>
    public GasFit[] Fit(CancellationToken cancel)
    {
        var (parameters, _) = LeastSquares.NonLinear(Residuals, Start, _unknowns, Iterations, cancel);
        var errors = LeastSquares.StandardErrors(Residuals, parameters, _unknowns);
        return [.. _traces.Select((trace, i) => trace.Result(parameters.AsSpan(0, s_engine.Length), Own(parameters, i), Math.Sqrt(AlikeDegrees) * errors[Place(i) + ExhaustShift], Math.Sqrt(AlikeDegrees) * errors[Place(i) + IntakeShift]))];
    }

    private double[] Residuals(double[] at) => [.. _traces.SelectMany((trace, i) => trace.Residuals(at.AsSpan(0, s_engine.Length), Own(at, i)))];

    private static int Place(int trace) => s_engine.Length + trace * s_capture.Length;

    /// <summary>A cycle's own unknowns, its shifts counted from the engine file's timing.</summary>
    private static double[] Own(double[] at, int trace)
    {
        var own = at.AsSpan(Place(trace), s_capture.Length).ToArray();
        if (trace == 0) return own;
        own[ExhaustShift] += at[Place(0) + ExhaustShift];
        own[IntakeShift] += at[Place(0) + IntakeShift];
        return own;
    }

    /// <summary>One cycle in shares of its own swing above its own lowest.</summary>
    private sealed class Trace
    {
        private readonly double[] _shares;
        private readonly double _low, _swing;
        private readonly MeanCycle _cycle;
        private readonly MotoredCylinder _cylinder;
        private readonly int _cylinders;
        private (double[] Parameters, double[] Residuals) _last = ([], []);

        public Trace(MeanCycle cycle, MotoredCylinder cylinder, int cylinders)
        {
            (_cycle, _cylinder, _cylinders, _low) = (cycle, cylinder, cylinders, cycle.Mean.Min());
            _swing = cycle.Mean.Max() - _low;
            _shares = Array.ConvertAll(cycle.Mean, p => (p - _low) / _swing);
        }

        public double[] Residuals(ReadOnlySpan<double> engine, ReadOnlySpan<double> own)
        {
            // Most differences of the Jacobian move another cycle's unknowns: this one's stay as they were.
            double[] parameters = [.. engine, .. own];
            if (_last.Parameters.AsSpan().SequenceEqual(parameters)) return _last.Residuals;
            var computed = _cylinder.Cycle(State(engine, own, 1));
            var left = new double[CycleFold.Bins];
            for (var i = 0; i < left.Length; i++) left[i] = (At(computed, Degrees(i, engine, own[0])) - _shares[i] - own[1]) / (FloorError + ShareError * _shares[i]);
            _last = (parameters, left);
            return left;
        }

        public GasFit Result(ReadOnlySpan<double> engine, ReadOnlySpan<double> own, double exhaustError, double intakeError)
        {
            var left = Residuals(engine, own);
            var angles = new double[CycleFold.Bins];
            for (var i = 0; i < angles.Length; i++) angles[i] = Degrees(i, engine, own[0]);
            var state = State(engine, own, _swing);
            return new GasFit(state, _cycle.Shut, own[0], own[1] * _swing - _low, Math.Sqrt(left.Sum(r => r * r) / left.Length), angles, _cylinder.LostShare(state), exhaustError, intakeError);
        }

        /// <summary>
        /// Where to begin: the zero of pressure from both flanks of the tower, which follow V^-1.33 whatever offset and
        /// scale of the sensor; the levels from the strokes; shifts of zero.
        /// </summary>
        public double[] Guess(SliderCrank crank)
        {
            const int from = 12, to = 80;
            double[] volumes = new double[to - from], both = new double[to - from], ones = new double[to - from];
            for (var i = from; i < to; i++)
            {
                volumes[i - from] = Math.Pow(crank.Volume((i + 0.5) * Math.PI / 180), -1.33);
                both[i - from] = (_shares[i] + _shares[CycleFold.Bins - 1 - i]) / 2;
                ones[i - from] = -1;
            }

            var vacuum = Math.Clamp(LeastSquares.Linear([volumes, ones], both)[1], 0.01, 1.5);
            double Level(int a, int b) => Math.Max(0.01, _shares[a..b].Average() + vacuum);
            return [1, vacuum, Level(430, 500), Level(230, 330), 1e-5, 0, 0];
        }

        private CylinderState State(ReadOnlySpan<double> engine, ReadOnlySpan<double> own, double scale) => new()
        {
            Intake = own[2] * scale,
            Exhaust = own[3] * scale,
            IntakeArea = Math.Exp(engine[0]) * Nominal / _cycle.SpeedRpm,
            ExhaustArea = Math.Exp(engine[1]) * Nominal / _cycle.SpeedRpm,
            HeatLoss = engine[2],
            Exponent = engine[3],
            LiftPower = engine[4],
            Near = Math.Exp(engine[5]),
            LeakArea = own[4],
            ExhaustShift = own[ExhaustShift],
            IntakeShift = own[IntakeShift],
        };

        /// <summary>
        /// Degrees after firing TDC of a value: even from tower to tower but for the swing of the speed, which a dead
        /// cylinder makes once a cycle and every firing once, and which falls with the square of the speed.
        /// </summary>
        private double Degrees(int value, ReadOnlySpan<double> engine, double lead)
        {
            if (_cycle.HasClock) return value + 0.5 - lead;
            var (sine, cosine) = Math.SinCos(Math.Tau * (value + 0.5) / CycleFold.Bins);
            var (often, oftenCosine) = Math.SinCos(_cylinders * Math.Tau * (value + 0.5) / CycleFold.Bins);
            var swing = engine[6] * sine + engine[7] * (cosine - 1) + engine[8] * often + engine[9] * (oftenCosine - 1);
            return value + 0.5 - lead + Math.Pow(Nominal / _cycle.SpeedRpm, 2) * swing;
        }

        private static double At(double[] cycle, double degrees)
        {
            var place = degrees * MotoredCylinder.PerDegree;
            place -= cycle.Length * Math.Floor(place / cycle.Length);
            var i = Math.Min((int)place, cycle.Length - 1);
            return cycle[i] + (place - i) * (cycle[i + 1 == cycle.Length ? 0 : i + 1] - cycle[i]);
        }
    }
}
