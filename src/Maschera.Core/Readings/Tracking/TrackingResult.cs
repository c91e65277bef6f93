using System.Text.Json;
using System.Text.Json.Serialization;
using Maschera.Core.Expressions;

namespace Maschera.Core.Readings.Tracking;

/// <summary>One step of the desired value and how the actual one followed. Times in s, shares of the desired step.</summary>
/// <param name="From">When desired steps.</param>
/// <param name="To">When its new value ends.</param>
/// <param name="Start">Desired before.</param>
/// <param name="End">Desired after.</param>
/// <param name="DelaySeconds">Until actual has moved 10 % of the step; null where it never does.</param>
/// <param name="RiseSeconds">From 10 to 90 % of the step; null where it never gets there.</param>
/// <param name="OvershootPercent">Beyond its end, in its direction.</param>
/// <param name="SettleSeconds">Until actual is inside the band for good; null where it never is.</param>
/// <param name="SteadyError">Actual minus desired over the settled samples, over the last two fifths where it never settles.</param>
public sealed record TrackedStep(
    double From,
    double To,
    double Start,
    double End,
    double? DelaySeconds,
    double? RiseSeconds,
    double? OvershootPercent,
    double? SettleSeconds,
    double? SteadyError
);

/// <summary>A stretch outside of the band that no step excuses.</summary>
/// <param name="Worst">The largest distance, actual minus desired.</param>
public sealed record Breach(double From, double To, double Worst);

/// <summary>Desired against actual.</summary>
public sealed record TrackingResult : ReadingResult
{
    public double? InsideBandPercent { get; init; }
    public double? Bias { get; init; }
    public double? DelaySeconds { get; init; }
    public string Unit { get; init; } = "";

    /// <summary>The typical rise of rising steps, of falling ones where there are no others, s.</summary>
    public double? RiseSeconds { get; init; }

    public double? OvershootPercent { get; init; }
    public double? SettleSeconds { get; init; }
    public IReadOnlyList<TrackedStep> Steps { get; init; } = [];
    public IReadOnlyList<Breach> Breaches { get; init; } = [];

    /// <summary>The course for the picture, thinned out; desired, its band and actual at each time.</summary>
    public IReadOnlyList<TrackPoint> Course { get; init; } = [];

    /// <summary>The stretches outside of the band, the worst first.</summary>
    [JsonIgnore]
    public override IReadOnlyList<LaneMark> Marks =>
        [
            .. Breaches
                .OrderByDescending(b => Math.Abs(b.Worst))
                .Select(b => new LaneMark(b.From, b.To, FormattableString.Invariant($"{b.Worst:+0.#;−0.#} {Unit}"), true)),
        ];

    /// <inheritdoc/>
    [JsonIgnore]
    public override string? MarkedChannel => Channels.GetValueOrDefault("actual");

    /// <summary>The settling time, for a person: what never arrives does not settle either.</summary>
    [JsonIgnore]
    public double? Settles => RiseSeconds is null ? null : SettleSeconds;

    [JsonIgnore]
    public override IReadOnlyList<KeyFigure> Figures =>
        [
            new("Inside the band", InsideBandPercent, "%"),
            new("Bias", Bias, Unit),
            new("Delay", DelaySeconds, "s"),
            new("Rise", RiseSeconds, "s"),
            new("Overshoot", OvershootPercent, "%"),
            new("Settles in", Settles, "s"),
        ];
}

/// <summary>How it is written as JSON, worked out when building.</summary>
[JsonSourceGenerationOptions(JsonSerializerDefaults.Web)]
[JsonSerializable(typeof(TrackingResult))]
internal sealed partial class TrackingJson : JsonSerializerContext;

/// <summary>One moment: time in s, both values, and half the width of the band.</summary>
public readonly record struct TrackPoint(double Seconds, double Desired, double Actual, double Band);
