using System.Text.Json;
using System.Text.Json.Serialization;
using Maschera.Core.Engines;

namespace Maschera.Core.Readings.Misfire;

/// <summary>What one cylinder did.</summary>
/// <param name="Cylinder">Its number.</param>
/// <param name="Firings">Firings judged.</param>
/// <param name="Misfires">Those that added nothing.</param>
/// <param name="ContributionPercent">
/// Mean work of its firings; 100 is the mean of the cylinders that do not misfire, 0 adds nothing. Null where the scale is
/// not known.
/// </param>
/// <param name="SpreadPercent">Standard deviation over its firings.</param>
public sealed record CylinderMisfires(int Cylinder, int Firings, int Misfires, double? ContributionPercent, double? SpreadPercent);

/// <summary>One firing of the heat map: its cycle, cylinder, work in percent, and whether it misfired.</summary>
public readonly record struct FiringMark(int Cycle, int Cylinder, double Seconds, double SpeedRpm, double? Percent, bool Misfired);

/// <summary>Misfires counted from crank speed.</summary>
public sealed record MisfireResult : ReadingResult
{
    public double? SpeedRpm { get; init; }
    public int Cycles { get; init; }
    public int Firings { get; init; }
    public IReadOnlyList<CylinderMisfires> Cylinders { get; init; } = [];

    /// <summary>Every firing judged, in time order.</summary>
    public IReadOnlyList<FiringMark> Map { get; init; } = [];

    /// <summary>The firings that did not take place, each with its cylinder.</summary>
    [JsonIgnore]
    public override IReadOnlyList<LaneMark> Marks =>
        [.. Map.Where(m => m.Misfired).Select(m => new LaneMark(m.Seconds, m.Seconds + Power / (6 * m.SpeedRpm), $"{m.Cylinder}", true))];

    /// <summary>Crank degrees of a power stroke.</summary>
    private const double Power = 180;

    public override CylinderWheel OnWheel(Engine engine) => new("Share of firings that took place", [.. engine.FiringOrder.Select(Cell)]);

    private WheelCell Cell(int number) =>
        Cylinders.FirstOrDefault(c => c.Cylinder == number) is { Firings: > 0 } own
            ? new($"{number}", 100.0 * (own.Firings - own.Misfires) / own.Firings, own.Misfires > 0 && Verdict != "random")
            : new($"{number}", null, false);

    /// <summary>
    /// Shares, for captures are not equally long; their spread is that of a count (Poisson, at least one firing).
    /// </summary>
    [JsonIgnore]
    public override IReadOnlyList<KeyFigure> Compared =>
        [
            .. Cylinders
                .Where(c => c.Firings > 0)
                .Select(c => new KeyFigure(
                    $"Cylinder {c.Cylinder}, of its firings missing",
                    100.0 * c.Misfires / c.Firings,
                    "%",
                    100 * Math.Sqrt(Math.Max(1, c.Misfires)) / c.Firings
                )),
        ];

    /// <inheritdoc/>
    [JsonIgnore]
    public override IReadOnlyList<LedgerEntry> Ledger =>
        IsUnusable
            ? []
            :
            [
                .. Cylinders.Select(c => new LedgerEntry(
                    c.Cylinder,
                    c.Misfires,
                    null,
                    "firings missing",
                    c.Misfires > 0 && Verdict != "random"
                )),
            ];
}

/// <summary>How it is written as JSON, worked out when building.</summary>
[JsonSourceGenerationOptions(JsonSerializerDefaults.Web)]
[JsonSerializable(typeof(MisfireResult))]
internal sealed partial class MisfireJson : JsonSerializerContext;
