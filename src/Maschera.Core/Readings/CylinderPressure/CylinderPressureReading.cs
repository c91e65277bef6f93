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
    private const double LeakFrom = 0.045;

    /// <summary>While cranking there is more time to leak, and more to be told apart from heat.</summary>
    private const double LeakCranking = 0.18;

    /// <summary>Without a reference, the loss of a sound cylinder is not known so well.</summary>
    private const double LeakAlone = 0.2,
        LeakAloneCranking = 0.35;

    /// <summary>Exhaust pressure beyond what the reference would have at this speed, bar; and without a reference, above the air.</summary>
    private const double RestrictedFrom = 0.1,
        RestrictedAlone = 0.35;

    /// <summary>
    /// Shifts from here on are a fault where the engine file says nothing, degrees; against the engine file only larger ones.
    /// </summary>
    private const double ShiftFrom = 5,
        ShiftAlone = 14;

    /// <summary>A shift counts when it stands clear of its own error by this factor.</summary>
    private const double Sure = 3;

    /// <summary>A computed cylinder that leaves more than this is not like the measured one; far more is no cylinder.</summary>
    private const double Unlike = 0.6,
        ShutUnlike = 1.8,
        NoCylinder = 3;

    /// <summary>Slower than the first it cranks; up to the second too, where the intake holds next to no vacuum, rpm.</summary>
    private const double CranksBelow = 400,
        MayCrankBelow = 600;

    /// <summary>Intake against exhaust pressure of an engine that draws through a closed throttle.</summary>
    private const double Vacuum = 0.85;

    /// <summary>A TDC further from the engine file's is remarked on, degrees.</summary>
    private const double GapOff = 3;

    private const int FewCycles = 8;

    /// <summary>A zero of the sensor that is further from the air's pressure is remarked on, bar.</summary>
    private const double ZeroOff = 0.12;

    /// <summary>Exhaust level that wanders by more within the capture is a drifting sensor, bar.</summary>
    private const double Drifts = 0.06;

    /// <summary>Timing of an ordinary engine, where the engine file has none.</summary>
    private static readonly ValveTiming s_usual = new(134, 372, 348, 588);

    public override string Method =>
        "Cycles are cut from tower to tower and laid on each other; a computed cylinder (piston, valves, heat, leak) is fitted to "
        + "their mean and gives TDC, absolute pressures, what leaks away and how late the valves come.\n"
        + "Reference and capture share the engine's own figures in the fit, so that speed, manifold pressure, and zero and scale of "
        + "the sensor make no difference; events are where p V^n leaves its line.";

    public override string Kind => "cylinder-pressure";
    public override string Title => "Cylinder pressure";

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
        new("differs", Tone.Watch, "differs from the reference"),
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
    ];

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
                    $"The engine file has no geometry: a compression ratio of {Crank(engine).CompressionRatio:0} and an ordinary rod "
                        + $"are taken."
                )
            );
        if (engine.ValveTiming is null)
            notes.Add(
                new("no-timing", "The engine file has no valve timing: an ordinary one is taken, so shifts are only against the reference.")
            );
        var place = Place(engine, cylinder, ways, notes);
        var fitted = Best(ways, references.FirstOrDefault(), engine, place, cancel);
        if (fitted.Own.Misfit > NoCylinder)
            return Unusable(
                channels,
                new Note(
                    "no-cylinder",
                    "The course is not that of a cylinder that is compressed once in two turns, breathes through its valves and does "
                        + "not fire. Check the hook-up: plug out, transducer tight in its hole, no other hose."
                ),
                cylinder
            );
        var shifts = Shifts(fitted, references, engine, place, notes, cancel);
        return Build(request, channels, cylinder, Zeroed(fitted, request, notes), shifts, notes);
    }

    /// <summary>What was fitted: the cycles and their cylinder, and the reference's where there is one.</summary>
    private sealed record Fitted(PressureCycles Cycles, GasFit Own, PressureCycles? Reference, GasFit? ReferenceFit);

    /// <summary>How late exhaust and intake come, their errors, and against what they count; null where it can't be told.</summary>
    private sealed record ValveShifts(double? Exhaust, double ExhaustError, double? Intake, double IntakeError, string? Against);

    /// <summary>
    /// The same with the zero a person said: so many bar that the sensor shows in free air, or "exhaust" for the level of the
    /// exhaust stroke.
    /// </summary>
    private static Fitted Zeroed(Fitted fitted, ReadingRequest request, List<Note> notes)
    {
        if (!request.Options.TryGetValue("zero", out var said))
            return fitted;
        var fromExhaust = said == "exhaust";
        var zero = fromExhaust ? Level(OnTdc(fitted.Cycles.Mean, fitted.Own.Angles), 230, 330) : request.Number("zero", 0);
        notes.Add(
            new(
                "zero-set",
                $"Zero is {(fromExhaust ? "taken from the exhaust stroke" : "set by hand")}: {zero:+0.00;-0.00;0.00} bar are "
                    + $"taken away{(fromExhaust ? ", so the exhaust's own pressure does not show" : "")}."
            )
        );
        return fitted with { Cycles = fitted.Cycles.Less(zero), Own = fitted.Own with { Vacuum = fitted.Own.Vacuum + zero } };
    }

    /// <summary>
    /// The measured cylinder's place in the firing order: without a crank sensor its neighbours' gas tells how the speed swings. On
    /// an engine that fires evenly all places are alike; on others it has to be said.
    /// </summary>
    private static int Place(Engine engine, int? cylinder, IReadOnlyList<PressureCycles> ways, List<Note> notes)
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

    private static SliderCrank Crank(Engine engine) => SliderCrank.Of(engine.Geometry, engine.IsDiesel ? 17 : 10.5);

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
                        $"The reference '{known.Capture.Name}' is left out: {problem?.Text ?? "a valve of it stays shut."}"
                    )
                );
        }

        return found;
    }

    /// <summary>The likeliest cylinder: a sound train of valves, or one valve that stays shut where that leaves far less over.</summary>
    private static Fitted Best(
        IReadOnlyList<PressureCycles> ways,
        PressureCycles? reference,
        Engine engine,
        int place,
        CancellationToken cancel
    )
    {
        Fitted Try(PressureCycles way, ShutValve shut)
        {
            List<MeanCycle> cycles = [new(way.Mean, way.SpeedRpm, way.HasCrank, shut)];
            if (reference is not null)
                cycles.Insert(0, new MeanCycle(reference.Mean, reference.SpeedRpm, reference.HasCrank));
            var fits = new GasFitter(
                cycles,
                Crank(engine),
                engine.ValveTiming ?? s_usual,
                new SpeedSwing(engine, Crank(engine), engine.ValveTiming ?? s_usual, place)
            ).Fit(cancel);
            return new Fitted(way, fits[^1], reference, reference is null ? null : fits[0]);
        }

        if (ways.Count == 2)
            return ways.Select(way => Try(way, ShutValve.Exhaust)).MinBy(f => f.Own.Misfit)!;
        var sound = Try(ways[0], ShutValve.None);
        if (
            HardlyRises(ways[0].Mean)
            && Try(ways[0], ShutValve.Intake) is var shut
            && shut.Own.Misfit < Math.Max(ShutUnlike, 2 * sound.Own.Misfit)
        )
            return shut;
        if (sound.Own.Misfit < Unlike)
            return sound;
        return ((Fitted[])[sound, Try(ways[0], ShutValve.Intake), Try(ways[0], ShutValve.Exhaust)]).MinBy(f => f.Own.Misfit)!;
    }

    /// <summary>
    /// True where the tower stays lower above the exhaust's level than the intake stroke falls below it: nothing was drawn in
    /// to be compressed.
    /// </summary>
    private static bool HardlyRises(float[] mean)
    {
        var exhaust = Level(mean, 230, 330);
        return mean.Max() - exhaust < 1.5 * (exhaust - Level(mean, 430, 500));
    }

    private static ValveShifts Shifts(
        Fitted fitted,
        List<PressureCycles> references,
        Engine engine,
        int place,
        List<Note> notes,
        CancellationToken cancel
    )
    {
        var own = fitted.Own;
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
                new(
                    own.State.ExhaustShift,
                    Doubt(own.ExhaustError, fitted) + ShiftFrom,
                    own.State.IntakeShift,
                    Doubt(own.IntakeError, fitted) + ShiftFrom,
                    "engine file"
                )
            );
        }

        List<(double Exhaust, double Intake)> all = [Difference(own, reference)];
        foreach (var other in references.Skip(1))
        {
            var further = Best([fitted.Cycles], other, engine, place, cancel);
            all.Add(Difference(further.Own, further.ReferenceFit!));
        }

        var (exhaust, intake) = (all.Average(s => s.Exhaust), all.Average(s => s.Intake));
        double Spread(Func<(double Exhaust, double Intake), double> of) => Statistics.StandardDeviation([.. all.Select(of)]);
        return Seen(
            own,
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
    private static double Doubt(double error, Fitted fitted) => fitted.Cycles.HasCrank ? error / 3 : error * (1 + fitted.Own.Misfit / 0.3);

    private static (double, double) Difference(GasFit own, GasFit reference) =>
        (own.State.ExhaustShift - reference.State.ExhaustShift, own.State.IntakeShift - reference.State.IntakeShift);

    /// <summary>A valve that stays shut has no timing, and neither has one whose shift drowns in its error.</summary>
    private static ValveShifts Seen(GasFit own, ValveShifts shifts)
    {
        const double drowned = 12;
        return shifts with
        {
            Exhaust = own.Shut == ShutValve.Exhaust || shifts.ExhaustError > drowned ? null : shifts.Exhaust,
            Intake = own.Shut == ShutValve.Intake || shifts.IntakeError > drowned ? null : shifts.Intake,
        };
    }

    private static CylinderPressureResult Build(
        ReadingRequest request,
        Dictionary<string, Channel> channels,
        int? cylinder,
        Fitted fitted,
        ValveShifts shifts,
        List<Note> notes
    )
    {
        var engine = request.Engine!;
        var (cycles, own) = (fitted.Cycles, fitted.Own);
        var courses = cycles.Cycles.Select(c => OnTdc(c, own.Angles)).ToArray();
        var mean = OnTdc(cycles.Mean, own.Angles);
        var referenceCourse = fitted.Reference is { } known ? OnTdc(known.Mean, fitted.ReferenceFit!.Angles) : null;
        var events = new PressureEvents(Crank(engine), own.Vacuum);
        var peaks = cycles.Towers.Select(t => new CyclePeak(t.Seconds, t.Peak)).ToList();
        var heights = peaks.Select(p => p.PeakBar).ToArray();
        var running = !(cycles.SpeedRpm < CranksBelow || cycles.SpeedRpm < MayCrankBelow && own.State.Intake > Vacuum * own.State.Exhaust);
        var judged = new PressureVerdict(
            own,
            fitted.ReferenceFit,
            Exceeds(mean, fitted, engine),
            shifts.Exhaust,
            Limit(shifts.ExhaustError, shifts.Against, engine),
            shifts.Intake,
            Limit(shifts.IntakeError, shifts.Against, engine)
        );
        var verdict = judged.Verdict(
            running ? LeakFrom : LeakCranking,
            running ? LeakAlone : LeakAloneCranking,
            RestrictedFrom,
            RestrictedAlone,
            Unlike
        );
        var expected = Expected(own, engine);
        Doubts(cycles, courses, own, fitted.ReferenceFit, running, notes);
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
            ExhaustBar = Level(mean, 230, 330),
            IntakeBar = Level(mean, 430, 500),
            ReferenceExhaustBar = referenceCourse is null ? null : Level(referenceCourse, 230, 330),
            ReferenceIntakeBar = referenceCourse is null ? null : Level(referenceCourse, 430, 500),
            IntakeAbsoluteBar = own.Shut == ShutValve.Intake ? null : own.State.Intake,
            ExhaustAbsoluteBar = own.Shut == ShutValve.Exhaust ? null : own.State.Exhaust,
            Events = Events(events, mean, courses, own.Shut),
            ExhaustShiftDegrees = shifts.Exhaust,
            ExhaustShiftErrorDegrees = shifts.Exhaust is null ? null : shifts.ExhaustError,
            IntakeShiftDegrees = shifts.Intake,
            IntakeShiftErrorDegrees = shifts.Intake is null ? null : shifts.IntakeError,
            ShiftsAgainst = shifts.Exhaust is null && shifts.Intake is null ? null : shifts.Against,
            Leakage = new Leakage(100 * own.LostShare) { ReferencePercent = fitted.ReferenceFit is null ? null : 100 * own.SoundShare },
            CompressionExponent = events.Exponent(mean, 640, 700),
            ExpansionExponent = events.Exponent(mean, 20, 80),
            PeakBeforeTdcDegrees = own.Lead,
            GapToTdcDegrees = GapToTdc(cycles, own, engine, cylinder, notes),
            EngineGapToTdcDegrees = engine.CrankWheel?.GapToTdc,
            IgnitionAdvance = Ignition(request, channels) is { } ignition ? Advance(ignition, cycles, own, notes) : null,
            ManifoldBar = Mean(channels, "intake"),
            BackPressureBar = Mean(channels, "exhaust"),
            Cylinder = cylinder,
            Peaks = peaks,
            Course = Course(mean, courses),
            ReferenceCourse = referenceCourse,
        };
        return result with { Sentence = PressureWords.Sentence(result, engine) };
    }

    private static double? Mean(Dictionary<string, Channel> channels, string role) =>
        channels.TryGetValue(role, out var channel)
            ? InBar(channel, []).Samples.Where(float.IsFinite).Select(v => (double)v).DefaultIfEmpty(double.NaN).Average()
            : null;

    private static double Limit(double error, string? against, Engine engine) =>
        Math.Max(against == "reference" ? Math.Min(ShiftFrom, engine.CamLimits?.Watch ?? ShiftFrom) : ShiftAlone, Sure * error);

    /// <summary>A course by whole degrees after firing TDC, from one by places after the tower.</summary>
    private static float[] OnTdc(float[] values, double[] angles)
    {
        var course = new float[CycleFold.Bins];
        var n = angles.Length;
        var at = 0;
        for (var i = 0; i < course.Length; i++)
        {
            // Angles run over one cycle from somewhere near TDC: the cycle before or after supplies what lies outside.
            var wanted = i + 0.5;
            while (wanted < angles[0])
                wanted += 720;
            while (wanted >= angles[0] + 720)
                wanted -= 720;
            if (at > 0 && angles[at] > wanted)
                at = 0;
            while (at + 1 < n && angles[at + 1] <= wanted)
                at++;
            var next = at + 1 < n ? angles[at + 1] : angles[0] + 720;
            var share = Math.Clamp((wanted - angles[at]) / Math.Max(1e-9, next - angles[at]), 0, 1);
            course[i] = (float)(values[at] + share * (values[(at + 1) % n] - values[at]));
        }

        return course;
    }

    private static double Level(float[] course, int from, int to) => course[from..to].Average();

    private static PressureEventSet Events(PressureEvents events, float[] mean, float[][] courses, ShutValve shut)
    {
        PressureEvent? Of(Func<float[], double?> find)
        {
            if (find(mean) is not { } degrees)
                return null;
            var each = courses.Select(find).OfType<double>().Where(d => Math.Abs(d - degrees) < 30).ToArray();
            return new PressureEvent(degrees, each.Length > PressureCycles.Least ? Statistics.StandardDeviation(each) : null);
        }

        return new PressureEventSet(
            shut == ShutValve.Exhaust ? null : Of(events.ExhaustOpens),
            shut == ShutValve.Intake ? null : Of(events.IntakeOpens),
            shut == ShutValve.Intake ? null : Of(events.IntakeCloses)
        );
    }

    private static PressureCourse Course(float[] mean, float[][] courses)
    {
        float[] Over(Func<IEnumerable<float>, float> of) =>
            [.. Enumerable.Range(0, CycleFold.Bins).Select(i => of(courses.Select(c => c[i])))];
        return new PressureCourse(
            mean,
            Over(v => v.Min()),
            Over(v => v.Max()),
            Over(v => (float)Statistics.StandardDeviation([.. v.Select(x => (double)x)]))
        );
    }

    /// <summary>
    /// What a tight cylinder with the engine file's timing reaches from this manifold pressure, bar as the sensor counts.
    /// </summary>
    private static double? Expected(GasFit own, Engine engine)
    {
        if (own.Shut != ShutValve.None)
            return null;
        var tight = new MotoredCylinder(Crank(engine), engine.ValveTiming ?? s_usual).Cycle(
            own.State with
            {
                LeakArea = 0,
                ExhaustShift = 0,
                IntakeShift = 0,
            }
        );
        return tight.Max() - own.Vacuum;
    }

    /// <summary>
    /// How much more pressure the exhaust stroke meets than the reference's exhaust would hold against it at this speed, bar;
    /// null without one.
    /// </summary>
    private static double? Exceeds(float[] mean, Fitted fitted, Engine engine)
    {
        if (fitted.ReferenceFit is not { } reference || fitted.Own.Shut != ShutValve.None)
            return null;
        var own = fitted.Own;
        // A sensor's wrong zero leaves absolute pressures right, a wrong scale their ratio to the air's: both have to say it.
        double Beyond(double exhaust)
        {
            var usual = new MotoredCylinder(Crank(engine), engine.ValveTiming ?? s_usual).Cycle(own.State with { Exhaust = exhaust });
            return Level(mean, 230, 330)
                + own.Vacuum
                - usual[(230 * MotoredCylinder.PerDegree)..(330 * MotoredCylinder.PerDegree)].Average();
        }

        return Math.Min(Beyond(reference.State.Exhaust), Beyond(reference.State.Exhaust * own.Vacuum / reference.Vacuum) / own.Vacuum);
    }

    /// <summary>
    /// Where the pressure puts firing TDC of the first cylinder of the firing order, degrees after the first tooth behind
    /// the gap, 0-360; null where it can't be told.
    /// </summary>
    private static double? GapToTdc(PressureCycles cycles, GasFit own, Engine engine, int? cylinder, List<Note> notes)
    {
        if (!cycles.HasCrank || !cycles.Clock.Wheel.HasMark)
            return null;
        var place = engine.FiringOrder.ToList().IndexOf(cylinder ?? engine.FiringOrder[0]);
        if (cylinder is null && engine.Angles().Any(a => Math.Abs(Math.IEEERemainder(a, 360)) > 1))
            return null;
        var gap = ((cycles.Zero + own.Lead - engine.Angles()[place]) % 360 + 360) % 360;
        if (engine.CrankWheel?.GapToTdc is { } file && Math.Abs(Math.IEEERemainder(gap - file, 360)) > GapOff)
            notes.Add(
                new(
                    "gap-to-tdc",
                    $"By the pressure, firing TDC of cylinder {engine.FiringOrder[0]} falls {gap:0.0}° after the first tooth "
                        + $"behind the gap; the engine file says {file:0.#}°. Either the file is wrong, or wheel or crank hub "
                        + $"has turned."
                )
            );
        return gap;
    }

    /// <summary>The ignition of the measured cylinder: said to be, or a sync on it that is one.</summary>
    private static Channel? Ignition(ReadingRequest request, Dictionary<string, Channel> channels) =>
        channels.TryGetValue("ignition", out var said) ? said
        : request.Options.GetValueOrDefault("sync-kind", "ignition") == "ignition" ? channels.GetValueOrDefault("sync")
        : null;

    private static IgnitionAdvance? Advance(Channel ignition, PressureCycles cycles, GasFit own, List<Note> notes)
    {
        var sparks = SyncEvents
            .Find(ignition, 0.25 * 120 / cycles.SpeedRpm)
            .Select(e => e.Peak)
            .Where(t => t >= cycles.Towers[0].Seconds && t <= cycles.Towers[^1].Seconds);
        var all = sparks.Select(t => Math.IEEERemainder(cycles.Zero + own.Lead - cycles.Clock.At(t), 720)).ToList();
        // A wasted spark comes round the gas-exchange TDC as well.
        var firing = all.Where(a => Math.Abs(a) < 90).ToArray();
        if (firing.Length < PressureCycles.Least)
            return null;
        var spread = Statistics.StandardDeviation(firing);
        if (spread > 15)
            notes.Add(
                new(
                    "ignition-scatters",
                    $"The sparks scatter by {spread:0}° against TDC: " + $"check that the probe is on this cylinder's coil."
                )
            );
        return new IgnitionAdvance(Statistics.Mean(firing), spread, firing);
    }

    private static void Doubts(PressureCycles cycles, float[][] courses, GasFit own, GasFit? reference, bool running, List<Note> notes)
    {
        if (cycles.Cycles.Length < FewCycles)
            notes.Add(new("few-cycles", $"Only {cycles.Cycles.Length} whole cycles: ten or more show a valve that sticks now and then."));
        if (Math.Abs(own.Vacuum - 1) > ZeroOff)
            notes.Add(
                new(
                    "zero-off",
                    $"By the tower's flanks the sensor reads {1 - own.Vacuum:+0.00;-0.00} bar in free air, or its scale is wrong "
                        + $"by some percent; levels carry that error, verdict and shifts do not."
                )
            );
        if (own.Misfit > Unlike / 2)
            notes.Add(
                new(
                    "misfit",
                    $"The computed cylinder leaves {own.Misfit:0.0} times the usual error: figures are less sure than their "
                        + $"spread says."
                )
            );
        if (!cycles.HasCrank)
            notes.Add(
                new(
                    "no-crank",
                    "Between the towers the swing of the speed is only worked out, not measured: a crank sensor on another channel "
                        + "makes the degrees sure."
                )
            );
        if (!running && reference is null)
            notes.Add(
                new(
                    "cranking",
                    "While cranking, hardly any vacuum builds up and the valves show faintly: shifts are best read on the running engine."
                )
            );
        var levels = courses.Select(c => Level(c, 230, 330)).ToArray();
        var third = Math.Max(1, levels.Length / 3);
        var drift = levels[^third..].Average() - levels[..third].Average();
        if (Math.Abs(drift) > Drifts)
            notes.Add(
                new(
                    "drift",
                    $"The exhaust level wanders by {drift:+0.00;-0.00} bar over the capture: the sensor warms, or its seal gives way."
                )
            );
    }

    private static CylinderPressureResult Unusable(Dictionary<string, Channel> channels, Note note, int? cylinder) =>
        Unusable(channels, note) with
        {
            Cylinder = cylinder,
        };
}
