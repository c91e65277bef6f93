using System.Text.Json.Serialization;

namespace Maschera.Core.Vehicle;

/// <summary>What was measured.</summary>
public enum SheetQuantity
{
    /// <summary>V, of one terminal against the other.</summary>
    Voltage,

    /// <summary>Ω between two terminals; positive infinity for an open circuit.</summary>
    Resistance,

    /// <summary>A.</summary>
    Current,
}

/// <summary>One value measured at a component.</summary>
/// <param name="From">The terminal of the red lead, in lower case.</param>
/// <param name="To">The terminal of the black lead, in lower case.</param>
/// <param name="Value">In V, Ω or A; positive infinity for an open circuit.</param>
/// <param name="Condition">As written.</param>
/// <param name="Line">Its line in the file, from 1; 0 where it was typed.</param>
/// <param name="Component">The component it was measured at; empty where the sheet has one alone, or where it holds for all.</param>
public sealed record SheetRow(
    string From,
    string To,
    SheetQuantity Quantity,
    [property: JsonNumberHandling(JsonNumberHandling.AllowNamedFloatingPointLiterals)] double Value,
    string Condition,
    int Line = 0,
    string Component = ""
)
{
    private static readonly string[] s_states = ["cranking", "running", "key on", "key off"];

    private string Words => Condition.ToLowerInvariant().Replace('-', ' ');

    /// <summary>True where current flows as in use: only such a value proves a wire sound.</summary>
    [JsonIgnore]
    public bool IsLoaded =>
        !IsUnplugged
        && !Says("unloaded")
        && !Says("no load")
        && !Says("not loaded")
        && !Says("without load")
        && (Says("loaded") || Says("under load") || Says("cranking") || Says("running"));

    /// <summary>True where the component was taken off.</summary>
    [JsonIgnore]
    public bool IsUnplugged => Says("unplugged") || Says("disconnected") || Says("not plugged");

    /// <summary>True where the circuit had power.</summary>
    [JsonIgnore]
    public bool IsLive => Says("live") || Says("running") || Says("cranking") || Says("key on");

    /// <summary>What the vehicle did: cranking, running, key on or key off; empty where nothing was said.</summary>
    [JsonIgnore]
    public string State => s_states.FirstOrDefault(Says) ?? "";

    /// <summary>True where one lead was on <paramref name="one"/> and the other on <paramref name="other"/>.</summary>
    public bool IsBetween(string one, string other) => From == one && To == other || From == other && To == one;

    private bool Says(string words) => Words.Contains(words, StringComparison.Ordinal);
}

/// <summary>Names of terminals as sheets have them.</summary>
public static class Terminals
{
    /// <summary>True for a ground of a component's own plug.</summary>
    public static bool IsGround(string terminal) => IsOf("ground", terminal);

    /// <summary>True for a supply of a component's own plug.</summary>
    public static bool IsSupply(string terminal) => IsOf("supply", terminal);

    /// <summary>True for a signal of a component's own plug.</summary>
    public static bool IsSignal(string terminal) => IsOf("signal", terminal);

    private static bool IsOf(string kind, string terminal) => terminal == kind || terminal.StartsWith(kind + " ", StringComparison.Ordinal);

    /// <summary>A terminal for a person: a true minus, and a blank between figure and unit.</summary>
    public static string Spoken(string terminal) =>
        terminal.Replace("battery -", "battery −", StringComparison.Ordinal).Replace("5v", "5 V", StringComparison.Ordinal);
}

/// <summary>A pin of a component's plug.</summary>
/// <param name="Terminal">supply, supply 5v, ground, signal, signal 2, in lower case.</param>
/// <param name="Label">What stands beside it on the plug or in the wiring diagram: number, colour; empty for nothing.</param>
public sealed record SheetPin(string Terminal, string Label = "");

/// <summary>A component on a sheet with its pins.</summary>
public sealed record SheetComponent(string Name, IReadOnlyList<SheetPin> Pins);

/// <summary>What was measured at one component, or at several that share a supply, in the order it was written.</summary>
public sealed record CircuitSheet(IReadOnlyList<SheetRow> Rows)
{
    public static CircuitSheet Empty { get; } = new([]);

    /// <summary>The components as the sheet was set up; empty for a table that only has rows.</summary>
    public IReadOnlyList<SheetComponent> Components { get; init; } = [];

    /// <summary>Names of the components that were set up or measured; one empty name where none is named.</summary>
    [JsonIgnore]
    public IReadOnlyList<string> Names =>
        [.. Components.Select(c => c.Name).Concat(Rows.Select(r => r.Component).Where(n => n.Length > 0)).Distinct().DefaultIfEmpty("")];

    /// <summary>The rows of a component, with those that hold for all.</summary>
    public IReadOnlyList<SheetRow> RowsOf(string component) => [.. Rows.Where(r => r.Component == component || r.Component.Length == 0)];
}
