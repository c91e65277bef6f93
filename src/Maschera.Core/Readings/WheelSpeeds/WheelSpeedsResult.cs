using System.Text.Json;
using System.Text.Json.Serialization;

namespace Maschera.Core.Readings.WheelSpeeds;

/// <summary>What is said of one wheel.</summary>
/// <param name="Wheel">front-left, front-right, rear-left or rear-right.</param>
/// <param name="State">ok, dead, drops-out, erratic, late or off-size.</param>
/// <param name="Ratio">Against the median of the others while rolling straight; null where it gives nothing to compare.</param>
/// <param name="SpreadPercent">Standard deviation of the ratio, %.</param>
/// <param name="LeastSpeed">The others' speed where this one starts to read, km/h; null in Hz and where it never starts.</param>
/// <param name="Text">What that means, for a person.</param>
public sealed record WheelState(string Wheel, string State, double? Ratio, double? SpreadPercent, double? LeastSpeed, string Text);

/// <summary>What the road did.</summary>
/// <param name="Kind">slip, lock or turn.</param>
/// <param name="WorstPercent">Against the median of the other sound wheels; in a turn outer against inner of one axle.</param>
public sealed record WheelEvent(string Kind, IReadOnlyList<string> Wheels, double From, double To, double WorstPercent);

/// <summary>Where a sensor shows what no wheel can do.</summary>
/// <param name="Kind">falls, jumps or stands.</param>
/// <param name="From">Start, s.</param>
/// <param name="To">End, s.</param>
public sealed record WheelFault(string Wheel, string Kind, double From, double To);

/// <summary>Four wheel speeds at one moment, km/h; null where a wheel has none.</summary>
public readonly record struct WheelPoint(double Seconds, double? FrontLeft, double? FrontRight, double? RearLeft, double? RearRight);

/// <summary>Wheel speeds against each other.</summary>
public sealed record WheelSpeedsResult : ReadingResult
{
    public IReadOnlyList<WheelState> Wheels { get; init; } = [];

    public IReadOnlyList<WheelEvent> Events { get; init; } = [];

    /// <summary>The first places of every faulty sensor, by time.</summary>
    public IReadOnlyList<WheelFault> Faults { get; init; } = [];

    /// <summary>The drive for the picture, thinned out; in <see cref="Unit"/>.</summary>
    public IReadOnlyList<WheelPoint> Course { get; init; } = [];

    /// <summary>km/h, or Hz where no speed is known.</summary>
    public string Unit { get; init; } = "";

    [JsonIgnore]
    public override IReadOnlyList<KeyFigure> Figures => [.. Wheels.Select(w => new KeyFigure(WheelNames.Said(w.Wheel), w.Ratio, ""))];

    [JsonIgnore]
    public override IReadOnlyList<LaneMark> Marks =>
        [
            .. Events.Select(e => new LaneMark(e.From, e.To, e.Kind, false)),
            .. Faults.Select(f => new LaneMark(f.From, f.To, $"{WheelNames.Said(f.Wheel)} {f.Kind}", true)),
        ];

    /// <summary>The one wheel whose sensor is at fault; every lane where it is none or several.</summary>
    [JsonIgnore]
    public override string? MarkedChannel =>
        Faults.Select(f => f.Wheel).Distinct().ToList() is [var only] ? Channels.GetValueOrDefault(only) : null;
}

/// <summary>How it is written as JSON, worked out when building.</summary>
[JsonSourceGenerationOptions(JsonSerializerDefaults.Web)]
[JsonSerializable(typeof(WheelSpeedsResult))]
internal sealed partial class WheelSpeedsJson : JsonSerializerContext;

/// <summary>The wheels in the order in which they are kept: left before right, front before rear.</summary>
public static class WheelNames
{
    public static IReadOnlyList<string> All { get; } = ["front-left", "front-right", "rear-left", "rear-right"];

    /// <summary>The wheel on the same axle.</summary>
    public static int Beside(int wheel) => wheel ^ 1;

    public static bool IsFront(int wheel) => wheel < 2;

    public static string Said(string wheel) => wheel.Replace('-', ' ');
}
