using System.Globalization;

namespace Maschera.Formats;

/// <summary>Reads times of day, of 24 hours or of twelve with AM or PM.</summary>
internal static class ClockText
{
    private static readonly string[] s_dates = ["yyyy-M-d", "d.M.yyyy", "d.M.yy", "M/d/yyyy", "d/M/yyyy", "M/d/yy"];

    /// <summary>Seconds since midnight, and the number of the day where a date stands before.</summary>
    public static bool TryRead(string text, out double seconds, out int? day)
    {
        seconds = 0;
        day = null;
        var (trimmed, half) = WithoutHalf(text.Trim().TrimEnd('Z'));
        var gap = trimmed.LastIndexOfAny([' ', 'T']);
        if (gap > 0)
        {
            if (!DateOnly.TryParseExact(trimmed[..gap], s_dates, CultureInfo.InvariantCulture, DateTimeStyles.None, out var date))
                return false;
            day = date.DayNumber;
        }

        var parts = trimmed[(gap + 1)..].Split(':');
        // 59:58.9 is minutes and seconds.
        var withoutHours = parts.Length == 2 && parts[1].AsSpan().IndexOfAny('.', ',') > 0;
        if (withoutHours)
            parts = ["0", .. parts];
        if (parts.Length is < 2 or > 3)
            return false;
        if (!int.TryParse(parts[0], NumberStyles.None, CultureInfo.InvariantCulture, out var hours) || hours > 24)
            return false;
        if (!int.TryParse(parts[1], NumberStyles.None, CultureInfo.InvariantCulture, out var minutes) || minutes > 59 && !withoutHours)
            return false;
        var rest = 0.0;
        if (
            parts.Length == 3
            && !(
                double.TryParse(parts[2].Replace(',', '.'), NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture, out rest)
                && rest < 61
            )
        )
            return false;
        if (half is not null && hours is < 1 or > 12)
            return false;
        hours = half is { } later ? hours % 12 + later : hours;
        seconds = hours * 3600.0 + minutes * 60.0 + rest;
        return true;
    }

    /// <summary>Takes AM or PM off: the hours it adds, null where neither stands there.</summary>
    private static (string Text, int? Hours) WithoutHalf(string text)
    {
        var bare = text.Replace(".", "", StringComparison.Ordinal);
        int? hours =
            bare.EndsWith("am", StringComparison.OrdinalIgnoreCase) ? 0
            : bare.EndsWith("pm", StringComparison.OrdinalIgnoreCase) ? 12
            : null;
        return hours is null ? (text, null) : (text[..text.LastIndexOfAny(['a', 'A', 'p', 'P'])].TrimEnd(), hours);
    }
}
