using System.Text.Json.Serialization.Metadata;
using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Quantities;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.CylinderPressure;

/// <summary>What a cylinder's pressure says of its sealing, its valves and its exhaust, when it does not fire.</summary>
public sealed class CylinderPressureReading : ReadingOf<CylinderPressureResult>
{
    /// <summary>A cylinder as tight as any may seem to lose so much more than its reference.</summary>
    private const double LeakFrom = 0.03;

    /// <summary>
    /// While cranking, heat and a leak are hard to tell apart in the fit; there the flanks say more beside the reference's: sound
    /// cylinders differ by less than half of this.
    /// </summary>
    private const double LeakCranking = 0.04;

    /// <summary>Without a reference heat counts as lost too, and how much of it a sound cylinder loses is not known well.</summary>
    private const double LeakAlone = 0.26,
        LeakAloneCranking = 0.35;

    /// <summary>Exhaust pressure beyond what the reference would have at this speed, bar; and without a reference, above the air.</summary>
    private const double RestrictedFrom = 0.1,
        RestrictedAlone = 0.35;

    /// <summary>
    /// Shifts from here on are a fault where the engine file says nothing, degrees; against the engine file only larger ones.
    /// </summary>
    private const double ShiftFrom = 5,
        ShiftAlone = 14;

    /// <summary>Slower than the first it cranks; up to the second too, where the intake holds next to no vacuum, rpm.</summary>
    private const double CranksBelow = 400,
        MayCrankBelow = 600;

    /// <summary>Intake against exhaust pressure of an engine that draws through a closed throttle.</summary>
    private const double Vacuum = 0.85;

    /// <summary>
    /// A computed cylinder that leaves more than this is none; one whose course alone shows that nothing came in may leave more.
    /// </summary>
    private const double NoCylinder = 3,
        NoCylinderShut = 6;

    public override string Method =>
        "Cycles are cut from tower to tower and laid on each other; a computed cylinder (piston, valves, heat, leak) is fitted to "
        + "their mean and gives TDC, absolute pressures, what leaks away and how late the valves come.\n"
        + "Reference and capture share the engine's own figures in the fit, so that speed, manifold pressure, and zero and scale of "
        + "the sensor make no difference; events are where p V^n leaves its line.";

    public override JsonTypeInfo ResultJson => CylinderPressureJson.Default.CylinderPressureResult;
    public override string Kind => "cylinder-pressure";
    public override string Title => "Cylinder pressure";
    public override string Brief => "pressure";

    public override JobStep Step => JobStep.IntoTheCylinder;
    public override IReadOnlyList<Verdict> Verdicts { get; } =
    [
        new("normal", Tone.Fine, "as it should be"),
        new("leaks", Tone.Fault, "leaks"),
        new("intake-timing", Tone.Fault, "intake cam out of time"),
        new("exhaust-timing", Tone.Fault, "exhaust cam out of time"),
        new("valve-timing", Tone.Fault, "both cams out of time"),
        new("intake-valve-stays-shut", Tone.Fault, "an intake valve stays shut"),
        new("exhaust-valve-stays-shut", Tone.Fault, "an exhaust valve stays shut"),
        new("exhaust-restricted", Tone.Fault, "exhaust restricted"),
        new("differs", Tone.Watch, "unlike a sound one"),
        Verdict.Unusable,
    ];

    public override IReadOnlyList<ReadingOption> Options { get; } =
    [
        new("cylinder", "The transducer is in cylinder", OptionType.WholeNumber),
        ReadingOption.SyncKind,
        new("zero", "Zero: what it shows in free air", OptionType.NumberOrChoice)
        {
            Unit = "bar",
            Usual = "as it is",
            Choices = [("exhaust", "from the exhaust stroke")],
        },
        new("hose", "Volume of the transducer's hose", OptionType.Number) { Unit = "cm³", Usual = "none" },
    ];

    /// <summary>A hose holds no more than this, cm³.</summary>
    private const double MostHose = 200;

    public override IEnumerable<Suggestion> Suggest(CaptureFacts capture) =>
        capture.IsScopeWith("pressure") ? [new(AgainstShelf: true)] : [];

    /// <summary>The peaks of all cylinders measured, once there are two: the rim is the highest.</summary>
    public override CylinderWheel? Wheel(Engine engine, IReadOnlyList<ReadingResult> results)
    {
        var newest = results
            .OfType<CylinderPressureResult>()
            .Where(r => r is { IsUnusable: false, Cylinder: not null, PeakBar: not null })
            .GroupBy(r => r.Cylinder!.Value)
            .ToDictionary(g => g.Key, g => g.Last());
        if (newest.Count < 2)
            return null;
        var most = newest.Values.Max(r => r.PeakBar!.Value);
        return new(
            "Peak pressure of the cylinders measured",
            [
                .. engine.FiringOrder.Select(number =>
                    newest.TryGetValue(number, out var own)
                        ? new WheelCell($"{number}", 100 * own.PeakBar!.Value / most, own.Verdict != "normal")
                        : new WheelCell($"{number}", null, false)
                ),
            ]
        );
    }

    public override bool NeedsEngine => true;
    public override bool TakesReference => true;
    public override double UsefulRate => 40_000;

    public override IReadOnlyList<Role> Roles { get; } =
    [
        new(
            "pressure",
            "Cylinder pressure",
            ["bar", "kPa", "psi", "mbar"],
            ["cylinder pressure", "in-cylinder", "zylinderdruck", "pression cylindre", "pressione cilindro"]
        ),
        new("crank", "Crank sensor", [], ["crank", "ckp", "kurbel", "vilebrequin", "albero motore"]),
        new("ignition", "Ignition of this cylinder", [], []),
        new("sync", "Sync on this cylinder", [], ["ignition", "sync", "spark", "coil", "zünd", "allumage", "accensione"]),
        new("cam", "Cam sensor", [], ["cam sensor", "cmp", "nocken", "camme"]),
        new("intake", "Intake pressure, absolute or gauge", [], []),
        new("exhaust", "Exhaust pressure", [], []),
    ];

    protected override CylinderPressureResult Make(ReadingRequest request, CancellationToken cancel)
    {
        var engine = request.Engine!;
        var cylinder = request.Options.ContainsKey("cylinder") ? request.WholeNumber("cylinder", 1) : (int?)null;
        if (cylinder is { } number && !engine.FiringOrder.Contains(number))
            throw new ReadingException($"--cylinder {number}: the engine has no such cylinder.");
        var channels = RoleResolver.Resolve(this, request);
        if (!channels.TryGetValue("pressure", out var own))
            return Unusable(channels, new Note("no-pressure", "There is no pressure channel. Say which with --channel pressure=COLUMN."));
        List<Note> notes = [];
        var (ways, problem) = PressureCycles.Find(InBar(own, notes), Clock(channels, engine));
        if (problem is not null)
            return Unusable(channels, problem, cylinder);
        cancel.ThrowIfCancellationRequested();
        var references = References(request, engine, notes);
        if (engine.Geometry is null)
            notes.Add(
                new(
                    "no-geometry",
                    $"The engine file has no geometry: a compression ratio of {CylinderChoice.Crank(engine).CompressionRatio:0} and an "
                        + "ordinary rod are taken."
                )
            );
        if (engine.ValveTiming is null)
            notes.Add(
                new(
                    "no-timing",
                    "The engine file has no valve timing: an ordinary one is taken, so shifts are only against the known-good."
                )
            );
        var place = CylinderChoice.Place(engine, cylinder, ways, notes);
        var crank = CylinderChoice.Crank(engine, Hose(request, engine, notes));
        var choice = new CylinderChoice(engine, crank, place, cancel);
        var fitted = choice.Best(ways, references.FirstOrDefault());
        var shut = fitted.Own.Shut == ShutValve.Intake && CylinderChoice.DrawsNothing(fitted.Cycles.Mean);
        if (fitted.Own.Misfit > (shut ? NoCylinderShut : NoCylinder))
            return Unusable(
                channels,
                new Note(
                    "no-cylinder",
                    "The course is not that of a cylinder that is compressed once in two turns, breathes through its valves and does "
                        + "not fire. Check the hook-up: plug out, transducer tight in its hole, no other hose; a long one rings, so "
                        + "capture at idle."
                ),
                cylinder
            );
        var shifts = choice.Shifts(fitted, references, Runs(fitted.Cycles, fitted.Own), notes);
        return Build(request, channels, cylinder, crank, Zeroed(fitted.BeforeHoses(), request, notes), shifts, notes);
    }

    /// <summary>The volume of the transducer's hose as it was said, cm³; 0 where nothing was.</summary>
    private static double Hose(ReadingRequest request, Engine engine, List<Note> notes)
    {
        var hose = request.Number("hose", 0);
        if (hose is < 0 or > MostHose)
            throw new ReadingException($"--hose takes the volume of hose and adapter, 0 to {MostHose:0} cm³, not {hose:0.##}.");
        if (hose > 0)
            notes.Add(
                engine.Geometry is null
                    ? new("hose-unused", "The engine file has no bore and stroke: the hose's volume can't be reckoned with.")
                    : new("hose", $"{hose:0.0} cm³ of hose are added to the cylinder, of the references too.")
            );
        return hose;
    }

    /// <summary>
    /// The same with the zero a person said: so many bar that the sensor shows in free air, or "exhaust" for the level of the
    /// exhaust stroke.
    /// </summary>
    private static FittedCylinder Zeroed(FittedCylinder fitted, ReadingRequest request, List<Note> notes)
    {
        if (!request.Options.TryGetValue("zero", out var said))
            return fitted;
        var fromExhaust = said == "exhaust";
        var zero = fromExhaust
            ? PressureCourses.Level(PressureCourses.OnTdc(fitted.Cycles.Mean, fitted.Own.Angles), 230, 330)
            : request.Number("zero", 0);
        notes.Add(
            new(
                "zero-set",
                $"Zero is {(fromExhaust ? "taken from the exhaust stroke" : "set by hand")}: {zero:+0.00;-0.00;0.00} bar are "
                    + $"taken away{(fromExhaust ? ", so the exhaust's own pressure does not show" : "")}."
            )
        );
        return fitted with { Cycles = fitted.Cycles.Less(zero), Own = fitted.Own with { Vacuum = fitted.Own.Vacuum + zero } };
    }

    /// <summary>The channel in bar. Volts are taken as bar: what a person scaled them by stands on the command line.</summary>
    private static Channel InBar(Channel channel, List<Note> notes)
    {
        var choice = UnitConversion.For(channel.Unit).FirstOrDefault(c => c.Unit == "bar");
        if (choice.Unit == "bar")
            return choice.Factor == 1 ? channel : channel.Scaled(choice.Factor) with { Unit = "bar" };
        notes.Add(
            new(
                "no-unit",
                $"'{channel.Name}' is in {(channel.Unit.Length > 0 ? channel.Unit : "no unit")}; its figures, after the probe's "
                    + $"scale, are taken as bar. Verdict, shifts and leakage don't depend on that."
            )
        );
        return channel with { Unit = "bar" };
    }

    private static AngleClock? Clock(Dictionary<string, Channel> channels, Engine engine) =>
        channels.TryGetValue("crank", out var crank) ? AngleClock.Make(crank, engine).Clock : null;

    private List<PressureCycles> References(ReadingRequest request, Engine engine, List<Note> notes)
    {
        var found = new List<PressureCycles>();
        if (request.Reference is not { } first)
            return found;
        var words =
            request.ReferenceChannels.Count > 0
                ? request.ReferenceChannels
                : request.Channels.Where(w => first.Find(w.Value) is not null).ToDictionary();
        foreach (var known in (IEnumerable<KnownGood>)[new(first, words), .. request.MoreReferences])
        {
            var theirs = RoleResolver.Resolve(this, new ReadingRequest(known.Capture) { Channels = known.Channels });
            var (ways, problem) = theirs.TryGetValue("pressure", out var pressure)
                ? PressureCycles.Find(InBar(pressure, []), Clock(theirs, engine))
                : ([], new Note("no-pressure", "it has no pressure channel."));
            if (problem is null && ways.Count == 1)
                found.Add(ways[0]);
            else
                notes.Add(
                    new(
                        "reference-left-out",
                        $"The known-good '{known.Capture.Name}' is left out: {problem?.Text ?? "a valve of it stays shut."}"
                    )
                );
        }

        return found;
    }

    private static CylinderPressureResult Build(
        ReadingRequest request,
        Dictionary<string, Channel> channels,
        int? cylinder,
        SliderCrank crank,
        FittedCylinder fitted,
        ValveShifts shifts,
        List<Note> notes
    )
    {
        var engine = request.Engine!;
        var (cycles, own) = (fitted.Cycles, fitted.Own);
        var courses = cycles.Cycles.Select(c => PressureCourses.OnTdc(c, own.Angles)).ToArray();
        var mean = PressureCourses.OnTdc(cycles.Mean, own.Angles);
        var referenceCourse = fitted.Reference is { } good ? PressureCourses.OnTdc(good.Mean, fitted.ReferenceFit!.Angles) : null;
        var events = new PressureEvents(crank, own.Vacuum);
        var peaks = cycles.Towers.Select(t => new CyclePeak(t.Seconds, t.Peak)).ToList();
        var heights = peaks.Select(p => p.PeakBar).ToArray();
        var running = Runs(cycles, own);
        var judged = new PressureVerdict(
            own,
            fitted.ReferenceFit,
            PressureCourses.Exceeds(mean, fitted, crank, engine),
            fitted.ReferenceFit is not { } known ? null
                : running ? own.LostShare - own.SoundShare
                : PressureCourses.Lost(mean, own.Vacuum) - PressureCourses.Lost(referenceCourse!, known.Vacuum),
            shifts,
            From(shifts.Against, engine)
        );
        var (leakFrom, leakAlone) = running ? (LeakFrom, LeakAlone) : (LeakCranking, LeakAloneCranking);
        var verdict = judged.Verdict(leakFrom, leakAlone, RestrictedFrom, RestrictedAlone, CylinderChoice.Unlike);
        var expected = PressureCourses.Expected(own, crank, engine);
        PressureDoubts.Add(cycles, courses, own, fitted.ReferenceFit, running, notes);
        if (verdict is "normal" or "differs" or "intake-timing" or "exhaust-timing" && judged.Unsure() is { } unsure)
            notes.Add(unsure);
        if (judged.UnsureLeak(leakFrom, leakAlone) is { } leak)
            notes.Add(leak);
        var result = new CylinderPressureResult
        {
            Verdict = verdict,
            Sentence = "",
            Notes = notes,
            Channels = RoleResolver.Names(channels),
            Span = new Stretch(cycles.Towers[0].Seconds, cycles.Towers[^1].Seconds),
            Mode = running ? "running" : "cranking",
            SpeedRpm = cycles.SpeedRpm,
            Cycles = cycles.Cycles.Length,
            PeakBar = Statistics.Mean(heights),
            PeakSpreadPercent = 100 * Statistics.StandardDeviation(heights) / (Statistics.Mean(heights) + own.Vacuum),
            ReferencePeakBar = fitted.Reference?.Towers.Average(t => t.Peak),
            ReferenceSpeedRpm = fitted.Reference?.SpeedRpm,
            ExpectedPeakBar = expected,
            ExpansionMinimumBar = Resampling.Smooth(mean, 5)[60..230].Min(),
            ExhaustBar = PressureCourses.Level(mean, 230, 330),
            IntakeBar = PressureCourses.Level(mean, 430, 500),
            ReferenceExhaustBar = referenceCourse is null ? null : PressureCourses.Level(referenceCourse, 230, 330),
            ReferenceIntakeBar = referenceCourse is null ? null : PressureCourses.Level(referenceCourse, 430, 500),
            IntakeAbsoluteBar = own.Shut == ShutValve.Intake ? null : own.State.Intake,
            ExhaustAbsoluteBar = own.Shut == ShutValve.Exhaust ? null : own.State.Exhaust,
            Events = PressureCourses.Events(events, mean, courses, own.Shut),
            ExhaustShiftDegrees = shifts.Exhaust,
            ExhaustShiftErrorDegrees = shifts.ExhaustFigureError,
            IntakeShiftDegrees = shifts.Intake,
            IntakeShiftErrorDegrees = shifts.IntakeFigureError,
            ShiftsAgainst = shifts.Exhaust is null && shifts.Intake is null ? null : shifts.Against,
            Leakage = fitted.ReferenceFit is null
                ? new Leakage(100 * own.LostInAll)
                : new Leakage(100 * own.LostShare) { ReferencePercent = 100 * own.SoundShare },
            CompressionExponent = events.Exponent(mean, 640, 700),
            ExpansionExponent = events.Exponent(mean, 20, 80),
            PeakBeforeTdcDegrees = own.PeakBefore,
            GapToTdcDegrees = PressureDoubts.GapToTdc(cycles, own, engine, cylinder, notes),
            EngineGapToTdcDegrees = engine.CrankWheel?.GapToTdc,
            IgnitionAdvance = Ignition(request, channels) is { } ignition ? PressureDoubts.Advance(ignition, cycles, own, notes) : null,
            ManifoldBar = Mean(channels, "intake"),
            BackPressureBar = Mean(channels, "exhaust"),
            Cylinder = cylinder,
            Peaks = peaks,
            Course = PressureCourses.Course(mean, courses),
            ReferenceCourse = referenceCourse,
        };
        return result with { Sentence = PressureWords.Sentence(result, engine) };
    }

    private static double? Mean(Dictionary<string, Channel> channels, string role) =>
        channels.TryGetValue(role, out var channel)
            ? InBar(channel, []).Samples.Where(float.IsFinite).Select(v => (double)v).DefaultIfEmpty(double.NaN).Average()
            : null;

    private static bool Runs(PressureCycles cycles, GasFit own) =>
        !(cycles.SpeedRpm < CranksBelow || cycles.SpeedRpm < MayCrankBelow && own.State.Intake > Vacuum * own.State.Exhaust);

    private static double From(string? against, Engine engine) =>
        against == "reference" ? Math.Min(ShiftFrom, engine.CamLimits?.Watch ?? ShiftFrom) : ShiftAlone;

    /// <summary>The ignition of the measured cylinder: said to be, or a sync on it that is one.</summary>
    private static Channel? Ignition(ReadingRequest request, Dictionary<string, Channel> channels) =>
        channels.TryGetValue("ignition", out var said) ? said
        : request.Options.GetValueOrDefault("sync-kind", "ignition") == "ignition" ? channels.GetValueOrDefault("sync")
        : null;

    private static CylinderPressureResult Unusable(Dictionary<string, Channel> channels, Note note, int? cylinder) =>
        Unusable(channels, note) with
        {
            Cylinder = cylinder,
        };
}
