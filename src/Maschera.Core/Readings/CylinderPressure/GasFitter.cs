using Maschera.Core.Engines;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.CylinderPressure;

/// <summary>
/// Lays computed cylinders over mean cycles of one engine: what belongs to the engine is the same in all (valve areas by
/// speed, opening, heat, exponent, swing of the speed), what belongs to a capture is its own (TDC, zero, levels, leak,
/// shifts). Nothing here depends on zero or scale of the sensor.
/// </summary>
internal sealed class GasFitter
{
    private const int Iterations = 40;

    /// <summary>A fit goes on as long as an iteration gains such a share; one that only gives others a start, the second.</summary>
    private const double Gain = 1e-4,
        StartGain = 1e-3;

    /// <summary>
    /// A fit that leaves so many times what another has left will not come near it any more, but for less than the second; where there is
    /// no other, the third stands for it, for a trace that is no cylinder's at all.
    /// </summary>
    private const double Behind = 4,
        NearEnough = 1,
        FarOff = 2;

    /// <summary>What the computed cylinder gets wrong is alike over about so many degrees, so that so many values count as one.</summary>
    private const double AlikeDegrees = 20;

    /// <summary>The same of the trace's noise: degrees without a sample lie on the line through their neighbours.</summary>
    private const double NoiseAlikeDegrees = 2;

    private static readonly Unknown[] s_engine =
    [
        new(0.01, 0.5, -6, 0), // logarithm of the intake area
        new(0.01, 0.5, -6, 0), // of the exhaust area
        new(1e-5, 1e-3, 0, 0.02), // heat
        new(1e-4, 0.02, 1.25, 1.42), // exponent
        new(0.02, 0.3, 0.6, 3.5), // power of the opening
        new(0.02, 0.5, -6, -0.75), // logarithm of the nearness
        new(1e-4, 0.1, 0, 3), // ease of the crank at the nominal speed
        new(0.02, 2, 0, 30), // burn of the other cylinders
        new(1e-4, 5e-3, 0, 0.2), // damping of the drive
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

    /// <summary>What is sought beside these where a hose shows.</summary>
    private static readonly Unknown[] s_hose =
    [
        new(0.002, 0.1, Math.Log(80), Math.Log(1200)), // logarithm of its ringing, Hz
        new(0.01, 0.4, Math.Log(0.02), Math.Log(0.9)), // of its damping
    ];

    private const int Leak = 4;

    /// <summary>The swing of the speed among an engine's unknowns, its ease at the nominal speed.</summary>
    public static SwingFigures Swing(ReadOnlySpan<double> engine) => new(engine[6], engine[7], engine[8]);

    /// <summary>Places of the shifts among a cycle's own unknowns, and of its hose where one shows.</summary>
    public const int ExhaustShift = 5,
        IntakeShift = 6,
        Hose = 7;

    /// <summary>Engines to start from: valves that flow in proportion, and like an orifice; little and much swing of the speed.</summary>
    private static readonly double[][] s_starts =
    [
        [Math.Log(0.05), Math.Log(0.07), 1e-4, 1.35, 1.7, -1.5, 0.1, 3, 1e-3],
        [Math.Log(0.03), Math.Log(0.04), 1e-3, 1.38, 1.3, -3.5, 0.1, 1.5, 1e-3],
        [Math.Log(0.05), Math.Log(0.06), 5e-4, 1.37, 1.5, -2.5, 0.4, 2, 1e-3],
    ];

    /// <summary>
    /// A fit that leaves less than the first has found its place; one that leaves more than the second may have missed it.
    /// </summary>
    private const double Settled = 0.2,
        Lost = 1;

    private readonly MeasuredCycle[] _traces;
    private readonly Unknown[] _unknowns;
    private readonly int[] _places;
    private readonly FitBudget _budget;
    private readonly UsualEngine? _usual;

    /// <param name="cycles">The cycles; shifts of all but the first count from the first's.</param>
    /// <param name="crank">Volumes.</param>
    /// <param name="timing">Valve timing from which the first's shifts count.</param>
    /// <param name="swing">How the speed swings where no crank sensor tells.</param>
    /// <param name="budget">What this fit and others work.</param>
    /// <param name="usual">
    /// What is known of the engine beforehand. It counts where no crank sensor tells the first's degrees, and nowhere while a starter
    /// turns it, which swings along and holds its speed.
    /// </param>
    public GasFitter(
        IReadOnlyList<MeanCycle> cycles,
        SliderCrank crank,
        ValveTiming timing,
        SpeedSwing swing,
        FitBudget budget,
        UsualEngine usual
    )
        : this(
            [.. cycles.Select(c => new MeasuredCycle(c, new MotoredCylinder(crank, timing, c.Shut), swing, crank))],
            budget,
            cycles[0].HasClock || cycles.Any(c => c.SpeedRpm < MeasuredCycle.FiresFrom) ? null : usual
        ) { }

    private GasFitter(MeasuredCycle[] traces, FitBudget budget, UsualEngine? usual)
    {
        (_traces, _budget, _usual) = (traces, budget, usual);
        _places = new int[traces.Length + 1];
        List<Unknown> unknowns = [.. s_engine];
        for (var i = 0; i < traces.Length; i++)
        {
            _places[i] = unknowns.Count;
            unknowns.AddRange(traces[i].Hose is null ? s_capture : [.. s_capture, .. s_hose]);
        }

        _places[^1] = unknowns.Count;
        _unknowns = [.. unknowns];
    }

    /// <summary>What the first cycle alone gives, for fits of others together with it to start from.</summary>
    public FirstFit FirstAlone(CancellationToken cancel)
    {
        var alone = new GasFitter([_traces[0]], _budget, _usual);
        var end = new FitEnd(Iterations, StartGain);
        var (fitter, parameters) = alone.ThroughHoses(alone.FromAnyStart(end, cancel), end, cancel);
        return new(parameters, HoseRing.Of(fitter.Own(parameters, 0)));
    }

    /// <summary>The cycles through the hoses that explain them far better, and their fit; this one where that is no better.</summary>
    private (GasFitter Fitter, double[] Parameters) ThroughHoses((double[] At, double Misfit) found, FitEnd end, CancellationToken cancel)
    {
        var engine = found.At.AsSpan(0, s_engine.Length).ToArray();
        var through = _traces.Select((trace, i) => trace.Through(engine, Own(found.At, i))).ToArray();
        if (through.Zip(_traces).All(t => t.First.Cycle.Hose is null == t.Second.Hose is null))
            return (this, found.At);
        var fitter = new GasFitter([.. through.Select(t => t.Cycle)], _budget, _usual);
        var other = fitter.From([.. engine, .. through.SelectMany(t => t.Own)], end, cancel);
        return other.Misfit < found.Misfit ? (fitter, other.Parameters) : (this, found.At);
    }

    /// <summary>Fits the cycles together.</summary>
    /// <param name="first">What the first alone gives; null for a single one.</param>
    /// <param name="toBeat">What another cylinder has left over: a fit far behind it is given up.</param>
    /// <param name="cancel">Stops it.</param>
    public GasFit[] Fit(FirstFit? first, double toBeat, CancellationToken cancel)
    {
        var end = new FitEnd(Iterations, Gain, Cost(Math.Max(NearEnough, Behind * Math.Min(FarOff, toBeat))));
        var found = first is null ? FromAnyStart(end, cancel) : FromFirst(first, end, cancel);
        var (fitter, parameters) = ThroughHoses(found, end, cancel);
        return fitter.Results(parameters);
    }

    private GasFit[] Results(double[] parameters)
    {
        var errors = LeastSquares.Errors(Residuals, parameters, _unknowns, Moved);
        var noisy = Math.Min(1, Noise / Math.Max(1e-12, Residuals(parameters).Take(Values).Average(r => r * r)));
        FitError Scaled(double error) => new(error * Math.Sqrt(AlikeDegrees * (1 - noisy)), error * Math.Sqrt(NoiseAlikeDegrees * noisy));
        // A leak counts over time: what the first's lets through, at another speed. What makes both unsure alike, heat above all, cancels.
        var soundLeak = parameters[_places[0] + Leak] * _traces[0].SpeedRpm;
        double LeakError(int i) =>
            i == 0
                ? errors.Of(_places[0] + Leak)
                : errors.OfDifference(_places[i] + Leak, _places[0] + Leak, _traces[0].SpeedRpm / _traces[i].SpeedRpm);
        return
        [
            .. _traces.Select(
                (trace, i) =>
                    trace.Result(
                        parameters.AsSpan(0, s_engine.Length),
                        Own(parameters, i),
                        soundLeak,
                        Scaled(LeakError(i)).Whole,
                        Scaled(errors.Of(_places[i] + ExhaustShift)),
                        Scaled(errors.Of(_places[i] + IntakeShift))
                    )
            ),
        ];
    }

    /// <summary>Mean square of the traces' own noise, against the allowed error.</summary>
    private double Noise => _traces.Average(t => t.Noise);

    private (double[] Parameters, double Misfit) FromAnyStart(FitEnd end, CancellationToken cancel)
    {
        var best = (Parameters: Array.Empty<double>(), Misfit: double.MaxValue);
        foreach (var start in s_starts)
        {
            var found = From([.. start, .. _traces.SelectMany(t => t.Guess())], end, cancel);
            if (found.Misfit < best.Misfit)
                best = found;
            if (best.Misfit < Settled)
                break;
        }

        return best;
    }

    private (double[] Parameters, double Misfit) FromFirst(FirstFit first, FitEnd end, CancellationToken cancel)
    {
        var found = From([.. first.Parameters, .. _traces.Skip(1).SelectMany(t => t.Guess())], end, cancel);
        if (found.Misfit < Lost || Cost(found.Misfit) > end.Hopeless)
            return found;
        var other = FromAnyStart(end, cancel);
        return other.Misfit < found.Misfit ? other : found;
    }

    private (double[] Parameters, double Misfit) From(double[] start, FitEnd end, CancellationToken cancel)
    {
        var allowed = _budget.IsSpent ? end with { Iterations = 0 } : end;
        var (parameters, cost) = LeastSquares.NonLinear(Residuals, start, _unknowns, allowed, Moved, cancel);
        return (parameters, Math.Sqrt(Math.Max(0, 2 * cost / Values - Noise)));
    }

    /// <summary>Values of all cycles together.</summary>
    private int Values => _traces.Length * CycleFold.Bins;

    private double Cost(double misfit) => (misfit * misfit + Noise) * Values / 2;

    private double[] Residuals(double[] at)
    {
        var residuals = new double[Values + (_usual is null ? 0 : UsualEngine.Count)];
        for (var i = 0; i < _traces.Length; i++)
            Residuals(at, i, residuals);
        Distances(at, residuals);
        return residuals;
    }

    /// <summary>Where one unknown has moved, only the cycles it belongs to are made anew.</summary>
    private double[] Moved(double[] at, int unknown, double[] before)
    {
        var residuals = (double[])before.Clone();
        var own = Array.FindLastIndex(_places, place => place <= unknown);
        for (var i = 0; i < _traces.Length; i++)
            if (unknown < s_engine.Length || own == i || unknown == _places[0] + ExhaustShift || unknown == _places[0] + IntakeShift)
                Residuals(at, i, residuals);
        Distances(at, residuals);
        return residuals;
    }

    private void Distances(double[] at, double[] into) =>
        _usual?.Distances(Swing(at), at[_places[0] + ExhaustShift], at[_places[0] + IntakeShift], into.AsSpan(Values));

    private void Residuals(double[] at, int trace, double[] into)
    {
        _budget.Spend();
        _traces[trace].Residuals(at.AsSpan(0, s_engine.Length), Own(at, trace), into.AsSpan(trace * CycleFold.Bins, CycleFold.Bins));
    }

    /// <summary>A cycle's own unknowns, its shifts counted from the engine file's timing.</summary>
    private double[] Own(double[] at, int trace)
    {
        var own = at[_places[trace].._places[trace + 1]];
        if (trace == 0)
            return own;
        own[ExhaustShift] += at[_places[0] + ExhaustShift];
        own[IntakeShift] += at[_places[0] + IntakeShift];
        return own;
    }
}
