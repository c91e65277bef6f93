using Maschera.Core.Vehicle;

namespace Maschera.Core.Readings.Circuit;

/// <summary>What a sheet tells of battery, supplies and grounds, against which losses of other rows are taken; V.</summary>
internal sealed class SheetLevels
{
    private readonly Dictionary<(string State, bool Loaded), double> _batteries;
    private readonly Dictionary<(string Supply, string State), double> _supplies;
    private readonly Dictionary<(string Ground, string State), double> _groundLosses;

    public SheetLevels(IReadOnlyList<SheetRow> voltages)
    {
        _batteries = First(voltages.Where(r => r.IsBetween("battery +", "battery -")), r => (r.State, r.IsLoaded));
        _supplies = AgainstGround(voltages, Terminals.IsSupply);
        _groundLosses = AgainstGround(voltages, Terminals.IsGround);
    }

    /// <summary>The battery in the row's condition; null where it was not measured then.</summary>
    public double? Battery(SheetRow row) =>
        _batteries.TryGetValue((row.State, row.IsLoaded), out var alike) ? alike
        : _batteries.TryGetValue((row.State, !row.IsLoaded), out var otherwise) ? otherwise
        : null;

    /// <summary>A supply against a ground outside the component, under load; null where it was not measured then.</summary>
    public double? Supply(string terminal, string state) => _supplies.TryGetValue((terminal, state), out var volts) ? volts : null;

    /// <summary>What a ground of the component loses under load; null where it was not measured then.</summary>
    public double? LostInGround(string terminal, string state) =>
        _groundLosses.TryGetValue((terminal, state), out var volts) ? volts : null;

    /// <summary>Terminals of a kind under load against a ground outside the component, the first row of each state.</summary>
    private static Dictionary<(string Terminal, string State), double> AgainstGround(
        IReadOnlyList<SheetRow> voltages,
        Func<string, bool> isOfKind
    ) =>
        First(
            voltages.Where(r => r.IsLoaded && WireJudge.Grounds.Any(g => isOfKind(r.From) && r.To == g || isOfKind(r.To) && r.From == g)),
            r => (isOfKind(r.From) ? r.From : r.To, r.State)
        );

    private static Dictionary<TKey, double> First<TKey>(IEnumerable<SheetRow> rows, Func<SheetRow, TKey> key)
        where TKey : notnull => rows.GroupBy(key).ToDictionary(g => g.Key, g => Math.Abs(g.First().Value));
}
