using System.Globalization;
using Maschera.Core.Engines;
using Maschera.Core.Quantities;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.App;

/// <summary>One line of a caliper: what was measured, the figure and its unit.</summary>
public sealed record Figure(string Name, string Value, string Unit);

/// <summary>Writes figures of measures with the places they deserve.</summary>
public static class Figures
{
    private static readonly (double Least, double Factor, string Unit)[] s_times = [(1, 1, "s"), (1e-3, 1e3, "ms"), (0, 1e6, "µs")];
    private static readonly (double Least, double Factor, string Unit)[] s_frequencies =
    [
        (1e6, 1e-6, "MHz"),
        (1e3, 1e-3, "kHz"),
        (0, 1, "Hz"),
    ];

    /// <summary>Five digits that count, without an exponent where it can be done.</summary>
    public static string Digits(double value)
    {
        var size = Math.Abs(value);
        if (size is 0)
            return "0";
        if (size is < 1e-4 or >= 1e7)
            return value.ToString("0.####e0", CultureInfo.InvariantCulture);
        var places = Math.Clamp(4 - (int)Math.Floor(Math.Log10(size)), 0, 8);
        return value
            .ToString("0." + new string('0', places), CultureInfo.InvariantCulture)
            .TrimEnd('.')
            .Replace("-", "−", StringComparison.Ordinal);
    }

    /// <summary>A time in s, ms or µs.</summary>
    public static string Time(double seconds) => Scaled(seconds, s_times) is var (value, unit) ? $"{value} {unit}" : "";

    /// <summary>The short text on the lane: time between the jaws, and the difference of levels.</summary>
    public static string Label(SpanMeasure measure, UnitChoice unit)
    {
        var levels = measure.Difference is { } difference ? $"   {Digits(difference * unit.Factor)} {unit.Unit}" : "";
        return $"{Time(measure.Seconds)}{levels}";
    }

    /// <summary>All lines of a caliper, in the unit shown.</summary>
    /// <param name="clock">The capture's angle clock; null without one.</param>
    public static IReadOnlyList<Figure> Of(SpanMeasure m, UnitChoice unit, AngleClock? clock = null)
    {
        var lines = new List<Figure>();
        Add(lines, "Time", m.Seconds, s_times);
        if (clock is not null && m.From >= clock.Seconds[0] && m.To <= clock.Seconds[^1])
            lines.Add(new("Crank", Digits(clock.At(m.To) - clock.At(m.From)), "°"));
        if (m.PerSecond is { } perSecond)
            Add(lines, "One over time", perSecond, s_frequencies);
        Level("Left jaw", m.FromLevel);
        Level("Right jaw", m.ToLevel);
        Size("Difference", m.Difference);
        Level("Minimum", m.Minimum);
        Level("Maximum", m.Maximum);
        Size("Peak to peak", m.PeakToPeak);
        Level("Mean", m.Mean);
        if (m.Rms is { } rms && unit.Offset == 0)
            lines.Add(new("RMS", Digits(rms * Math.Abs(unit.Factor)), unit.Unit));
        if (m.Slope is { } slope)
            lines.Add(new("Slope", Digits(slope * unit.Factor), unit.Unit.Length > 0 ? $"{unit.Unit}/s" : "1/s"));
        if (m.Pulses is { } pulses)
        {
            lines.Add(new("Whole pulses", pulses.Count.ToString(CultureInfo.InvariantCulture), ""));
            Add(lines, "Frequency", pulses.FrequencyHz, s_frequencies);
            lines.Add(new("Duty", Digits(pulses.DutyPercent), "%"));
            Add(lines, "Pulse width", pulses.WidthSeconds, s_times);
        }

        lines.Add(
            new("Samples", m.Samples.ToString("N0", CultureInfo.InvariantCulture), m.Missing > 0 ? $"and {m.Missing:N0} missing" : "")
        );
        return lines;

        void Level(string name, double? value)
        {
            if (value is { } v)
                lines.Add(new(name, Digits(v * unit.Factor + unit.Offset), unit.Unit));
        }

        void Size(string name, double? value)
        {
            if (value is { } v)
                lines.Add(new(name, Digits(v * unit.Factor), unit.Unit));
        }
    }

    private static void Add(List<Figure> lines, string name, double value, (double Least, double Factor, string Unit)[] scales)
    {
        var (text, unit) = Scaled(value, scales);
        lines.Add(new(name, text, unit));
    }

    private static (string Value, string Unit) Scaled(double value, (double Least, double Factor, string Unit)[] scales)
    {
        var (_, factor, unit) = value == 0 ? scales[0] : scales.First(s => Math.Abs(value) >= s.Least);
        return (Digits(value * factor), unit);
    }
}
