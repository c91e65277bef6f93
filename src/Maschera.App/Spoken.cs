namespace Maschera.App;

/// <summary>Words of the diagnosis as a person says them.</summary>
public static class Spoken
{
    /// <summary>A word without its dashes.</summary>
    public static string Word(string word) => word.Replace('-', ' ');

    /// <summary>The same with a capital.</summary>
    public static string Capital(string word) => word.Length == 0 ? "" : char.ToUpperInvariant(word[0]) + word[1..].Replace('-', ' ');

    /// <summary>A fault with where it sits.</summary>
    public static string Fault(string fault, int? cylinder, string? wheel = null) =>
        Word(fault)
        + (
            cylinder is { } c ? $", cylinder {c}"
            : wheel is { } w ? $", {Word(w)}"
            : ""
        );
}
