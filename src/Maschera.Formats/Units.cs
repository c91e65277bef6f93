namespace Maschera.Formats;

/// <summary>Splits a column's heading into name and unit, and knows the units of time.</summary>
public static class Units
{
    private static readonly HashSet<string> s_known = new(StringComparer.OrdinalIgnoreCase)
    {
        "s",
        "sec",
        "seconds",
        "ms",
        "msec",
        "µs",
        "μs",
        "us",
        "ns",
        "min",
        "h",
        "V",
        "mV",
        "µV",
        "kV",
        "A",
        "mA",
        "kA",
        "bar",
        "mbar",
        "hPa",
        "kPa",
        "MPa",
        "Pa",
        "psi",
        "inHg",
        "mmHg",
        "°C",
        "degC",
        "C",
        "°F",
        "degF",
        "F",
        "K",
        "%",
        "rpm",
        "1/min",
        "U/min",
        "min-1",
        "tr/min",
        "giri/min",
        "Hz",
        "kHz",
        "MHz",
        "°",
        "deg",
        "°CA",
        "°KW",
        "rad",
        "km/h",
        "mph",
        "m/s",
        "g/s",
        "kg/h",
        "mg",
        "mg/st",
        "mg/str",
        "mg/stroke",
        "mm",
        "mm3",
        "mm³",
        "mm3/st",
        "mm³/st",
        "cm",
        "m",
        "km",
        "l/h",
        "Nm",
        "N",
        "W",
        "kW",
        "Ω",
        "ohm",
        "kΩ",
        "kOhm",
        "dB",
        "ppm",
        "count",
        "counts",
        "lambda",
        "g",
        "kg",
        "l",
        "bit",
        "bool",
        "-",
    };

    private static readonly Dictionary<string, double> s_time = new(StringComparer.OrdinalIgnoreCase)
    {
        ["s"] = 1,
        ["sec"] = 1,
        ["secs"] = 1,
        ["second"] = 1,
        ["seconds"] = 1,
        ["sekunden"] = 1,
        ["ms"] = 1e-3,
        ["msec"] = 1e-3,
        ["milliseconds"] = 1e-3,
        ["µs"] = 1e-6,
        ["μs"] = 1e-6,
        ["us"] = 1e-6,
        ["usec"] = 1e-6,
        ["microseconds"] = 1e-6,
        ["ns"] = 1e-9,
        ["min"] = 60,
        ["h"] = 3600,
    };

    private static readonly string[] s_timeNames =
    [
        "time",
        "zeit",
        "tempo",
        "temps",
        "tiempo",
        "t",
        "timestamp",
        "time stamp",
        "clock",
        "uhrzeit",
        "zeitstempel",
        "elapsed",
        "elapsed time",
        "ora",
        "heure",
        "rel time",
        "abs time",
    ];

    /// <summary>Seconds in a unit of time; null for anything else.</summary>
    public static double? Seconds(string unit) => s_time.TryGetValue(unit.Trim(), out var seconds) ? seconds : null;

    /// <summary>True for a name that means the time axis: the words for time, alone or with a channel's name behind.</summary>
    public static bool IsTimeName(string name)
    {
        var plain = name.Trim().Replace('_', ' ').ToLowerInvariant();
        return s_timeNames.Contains(plain)
            || s_timeNames.Where(word => word.Length > 3).Any(word => plain.StartsWith(word + " ", StringComparison.Ordinal));
    }

    /// <summary>True for a cell that can stand in a row of units.</summary>
    public static bool LooksLikeUnit(string cell)
    {
        var bare = Bare(cell.Trim());
        return bare.Length == 0 || IsKnown(bare) || bare.Split('/') is [var above, var below] && IsKnown(above) && IsKnown(below);
    }

    private static bool IsKnown(string unit) => s_known.Contains(unit) || s_time.ContainsKey(unit);

    /// <summary>True for a cell that may stand among units though nobody here knows it: in brackets, or one short word.</summary>
    public static bool CouldBeUnit(string cell)
    {
        var text = cell.Trim();
        return LooksLikeUnit(text) || Bare(text) != text || text.Length <= 12 && !text.Contains(' ') && !char.IsAsciiDigit(text[0]);
    }

    /// <summary>Takes brackets off a unit that stands alone.</summary>
    public static string Bare(string unit)
    {
        var text = unit.Trim();
        return text.Length > 1 && (text[0], text[^1]) is ('(', ')') or ('[', ']') ? text[1..^1].Trim() : text;
    }

    /// <summary>
    /// Name and unit of a heading: brackets behind the name, or a known unit behind the last underscore, the last stroke as in U/V (how
    /// ISO 80000 heads a column), or the last comma.
    /// </summary>
    public static (string Name, string Unit) Split(string heading)
    {
        var text = heading.Trim();
        foreach (var (open, close) in (ReadOnlySpan<(char, char)>)[('(', ')'), ('[', ']')])
        {
            var at = text.LastIndexOf(open);
            if (at > 0 && text[^1] == close)
            {
                var inside = text[(at + 1)..^1].Trim();
                if (s_known.Contains(inside) || inside.Length <= 8 && !inside.Contains(' '))
                    return (text[..at].Trim(), inside);
            }
        }

        var underscore = text.LastIndexOf('_');
        if (underscore > 0 && s_known.Contains(text[(underscore + 1)..]))
            return (text[..underscore].Trim(), text[(underscore + 1)..]);
        return BehindStroke(text) ?? BehindComma(text) ?? (text, "");
    }

    /// <summary>The longest unit behind a stroke; null where the heading is a quotient itself or the letter means another thing: A/C.</summary>
    private static (string Name, string Unit)? BehindStroke(string text)
    {
        var lastWord = text[(text.LastIndexOf(' ') + 1)..];
        for (var at = text.IndexOf('/'); at > 0; at = text.IndexOf('/', at + 1))
            if (IsSureUnit(text[(at + 1)..].Trim()) && !IsQuotient(lastWord, text[(at + 1)..]))
                return (text[..at].Trim(), text[(at + 1)..].Trim());
        return null;
    }

    private static (string Name, string Unit)? BehindComma(string text)
    {
        var at = text.LastIndexOf(", ", StringComparison.Ordinal);
        return at > 0 && IsSureUnit(text[(at + 2)..].Trim()) ? (text[..at].Trim(), text[(at + 2)..].Trim()) : null;
    }

    private static bool IsSureUnit(string text) => text.Length > 0 && IsKnown(text) && text is not ("C" or "F" or "N" or "l" or "g");

    /// <summary>True for a unit known as a whole, and for what is divided by another unit or by time.</summary>
    private static bool IsQuotient(string word, string below)
    {
        if (word.Length <= below.Length + 1)
            return false;
        var above = word[..^(below.Length + 1)];
        return IsKnown(word)
            || IsKnown(above)
                && !string.Equals(above, below, StringComparison.OrdinalIgnoreCase)
                && (above.Length > 1 || s_time.ContainsKey(below));
    }
}
