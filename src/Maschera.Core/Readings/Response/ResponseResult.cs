using System.Text.Json;
using System.Text.Json.Serialization;

namespace Maschera.Core.Readings.Response;

/// <summary>One trial: the command off its rest, and what the response made of it.</summary>
/// <param name="From">Start of the trial, s.</param>
/// <param name="To">Its end, s.</param>
/// <param name="Change">Level over its last two fifths less the level before, drift taken out; null where too little was logged.</param>
/// <param name="DelaySeconds">Until 20 % of the change; null where nothing answers.</param>
/// <param name="Responds">True where the change is clear of the response's own movement.</param>
/// <param name="DriveSeconds">How long the drive on the wire lasted; null without one.</param>
public sealed record ResponseTrial(double From, double To, double? Change, double? DelaySeconds, bool Responds, double? DriveSeconds);

/// <summary>The response of one trial for the picture, less its level before; thinned out.</summary>
/// <param name="Seconds">From the start of the trial, s.</param>
/// <param name="Values">In the response's unit; null where nothing was logged.</param>
public sealed record TrialCourse(IReadOnlyList<double> Seconds, IReadOnlyList<double?> Values, bool Responds);

/// <summary>Whether a command moves anything.</summary>
public sealed record ResponseResult : ReadingResult
{
    /// <summary>Median over the trials, over those that respond where only some do; in <see cref="Unit"/>.</summary>
    public double? Change { get; init; }

    /// <summary>Standard deviation of it from trial to trial.</summary>
    public double? ChangeSpread { get; init; }

    /// <summary>Of the level before.</summary>
    public double? ChangePercent { get; init; }

    public string Unit { get; init; } = "";

    public double? DelaySeconds { get; init; }

    /// <summary>Standard deviation of the same difference at places without a trial.</summary>
    public double? OwnMovement { get; init; }

    public IReadOnlyList<ResponseTrial> Trials { get; init; } = [];

    /// <summary>The trials laid on each other at their start.</summary>
    public IReadOnlyList<TrialCourse> Courses { get; init; } = [];

    [JsonIgnore]
    public override IReadOnlyList<KeyFigure> Figures =>
        [
            new("Change", Change, Unit),
            new("Of the level before", ChangePercent, "%"),
            new("Delay", DelaySeconds, "s"),
            new("Moves by itself", OwnMovement, Unit),
        ];

    [JsonIgnore]
    public override IReadOnlyList<LaneMark> Marks =>
        [.. Trials.Select((t, i) => new LaneMark(t.From, t.To, $"trial {i + 1}", !t.Responds))];

    [JsonIgnore]
    public override string? MarkedChannel => Channels.GetValueOrDefault("response");
}

/// <summary>How it is written as JSON, worked out when building.</summary>
[JsonSourceGenerationOptions(JsonSerializerDefaults.Web)]
[JsonSerializable(typeof(ResponseResult))]
internal sealed partial class ResponseJson : JsonSerializerContext;
