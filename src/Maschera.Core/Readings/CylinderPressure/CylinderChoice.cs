using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.CylinderPressure;

/// <summary>What was fitted: the cycles and their cylinder, and the reference's where there is one.</summary>
internal sealed record FittedCylinder(PressureCycles Cycles, GasFit Own, PressureCycles? Reference, GasFit? ReferenceFit)
{
    /// <summary>The same with what hoses added to the cycles taken away: the cylinder's own pressure.</summary>
    public FittedCylinder BeforeHoses() =>
        this with
        {
            Cycles = Own.HoseAdds is { } adds ? Cycles.Less(adds) : Cycles,
            Reference = ReferenceFit?.HoseAdds is { } too ? Reference!.Less(too) : Reference,
        };
}

/// <summary>How late exhaust and intake come, their errors, and against what they count; null where it can't be told.</summary>
internal sealed record ValveShifts(double? Exhaust, double ExhaustError, double? Intake, double IntakeError, string? Against)
{
    /// <summary>
    /// How an engine's valves flow near their seats is not known, and stretches a shift by such a share of itself, and without a crank
    /// sensor the swing of the speed does so too: measured on an engine of another kind, of one cam and of both.
    /// </summary>
    private const double ExhaustStretch = 0.03,
        IntakeStretch = 0.1,
        ExhaustSwingStretch = 0.08,
        IntakeSwingStretch = 0.17;

    /// <summary>
    /// Without a crank sensor such a share of the exhaust's shift gets into the intake's figure, measured on that engine too.
    /// </summary>
    private const double ExhaustIntoIntake = 0.2;

    /// <summary>
    /// What leaks away tilts the flanks that the shifts are seen by: degrees over the square of the share of the charge that is lost
    /// beyond a sound cylinder's, measured on the same engine.
    /// </summary>
    private const double PerLostSquared = 18;

    /// <summary>True where the degrees come from a crank sensor.</summary>
    public bool HasCrank { get; init; }

    /// <summary>Share of the charge lost beyond what a sound cylinder loses.</summary>
    public double Lost { get; init; }

    /// <summary>Standard error of the exhaust's shift as a figure; that there is a shift at all is surer. Null without a shift.</summary>
    public double? ExhaustFigureError => FigureError(Exhaust, ExhaustError, HasCrank ? ExhaustStretch : ExhaustSwingStretch);

    /// <summary>The same of the intake's.</summary>
    public double? IntakeFigureError => FigureError(Intake, IntakeBesideExhaust, HasCrank ? IntakeStretch : IntakeSwingStretch);

    /// <summary>Standard error of there being a shift of the intake at all, beside one of the exhaust.</summary>
    public double IntakeBesideExhaust => double.Hypot(IntakeError, HasCrank ? 0 : ExhaustIntoIntake * (Exhaust ?? 0));

    private double? FigureError(double? shift, double error, double share) =>
        shift is { } degrees ? double.Hypot(double.Hypot(error, share * degrees), PerLostSquared * Lost * Lost) : null;
}

/// <summary>Which computed cylinder a capture is likest to: a sound train of valves or a shut valve, and how late they come.</summary>
/// <param name="engine">The engine.</param>
/// <param name="crank">The measured cylinder's volumes.</param>
/// <param name="place">The measured cylinder's place in the firing order.</param>
/// <param name="cancel">Stops the fits.</param>
internal sealed class CylinderChoice(Engine engine, SliderCrank crank, int place, CancellationToken cancel)
{
    /// <summary>A computed cylinder that leaves more than this is not like the measured one.</summary>
    public const double Unlike = 0.6;

    /// <summary>A shut intake valve is believed where its cylinder leaves less than this.</summary>
    private const double ShutUnlike = 1.8;

    /// <summary>How valves and ports flow is guessed where only the engine file is there; that is worth so much, degrees.</summary>
    private const double OwnGuess = 5;

    /// <summary>
    /// Where so few cylinders draw on one manifold at idle, its pressure swings within a stroke and looks like other timing, of the
    /// intake more than of the exhaust; without a known-good, which swings alike, that is worth so much, degrees.
    /// </summary>
    private const int FewOnManifold = 4;

    private const double IntakeSwing = 16,
        ExhaustSwing = 9;

    /// <summary>Timing of an ordinary engine, where the engine file has none.</summary>
    private static readonly ValveTiming s_usual = new(134, 372, 348, 588);

    /// <summary>The engine file's valve timing, or an ordinary one.</summary>
    public static ValveTiming Timing(Engine engine) => engine.ValveTiming ?? s_usual;

    /// <summary>
    /// The measured cylinder's place in the firing order: without a crank sensor its neighbours' gas tells how the speed swings. On
    /// an engine that fires evenly all places are alike; on others it has to be said.
    /// </summary>
    public static int Place(Engine engine, int? cylinder, IReadOnlyList<PressureCycles> ways, List<Note> notes)
    {
        if (cylinder is null && !engine.FiresEvenly() && ways.Any(way => !way.HasCrank))
            notes.Add(
                new(
                    "neighbours-unknown",
                    "This engine fires unevenly, and without a crank sensor the degrees depend on which cylinder it is: it is taken to be "
                        + "the first of the firing order. Say which with --cylinder, or capture the crank sensor as well."
                )
            );
        return cylinder is { } number ? Math.Max(0, engine.FiringOrder.ToList().IndexOf(number)) : 0;
    }

    public static SliderCrank Crank(Engine engine) => SliderCrank.Of(engine.Geometry, engine.IsDiesel ? 17 : 10.5);

    /// <summary>The same with a transducer's hose on the cylinder, whose volume is added to the clearance.</summary>
    /// <param name="engine">The engine; with its geometry where there is a hose.</param>
    /// <param name="hose">Volume of hose and adapter, cm³.</param>
    public static SliderCrank Crank(Engine engine, double hose) =>
        engine.Geometry is { } g ? Crank(engine).WithVolume(hose / g.SweptCm3) : Crank(engine);

    /// <summary>The likeliest cylinder: a sound train of valves, or one valve that stays shut where that leaves far less over.</summary>
    public FittedCylinder Best(IReadOnlyList<PressureCycles> ways, PressureCycles? reference)
    {
        FirstFit? alone = null;
        var budgets = ways.ToDictionary(way => way, _ => new FitBudget(ways.Count));
        var usual = new UsualEngine(
            reference is null ? null
            : engine.ValveTiming is null ? UsualEngine.OrdinaryTiming
            : UsualEngine.FileTiming
        );
        FittedCylinder Try(PressureCycles way, ShutValve shut, double toBeat = double.PositiveInfinity)
        {
            var swing = new SpeedSwing(engine, Crank(engine), Timing(engine), place);
            GasFitter Fitter(params IReadOnlyList<MeanCycle> cycles) => new(cycles, crank, Timing(engine), swing, budgets[way], usual);
            var own = new MeanCycle(way.Mean, way.SpeedRpm, way.HasCrank, shut);
            if (reference is null)
                return new FittedCylinder(way, Fitter(own).Fit(null, toBeat, cancel)[0], null, null);
            var known = new MeanCycle(reference.Mean, reference.SpeedRpm, reference.HasCrank);
            alone ??= Fitter(known, own).FirstAlone(cancel);
            // One hose serves both as a rule.
            var fits = Fitter(known with { Hose = alone.Hose }, own with { Hose = alone.Hose }).Fit(alone, toBeat, cancel);
            return new FittedCylinder(way, fits[1], reference, fits[0]);
        }

        FittedCylinder Better(FittedCylinder found, PressureCycles way, ShutValve shut) =>
            Try(way, shut, found.Own.Misfit) is var other && other.Own.Misfit < found.Own.Misfit ? other : found;

        if (ways.Count == 2)
            return Better(Try(ways[0], ShutValve.Exhaust), ways[1], ShutValve.Exhaust);
        if (DrawsNothing(ways[0].Mean))
            return Try(ways[0], ShutValve.Intake);
        var sound = Try(ways[0], ShutValve.None);
        if (
            HardlyRises(ways[0].Mean)
            && Try(ways[0], ShutValve.Intake) is var shut
            && shut.Own.Misfit < Math.Max(ShutUnlike, 2 * sound.Own.Misfit)
        )
            return shut;
        if (sound.Own.Misfit < Unlike)
            return sound;
        return Better(Better(sound, ways[0], ShutValve.Intake), ways[0], ShutValve.Exhaust);
    }

    /// <summary>
    /// True where the tower stays lower above the exhaust's level than the intake stroke falls below it: nothing was drawn in
    /// to be compressed.
    /// </summary>
    private static bool HardlyRises(float[] mean)
    {
        var exhaust = PressureCourses.Level(mean, 230, 330);
        return mean.Max() - exhaust < 1.5 * (exhaust - PressureCourses.Level(mean, 430, 500));
    }

    /// <summary>
    /// True where the intake stroke pulls the cylinder all but empty and the tower comes back to where it was: it seals, so no leak, and
    /// nothing came in. However its valves flow, no open intake leaves that.
    /// </summary>
    public static bool DrawsNothing(float[] mean)
    {
        const double deep = 0.6,
            tower = 0.4;
        var exhaust = PressureCourses.Level(mean, 230, 330);
        return exhaust - PressureCourses.Level(mean, 430, 500) > deep && mean.Max() - exhaust < tower;
    }

    public ValveShifts Shifts(FittedCylinder fitted, List<PressureCycles> references, bool running, List<Note> notes)
    {
        var own = fitted.Own;
        var swings = running && engine.Cylinders <= FewOnManifold;
        if (fitted.ReferenceFit is not { } reference)
        {
            if (engine.ValveTiming is null)
                return new(null, 0, null, 0, null);
            notes.Add(
                new(
                    "against-file",
                    "Shifts count from the engine file's valve timing: how valves and ports flow has to be guessed then, and that is "
                        + "worth some degrees. A known-good capture gives far better figures."
                )
            );
            return Seen(
                own,
                fitted.Cycles.HasCrank,
                new(
                    own.State.ExhaustShift,
                    Doubt(own.ExhaustError, fitted) + (swings ? ExhaustSwing : OwnGuess),
                    own.State.IntakeShift,
                    Doubt(own.IntakeError, fitted) + (swings ? IntakeSwing : OwnGuess),
                    "engine file"
                )
            );
        }

        PressureDoubts.AddOffFile(reference, engine, notes);
        List<(double Exhaust, double Intake)> all = [Difference(own, reference)];
        foreach (var other in references.Skip(1))
        {
            var further = Best([fitted.Cycles], other);
            all.Add(Difference(further.Own, further.ReferenceFit!));
        }

        var (exhaust, intake) = (all.Average(s => s.Exhaust), all.Average(s => s.Intake));
        double Spread(Func<(double Exhaust, double Intake), double> of) => Statistics.StandardDeviation([.. all.Select(of)]);
        return Seen(
            own,
            fitted.Cycles.HasCrank,
            new(
                exhaust,
                Math.Max(Doubt(own.ExhaustError, fitted), Spread(s => s.Exhaust)),
                intake,
                Math.Max(Doubt(own.IntakeError, fitted), Spread(s => s.Intake)),
                "reference"
            )
        );
    }

    /// <summary>
    /// With degrees from a crank sensor, what the computed cylinder gets wrong it gets wrong alike in both captures; without,
    /// a part of it is the swing of the speed, which differs.
    /// </summary>
    private static double Doubt(FitError error, FittedCylinder fitted) =>
        double.Hypot(fitted.Cycles.HasCrank ? error.Model / 3 : error.Model * (1 + fitted.Own.Misfit / Unlike), error.Noise);

    private static (double, double) Difference(GasFit own, GasFit reference) =>
        (own.State.ExhaustShift - reference.State.ExhaustShift, own.State.IntakeShift - reference.State.IntakeShift);

    /// <summary>A valve that stays shut has no timing, and neither has one whose shift drowns in its error.</summary>
    private static ValveShifts Seen(GasFit own, bool hasCrank, ValveShifts shifts)
    {
        const double drowned = 12;
        return shifts with
        {
            HasCrank = hasCrank,
            Lost = own.LostShare - own.SoundShare,
            Exhaust = own.Shut == ShutValve.Exhaust || shifts.ExhaustError > drowned ? null : shifts.Exhaust,
            Intake = own.Shut == ShutValve.Intake || shifts.IntakeError > drowned ? null : shifts.Intake,
        };
    }
}
