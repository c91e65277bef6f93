using System.Text.Json;
using System.Text.Json.Serialization;

namespace Maschera.Core.Readings.Knock;

/// <summary>A stretch with more than two degrees of retard.</summary>
/// <param name="Worst">The largest retard, degrees.</param>
public sealed record KnockEpisode(double From, double To, double Worst, double? Rpm, double? Load, double? Throttle);

/// <summary>What one thing that was logged says.</summary>
/// <param name="Factor">load, heat, mixture, spark, speed or consistency.</param>
/// <param name="SpeaksFor">real, false or nothing.</param>
/// <param name="Figure">What it rests on; null where it was not logged.</param>
public sealed record KnockFactor(string Factor, string SpeaksFor, double? Figure, string Unit, string Text);

/// <summary>One moment for the picture.</summary>
public readonly record struct KnockDot(double Retard, double? Load, double? Rpm);

/// <summary>Whether the knock control hears knock or noise.</summary>
public sealed record KnockResult : ReadingResult
{
    public double? WorstDegrees { get; init; }

    /// <summary>Of the time the engine runs, with more than two degrees of retard.</summary>
    public double? SharePercent { get; init; }

    public IReadOnlyList<KnockEpisode> Episodes { get; init; } = [];

    public IReadOnlyList<KnockFactor> Factors { get; init; } = [];

    public IReadOnlyList<KnockDot> Dots { get; init; } = [];

    [JsonIgnore]
    public override IReadOnlyList<KeyFigure> Figures =>
        [new("At worst", WorstDegrees, "°"), new("Of the time", SharePercent, "%"), new("Episodes", Episodes.Count, "")];

    [JsonIgnore]
    public override IReadOnlyList<LaneMark> Marks => [.. Episodes.Select(e => new LaneMark(e.From, e.To, $"{e.Worst:0.#}°", true))];

    [JsonIgnore]
    public override string? MarkedChannel => Channels.GetValueOrDefault("retard");
}

/// <summary>How it is written as JSON, worked out when building.</summary>
[JsonSourceGenerationOptions(JsonSerializerDefaults.Web)]
[JsonSerializable(typeof(KnockResult))]
internal sealed partial class KnockJson : JsonSerializerContext;
