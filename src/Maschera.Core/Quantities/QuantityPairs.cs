using System.Text.RegularExpressions;
using Maschera.Core.Basics;
using Maschera.Core.Signals;

namespace Maschera.Core.Quantities;

/// <summary>A desired and an actual channel of one quantity, by their names.</summary>
public sealed record QuantityPair(string Stem, string Desired, string Actual);

/// <summary>Proposes pairs of desired and actual by name, in the wordings of several languages.</summary>
public static partial class QuantityPairs
{
    /// <summary>Words for a desired value.</summary>
    public static IReadOnlyList<string> DesiredWords { get; } =
    [
        "desired",
        "target",
        "setpoint",
        "set point",
        "commanded",
        "command",
        "specified",
        "requested",
        "sollwert",
        "soll",
        "consigne",
        "richiesta",
        "richiesto",
        "obiettivo",
        "deseado",
        "deseada",
    ];

    /// <summary>Words for an actual value.</summary>
    public static IReadOnlyList<string> ActualWords { get; } =
    [
        .. "actual measured istwert feedback".Split(' '),
        .. "réel réelle mesuré mesurée".Split(' '),
        .. "effettivo effettiva misurato misurata".Split(' '),
    ];

    /// <summary>Pairs whose names are the same but for the word; a name without any word counts as actual.</summary>
    public static IReadOnlyList<QuantityPair> Find(IReadOnlyList<Channel> channels) => Find([.. channels.Select(c => c.Name)]);

    /// <summary>The same from the names alone.</summary>
    public static IReadOnlyList<QuantityPair> Find(IReadOnlyList<string> names)
    {
        var pairs = new List<QuantityPair>();
        foreach (var desired in names)
        {
            if (Without(desired, DesiredWords) is not { } stem)
                continue;
            var others = names.Where(n => n != desired && Without(n, DesiredWords) is null);
            var actual =
                others.FirstOrDefault(n => Without(n, [.. ActualWords, "ist"]) is { } own && Same(own, stem))
                ?? others.FirstOrDefault(n => Same(n, stem));
            if (actual is not null)
                pairs.Add(new QuantityPair(stem, desired, actual));
        }

        return pairs;
    }

    /// <summary>The name without the first of the words in it; null where none is in it.</summary>
    private static string? Without(string name, IReadOnlyList<string> words)
    {
        foreach (var word in words)
        {
            var found = WholeWord.In(name, word);
            if (found.Success)
                return Plain(name.Remove(found.Index, found.Length));
        }

        return null;
    }

    private static bool Same(string a, string b) => string.Equals(Plain(a), Plain(b), StringComparison.OrdinalIgnoreCase);

    private static string Plain(string name) => Between().Replace(name, " ").Trim();

    [GeneratedRegex(@"[\s_\-.,:/()]+")]
    private static partial Regex Between();
}
