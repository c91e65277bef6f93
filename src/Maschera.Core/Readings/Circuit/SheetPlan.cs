using System.Globalization;
using Maschera.Core.Vehicle;

namespace Maschera.Core.Readings.Circuit;

/// <summary>A measurement that tells something of a wire, and what a sound one gives.</summary>
/// <param name="From">The red lead.</param>
/// <param name="To">The black lead.</param>
/// <param name="Unplugged">True where the component is taken off and the power is off; else plugged in and loaded.</param>
/// <param name="Should">What a sound circuit gives, for a person.</param>
/// <param name="ForAll">True where one value holds for every component of the sheet: the battery's own.</param>
public sealed record PlannedMeasure(string From, string To, SheetQuantity Quantity, bool Unplugged, string Should, bool ForAll = false)
{
    /// <summary>What the condition of its rows says when the component is off.</summary>
    public const string Off = "unplugged, key off";

    /// <summary>True where a row answers it.</summary>
    public bool IsAnsweredBy(SheetRow row) =>
        row.Quantity == Quantity && row.IsBetween(From, To) && (Unplugged ? row.IsUnplugged && !row.IsLive : row.IsLoaded);
}

/// <summary>
/// What to measure at a component's plug, the least work first: everything that can be probed plugged in and loaded, then what needs
/// the plug off.
/// </summary>
public static class SheetPlan
{
    /// <summary>The terminals that a kind of component has, by its name for a person.</summary>
    public static IReadOnlyDictionary<string, IReadOnlyList<string>> Kinds { get; } =
        new Dictionary<string, IReadOnlyList<string>>
        {
            ["Sensor with a 5 V supply"] = ["supply 5v", "signal", "ground"],
            ["Sensor fed by the battery"] = ["supply", "signal", "ground"],
            ["Sensor of two wires"] = ["signal", "signal 2"],
            ["Pump, lamp or motor"] = ["supply", "ground"],
            ["Valve or injector switched by its module"] = ["supply", "signal"],
        };

    /// <summary>A sheet with its components as its rows name them; one that names none gets <paramref name="name"/>.</summary>
    public static CircuitSheet Named(CircuitSheet sheet, string name) =>
        sheet.Components.Count > 0
            ? sheet
            : sheet with
            {
                Components =
                [
                    .. sheet.Names.Select(n => new SheetComponent(
                        n.Length > 0 ? n : name,
                        [.. new WireJudge(sheet.RowsOf(n)).Wires.Select(w => new SheetPin(w))]
                    )),
                ],
            };

    /// <summary>True where a word names a terminal of a component's own plug.</summary>
    public static bool IsTerminal(string word) => Terminals.IsGround(word) || Terminals.IsSupply(word) || Terminals.IsSignal(word);

    /// <summary>The measurements for a component of these terminals.</summary>
    public static IReadOnlyList<PlannedMeasure> Of(IReadOnlyList<string> terminals)
    {
        var grounds = terminals.Where(Terminals.IsGround).ToList();
        var supplies = terminals.Where(Terminals.IsSupply).ToList();
        var signals = terminals.Where(Terminals.IsSignal).ToList();
        List<PlannedMeasure> plan = [];
        if (supplies.Any(s => !WireJudge.IsRegulated(s)))
            plan.Add(new("battery +", "battery -", SheetQuantity.Voltage, false, "what the battery has meanwhile", ForAll: true));
        plan.AddRange(grounds.Select(g => Loaded(g, "battery -", $"up to {WireJudge.Volts(WireJudge.GroundLoss)}")));
        plan.AddRange(supplies.Select(s => Loaded(s, "battery -", SupplyShould(s))));
        plan.AddRange(signals.Select(s => Loaded(s, $"module {s}", $"up to {WireJudge.Volts(WireJudge.SignalLoss)}")));
        plan.AddRange(Shorts(grounds, supplies, signals));
        return plan;
    }

    /// <summary>
    /// What to measure next: whatever is missing of a wire that nothing is known of, plugged in before taken off; with a wire that
    /// loses too much, where it loses it, and whether it touches another. Null where everything is told.
    /// </summary>
    public static PlannedMeasure? Next(CircuitSheet sheet, SheetComponent component)
    {
        var rows = sheet.RowsOf(component.Name);
        var terminals = component.Pins.Select(p => p.Terminal).ToList();
        var judge = new WireJudge(rows, terminals);
        var states = judge.Wires.ToDictionary(w => w, w => judge.Judge(w).State);
        var open = Of(terminals).Where(m => !rows.Any(m.IsAnsweredBy)).ToList();
        var lossy = states.Where(s => s.Value is WireState.HighResistance or WireState.Open).Select(s => s.Key).ToList();
        var isHealthy = states.Values.All(s => s is WireState.Sound or WireState.NotMeasured);
        return open.Find(m => !m.Unplugged && (m.ForAll || Ends(m).Any(e => states.GetValueOrDefault(e) == WireState.NotMeasured)))
            ?? lossy.Select(Narrowing).FirstOrDefault(m => !rows.Any(m.IsAnsweredBy))
            ?? open.Find(m => m.Unplugged && (isHealthy || Ends(m).Any(lossy.Contains)));
    }

    private static IEnumerable<string> Ends(PlannedMeasure measure) => [measure.From, measure.To];

    /// <summary>
    /// The same loss taken nearer to where the current comes from, for it may lie before the wire; a signal's loss does not tell a cut
    /// from a bad joint, its ohms do.
    /// </summary>
    private static PlannedMeasure Narrowing(string wire) =>
        Terminals.IsGround(wire) ? Loaded("chassis", "battery -", $"up to {WireJudge.Volts(WireJudge.GroundLoss)}")
        : Terminals.IsSupply(wire) ? Loaded("module supply", "battery -", SupplyShould(wire))
        : new(wire, $"module {wire}", SheetQuantity.Resistance, true, $"under {SheetOhms.TooMuch:0} Ω");

    private static PlannedMeasure Loaded(string from, string to, string should) => new(from, to, SheetQuantity.Voltage, false, should);

    private static string SupplyShould(string supply) =>
        WireJudge.IsRegulated(supply)
            ? $"{Volts(WireJudge.Regulated * (1 - WireJudge.RegulatedShare))} to "
                + $"{Volts(WireJudge.Regulated * (1 + WireJudge.RegulatedShare))} V"
            : $"at most {WireJudge.Volts(WireJudge.SupplyLoss)} under the battery";

    private static string Volts(double volts) => volts.ToString("0.00", CultureInfo.InvariantCulture);

    private static IEnumerable<PlannedMeasure> Shorts(List<string> grounds, List<string> supplies, List<string> signals)
    {
        var ground = grounds.FirstOrDefault("chassis");
        foreach (var (i, signal) in signals.Index())
        {
            yield return Apart(signal, ground);
            foreach (var supply in supplies)
                yield return Apart(signal, supply);
            foreach (var other in signals.Skip(i + 1))
                yield return Apart(signal, other);
        }

        foreach (var supply in supplies)
        {
            yield return Apart(supply, ground);
            if (WireJudge.IsRegulated(supply))
                yield return Apart(supply, "battery +");
        }
    }

    private static PlannedMeasure Apart(string one, string other) =>
        new(one, other, SheetQuantity.Resistance, true, $"over {SheetOhms.Touching:0} Ω, or OL");
}
