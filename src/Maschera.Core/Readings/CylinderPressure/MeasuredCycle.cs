using Maschera.Core.Engines;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.CylinderPressure;

/// <summary>One cycle in shares of its own swing above its own lowest.</summary>
internal sealed class MeasuredCycle
{
    /// <summary>The allowed error: a share of the tower's swing, and of the pressure above its lowest.</summary>
    private const double FloorError = 0.002,
        ShareError = 0.01;

    /// <summary>
    /// Speed and height of the tower, over the exhaust's pressure, at which areas and the ease of the crank are counted, rpm.
    /// </summary>
    private const double Nominal = 800,
        Tower = 8;

    /// <summary>Below this speed the starter turns the engine and nothing burns, rpm.</summary>
    public const double FiresFrom = 400;

    /// <summary>A hose is believed where it leaves less than this of what is left over without one.</summary>
    private const double RingsWhere = 0.7;

    /// <summary>A computed cylinder that leaves less than this without a hose needs none.</summary>
    private const double LeastMisfit = 0.3;

    private readonly double[] _shares;
    private readonly double _low,
        _swing;
    private readonly MeanCycle _cycle;
    private readonly MotoredCylinder _cylinder;
    private readonly SpeedSwing _speeds;
    private readonly SliderCrank _crank;

    public MeasuredCycle(MeanCycle cycle, MotoredCylinder cylinder, SpeedSwing speeds, SliderCrank crank)
    {
        (_cycle, _cylinder, _speeds, _crank, _low) = (cycle, cylinder, speeds, crank, cycle.Mean.Min());
        _swing = cycle.Mean.Max() - _low;
        _shares = Array.ConvertAll(cycle.Mean, p => (p - _low) / _swing);
        var noise = MeanNoise();
        Noise = _shares.Average(s => Math.Pow(noise / Allowed(s), 2));
    }

    /// <summary>Mean square of the noise that is left in the mean cycle, against the allowed error.</summary>
    public double Noise { get; }

    private static double Allowed(double share) => FloorError + ShareError * share;

    /// <summary>
    /// Standard deviation of the mean cycle's noise, a share of the swing: by its second differences away from the tower, which no
    /// course of a cylinder has; of independent values they have a variance of six times theirs.
    /// </summary>
    private double MeanNoise()
    {
        const int from = 60,
            apart = 2;
        var bends = Enumerable
            .Range(from, CycleFold.Bins - 2 * from - 2 * apart)
            .Select(i => Math.Abs(_shares[i] - 2 * _shares[i + apart] + _shares[i + 2 * apart]));
        return 1.4826 * Statistics.Median(bends) / Math.Sqrt(6);
    }

    public double SpeedRpm => _cycle.SpeedRpm;

    public void Residuals(ReadOnlySpan<double> engine, ReadOnlySpan<double> own, Span<double> left)
    {
        var computed = _cylinder.Cycle(State(engine, own, 1));
        var degrees = Degrees(computed, engine, own);
        Residuals(Felt(computed, HoseRing.Of(own)), degrees, own[1], left);
    }

    private void Residuals(double[] felt, double[] degrees, double zero, Span<double> left)
    {
        for (var i = 0; i < left.Length; i++)
            left[i] = (At(felt, degrees[i]) - _shares[i] - zero) / Allowed(_shares[i]);
    }

    private double[] Felt(double[] computed, HoseRing? ring) => ring?.Felt(computed, _cycle.SpeedRpm) ?? computed;

    /// <summary>
    /// The hose the cycle was taken through, to begin with; null where none shows, and on the starter, whose courses rise too gently.
    /// </summary>
    public HoseRing? Hose => SpeedRpm < FiresFrom ? null : _cycle.Hose;

    /// <summary>
    /// The same cycle through the hose that explains it far better with this computed cylinder, or through none, and its unknowns then; the
    /// hose's delay is no part of the lead.
    /// </summary>
    public (MeasuredCycle Cycle, double[] Own) Through(ReadOnlySpan<double> engine, double[] own)
    {
        var computed = _cylinder.Cycle(State(engine, own, 1));
        var degrees = Degrees(computed, engine, own);
        var left = new double[CycleFold.Bins];
        double Later(HoseRing? hose) => 6 * SpeedRpm * ((hose?.Delay ?? 0) - (HoseRing.Of(own)?.Delay ?? 0));
        double Left(HoseRing? hose)
        {
            var later = Later(hose);
            Residuals(Felt(computed, hose), Array.ConvertAll(degrees, d => d + later), own[1], left);
            return left.Average(r => r * r) - Noise;
        }

        var without = Left(null);
        HoseRing? found =
            SpeedRpm < FiresFrom || without < LeastMisfit * LeastMisfit ? null : HoseRing.Of(own) ?? HoseRing.Least(h => Left(h));
        if (found is { } heard && Left(heard) > RingsWhere * without)
            found = null;
        double[] moved = [.. own[..GasFitter.Hose], .. found?.Unknowns ?? []];
        moved[0] -= Later(found);
        return (new(_cycle with { Hose = found }, _cylinder, _speeds, _crank), moved);
    }

    public GasFit Result(
        ReadOnlySpan<double> engine,
        ReadOnlySpan<double> own,
        double soundLeak,
        double leakError,
        FitError exhaustError,
        FitError intakeError
    )
    {
        var computed = _cylinder.Cycle(State(engine, own, 1));
        var angles = Degrees(computed, engine, own);
        var state = State(engine, own, _swing);
        var hose = HoseRing.Of(own);
        var felt = Felt(computed, hose);
        var left = new double[CycleFold.Bins];
        Residuals(felt, angles, own[1], left);
        var lost = _cylinder.LostShare(state);
        return new GasFit(
            state,
            _cycle.Shut,
            own[0],
            own[1] * _swing - _low,
            Math.Sqrt(Math.Max(0, left.Average(r => r * r) - Noise)),
            angles,
            lost,
            _cylinder.LostInAll(state),
            _cylinder.LostShare(state with { LeakArea = soundLeak / SpeedRpm }),
            Math.Abs(_cylinder.LostShare(state with { LeakArea = state.LeakArea + leakError }) - lost),
            exhaustError,
            intakeError,
            hose,
            hose is null ? null : Array.ConvertAll(angles, a => (float)(_swing * (At(felt, a) - At(computed, a)))),
            hose is null ? own[0] : PeakBefore(computed)
        );
    }

    /// <summary>How far before TDC a computed cycle peaks, degrees: the vertex of the parabola through its highest three.</summary>
    private static double PeakBefore(double[] cycle)
    {
        var top = Array.IndexOf(cycle, cycle.Max());
        double At(int step) => cycle[(top + step + cycle.Length) % cycle.Length];
        var vertex = top + (At(-1) - At(1)) / (2 * (At(-1) - 2 * At(0) + At(1)));
        return -Math.IEEERemainder(vertex / MotoredCylinder.PerDegree, CycleFold.Bins);
    }

    /// <summary>
    /// Where to begin: the zero of pressure from both flanks of the tower, which follow V^-1.33 whatever offset and
    /// scale of the sensor; the levels from the strokes; shifts of zero.
    /// </summary>
    public double[] Guess()
    {
        const int from = 12,
            to = 80;
        double[] volumes = new double[to - from],
            both = new double[to - from],
            ones = new double[to - from];
        for (var i = from; i < to; i++)
        {
            volumes[i - from] = Math.Pow(_crank.Volume((i + 0.5) * Math.PI / 180), -1.33);
            both[i - from] = (_shares[i] + _shares[CycleFold.Bins - 1 - i]) / 2;
            ones[i - from] = -1;
        }

        var vacuum = Math.Clamp(LeastSquares.Linear([volumes, ones], both)[1], 0.01, 1.5);
        double Level(int a, int b) => Math.Max(0.01, _shares[a..b].Average() + vacuum);
        // With the exhaust shut its stroke is a second tower, and tells nothing of the air outside.
        var intake = Level(430, 500);
        return
        [
            1,
            vacuum,
            intake,
            _cycle.Shut == ShutValve.Exhaust ? Math.Min(Level(230, 330), 2.5 * intake) : Level(230, 330),
            1e-5,
            0,
            0,
            .. Hose?.Unknowns ?? [],
        ];
    }

    private CylinderState State(ReadOnlySpan<double> engine, ReadOnlySpan<double> own, double scale) =>
        new()
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
            ExhaustShift = own[GasFitter.ExhaustShift],
            IntakeShift = own[GasFitter.IntakeShift],
        };

    /// <summary>Degrees after firing TDC of every value: as the crank sensor says, or even in time and worked out.</summary>
    private double[] Degrees(double[] computed, ReadOnlySpan<double> engine, ReadOnlySpan<double> own)
    {
        var lead = own[0];
        if (_cycle.HasClock)
            return [.. Enumerable.Range(0, CycleFold.Bins).Select(i => i + 0.5 - lead)];
        // Pressures count in the exhaust's, which is near the air's: so a sensor's scale makes no difference.
        var air = _cycle.Shut == ShutValve.Exhaust ? 1 / Tower : own[3];
        var swing = GasFitter.Swing(engine);
        return _speeds.Degrees(
            computed,
            own[2],
            own[3],
            -lead,
            swing with
            {
                Ease = swing.Ease / (Tower * air) * Math.Pow(Nominal / _cycle.SpeedRpm, 2),
                Burn = _cycle.SpeedRpm < FiresFrom ? 0 : swing.Burn,
            }
        );
    }

    private static double At(double[] cycle, double degrees)
    {
        var place = degrees * MotoredCylinder.PerDegree;
        place -= cycle.Length * Math.Floor(place / cycle.Length);
        var i = Math.Min((int)place, cycle.Length - 1);
        return cycle[i] + (place - i) * (cycle[i + 1 == cycle.Length ? 0 : i + 1] - cycle[i]);
    }
}
