using System.Text.RegularExpressions;
using Maschera.Core.Basics;

namespace Maschera.Formats;

/// <summary>A sample rate or interval told in words above the rows of a file.</summary>
internal static partial class RateLine
{
    /// <summary>The sample interval that a line above the rows tells.</summary>
    /// <returns>Seconds from sample to sample; null where no line tells.</returns>
    public static double? Interval(IEnumerable<string> above, List<Note> notes)
    {
        foreach (var line in above)
        {
            var match = RateShape().Match(line);
            if (!match.Success)
                continue;
            var unit = Unit(match, line, notes);
            if (Number(match.Groups["number"].Value, isRate: Units.Seconds(unit) is null, line, notes) is not { } number)
                continue;
            var seconds = Units.Seconds(unit) is { } interval ? number * interval : 1 / (number * Hertz(unit));
            if (seconds > 0 && double.IsFinite(seconds))
                return seconds;
        }

        return null;
    }

    /// <summary>The unit beside the number; without one a rate is in Hz and an interval in s, which is noted.</summary>
    private static string Unit(Match match, string line, List<Note> notes)
    {
        if (match.Groups["unit"].Success)
            return match.Groups["unit"].Value;
        var isInterval =
            match.Groups["interval"].Success || match.Groups["between"].Value.Contains("interval", StringComparison.OrdinalIgnoreCase);
        var unit = isInterval ? "s" : "Hz";
        notes.Add(new("rate-unit-assumed", $"'{line.Trim()}' has no unit and is taken in {unit}."));
        return unit;
    }

    /// <summary>
    /// A number of the head: groups of three behind a mark that is not the rows' decimal sign are thousands, which is noted; a
    /// rate of some ten hertz with three zeros behind its mark is meant as thousands too.
    /// </summary>
    private static double? Number(string text, bool isRate, string line, List<Note> notes)
    {
        var groups = GroupedShape().Match(text);
        if (groups.Success && (isRate || groups.Groups["more"].Captures.Count > 1))
        {
            var mark = groups.Groups["mark"].Captures[0].Value;
            text = text.Replace(mark, "", StringComparison.Ordinal);
            notes.Add(new("rate-thousands", $"'{line.Trim()}' is read as {text} with marks between thousands."));
        }

        return TypedNumber.Parse(text.TrimEnd('.', ','));
    }

    private static double Hertz(string unit) =>
        char.ToLowerInvariant(unit[0]) switch
        {
            'k' => 1e3,
            'm' => 1e6,
            _ => 1,
        };

    [GeneratedRegex(
        @"\b(sampl\w*|abtast\w*|campion\w*|[ée]chantillon\w*|rate|(?<interval>interval\w*|dt))\b(?<between>[^0-9+-]*?)"
            + @"((?<unit>[kM]?Hz|[kM]?S/s|ms|µs|μs|us|ns|s)\b[^0-9+-]*)?(?<number>[0-9][0-9.,]*([eE][+-]?[0-9]+)?)"
            + @"\s*[\W]?\s*(?<unit>[kM]?Hz|[kM]?S/s|ms|µs|μs|us|ns|s)?\b",
        RegexOptions.IgnoreCase
    )]
    private static partial Regex RateShape();

    /// <summary>Digits in groups of three: 10,000 or 1,000,000, with the other sign for decimals at most.</summary>
    [GeneratedRegex(@"^[1-9]\d{0,2}(?<more>(?<mark>[.,])\d{3})(?<more>\k<mark>\d{3})*([.,]\d+)?$")]
    private static partial Regex GroupedShape();
}
