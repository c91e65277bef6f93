using System.Globalization;
using System.Text.RegularExpressions;
using Maschera.Core.Basics;
using Maschera.Core.Signals;

namespace Maschera.Core.Quantities;

/// <summary>A place of a moving window: what the other value is there, and where the value lies then.</summary>
public readonly record struct WindowPlace(double At, FigureWindow Window);

/// <summary>
/// Where a value lies while another one moves, idle speed over coolant temperature say: a straight line between its places, not
/// known beyond them.
/// </summary>
/// <param name="Places">By the other value, rising; two or more.</param>
/// <param name="Unit">The value's; empty where it was not said.</param>
/// <param name="OtherUnit">The other value's; empty where it was not said.</param>
public sealed partial record MovingWindow(IReadOnlyList<WindowPlace> Places, string Unit, string OtherUnit)
{
    private const int MostPlaces = 50;

    /// <summary>From captures: at most so many places, each of so many samples at least.</summary>
    private const int MostMade = 12,
        LeastSamples = 15;

    /// <summary>How it is written, for messages.</summary>
    public const string Form = "20 °C: 900..1100; 80 °C: 700 ± 30 rpm";

    /// <summary>The other value's ends.</summary>
    public (double From, double To) Reach => (Places[0].At, Places[^1].At);

    /// <summary>A window as a person writes it; null where it is none.</summary>
    public static MovingWindow? Parse(string text)
    {
        var parts = text.Split(';', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries);
        if (parts.Length is < 2 or > MostPlaces)
            return null;
        List<WindowPlace> places = [];
        var (unit, other) = ("", "");
        foreach (var part in parts)
        {
            var match = Place().Match(part);
            if (!match.Success || TypedNumber.Parse(match.Groups["at"].Value) is not { } at || !double.IsFinite(at))
                return null;
            if (FigureWindow.Parse(match.Groups["window"].Value) is not { } window)
                return null;
            places.Add(new(at, window));
            unit = match.Groups["unit"].Value is { Length: > 0 } said ? said : unit;
            other = match.Groups["other"].Value is { Length: > 0 } word ? word : other;
        }

        places.Sort((a, b) => a.At.CompareTo(b.At));
        var twice = places.Zip(places.Skip(1)).Any(p => p.First.At == p.Second.At);
        return twice ? null : new(places, unit, other);
    }

    /// <summary>
    /// What known-good values drew: the other value's reach in even parts, in each the middle 96 % of the values, a quarter wider to
    /// either side.
    /// </summary>
    /// <returns>Null where fewer than two parts hold enough values.</returns>
    public static MovingWindow? Of(IReadOnlyList<(double Other, double Value)> known)
    {
        if (known.Count < 2 * LeastSamples)
            return null;
        var (low, high) = (known.Min(k => k.Other), known.Max(k => k.Other));
        if (!(high > low))
            return null;
        var parts = Math.Clamp(known.Count / LeastSamples, 2, MostMade);
        var places = known
            .GroupBy(k => Math.Min(parts - 1, (int)((k.Other - low) / (high - low) * parts)))
            .Where(g => g.Count() >= LeastSamples)
            .OrderBy(g => g.Key)
            .Select(g => PlaceOf([.. g.Select(k => k.Other)], [.. g.Select(k => k.Value)]))
            .ToList();
        if (places.Count < 2)
            return null;
        // The outer parts speak for their whole width, not for its middle alone.
        places[0] = places[0] with
        {
            At = low,
        };
        places[^1] = places[^1] with { At = high };
        return new(places, "", "");
    }

    private static WindowPlace PlaceOf(double[] others, double[] values)
    {
        var sorted = Statistics.Sorted(values);
        var (least, most) = (Statistics.Quantile(sorted, 0.02), Statistics.Quantile(sorted, 0.98));
        var wider = 0.25 * (most - least);
        return new(Statistics.Median(others), new(least - wider, most + wider));
    }

    /// <summary>Where the value lies when the other one is <paramref name="other"/>; null where nothing is known of that.</summary>
    public FigureWindow? At(double other)
    {
        if (!(other >= Reach.From && other <= Reach.To))
            return null;
        var next = 1;
        while (Places[next].At < other)
            next++;
        var (a, b) = (Places[next - 1], Places[next]);
        var share = (other - a.At) / (b.At - a.At);
        double? Between(double? from, double? to) => from + share * (to - from);
        var window = new FigureWindow(Between(a.Window.From, b.Window.From), Between(a.Window.To, b.Window.To));
        return window is { From: null, To: null } ? null : window;
    }

    /// <summary>The window as <see cref="Parse"/> reads it.</summary>
    public string Said =>
        string.Join(
            "; ",
            Places.Select(p =>
                string.Create(
                    CultureInfo.InvariantCulture,
                    $"{p.At:0.###}{(OtherUnit.Length > 0 ? " " : "")}{OtherUnit}: {p.Window.Said}{(Unit.Length > 0 ? " " : "")}{Unit}"
                )
            )
        );

    [GeneratedRegex(
        @"^(?<at>[-−+]?[\d.,]+)\s*(?<other>[^\d\s:;][^:;]*?)?\s*:\s*(?<window>.*?\d[\d.,]*)(?:\s*(?<unit>[^\d\s.,±:–+−<>-]\S*))?$",
        RegexOptions.CultureInvariant
    )]
    private static partial Regex Place();
}
