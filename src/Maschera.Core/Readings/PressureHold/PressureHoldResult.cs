using System.Text.Json;
using System.Text.Json.Serialization;

namespace Maschera.Core.Readings.PressureHold;

/// <summary>What was lost some seconds after the stop, from the pressure half a second behind it.</summary>
public sealed record PressureDrop(double Seconds, double Drop);

/// <summary>One moment of the decay: seconds from the stop, and the pressure.</summary>
public readonly record struct DecayPoint(double Seconds, double Pressure);

/// <summary>Whether a pressure holds once its pump stands.</summary>
public sealed record PressureHoldResult : ReadingResult
{
    /// <summary>When the pump stops, s; null where it stood before the file begins.</summary>
    public double? StopAt { get; init; }

    /// <summary>The pressure half a second later, in <see cref="Unit"/>.</summary>
    public double? StopPressure { get; init; }

    public string Unit { get; init; } = "";

    public IReadOnlyList<PressureDrop> DropAfter { get; init; } = [];

    /// <summary>The mean over the hold; positive when pressure is lost.</summary>
    public double? RatePerMinute { get; init; }

    /// <summary>Only where the fall is exponential.</summary>
    public double? HalfLifeSeconds { get; init; }

    /// <summary>supply-shut or return-shut: what the known-good capture had shut; null without one.</summary>
    public string? With { get; init; }

    /// <summary>Shares of the leak: what was shut, and "rest"; null without a known-good capture and where the capture holds.</summary>
    public IReadOnlyDictionary<string, double>? Share { get; init; }

    /// <summary>What the limit allows, in <see cref="Unit"/>, and in which time, s.</summary>
    public double? LimitDrop { get; init; }

    public double? LimitSeconds { get; init; }

    /// <summary>The decay for the picture, thinned out.</summary>
    public IReadOnlyList<DecayPoint> Course { get; init; } = [];

    /// <summary>The same with something shut.</summary>
    public IReadOnlyList<DecayPoint> ShutCourse { get; init; } = [];

    [JsonIgnore]
    public override IReadOnlyList<KeyFigure> Figures =>
        [
            new("Pressure at the stop", StopPressure, Unit),
            new("Lost a minute", RatePerMinute, Unit),
            new("Half is lost in", HalfLifeSeconds, "s"),
        ];
}

/// <summary>How it is written as JSON, worked out when building.</summary>
[JsonSourceGenerationOptions(JsonSerializerDefaults.Web)]
[JsonSerializable(typeof(PressureHoldResult))]
internal sealed partial class PressureHoldJson : JsonSerializerContext;
