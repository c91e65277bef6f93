using System.Text.Json;
using System.Text.Json.Serialization;
using Maschera.Core.Engines;

namespace Maschera.Core.Readings.CylinderPressure;

/// <summary>A valve event as the trace shows it, degrees after firing TDC, with its standard deviation over cycles.</summary>
public sealed record PressureEvent(double Degrees, double? SpreadDegrees);

/// <summary>The events that could be seen; null where one could not.</summary>
public sealed record PressureEventSet(PressureEvent? Evo, PressureEvent? Ivo, PressureEvent? Ivc);

/// <summary>What leaks away.</summary>
/// <param name="Percent">
/// Share of the charge lost between the intake's closing and the exhaust's opening, beyond what heat explains.
/// </param>
public sealed record Leakage(double Percent)
{
    /// <summary>What it would lose at this speed with the reference's leak; null without a reference.</summary>
    public double? ReferencePercent { get; init; }
}

/// <summary>The tower of one cycle, s and bar.</summary>
public readonly record struct CyclePeak(double Seconds, double PeakBar);

/// <summary>Spark against the pressure's TDC: degrees before TDC, mean and standard deviation, and cycle by cycle.</summary>
public sealed record IgnitionAdvance(double Degrees, double SpreadDegrees, IReadOnlyList<double> Cycles);

/// <summary>One course over the cycle, a value a degree from firing TDC on, bar as the sensor counts.</summary>
/// <param name="Mean">Mean over the cycles.</param>
/// <param name="Low">The lowest of any cycle.</param>
/// <param name="High">The highest of any cycle.</param>
/// <param name="Spread">Standard deviation over cycles.</param>
public sealed record PressureCourse(float[] Mean, float[] Low, float[] High, float[] Spread);

/// <summary>
/// In-cylinder pressure without firing. Degrees are crank degrees after firing TDC on 0-720, shifts positive later,
/// pressures bar as the sensor counts them, else said.
/// </summary>
public sealed record CylinderPressureResult : ReadingResult
{
    /// <summary>"running", with the other cylinders firing, or "cranking".</summary>
    public string? Mode { get; init; }

    public double? SpeedRpm { get; init; }
    public int Cycles { get; init; }
    public double? PeakBar { get; init; }
    public double? PeakSpreadPercent { get; init; }
    public double? ReferencePeakBar { get; init; }
    public double? ReferenceSpeedRpm { get; init; }

    /// <summary>The peak a tight cylinder of this compression ratio reaches from this manifold pressure.</summary>
    public double? ExpectedPeakBar { get; init; }

    public double? ExpansionMinimumBar { get; init; }
    public double? ExhaustBar { get; init; }
    public double? IntakeBar { get; init; }
    public double? ReferenceExhaustBar { get; init; }
    public double? ReferenceIntakeBar { get; init; }

    /// <summary>Absolute pressure in the intake, worked out from the tower's flanks whatever the sensor's zero.</summary>
    public double? IntakeAbsoluteBar { get; init; }

    /// <summary>Absolute pressure in the exhaust, likewise.</summary>
    public double? ExhaustAbsoluteBar { get; init; }

    /// <summary>Mean of a transducer on the intake; null without one.</summary>
    public double? ManifoldBar { get; init; }

    /// <summary>Mean of a transducer on the exhaust; null without one.</summary>
    public double? BackPressureBar { get; init; }

    public PressureEventSet? Events { get; init; }
    public double? IntakeShiftDegrees { get; init; }
    public double? IntakeShiftErrorDegrees { get; init; }
    public double? ExhaustShiftDegrees { get; init; }
    public double? ExhaustShiftErrorDegrees { get; init; }

    /// <summary>Against what the shifts count: "reference" or "engine file"; null where neither is there.</summary>
    public string? ShiftsAgainst { get; init; }

    public Leakage? Leakage { get; init; }

    /// <summary>Exponent n of p V^n in compression and in expansion.</summary>
    public double? CompressionExponent { get; init; }

    public double? ExpansionExponent { get; init; }

    /// <summary>How far the tower's peak lies before TDC, degrees: heat and blow-by.</summary>
    public double? PeakBeforeTdcDegrees { get; init; }

    /// <summary>
    /// Firing TDC of the first cylinder of the firing order after the first tooth behind the gap, 0-360; null without a crank
    /// sensor.
    /// </summary>
    public double? GapToTdcDegrees { get; init; }

    /// <summary>The same as the engine file has it.</summary>
    public double? EngineGapToTdcDegrees { get; init; }

    public IgnitionAdvance? IgnitionAdvance { get; init; }

    /// <summary>The cylinder that was measured, where it was said.</summary>
    public int? Cylinder { get; init; }

    public IReadOnlyList<CyclePeak> Peaks { get; init; } = [];

    /// <summary>The capture's course.</summary>
    public PressureCourse? Course { get; init; }

    /// <summary>The reference's mean course, at its own speed.</summary>
    public float[]? ReferenceCourse { get; init; }

    /// <summary>A leaking tower leans: its TDC is not one to keep.</summary>
    [JsonIgnore]
    public override double? FoundGapToTdc => Verdict == "leaks" ? null : GapToTdcDegrees;

    [JsonIgnore]
    public override string About => $"cylinder {Cylinder}, {Mode}";

    [JsonIgnore]
    public override IReadOnlyList<KeyFigure> Compared =>
        [
            new("Peak", PeakBar, "bar", PeakBar * PeakSpreadPercent / 100),
            new("Intake later by", IntakeShiftDegrees, "°", IntakeShiftErrorDegrees),
            new("Exhaust later by", ExhaustShiftDegrees, "°", ExhaustShiftErrorDegrees),
        ];

    [JsonIgnore]
    public override IReadOnlyList<LedgerEntry> Ledger =>
        IsUnusable || Cylinder is not { } cylinder || PeakBar is not { } peak
            ? []
            : [new LedgerEntry(cylinder, peak, peak * PeakSpreadPercent / 100, "bar", Verdict != "normal")];
}

/// <summary>How it is written as JSON, worked out when building.</summary>
[JsonSourceGenerationOptions(JsonSerializerDefaults.Web)]
[JsonSerializable(typeof(CylinderPressureResult))]
internal sealed partial class CylinderPressureJson : JsonSerializerContext;
