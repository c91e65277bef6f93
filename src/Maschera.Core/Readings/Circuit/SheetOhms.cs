using Maschera.Core.Vehicle;

namespace Maschera.Core.Readings.Circuit;

/// <summary>What resistances of a sheet tell: wires cut, of too many ohms, or touching each other.</summary>
internal sealed class SheetOhms(IReadOnlyList<SheetRow> rows)
{
    /// <summary>
    /// Ω: two wires under it touch, but a consumer on a battery's feed may have as little as the second; one wire over the third
    /// carries no load, over the fourth it is open.
    /// </summary>
    internal const double Touching = 30,
        LeastConsumer = 2,
        TooMuch = 3,
        OpenFrom = 100_000;

    private readonly List<SheetRow> _rows = [.. rows.Where(r => r.Quantity == SheetQuantity.Resistance)];

    /// <summary>Resistances with the circuit live, and continuity without load: they prove nothing.</summary>
    public IEnumerable<SheetRow> Proofless => _rows.Where(r => r.IsLive || IsOneWire(r) && r.Value <= TooMuch);

    /// <summary>An open wire, or one of too many ohms, found with the power off.</summary>
    public IEnumerable<WireState> Continuity(string wire, IReadOnlyList<string> ends)
    {
        foreach (var row in Resistances().Where(r => ends.Any(e => r.IsBetween(wire, e)) && r.Value > TooMuch))
            yield return row.Value > OpenFrom
                ? new(
                    wire,
                    WireState.Open,
                    double.IsFinite(row.Value) ? row.Value : null,
                    "Ohm",
                    $"The {Terminals.Spoken(wire)} is open: no continuity to {Terminals.Spoken(WireJudge.Other(row, wire))}."
                )
                : new(
                    wire,
                    WireState.HighResistance,
                    row.Value,
                    "Ohm",
                    $"The {Terminals.Spoken(wire)} has {row.Value:0.#} Ω to {Terminals.Spoken(WireJudge.Other(row, wire))}."
                );
    }

    /// <summary>Two wires that touch, measured with the power off and the component taken off.</summary>
    public IEnumerable<SheetRow> Shorts(string wire, IReadOnlyList<string> others) =>
        Resistances().Where(r => r.IsUnplugged && r.Value < Touching && others.Any(o => o != wire && r.IsBetween(wire, o)));

    private IEnumerable<SheetRow> Resistances() => _rows.Where(r => !r.IsLive);

    /// <summary>True where both leads were on ends of one wire.</summary>
    private static bool IsOneWire(SheetRow row)
    {
        string[] ends = [row.From, row.To];
        return ends.Any(Terminals.IsGround) && ends.Any(WireJudge.Grounds.Contains)
            || ends.Any(Terminals.IsSupply) && ends.Any(e => e is "battery +" or "module supply")
            || ends.Any(Terminals.IsSignal) && ends.Any(WireJudge.IsModuleSide);
    }

    public static WireState Touch(string wire, string state, SheetRow row) =>
        new(
            wire,
            state,
            row.Value,
            "Ohm",
            $"The {Terminals.Spoken(wire)} touches {Terminals.Spoken(WireJudge.Other(row, wire))}: {row.Value:0.##} Ω with the "
                + "component taken off."
        );
}
