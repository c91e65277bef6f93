using System.Text.Json.Serialization.Metadata;
using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Expressions;
using Maschera.Core.Readings.CamTiming;
using Maschera.Core.Readings.Misfire;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.Pulses;

/// <summary>Which cylinder's pulse differs at a pick-up on the intake, the exhaust, the crankcase or the coolant tank.</summary>
public sealed class PulsesReading : ReadingOf<PulsesResult>
{
    private const int FewCycles = 8;

    /// <summary>Cylinders that fire alike, from which the odd one can be told.</summary>
    private const int FewAlike = 3;

    /// <summary>
    /// Correlation of one half of the cycles with the other from which pulses are there; behind rings and gasket a sound engine makes
    /// hardly any.
    /// </summary>
    private const double LeastRepeat = 0.6,
        LeastRepeatOfLeaks = 0.12;

    /// <summary>Cylinders that differ by more than this share of a pulse are not passed over because nobody is known to do it.</summary>
    private const double Alike = 0.7;

    /// <summary>Slower than this the starter turns the engine, rpm.</summary>
    private const double Cranking = 400;

    public override string Method =>
        "The trace is folded on the cycle and cut into each cylinder's share by stroke, allowing for the time the pulse is under way "
        + "(usual for the place, or said); each mean share is held against the median shape of the others.\n"
        + "Depth is the factor of that shape, shift where it fits best, and how far apart it lies the distance left in units of the "
        + "others' scatter and of chance over cycles.";

    public override JsonTypeInfo ResultJson => PulsesJson.Default.PulsesResult;
    public override string Kind => "pulses";
    public override string Title => "Pulses";
    public override string Brief => "pulse";

    public override JobStep Step => JobStep.IntoTheCylinder;
    public override IReadOnlyList<Verdict> Verdicts { get; } =
    [
        new("even", Tone.Fine, "pulses even"),
        new("one-odd", Tone.Fault, "one cylinder odd"),
        new("several-odd", Tone.Fault, "several cylinders odd"),
        Verdict.Unusable,
    ];

    public override IReadOnlyList<ReadingOption> Options { get; } =
    [
        new("at", "The pick-up sits on the", OptionType.Choice)
        {
            Usual = "as its name says",
            Choices = [.. PulsePlace.All.Select(p => (p.Name, p.Name))],
        },
        new("transit", "Under way, if known", OptionType.Number) { Unit = "ms", Usual = "as usual" },
        ReadingOption.SyncKind,
        ReadingOption.SyncCylinder,
        new("limit-idle", "Back pressure limit, idle", OptionType.Number)
        {
            Known = new("Back pressure at idle", "back-pressure", most => FormattableString.Invariant($"{most}")),
        },
        new("limit-snap", "Back pressure limit, on a snap", OptionType.Number)
        {
            Known = new("Back pressure on a snap", "back-pressure", most => FormattableString.Invariant($"{most}")),
        },
    ];

    public override IEnumerable<Suggestion> Suggest(CaptureFacts capture) =>
        capture.IsScopeWith("pulse", "sync") && !capture.Has("pressure") ? [new()] : [];

    public override bool NeedsEngine => true;
    public override double UsefulRate => 20_000;

    public override IReadOnlyList<Role> Roles { get; } =
    [
        new(
            "pulse",
            "Pulse pick-up",
            [],
            ["exhaust pulse", "intake pulse", "crankcase pulse", "coolant pulse", "pulse", "pick-up", "pickup", "impuls"]
        ),
        new("sync", "Sync on one cylinder", [], ["ignition", "sync", "spark", "coil", "injector", "zünd"]),
        new("crank", "Crank sensor", [], ["crank sensor", "ckp", "kurbel", "vilebrequin", "albero motore"]),
        new("cam", "Cam sensor", [], ["cam sensor", "cmp", "nocken", "camme"]),
        new("intake", "Second pick-up, on the intake", [], []),
        new("back-pressure", "Exhaust back pressure", [], ["back pressure", "abgasgegendruck"]),
        new("sensor", "The vehicle's own pressure sensor", [], []),
    ];

    protected override PulsesResult Make(ReadingRequest request, CancellationToken cancel)
    {
        var channels = RoleResolver.Resolve(this, request);
        var engine = request.Engine!;
        var cylinder = request.WholeNumber("sync-cylinder", engine.FiringOrder.Contains(1) ? 1 : engine.FiringOrder[0]);
        if (!engine.FiringOrder.Contains(cylinder))
            throw new ReadingException($"--sync-cylinder: there is no cylinder {cylinder} in an engine of {engine.Cylinders}.");
        var transit = request.Options.ContainsKey("transit") ? request.Number("transit", 0) : (double?)null;
        if (!channels.TryGetValue("pulse", out var pulse))
            return Unusable(channels, new Note("no-pulse", "There is no pulse channel. Say which with --channel pulse=COLUMN."));
        List<Note> notes = [];
        var place = Place(request, pulse, notes);
        if (engine.Cylinders < 3)
            return Unusable(
                channels,
                new Note(
                    "few-cylinders",
                    "With fewer than three cylinders nothing tells which of them is the odd one. Compare with another capture of the "
                        + "same engine."
                ),
                place
            );
        if (FiringPattern.Repeats(engine.Angles(), CycleFold.Bins) < FewAlike)
            return Unusable(
                channels,
                new Note(
                    "uneven-firing",
                    "Fewer than three cylinders have alike what comes before and after their own pulse: the distances between firings are "
                        + "uneven, or no whole degrees. Nothing tells which of them is the odd one. Compare with another capture of "
                        + "the same engine, or read relative compression and misfires."
                ),
                place
            );
        var (clock, zero, problem) = Clock(channels, engine, request.Options.GetValueOrDefault("sync-kind", "ignition"), cylinder, notes);
        if (clock is null)
            return Unusable(channels, problem!, place);
        cancel.ThrowIfCancellationRequested();
        if (PulseShares.Of(pulse, clock, zero, engine, place, transit) is not { } shares)
            return Unusable(channels, new Note("few-cycles", "Fewer than three whole cycles: capture at least ten, better thirty."), place);
        if ((Blurred(clock, engine) ?? Silence(pulse, shares, place)) is { } silent)
            return Unusable(channels, silent, place);
        return Build(request, channels, place, clock, zero, shares, notes);
    }

    private static PulsePlace Place(ReadingRequest request, Channel pulse, List<Note> notes)
    {
        if (request.Options.TryGetValue("at", out var said))
            return PulsePlace.All.First(p => p.Name == said);
        var guess =
            PulsePlace.All.FirstOrDefault(p => pulse.Name.Contains(p.Name, StringComparison.OrdinalIgnoreCase)) ?? PulsePlace.All[1];
        notes.Add(new("at-guessed", $"'{pulse.Name}' is taken for a pick-up on the {guess.Name}; say so where it sits elsewhere."));
        return guess;
    }

    /// <summary>Crank degrees, and where the first cylinder of the firing order has its firing TDC on them.</summary>
    private static (AngleClock? Clock, double Zero, Note? Problem) Clock(
        Dictionary<string, Channel> channels,
        Engine engine,
        string kind,
        int cylinder,
        List<Note> notes
    )
    {
        var sync = channels.GetValueOrDefault("sync");
        if (sync is null && channels.TryGetValue("cam", out var cam))
            (sync, kind) = (cam, "cam");
        if (kind is not ("ignition" or "injector" or "cam" or "pressure"))
            throw new ReadingException($"--sync-kind is ignition, injector, cam or pressure, not '{kind}'.");
        if (sync is null)
            return (
                null,
                0,
                new Note(
                    "no-sync",
                    "Without a sync no pulse has a cylinder's name. Capture the ignition or the injector of one cylinder as well, and "
                        + "say it with --channel sync=COLUMN --sync-cylinder N."
                )
            );
        if (channels.TryGetValue("crank", out var crank) && AngleClock.Make(crank, engine, CycleMarks.Of(sync)).Clock is { } wheel)
        {
            var phase = CyclePhase.Find(wheel, engine, sync, kind, cylinder);
            if (phase.Tdc is { } tdc)
            {
                if (phase.Doubt is { } doubt)
                    notes.Add(doubt);
                return (wheel, tdc, null);
            }
        }

        var (clock, problem) = MarkClock.FromSync(sync, kind, cylinder, engine);
        if (clock is not null)
            notes.AddRange(clock.Notes);
        return (clock, 0, problem);
    }

    /// <summary>A pick-up whose trace does not come again from cycle to cycle tells nothing.</summary>
    private static Note? Silence(Channel pulse, PulseShares shares, PulsePlace place) =>
        shares.Repeats < (place.IsLeakOnly ? LeastRepeatOfLeaks : LeastRepeat)
            ? new Note(
                "no-pulses",
                $"'{pulse.Name}' shows no pulses in step with the engine: what its cycles have in common is no more than chance. Check "
                    + "hose and pick-up, and choose a smaller range."
            )
            : null;

    /// <summary>Degrees known to no better than a quarter of the firing interval name no cylinder.</summary>
    private static Note? Blurred(AngleClock clock, Engine engine) =>
        clock.StandardErrorDegrees > 720.0 / engine.Cylinders / 4
            ? new Note(
                "degrees-unknown",
                $"Crank degrees are known to no better than ± {clock.StandardErrorDegrees:0}°, and cylinders fire "
                    + $"{720.0 / engine.Cylinders:0}° apart. Sample the sync faster, or capture the crank sensor as well."
            )
            : null;

    private static PulsesResult Build(
        ReadingRequest request,
        Dictionary<string, Channel> channels,
        PulsePlace place,
        AngleClock clock,
        double zero,
        PulseShares shares,
        List<Note> notes
    )
    {
        var engine = request.Engine!;
        var cylinders = shares.Compare(engine);
        if (shares is { IsUnexplained: true, Apart: > Alike })
            return Unusable(channels, PulseDoubts.Unlike(shares, place), place);
        var odd = cylinders.Where(c => c.IsOdd).OrderByDescending(c => c.Oddness).ToList();
        if (shares.IsTurned)
            notes.Add(
                new(
                    "turned-over",
                    "The pick-up is connected the other way round: its trace rises while a cylinder draws and falls with a jerk as the "
                        + "next begins. It is read and drawn turned over."
                )
            );
        if (shares.Cycles < FewCycles)
            notes.Add(new("few-cycles", $"Only {shares.Cycles} whole cycles: thirty make the figures sure."));
        if (!shares.TransitIsSure)
            notes.Add(
                new(
                    "transit-doubtful",
                    $"The pulse is taken to be {shares.TransitMs:0.0} ms under way from valve to pick-up, as usual; at this speed "
                        + $"and so many cylinders a few milliseconds more or less name the neighbour in the firing order. Measure "
                        + $"the pipe's length and say the time with --transit."
                )
            );
        List<Note> doubts = odd.Count > 0 ? PulseDoubts.Of(shares, engine) : [];
        notes.AddRange(doubts);
        if (shares.IsUnexplained)
            notes.Add(PulseDoubts.Unexplained(shares, place));
        else if (odd.Count == 0 && PulseDoubts.Firing(place, clock.SpeedRpm >= Cranking) is { } firing)
            notes.Add(firing);
        if (clock.SpeedRpm < Cranking)
            notes.Add(new("cranking", "The starter turns the engine: nothing fires, so only sealing and valves show in the pulses."));
        var verdict =
            odd.Count == 0 ? "even"
            : odd.Count == 1 ? "one-odd"
            : "several-odd";
        var cause =
            odd.Count == 1 && place.Name == "exhaust" && channels.TryGetValue("intake", out var intake)
                ? Cause(intake, clock, zero, engine, odd[0].Cylinder)
            : shares.IsLostFire ? "combustion"
            : null;
        var pressures = channels.TryGetValue("back-pressure", out var back) ? BackPressures.Of(back, clock, request) : [];
        return new PulsesResult
        {
            Verdict = verdict,
            Sentence =
                (
                    shares.IsUnexplained
                        ? $"No cylinder stands out for sure at the {place.Name}, {clock.SpeedRpm:0} rpm, though they differ."
                        : Sentence(place, odd, Does(shares, engine, odd), cause, clock.SpeedRpm)
                )
                + PulseDoubts.Said(doubts)
                + BackPressures.Said(pressures, back?.Unit),
            Notes = notes,
            Channels = RoleResolver.Names(channels),
            Span = new Stretch(clock.Seconds[0], clock.Seconds[^1]),
            At = place.Name,
            SpeedRpm = clock.SpeedRpm,
            Cycles = shares.Cycles,
            TransitMs = shares.TransitMs,
            Cylinders = cylinders,
            Course = shares.Mean,
            Starts = [.. cylinders.Select(c => shares.StartOf(engine.FiringOrder.ToList().IndexOf(c.Cylinder)))],
            Cause = cause,
            BackPressureUnit = back?.Unit,
            BackPressure = pressures,
            Sensor = back is not null && channels.TryGetValue("sensor", out var sensor) ? BackPressures.Line(back, sensor) : null,
        };
    }

    /// <summary>
    /// A cylinder that draws like the others but blows out otherwise lacks its burn; one that draws otherwise has a mechanical
    /// fault.
    /// </summary>
    private static string? Cause(Channel intake, AngleClock clock, double zero, Engine engine, int cylinder)
    {
        if (PulseShares.Of(intake, clock, zero, engine, PulsePlace.All[0], null) is not { } drawn)
            return null;
        var isOdd = drawn.Compare(engine).First(c => c.Cylinder == cylinder).IsOdd;
        return isOdd && !drawn.IsLostFire ? "mechanical" : "combustion";
    }

    /// <summary>What the oddest cylinder does at another's place, which its own share does not show; null where that shows it.</summary>
    private static string? Does(PulseShares shares, Engine engine, List<CylinderPulse> odd) =>
        odd.Count == 0 || shares.Causes?.Best is not { } best || engine.FiringOrder[best.Places[0]] != odd[0].Cylinder
            ? null
            : best.Fault switch
            {
                PulseFault.Thrust => "gas is thrust back through its intake valve when it is compressed",
                PulseFault.Blowback => "it blows back when its intake valve opens: what was in it did not leave through its exhaust valve",
                PulseFault.LostFire => "it fires weakly or not at all; the engine slows after it, and the others draw less the while",
                PulseFault.Escape => "gas escapes through its exhaust valve while it is compressed and burns",
                _ => null,
            };

    private static string Sentence(PulsePlace place, List<CylinderPulse> odd, string? does, string? cause, double rpm)
    {
        if (odd.Count == 0)
            return $"All cylinders pulse alike at the {place.Name}, {rpm:0} rpm.";
        var first = odd[0];
        var what =
            does is not null ? does
            : first.DepthPercent < 0 ? "its pulse is turned round: it pushes where the others draw"
            : first.DepthPercent < 85 ? $"its pulse is only {first.DepthPercent:0} % as deep"
            : first.DepthPercent > 115 ? $"its pulse is {first.DepthPercent:0} % as deep"
            : Math.Abs(first.ShiftDegrees) > 6
                ? $"its pulse comes {Math.Abs(first.ShiftDegrees):0}° {(first.ShiftDegrees > 0 ? "later" : "earlier")}"
            : $"its shape differs by {first.ShapeDifference:0} %";
        var more = odd.Count > 1 ? $" Cylinder {string.Join(", ", odd.Skip(1).Select(c => c.Cylinder))} too." : "";
        var why = cause switch
        {
            "combustion" when place.Name == "intake" => " Look at spark and fuel first, then at its compression.",
            "combustion" => " It draws like the others: look at spark and fuel, not at the valves.",
            "mechanical" => " It draws otherwise too: look at valves and sealing.",
            _ => "",
        };
        return $"Cylinder {first.Cylinder} differs at the {place.Name}: {what}.{more}{why}";
    }

    private static PulsesResult Unusable(Dictionary<string, Channel> channels, Note note, PulsePlace place) =>
        Unusable(channels, note) with
        {
            At = place.Name,
        };
}
