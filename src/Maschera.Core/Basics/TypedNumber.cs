using System.Globalization;

namespace Maschera.Core.Basics;

/// <summary>The one way a number typed by a person is read: decimal comma or point, no thousands marks.</summary>
public static class TypedNumber
{
    private const NumberStyles Style = NumberStyles.AllowLeadingSign | NumberStyles.AllowDecimalPoint | NumberStyles.AllowExponent;

    /// <summary>The number; null where the text is none, or more than one, or not finite.</summary>
    public static double? Parse(string? text)
    {
        var plain = text?.Trim().Replace(',', '.').Replace('−', '-');
        return double.TryParse(plain, Style, CultureInfo.InvariantCulture, out var number) && double.IsFinite(number) ? number : null;
    }

    /// <summary>The whole number; null where the text is none.</summary>
    public static int? ParseWhole(string? text) =>
        int.TryParse(text?.Trim(), NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out var number) ? number : null;
}
