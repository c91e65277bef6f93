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
public sealed record SheetRow(string From, string To, SheetQuantity Quantity, double Value, string Condition, int Line = 0)
{
    private static readonly string[] s_states = ["cranking", "running", "key on", "key off"];

    private string Words { get; } = Condition.ToLowerInvariant().Replace('-', ' ');

    /// <summary>True where current flows as in use: only such a value proves a wire sound.</summary>
    public bool IsLoaded =>
        !IsUnplugged
        && !Says("unloaded")
        && !Says("no load")
        && !Says("not loaded")
        && !Says("without load")
        && (Says("loaded") || Says("under load") || Says("cranking") || Says("running"));

    /// <summary>True where the component was taken off.</summary>
    public bool IsUnplugged => Says("unplugged") || Says("disconnected") || Says("not plugged");

    /// <summary>True where the circuit had power.</summary>
    public bool IsLive => Says("live") || Says("running") || Says("cranking") || Says("key on");

    /// <summary>What the vehicle did: cranking, running, key on or key off; empty where nothing was said.</summary>
    public string State => s_states.FirstOrDefault(Says) ?? "";

    /// <summary>True where one lead was on <paramref name="one"/> and the other on <paramref name="other"/>.</summary>
    public bool IsBetween(string one, string other) => From == one && To == other || From == other && To == one;

    private bool Says(string words) => Words.Contains(words, StringComparison.Ordinal);
}

/// <summary>What was measured at one component, in the order it was written.</summary>
public sealed record CircuitSheet(IReadOnlyList<SheetRow> Rows)
{
    public static CircuitSheet Empty { get; } = new([]);
}
