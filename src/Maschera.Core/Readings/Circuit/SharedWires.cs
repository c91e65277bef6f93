using Maschera.Core.Basics;
using Maschera.Core.Vehicle;

namespace Maschera.Core.Readings.Circuit;

/// <summary>Where a loss lies: in what components share, in one's own branch, or before the wire altogether.</summary>
internal static class SharedWires
{
    /// <summary>Wires of one name at several components: bad at all of them, or at one alone.</summary>
    public static IEnumerable<Note> Notes(IReadOnlyList<WireState> states)
    {
        foreach (var wires in states.Where(s => s.Component is not null && !Terminals.IsSignal(s.Wire)).GroupBy(s => s.Wire))
        {
            var bad = wires.Where(w => w.IsFaulty).ToList();
            var good = wires.Where(w => w.State == WireState.Sound).ToList();
            if (bad.Count > 1 && good.Count == 0)
                yield return new(
                    "shared-wire",
                    $"The {Terminals.Spoken(wires.Key)} is bad at {Names(bad)}. If they share it, the fault lies in the splice or "
                        + "before it."
                );
            else if (bad.Count > 0 && good.Count > 0)
                yield return new(
                    "own-branch",
                    $"The {Terminals.Spoken(wires.Key)} is sound at {Names(good)}. If they share it, the fault lies in the branch "
                        + $"to {Names(bad)} behind the splice."
                );
        }
    }

    /// <summary>A loss that was there already before the wire: between chassis and battery, or where the module takes its supply.</summary>
    public static IEnumerable<Note> Before(IReadOnlyList<SheetRow> rows, IReadOnlyList<WireState> faulty)
    {
        var strap = rows.FirstOrDefault(r => r.Quantity == SheetQuantity.Voltage && r.IsLoaded && r.IsBetween("chassis", "battery -"));
        if (strap is not null && faulty.FirstOrDefault(f => Terminals.IsGround(f.Wire)) is { } ground)
            yield return Math.Abs(strap.Value) > WireJudge.GroundLoss
                ? new(
                    "before-the-wire",
                    $"{WireJudge.Volts(Math.Abs(strap.Value))} are lost between chassis and battery − already: look there first."
                )
                : new("in-the-wire", $"Chassis to battery − is sound: the loss lies in the {Terminals.Spoken(ground.Wire)} itself.");
        var fed = rows.FirstOrDefault(r => r.Quantity == SheetQuantity.Voltage && r.IsLoaded && r.IsBetween("module supply", "battery -"));
        if (
            fed is null
            || faulty.FirstOrDefault(f => Terminals.IsSupply(f.Wire) && (f.State is WireState.Open or WireState.HighResistance))
                is not { } supply
        )
            yield break;
        var leaves = WireJudge.Volts(Math.Abs(fed.Value));
        if (IsLow(fed, rows, supply.Wire) is { } low)
            yield return low
                ? new(
                    "before-the-wire",
                    $"Only {leaves} leave the module or fuse: the loss lies before the {Terminals.Spoken(supply.Wire)}."
                )
                : new("in-the-wire", $"{leaves} leave the module or fuse: the loss lies in the {Terminals.Spoken(supply.Wire)} itself.");
    }

    /// <summary>Null where the battery in the same condition is not known.</summary>
    private static bool? IsLow(SheetRow fed, IReadOnlyList<SheetRow> rows, string supply)
    {
        if (WireJudge.IsRegulated(supply))
            return Math.Abs(fed.Value) < WireJudge.Regulated * (1 - WireJudge.RegulatedShare);
        var battery = rows.FirstOrDefault(r =>
            r.Quantity == SheetQuantity.Voltage && r.State == fed.State && r.IsBetween("battery +", "battery -")
        );
        return battery is null ? null : Math.Abs(battery.Value) - Math.Abs(fed.Value) > WireJudge.SupplyLoss;
    }

    private static string Names(List<WireState> wires) => string.Join(" and ", wires.Select(w => w.Component));
}
