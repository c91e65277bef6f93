namespace Maschera.App;

/// <summary>Words of the diagnosis as a person says them.</summary>
public static class Spoken
{
    /// <summary>Words that keep their dash.</summary>
    private static readonly string[] s_dashed = ["on-board", "leak-down", "in-cylinder"];

    /// <summary>A word without its dashes.</summary>
    public static string Word(string word)
    {
        var start = s_dashed.FirstOrDefault(d => word.StartsWith(d, StringComparison.Ordinal)) ?? "";
        return start + word[start.Length..].Replace('-', ' ');
    }

    /// <summary>The same with a capital.</summary>
    public static string Capital(string word) => word.Length == 0 ? "" : char.ToUpperInvariant(word[0]) + Word(word)[1..];

    /// <summary>A fault with where it sits.</summary>
    public static string Fault(string fault, int? cylinder, string? wheel = null) => Word(fault) + Where(cylinder, wheel);

    /// <summary>A cylinder or wheel, with a comma before; empty for neither.</summary>
    public static string Where(int? cylinder, string? wheel) =>
        cylinder is { } c ? $", cylinder {c}"
        : wheel is { } w ? $", {Word(w)}"
        : "";
}
