using System.Text.Json;
using System.Text.Json.Serialization;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.CamTiming;

/// <summary>A trigger wheel as found.</summary>
public sealed record FoundWheel(int Teeth, IReadOnlyList<int> Missing)
{
    /// <summary>1 where an extra tooth marks the turn.</summary>
    public int Extra { get; init; }
}

/// <summary>One edge of the cam beside the reference's, crank degrees on 0-720; a positive difference is later.</summary>
public sealed record EdgeDifference(
    string Direction,
    double ReferenceDegrees,
    double Degrees,
    double DifferenceDegrees,
    double SpreadDegrees
);

/// <summary>The offset of one cycle: when, at what speed, and how many degrees later than the reference.</summary>
public readonly record struct CycleOffset(double Seconds, double SpeedRpm, double Degrees);

/// <summary>One cam sensor against the reference's.</summary>
public sealed record CamOffset(
    string Role,
    string Channel,
    double OffsetDegrees,
    double FlutterDegrees,
    int Cycles,
    int ReferenceCycles,
    IReadOnlyList<EdgeDifference> Edges
)
{
    /// <summary>The offset may as well be so many degrees more or less, and again so many; null where it is told from all others.</summary>
    public double? OtherwiseBy { get; init; }

    /// <summary>Cycle by cycle, for a cam that moves within the capture.</summary>
    public IReadOnlyList<CycleOffset> Track { get; init; } = [];

    /// <summary>Known-good captures whose mean is the reference.</summary>
    public int ReferenceCaptures { get; init; } = 1;

    /// <summary>Standard deviation of the known-good captures among themselves, degrees; null with only one.</summary>
    public double? ReferenceSpreadDegrees { get; init; }

    /// <summary>The same against the mean of several known-good captures, given what each lies off the first.</summary>
    internal CamOffset Against(double[] offsets)
    {
        if (offsets.Length < 2)
            return this;
        var mean = Statistics.Mean(offsets);
        return this with
        {
            OffsetDegrees = OffsetDegrees - mean,
            ReferenceCaptures = offsets.Length,
            ReferenceSpreadDegrees = Statistics.StandardDeviation(offsets),
            Edges =
            [
                .. Edges.Select(e =>
                    e with
                    {
                        ReferenceDegrees = CamPattern.Modulo(e.ReferenceDegrees + mean),
                        DifferenceDegrees = e.DifferenceDegrees - mean,
                    }
                ),
            ],
            Track = [.. Track.Select(t => t with { Degrees = t.Degrees - mean })],
        };
    }
}

/// <summary>Cam against crank, compared with a known-good engine. Degrees are crank degrees, positive later.</summary>
public sealed record CamTimingResult : ReadingResult
{
    public double? OffsetDegrees { get; init; }
    public double? FlutterDegrees { get; init; }
    public int Cycles { get; init; }
    public int ReferenceCycles { get; init; }
    public double? SpeedRpm { get; init; }
    public double? ReferenceSpeedRpm { get; init; }
    public FoundWheel? Wheel { get; init; }
    public IReadOnlyList<EdgeDifference> Edges { get; init; } = [];

    /// <summary>All cams, the first the one of the figures above.</summary>
    public IReadOnlyList<CamOffset> Cams { get; init; } = [];

    [JsonIgnore]
    public override IReadOnlyList<KeyFigure> Compared => [new("Cam later by", OffsetDegrees, "°", FlutterDegrees)];
}

/// <summary>How it is written as JSON, worked out when building.</summary>
[JsonSourceGenerationOptions(JsonSerializerDefaults.Web)]
[JsonSerializable(typeof(CamTimingResult))]
internal sealed partial class CamTimingJson : JsonSerializerContext;
