using System.Text.Json;
using System.Text.Json.Serialization;
using Maschera.Core.Basics;

namespace Maschera.Core.Readings.PulseCount;

/// <summary>Teeth that are not there.</summary>
/// <param name="At">The middle of what is missing, its first occurrence, s.</param>
/// <param name="Pulses">How many side by side.</param>
/// <param name="Degrees">In the direction of rotation from the mark; null without one.</param>
/// <param name="EveryRevolution">True for a tooth that is gone.</param>
public sealed record MissingPulses(double At, int Pulses, double? Degrees, bool EveryRevolution);

/// <summary>The two levels of a switching signal.</summary>
/// <param name="LowFits">Whether the low level lies in its window; null where none was told.</param>
/// <param name="HighFits">The same of the high one.</param>
public sealed record PulseLevels(double Low, double High, bool? LowFits, bool? HighFits);

/// <summary>One tooth of the ring, the mean over the revolutions.</summary>
/// <param name="Degrees">Where it begins, from the mark or from the first tooth counted.</param>
/// <param name="LengthPercent">Its length with the slow change of speed taken out; 100 is the mean tooth.</param>
/// <param name="Missing">Teeth missing behind it.</param>
public readonly record struct RingTooth(double Degrees, double LengthPercent, int Missing);

/// <summary>One revolution of the ring.</summary>
/// <param name="LengthPercent">Of each tooth as in <see cref="RingTooth"/>; null where its neighbours are not all known.</param>
/// <param name="LostAt">Where pulses were lost that come in other revolutions, degrees as in <see cref="RingTooth"/>.</param>
public sealed record RingTurn(IReadOnlyList<double?> LengthPercent, IReadOnlyList<double> LostAt);

/// <summary>A count of pulses against what a revolution should give.</summary>
public sealed record PulseCountResult : ReadingResult
{
    /// <summary>square or sine.</summary>
    public string Signal { get; init; } = "";

    /// <summary>Pulses in the whole revolutions; what was lost is not filled in.</summary>
    public int? Pulses { get; init; }

    public double? Revolutions { get; init; }

    public double? PerRevolution { get; init; }

    public int? Target { get; init; }

    public IReadOnlyList<MissingPulses> Missing { get; init; } = [];

    public PulseLevels? Levels { get; init; }

    /// <summary>Half of the largest less the smallest tooth, %, the mean over the revolutions; null for fewer than two.</summary>
    public double? RunoutPercent { get; init; }

    /// <summary>Where pulses were lost that come in other revolutions.</summary>
    public IReadOnlyList<Stretch> Dropouts { get; init; } = [];

    /// <summary>Beside the sensor of the other side; null where none was named.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public SensorBeside? Beside { get; init; }

    /// <summary>The ring, tooth by tooth.</summary>
    public IReadOnlyList<RingTooth> Ring { get; init; } = [];

    /// <summary>The revolutions one by one, the first of them; in those that lost pulses no length is told.</summary>
    public IReadOnlyList<RingTurn> Turns { get; init; } = [];

    [JsonIgnore]
    public override string? But => Beside?.Shortcoming;

    [JsonIgnore]
    public override IReadOnlyList<KeyFigure> Figures =>
        [new("Pulses", Pulses, ""), new("A revolution", PerRevolution, ""), new("Run-out", RunoutPercent, "%")];

    [JsonIgnore]
    public override IReadOnlyList<LaneMark> Marks =>
        [
            .. Missing.Select(m => new LaneMark(m.At, m.At, "missing", true)),
            .. Dropouts.Select(d => new LaneMark(d.From, d.To, "lost", true)),
        ];

    [JsonIgnore]
    public override string? MarkedChannel => Channels.GetValueOrDefault("signal");
}

/// <summary>How it is written as JSON, worked out when building.</summary>
[JsonSourceGenerationOptions(JsonSerializerDefaults.Web)]
[JsonSerializable(typeof(PulseCountResult))]
internal sealed partial class PulseCountJson : JsonSerializerContext;
