using System.Collections.Concurrent;
using System.Text.RegularExpressions;

namespace Maschera.Core.Basics;

/// <summary>Words that stand alone in a name: no letter before or after. Each word of the tables is made into a pattern once.</summary>
internal static class WholeWord
{
    private static readonly ConcurrentDictionary<string, Regex> s_patterns = new(StringComparer.Ordinal);

    /// <summary>Where a word of a fixed table stands in a name, in small or capital letters.</summary>
    public static Match In(string name, string word) => s_patterns.GetOrAdd(word, Pattern).Match(name);

    private static Regex Pattern(string word) =>
        new($@"(?<!\p{{L}}){Regex.Escape(word)}(?!\p{{L}})", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant);
}
