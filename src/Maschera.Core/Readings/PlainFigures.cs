using System.Globalization;
using System.Reflection;
using System.Text.RegularExpressions;

namespace Maschera.Core.Readings;

/// <summary>The figures of a result that says no more of itself: its numbers by their names.</summary>
public static partial class PlainFigures
{
    /// <summary>Units that stand at the end of a name, as the contract writes them.</summary>
    private static readonly (string Ending, string Unit)[] s_units =
    [
        ("PerMinute", "a minute"),
        ("Percent", "%"),
        ("Degrees", "°"),
        ("Milliseconds", "ms"),
        ("Seconds", "s"),
        ("Volts", "V"),
        ("Rpm", "rpm"),
        ("Bar", "bar"),
        ("Hz", "Hz"),
        ("Ms", "ms"),
    ];

    /// <summary>The result's own figures; where it names none, each of its numbers.</summary>
    public static IReadOnlyList<KeyFigure> Of(ReadingResult result) =>
        result.Figures.Count > 0
            ? result.Figures
            : [.. result.GetType().GetProperties().Where(IsFigure).Select(property => Named(property.Name, property.GetValue(result)))];

    private static bool IsFigure(PropertyInfo property) =>
        property.DeclaringType != typeof(ReadingResult)
        && (Nullable.GetUnderlyingType(property.PropertyType) ?? property.PropertyType) is var type
        && (type == typeof(double) || type == typeof(int));

    private static KeyFigure Named(string name, object? value)
    {
        var (ending, unit) = s_units.FirstOrDefault(u => name.EndsWith(u.Ending, StringComparison.Ordinal));
        var words = Capitals().Replace(ending is null ? name : name[..^ending.Length], " $0").Trim().ToLowerInvariant();
        return new KeyFigure(
            words.Length > 0 ? char.ToUpperInvariant(words[0]) + words[1..] : name,
            value is null ? null : Convert.ToDouble(value, CultureInfo.InvariantCulture),
            unit ?? ""
        );
    }

    [GeneratedRegex("[A-Z]")]
    private static partial Regex Capitals();
}
