using System.Text.Json;
using System.Text.Json.Serialization;
using Maschera.Core.Engines;
using Maschera.Core.Expressions;

namespace Maschera.Core.Readings.Pulses;

/// <summary>One cylinder's pulse against those of the others.</summary>
/// <param name="Cylinder">Its number.</param>
/// <param name="DepthPercent">Height of its pulse; 100 is the median of the others.</param>
/// <param name="ShiftDegrees">How much later it comes than the others, degrees.</param>
/// <param name="ShapeDifference">What is left between it and the others' shape, percent of that shape.</param>
/// <param name="Oddness">How far it lies from the others, in units of their own scatter; 2.5 and more stand out.</param>
public sealed record CylinderPulse(int Cylinder, double DepthPercent, double ShiftDegrees, double ShapeDifference, double Oddness)
{
    /// <summary>Standard deviation of its depth over cycles, percent.</summary>
    public double DepthSpreadPercent { get; init; }

    /// <summary>Share of its cycles whose pulse is far from the usual one, 0 to 1.</summary>
    public double OddCycles { get; init; }

    /// <summary>True where it stands out.</summary>
    public bool IsOdd { get; init; }

    /// <summary>Its mean pulse over its share of the cycle, even steps, without the level it rides on.</summary>
    public IReadOnlyList<float> Course { get; init; } = [];
}

/// <summary>Pressure in the exhaust under one condition.</summary>
/// <param name="Condition">"idle" or "snap".</param>
/// <param name="Mean">Its mean, in the channel's unit.</param>
/// <param name="Peak">Its highest, after taking out noise.</param>
/// <param name="Ripple">From lowest to highest within a cycle, median over cycles.</param>
/// <param name="Limit">The limit a person set; null without one.</param>
/// <param name="Exceeds">True where the mean is above it.</param>
public sealed record BackPressure(string Condition, double Mean, double Peak, double Ripple, double? Limit, bool Exceeds);

/// <summary>The vehicle's own pressure sensor against the transducer: volts = offset + slope times pressure.</summary>
/// <param name="OffsetVolts">Volts at the transducer's zero.</param>
/// <param name="VoltsPerUnit">Volts for each of the pressure channel's unit.</param>
/// <param name="WorstVolts">The largest distance from that line, noise taken out.</param>
public sealed record SensorLine(double OffsetVolts, double VoltsPerUnit, double WorstVolts);

/// <summary>Pulses of each cylinder in the intake, the exhaust, the crankcase or the coolant.</summary>
public sealed record PulsesResult : ReadingResult
{
    /// <summary>Where the pick-up sits: intake, exhaust, crankcase or coolant.</summary>
    public string At { get; init; } = "";

    public double? SpeedRpm { get; init; }
    public int Cycles { get; init; }

    /// <summary>Time from the valves to the pick-up that was allowed for, ms.</summary>
    public double? TransitMs { get; init; }

    public IReadOnlyList<CylinderPulse> Cylinders { get; init; } = [];

    /// <summary>The mean cycle of the pick-up, a value a degree after firing TDC of the first cylinder of the firing order.</summary>
    public IReadOnlyList<float> Course { get; init; } = [];

    /// <summary>Where on the cycle each cylinder's share begins, degrees, in the order of <see cref="Cylinders"/>.</summary>
    public IReadOnlyList<double> Starts { get; init; } = [];

    /// <summary>"combustion" or "mechanical" for the odd cylinder, where an intake pick-up beside tells; null else.</summary>
    public string? Cause { get; init; }

    public string? BackPressureUnit { get; init; }
    public IReadOnlyList<BackPressure> BackPressure { get; init; } = [];
    public SensorLine? Sensor { get; init; }

    public override CylinderWheel OnWheel(Engine engine) => new($"Depth of the pulse at the {At}", [.. engine.FiringOrder.Select(Cell)]);

    private WheelCell Cell(int number) =>
        Cylinders.FirstOrDefault(c => c.Cylinder == number) is { } own
            ? new($"{number}", Math.Max(0, own.DepthPercent), own.IsOdd)
            : new($"{number}", null, false);

    /// <inheritdoc/>
    [JsonIgnore]
    public override string About => At;

    [JsonIgnore]
    public override IReadOnlyList<LedgerEntry> Ledger =>
        IsUnusable ? [] : [.. Cylinders.Select(c => new LedgerEntry(c.Cylinder, c.DepthPercent, c.DepthSpreadPercent, "%", c.IsOdd))];
}

/// <summary>How it is written as JSON, worked out when building.</summary>
[JsonSourceGenerationOptions(JsonSerializerDefaults.Web)]
[JsonSerializable(typeof(PulsesResult))]
internal sealed partial class PulsesJson : JsonSerializerContext;
