using System.Text.Json.Serialization.Metadata;
using Maschera.Core.Basics;
using Maschera.Core.Vehicle;

namespace Maschera.Core.Readings.Circuit;

/// <summary>Judges the wires of a component from what was measured with a meter.</summary>
public sealed class CircuitReading : ReadingOf<CircuitResult>
{
    public override JsonTypeInfo ResultJson => CircuitJson.Default.CircuitResult;
    public override string Kind => "circuit";
    public override string Title => "Circuit";

    public override string Method =>
        "Each wire is judged by what it loses: a ground 0.1 V, a supply 0.5 V of the battery in the same condition or 5 % of a regulated "
        + "one; shorts by ohms with the component taken off.\n"
        + "Only a value under load proves a wire sound; a bad one proves a fault in any condition. Ohms in a live circuit, and continuity "
        + "without load, prove nothing.";

    public override JobStep Step => JobStep.Circuit;

    public override IReadOnlyList<Verdict> Verdicts { get; } =
    [new("sound", Tone.Fine, "wires are sound"), new("fault", Tone.Fault, "a wire at fault"), Verdict.Unusable];

    public override bool ReadsSheet => true;

    protected override CircuitResult Make(ReadingRequest request, CancellationToken cancel)
    {
        var sheet = request.Sheet;
        var judges = sheet.Names.Select(name => (Name: name, Judge: JudgeOf(sheet, name))).ToList();
        var states = judges.SelectMany(j => StatesOf(j.Judge, j.Name)).ToList();
        var faulty = states.Where(s => s.IsFaulty).ToList();
        var open = states.Where(s => s.State == WireState.NotMeasured).ToList();
        var missing = open.Select(s => Named(s, Next(s.Wire))).ToList();
        var named = string.Join(", ", sheet.Names.Where(n => n.Length > 0));
        List<Note> notes =
        [
            .. Proofless(sheet.Rows),
            .. judges.SelectMany(j => j.Judge.Consumers.Select(Consumer)),
            .. judges.SelectMany(j => LostSomewhere(j.Judge)),
            .. SharedWires.Notes(states),
            .. SharedWires.Before(sheet.Rows, faulty),
        ];
        if (missing.Count > 0 && (faulty.Count > 0 || states.Any(s => s.State == WireState.Sound)))
            notes.Add(new("not-proved", $"Not proved: {string.Join(", ", open.Select(s => Named(s, Terminals.Spoken(s.Wire))))}."));
        if (faulty.Count == 0 && states.All(s => s.State != WireState.Sound))
        {
            var why = new Note(
                "nothing-proved",
                $"Nothing here proves a wire sound or at fault. Measure {(missing.Count > 0 ? missing[0] : Next("ground"))}."
            );
            return Unusable(NoChannels, why, notes) with
            {
                Component = named.Length > 0 ? named : null,
                Wires = states,
                Missing = missing.Count > 0 ? missing : [Next("ground"), Next("supply")],
            };
        }

        return new CircuitResult
        {
            Verdict = faulty.Count > 0 ? "fault" : "sound",
            Sentence = faulty.Count > 0 ? string.Join(" ", faulty.Select(f => Named(f, f.Text))) : Sound(states),
            Notes = notes,
            Component = named.Length > 0 ? named : null,
            Wires = states,
            Missing = missing,
        };
    }

    private static List<WireState> StatesOf(WireJudge judge, string component)
    {
        var states = WithoutWhatFollows([.. judge.Wires.Select(judge.Judge)]);
        return component.Length > 0 ? [.. states.Select(s => s with { Component = component })] : states;
    }

    private static WireJudge JudgeOf(CircuitSheet sheet, string component) =>
        new(sheet.RowsOf(component), sheet.Components.FirstOrDefault(c => c.Name == component)?.Pins.Select(p => p.Terminal).ToList());

    private static IEnumerable<Note> LostSomewhere(WireJudge judge)
    {
        foreach (var row in judge.Wires.Select(judge.LostSomewhere).OfType<SheetRow>())
            yield return new(
                "lost-somewhere",
                $"Only {WireJudge.Volts(Math.Abs(row.Value))} arrive between {Terminals.Spoken(row.From)} and {Terminals.Spoken(row.To)}: "
                    + "one of the two loses too much. Measure each of them against the battery, loaded."
            );
    }

    private static IEnumerable<Note> Proofless(IReadOnlyList<SheetRow> rows) => new WireJudge(rows).Proofless.Select(Proofless);

    /// <summary>What is said of a wire, with its component in front where the sheet names one.</summary>
    private static string Named(WireState wire, string text) => wire.Component is { } component ? $"{component}: {text}" : text;

    /// <summary>A component that hangs on an open ground lifts its other wires: what stands high then is not accused as well.</summary>
    private static List<WireState> WithoutWhatFollows(List<WireState> states) =>
        states.Any(s => Terminals.IsGround(s.Wire) && s.State == WireState.Open)
            ?
            [
                .. states.Select(s =>
                    Terminals.IsSignal(s.Wire) && s is { State: WireState.ToSupply, Unit: "V" }
                        ? s with
                        {
                            State = WireState.NotMeasured,
                            Text = $"The {Terminals.Spoken(s.Wire)} can't be judged while the ground is open.",
                        }
                        : s
                ),
            ]
            : states;

    private static string Sound(List<WireState> states)
    {
        var sound = states.Where(s => s.State == WireState.Sound).ToList();
        var named = sound
            .GroupBy(s => s.Component)
            .Select(g => Named(g.First(), string.Join(", ", g.Select(s => Terminals.Spoken(s.Wire)))));
        var open = states.Count - sound.Count;
        return $"{string.Join("; ", named)} {(sound.Count == 1 ? "is" : "are")} sound under load"
            + (open > 0 ? $"; {open} more {(open == 1 ? "is" : "are")} not proved." : ": look at the component itself.");
    }

    private static Note Consumer(SheetRow row) =>
        new(
            "other-consumers",
            $"{row.Value:0.##} Ω from {Terminals.Spoken(row.From)} to {Terminals.Spoken(row.To)} prove no short: it may be what else hangs "
                + "on that feed, or the component itself. Measure the supply's voltage under load, or the ohms with its fuse out."
        );

    private static Note Proofless(SheetRow row) =>
        row.IsLive
            ? new(
                "live-ohms",
                $"The resistance from {Terminals.Spoken(row.From)} to {Terminals.Spoken(row.To)} was measured with the circuit live "
                    + "and says nothing."
            )
            : new(
                "no-load",
                $"Continuity from {Terminals.Spoken(row.From)} to {Terminals.Spoken(row.To)} without load is no proof: one strand "
                    + "is enough for it."
            );

    private static string Next(string wire)
    {
        var spoken = Terminals.Spoken(wire);
        return Terminals.IsGround(wire) ? $"{spoken} at the component's plug against battery −, loaded"
            : Terminals.IsSupply(wire)
                ? $"{spoken} at the component's plug against battery −, loaded, and the battery in the same condition"
            : $"{spoken} at the component's plug against the module's {spoken}, loaded";
    }
}
