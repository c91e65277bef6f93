using System.Globalization;
using Maschera.Core.Engines;
using Maschera.Core.Expressions;
using Maschera.Store;

namespace Maschera.Web.Drawing;

/// <summary>How figures, dates and lists are written on a page.</summary>
public static class Say
{
    /// <summary>A figure with its unit: degrees stand without a space before them.</summary>
    public static string Figure(double value, int decimals, string unit) =>
        Number(value, decimals) + (unit is "°" or "" ? unit : " " + unit);

    /// <summary>A figure with a fixed number of decimals, a true minus and no minus before a nought.</summary>
    public static string Number(double value, int decimals = 1)
    {
        // Halves go up, as in the readings' sentences.
        var written = Math.Round(value, decimals, MidpointRounding.AwayFromZero).ToString("N" + decimals, CultureInfo.InvariantCulture);
        return written.StartsWith('-') ? (written.AsSpan().IndexOfAnyInRange('1', '9') < 0 ? "" : "−") + written[1..] : written;
    }

    /// <summary>A figure with its sign and one decimal.</summary>
    public static string WithSign(double value) => value.ToString("+0.0;−0.0;0.0", CultureInfo.InvariantCulture);

    /// <summary>A figure with its sign and two decimals; a dash for none.</summary>
    public static string WithSign2(double? value) => value?.ToString("+0.00;−0.00;0.00", CultureInfo.InvariantCulture) ?? "–";

    /// <summary>A whole figure with its sign.</summary>
    public static string WithSign0(double value) => value.ToString("+0;−0;0", CultureInfo.InvariantCulture);

    /// <summary>A coordinate in a picture.</summary>
    public static string At(double value) => value.ToString("0.##", CultureInfo.InvariantCulture);

    /// <summary>A day as a person writes it.</summary>
    public static string Day(DateTime utc) => utc.ToLocalTime().ToString("d MMM yyyy", CultureInfo.InvariantCulture);

    /// <summary>A kilometre reading.</summary>
    public static string Kilometres(int? km) => km is { } n ? n.ToString("N0", CultureInfo.InvariantCulture) + " km" : "";

    /// <summary>A firing order.</summary>
    public static string Order(Engine engine) => string.Join("-", engine.FiringOrder);

    /// <summary>Conditions in one line.</summary>
    public static string Conditions(Conditions c)
    {
        var parts = new[]
        {
            c.State,
            c.CoolantCelsius is { } t ? $"{t:0} °C".Replace("-", "−", StringComparison.Ordinal) : null,
            c.Disabled is { Length: > 0 } d ? $"{d} disabled" : null,
            c.SyncKind is { } kind ? $"{kind} sync on cylinder {c.SyncCylinder ?? 1}" : null,
            c.Remark,
        };
        var said = string.Join(" · ", parts.Where(p => !string.IsNullOrWhiteSpace(p)));
        return said.Length > 0 ? said : "no conditions noted";
    }
}
