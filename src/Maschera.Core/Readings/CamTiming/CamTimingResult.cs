namespace Maschera.Core.Readings.CamTiming;

/// <summary>A trigger wheel as found.</summary>
public sealed record FoundWheel(int Teeth, IReadOnlyList<int> Missing);

/// <summary>One edge of the cam beside the reference's, crank degrees on 0-720; a positive difference is later.</summary>
public sealed record EdgeDifference(string Direction, double ReferenceDegrees, double Degrees, double DifferenceDegrees, double SpreadDegrees);

/// <summary>The offset of one cycle: when, at what speed, and how many degrees later than the reference.</summary>
public readonly record struct CycleOffset(double Seconds, double SpeedRpm, double Degrees);

/// <summary>One cam sensor against the reference's.</summary>
public sealed record CamOffset(string Role, string Channel, double OffsetDegrees, double FlutterDegrees, int Cycles, int ReferenceCycles, IReadOnlyList<EdgeDifference> Edges)
{
    /// <summary>Cycle by cycle, for a cam that moves within the capture.</summary>
    public IReadOnlyList<CycleOffset> Track { get; init; } = [];
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
}
