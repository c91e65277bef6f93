using System.Text.RegularExpressions;

namespace Maschera.Core.Quantities;

/// <summary>Names of the sides of one thing: left and right, front and rear, banks.</summary>
public static partial class SideNames
{
    /// <summary>True where two names differ by the side alone.</summary>
    public static bool AreSides(string a, string b) => a != b && Stem(a) is { Length: > 0 } stem && stem == Stem(b);

    /// <summary>A name without its side; empty where it names none.</summary>
    private static string Stem(string name)
    {
        var stem = Sides().Replace(name, " ");
        return stem == name ? "" : Spaces().Replace(stem, " ").Trim().ToLowerInvariant();
    }

    [GeneratedRegex(@"(?<![\p{L}\d])(?:left|right|front|rear|fl|fr|rl|rr|lf|rf|lr|lh|rh|bank ?[12])(?![\p{L}\d])", RegexOptions.IgnoreCase)]
    private static partial Regex Sides();

    [GeneratedRegex(@"[\s_\-.]+")]
    private static partial Regex Spaces();
}
