namespace Maschera.App;

/// <summary>Words of the diagnosis as a person says them.</summary>
public static class Spoken
{
    /// <summary>Words that keep their dash.</summary>
    private static readonly string[] s_dashed = ["on-board", "leak-down", "in-cylinder"];

    /// <summary>Words that say too little without their dashes.</summary>
    private static readonly Dictionary<string, string> s_own = new()
    {
        ["head-gasket-between"] = "head gasket, into the next cylinder",
        ["head-gasket-coolant"] = "head gasket, into the coolant",
        ["reference-supply-short"] = "5 V supply shorted",
    };

    /// <summary>A word without its dashes.</summary>
    public static string Word(string word)
    {
        if (s_own.TryGetValue(word, out var own))
            return own;
        var start = s_dashed.FirstOrDefault(d => word.StartsWith(d, StringComparison.Ordinal)) ?? "";
        return start + word[start.Length..].Replace('-', ' ');
    }

    /// <summary>The same with a capital.</summary>
    public static string Capital(string word) => Word(word) is { Length: > 0 } said ? char.ToUpperInvariant(said[0]) + said[1..] : "";

    /// <summary>A fault with where it sits.</summary>
    public static string Fault(string fault, int? cylinder, string? wheel = null) => Word(fault) + Where(cylinder, wheel);

    /// <summary>A cylinder or wheel, with a comma before; empty for neither.</summary>
    public static string Where(int? cylinder, string? wheel) =>
        cylinder is { } c ? $", cylinder {c}"
        : wheel is { } w ? $", {Word(w)}"
        : "";
}
