using System.Text.Json;
using System.Text.Json.Serialization;

namespace Maschera.Core.Readings.Window;

/// <summary>One moment: time in s, the other value, the value, and the window's ends there; an end that is not known is null.</summary>
public readonly record struct WindowPoint(double Seconds, double Other, double Value, double? Least, double? Most)
{
    /// <summary>How far the value lies outside, below as a negative number; 0 inside.</summary>
    [JsonIgnore]
    public double Outside =>
        Value < Least ? Value - Least.Value
        : Value > Most ? Value - Most.Value
        : 0;
}

/// <summary>A stretch outside of the window.</summary>
/// <param name="From">Start, s.</param>
/// <param name="To">End, s.</param>
/// <param name="Worst">The largest distance from the window's end, below as a negative number.</param>
/// <param name="Other">The other value where that was.</param>
/// <param name="Value">The value there.</param>
public sealed record Outside(double From, double To, double Worst, double Other, double Value);

/// <summary>A value in a window that moves with another one.</summary>
public sealed record WindowResult : ReadingResult
{
    public string Unit { get; init; } = "";
    public string OtherUnit { get; init; } = "";

    /// <summary>The window in words, as the option takes it.</summary>
    public string? Window { get; init; }

    /// <summary>Time outside, of the time in which the window is known, in stretches that last.</summary>
    public double? OutsidePercent { get; init; }

    /// <summary>Time in which the window is known, of all.</summary>
    public double? KnownPercent { get; init; }

    /// <summary>The largest distance from the window's end, below as a negative number; null where it never leaves.</summary>
    public double? Worst { get; init; }

    public IReadOnlyList<Outside> Breaches { get; init; } = [];

    /// <summary>The course for the pictures, thinned out.</summary>
    public IReadOnlyList<WindowPoint> Course { get; init; } = [];

    [JsonIgnore]
    public override IReadOnlyList<LaneMark> Marks =>
        [
            .. Breaches
                .OrderByDescending(b => Math.Abs(b.Worst))
                .Select(b => new LaneMark(b.From, b.To, FormattableString.Invariant($"{b.Worst:+0.##;−0.##} {Unit}"), true)),
        ];

    /// <inheritdoc/>
    [JsonIgnore]
    public override string? MarkedChannel => Channels.GetValueOrDefault("value");

    [JsonIgnore]
    public override IReadOnlyList<KeyFigure> Figures => [new("Outside", OutsidePercent, "%"), new("At worst", Worst, Unit)];
}

/// <summary>How it is written as JSON, worked out when building.</summary>
[JsonSourceGenerationOptions(JsonSerializerDefaults.Web)]
[JsonSerializable(typeof(WindowResult))]
internal sealed partial class WindowJson : JsonSerializerContext;
