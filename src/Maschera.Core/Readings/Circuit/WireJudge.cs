using System.Globalization;
using Maschera.Core.Vehicle;

namespace Maschera.Core.Readings.Circuit;

/// <summary>Judges one wire of a component from the rows of its sheet.</summary>
internal sealed class WireJudge
{
    /// <summary>What a wire may lose under load, V: a ground, a supply from the battery, a signal to its module.</summary>
    internal const double GroundLoss = 0.1,
        SupplyLoss = 0.5,
        SignalLoss = 0.1;

    /// <summary>A regulated supply, V, and the share it may be off by.</summary>
    internal const double Regulated = 5,
        RegulatedShare = 0.05;

    /// <summary>A battery's voltage read twice may differ by this share.</summary>
    private const double MeterShare = 0.005;

    /// <summary>A loss of this share of what feeds the wire is an open circuit.</summary>
    private const double OpenShare = 0.85;

    /// <summary>A battery's supply that keeps this share of it under load touches no ground.</summary>
    private const double HeldShare = 0.5;

    internal static readonly string[] Grounds = ["battery -", "chassis", "module ground"];

    private readonly List<SheetRow> _rows;
    private readonly List<SheetRow> _voltages;
    private readonly IReadOnlyList<string> _pins;
    private readonly SheetLevels _levels;
    private readonly SheetOhms _ohms;

    /// <param name="rows">Of one component, with those that hold for all.</param>
    /// <param name="pins">Terminals it has beside those measured; null for none.</param>
    public WireJudge(IReadOnlyList<SheetRow> rows, IReadOnlyList<string>? pins = null)
    {
        // The same said again proves nothing more.
        _rows = [.. rows.DistinctBy(r => (r.From, r.To, r.Quantity, r.Value, r.Condition))];
        _voltages = [.. _rows.Where(r => r.Quantity == SheetQuantity.Voltage && double.IsFinite(r.Value))];
        _pins = pins ?? [];
        (_levels, _ohms) = (new(_voltages), new(_rows));
        Wires = Named();
    }

    /// <summary>The component's own terminals that the sheet or its pins name, ground first, then supplies, then signals.</summary>
    public IReadOnlyList<string> Wires { get; }

    private List<string> Named() =>
        [
            .. _rows
                .SelectMany(r => new[] { r.From, r.To })
                .Concat(_pins)
                .Where(t => Terminals.IsGround(t) || Terminals.IsSupply(t) || Terminals.IsSignal(t))
                .Distinct()
                .OrderBy(t =>
                    Terminals.IsGround(t) ? 0
                    : Terminals.IsSupply(t) ? 1
                    : 2
                )
                .ThenBy(t => t, StringComparer.Ordinal),
        ];

    /// <summary>Resistances with the circuit live, and continuity without load: they prove nothing.</summary>
    public IEnumerable<SheetRow> Proofless => _ohms.Proofless;

    public static bool IsRegulated(string terminal) =>
        terminal.Contains("5v", StringComparison.Ordinal) || terminal.Contains("5 v", StringComparison.Ordinal);

    /// <summary>What is known of a wire: a fault before all, then a proof that it is sound, else nothing.</summary>
    public WireState Judge(string wire)
    {
        var said = (
            Terminals.IsGround(wire) ? Ground(wire)
            : Terminals.IsSupply(wire) ? Supply(wire)
            : Signal(wire)
        ).ToList();
        return said.Find(s => s.State.StartsWith("short", StringComparison.Ordinal))
            ?? said.Where(s => s.IsFaulty).MaxBy(s => s.State == WireState.Open ? 2 : 1)
            ?? said.Find(s => s.State == WireState.Sound)
            ?? new(wire, WireState.NotMeasured, null, "", $"Nothing that was measured proves the {Spoken(wire)} under load.");
    }

    private IEnumerable<WireState> Ground(string wire)
    {
        foreach (var row in _voltages.Where(r => Grounds.Any(g => r.IsBetween(wire, g))))
            yield return OfLoss(
                wire,
                row,
                Math.Abs(row.Value),
                GroundLoss,
                Feeding(row),
                $"between the {Spoken(wire)} and {Spoken(Other(row, wire))}"
            );
        foreach (var state in OfGroundAgainstBattery(wire))
            yield return state;
        // The supply is there and the component still gets too little: what is lost lies in the ground.
        foreach (var row in _voltages.Where(r => r.IsLoaded && Terminals.IsSupply(Other(r, wire)) && r.IsBetween(wire, Other(r, wire))))
            if (_levels.Supply(Other(row, wire), row.State) is { } supply)
                yield return OfLoss(wire, row, supply - Math.Abs(row.Value), GroundLoss, supply, $"in the {Spoken(wire)}");
        foreach (var state in _ohms.Continuity(wire, Grounds))
            yield return state;
    }

    /// <summary>Two large figures differ by too little to prove a ground; what they differ by too much is lost in it.</summary>
    private IEnumerable<WireState> OfGroundAgainstBattery(string wire)
    {
        foreach (var row in _voltages.Where(r => r.IsBetween(wire, "battery +")))
            if (
                _levels.Battery(row) is { } battery
                && battery - Math.Abs(row.Value) is var lost
                && lost > GroundLoss + MeterShare * battery
            )
                yield return OfLoss(wire, row, lost, GroundLoss, Feeding(row), $"between the {Spoken(wire)} and battery −");
    }

    private IEnumerable<WireState> Supply(string wire)
    {
        foreach (var row in _voltages.Where(r => Grounds.Any(g => r.IsBetween(wire, g))))
        foreach (var state in OfSupply(wire, row, Math.Abs(row.Value)))
            yield return state;
        foreach (var row in _voltages.Where(r => r.IsBetween(wire, "battery +") || r.IsBetween(wire, "module supply")))
            yield return OfLoss(
                wire,
                row,
                Math.Abs(row.Value),
                SupplyLoss,
                _levels.Battery(row) ?? 12,
                $"between the {Spoken(wire)} and {Spoken(Other(row, wire))}"
            );
        foreach (var row in AcrossComponent(wire))
        foreach (var state in OfSupplyAcross(wire, row))
            yield return state;
        // A regulated supply has no way to the battery: an open circuit is what should be there.
        foreach (var state in _ohms.Continuity(wire, IsRegulated(wire) ? ["module supply"] : ["battery +", "module supply"]))
            yield return state;
        foreach (var row in ToGround(wire).Where(r => !IsConsumer(wire, r)))
            yield return SheetOhms.Touch(wire, WireState.ToGround, row);
        if (IsRegulated(wire))
            foreach (var row in _ohms.Shorts(wire, ["battery +", "supply"]))
                yield return SheetOhms.Touch(wire, WireState.ToSupply, row);
    }

    private IEnumerable<SheetRow> ToGround(string wire) => _ohms.Shorts(wire, [.. Grounds, .. Wires.Where(Terminals.IsGround)]);

    /// <summary>Few ohms from a supply to ground that are no short, but what else hangs on that feed, or the component.</summary>
    public IEnumerable<SheetRow> Consumers => Wires.Where(Terminals.IsSupply).SelectMany(w => ToGround(w).Where(r => IsConsumer(w, r)));

    /// <summary>The supply keeps its voltage under load, or it is the battery's, on which others hang as well.</summary>
    private bool IsConsumer(string wire, SheetRow row) => Holds(wire) || !IsRegulated(wire) && row.Value > SheetOhms.LeastConsumer;

    /// <summary>True for a supply that a load does not pull down to where a short to ground would.</summary>
    private bool Holds(string wire) =>
        _voltages.Any(r =>
            r.IsLoaded
            && (
                IsAnyGround(Other(r, wire))
                    && r.IsBetween(wire, Other(r, wire))
                    && Math.Abs(r.Value) > (IsRegulated(wire) ? Regulated * (1 - RegulatedShare) : HeldShare * (_levels.Battery(r) ?? 12))
                || r.IsBetween(wire, "battery +") && Math.Abs(r.Value) < SupplyLoss
            )
        );

    /// <summary>
    /// A supply against the component's own ground: proved where both together lose no more than it may, at fault where more is lost
    /// than the ground is known to lose.
    /// </summary>
    private IEnumerable<WireState> OfSupplyAcross(string wire, SheetRow row)
    {
        if (Source(wire, row) is not { } source)
            yield break;
        var volts = Math.Abs(row.Value);
        if (source - volts <= Loss(wire))
            yield return new(wire, WireState.Sound, Math.Round(volts, 4), "V", $"The {Spoken(wire)} keeps {Volts(volts)} under load.");
        else if (_levels.LostInGround(Other(row, wire), row.State) is { } inGround)
            yield return OfLoss(wire, row, source - volts - inGround, Loss(wire), source, $"in the {Spoken(wire)}");
    }

    /// <summary>Loaded voltages of a supply against the component's own grounds.</summary>
    private IEnumerable<SheetRow> AcrossComponent(string wire) =>
        _voltages.Where(r => r.IsLoaded && Terminals.IsGround(Other(r, wire)) && r.IsBetween(wire, Other(r, wire)));

    /// <summary>
    /// A component that gets too little while neither its supply nor its ground was measured against anything else: one of them is
    /// bad, which one is open.
    /// </summary>
    public SheetRow? LostSomewhere(string wire) =>
        Terminals.IsSupply(wire) && Judge(wire).State == WireState.NotMeasured
            ? AcrossComponent(wire)
                .FirstOrDefault(r =>
                    Source(wire, r) - Math.Abs(r.Value) > Loss(wire) + GroundLoss && Judge(Other(r, wire)).State == WireState.NotMeasured
                )
            : null;

    private IEnumerable<WireState> OfSupply(string wire, SheetRow row, double volts)
    {
        if (IsRegulated(wire))
        {
            if (volts > Regulated * (1 + RegulatedShare))
                yield return new(
                    wire,
                    WireState.ToSupply,
                    Math.Round(volts, 4),
                    "V",
                    $"The {Spoken(wire)} stands at {Volts(volts)}: it touches a higher supply."
                );
            else
                yield return OfLoss(wire, row, Regulated - volts, Regulated * RegulatedShare, Regulated, $"of the {Spoken(wire)}", volts);
        }
        else if (_levels.Battery(row) is { } battery)
            yield return OfLoss(wire, row, battery - volts, SupplyLoss, battery, $"of the {Spoken(wire)}", volts);
    }

    private IEnumerable<WireState> Signal(string wire)
    {
        foreach (var row in _voltages.Where(r => IsModuleSide(Other(r, wire)) && r.IsBetween(wire, Other(r, wire))))
            yield return OfLoss(wire, row, Math.Abs(row.Value), SignalLoss, Regulated, $"between the {Spoken(wire)} and the module");
        foreach (
            var row in _voltages.Where(r =>
                Grounds.Concat(Wires.Where(Terminals.IsGround)).Any(g => r.IsBetween(wire, g)) && Math.Abs(r.Value) > Regulated * 1.1
            )
        )
            yield return new(
                wire,
                WireState.ToSupply,
                Math.Round(Math.Abs(row.Value), 4),
                "V",
                $"The {Spoken(wire)} stands at {Volts(Math.Abs(row.Value))}, more than its module can give: it touches a supply."
            );
        foreach (var state in BothEnds(wire))
            yield return state;
        foreach (var state in _ohms.Continuity(wire, ["module signal", $"module {Spoken(wire)}"]))
            yield return state;
        foreach (var row in ToGround(wire))
            yield return SheetOhms.Touch(wire, WireState.ToGround, row);
        foreach (var row in _ohms.Shorts(wire, ["battery +", .. Wires.Where(Terminals.IsSupply)]))
            yield return SheetOhms.Touch(wire, WireState.ToSupply, row);
        foreach (var row in _ohms.Shorts(wire, [.. Wires.Where(w => Terminals.IsSignal(w) && w != wire)]))
            yield return SheetOhms.Touch(wire, WireState.ToSignal, row);
    }

    /// <summary>The module's end stands at a voltage that does not come through to the plug, both measured in one condition.</summary>
    private IEnumerable<WireState> BothEnds(string wire)
    {
        var plug = _voltages.Where(r => (r.From == wire || r.To == wire) && IsAnyGround(Other(r, wire)));
        foreach (var row in plug)
        foreach (
            var module in _voltages.Where(r =>
                IsModuleSide(r.From) != IsModuleSide(r.To) && IsAnyGround(IsModuleSide(r.From) ? r.To : r.From)
            )
        )
            if (
                module.State == row.State
                && module.IsUnplugged == row.IsUnplugged
                && Math.Abs(module.Value) - Math.Abs(row.Value) > OpenShare * Regulated
            )
                yield return new(
                    wire,
                    WireState.Open,
                    Math.Round(Math.Abs(row.Value), 4),
                    "V",
                    $"The {Spoken(wire)} is open: {Volts(Math.Abs(module.Value))} at the module, {Volts(Math.Abs(row.Value))} at the plug."
                );
    }

    private static bool IsAnyGround(string terminal) => Terminals.IsGround(terminal) || Grounds.Contains(terminal);

    internal static bool IsModuleSide(string terminal) => terminal.StartsWith("module signal", StringComparison.Ordinal);

    internal static string Other(SheetRow row, string wire) => row.From == wire ? row.To : row.From;

    private static double Loss(string wire) => IsRegulated(wire) ? Regulated * RegulatedShare : SupplyLoss;

    private double? Source(string wire, SheetRow row) => IsRegulated(wire) ? Regulated : _levels.Battery(row);

    /// <summary>What feeds a ground's current: the component's supply as measured, else the battery.</summary>
    private double Feeding(SheetRow row)
    {
        var isSensor = Wires.Any(IsRegulated) || Wires.Any(Terminals.IsSignal) && !Wires.Contains("supply");
        return !isSensor && _levels.Battery(row) is { } battery ? battery : Regulated;
    }

    /// <summary>A loss over its limit is a fault under any condition; under it only a loaded wire is proved.</summary>
    private static WireState OfLoss(
        string wire,
        SheetRow row,
        double loss,
        double limit,
        double source,
        string where,
        double? measured = null
    )
    {
        var figure = Math.Round(measured ?? loss, 4);
        var at = measured is { } volts ? $"only {Volts(volts)} are left {where}" : $"{Volts(loss)} are lost {where}";
        if (loss > OpenShare * source)
            return new(wire, WireState.Open, figure, "V", $"The {Spoken(wire)} is open: {at}.");
        if (loss > limit)
            return new(
                wire,
                WireState.HighResistance,
                figure,
                "V",
                $"The {Spoken(wire)} has too much resistance: {at}; up to {Volts(limit)} may be lost."
            );
        return row.IsLoaded
            ? new(wire, WireState.Sound, figure, "V", $"The {Spoken(wire)} is sound: {Volts(Math.Max(0, loss))} lost under load.")
            : new(wire, WireState.NotMeasured, figure, "V", $"The {Spoken(wire)} is good without load, which proves nothing.");
    }

    private static string Spoken(string terminal) => Terminals.Spoken(terminal);

    internal static string Volts(double volts) =>
        Math.Abs(volts) < 0.1 ? $"{1000 * volts:0.#} mV" : volts.ToString("0.00", CultureInfo.InvariantCulture) + " V";
}
