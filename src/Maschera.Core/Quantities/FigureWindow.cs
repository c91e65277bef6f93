using System.Globalization;
using System.Text.RegularExpressions;
using Maschera.Core.Basics;
using Maschera.Core.Signals;

namespace Maschera.Core.Quantities;

/// <summary>Where a known-good figure lies; an end that is not known is null, not both of them.</summary>
public readonly partial record struct FigureWindow(double? From, double? To)
{
    /// <summary>The middle; null where an end is open.</summary>
    public double? Middle => (From + To) / 2;

    /// <summary>
    /// A window as a person writes it: <c>60 ± 5</c>, <c>50..70</c>, <c>50 to 70</c>, <c>under 10</c>, <c>over 3</c>; null else.
    /// </summary>
    public static FigureWindow? Parse(string text)
    {
        var match = Forms().Match(text);
        if (!match.Success)
            return null;
        double? Of(string group) => match.Groups[group].Success ? TypedNumber.Parse(match.Groups[group].Value) : null;
        if (Of("middle") is { } middle && Of("off") is { } off)
            return off < 0 ? null : new(middle - off, middle + off);
        if (Of("from") is { } from && Of("to") is { } to)
            return from > to ? null : new(from, to);
        if (Of("least") is { } least)
            return new(least, null);
        return Of("most") is { } most ? new(null, most) : null;
    }

    /// <summary>True where a value lies in it, or so near its end that its own spread may bring it there.</summary>
    public bool Holds(double value, double spread) => !(value + 2 * spread < From) && !(value - 2 * spread > To);

    /// <summary>The same in another unit.</summary>
    public FigureWindow In(UnitChoice unit) => new(From * unit.Factor + unit.Offset, To * unit.Factor + unit.Offset);

    /// <summary>The same with its ends to three digits, for a sentence.</summary>
    public FigureWindow Rounded() => new(From is { } from ? Statistics.Rounded(from) : null, To is { } to ? Statistics.Rounded(to) : null);

    /// <summary>The window in words.</summary>
    public string Said =>
        this switch
        {
            { From: { } from, To: { } to } => $"{Number(from)} to {Number(to)}",
            { To: { } most } => $"under {Number(most)}",
            { From: { } least } => $"over {Number(least)}",
            _ => "not known",
        };

    private static string Number(double value) =>
        value.ToString("0.###", CultureInfo.InvariantCulture).Replace("-", "−", StringComparison.Ordinal);

    [GeneratedRegex(
        @"^\s*(?:(?<middle>[-−+]?[\d.,]+)\s*(?:±|\+-|\+/-)\s*(?<off>[\d.,]+)"
            + @"|(?<from>[-−+]?[\d.,]+?)\s*(?:\.\.|to|–)\s*(?<to>[-−+]?[\d.,]+)"
            + @"|(?:under|below|<|at most)\s*(?<most>[-−+]?[\d.,]+)"
            + @"|(?:over|above|>|at least)\s*(?<least>[-−+]?[\d.,]+))\s*$",
        RegexOptions.IgnoreCase | RegexOptions.CultureInvariant
    )]
    private static partial Regex Forms();
}
