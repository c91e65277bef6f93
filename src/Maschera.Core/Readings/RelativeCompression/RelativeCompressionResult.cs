using System.Text.Json;
using System.Text.Json.Serialization;
using Maschera.Core.Engines;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.RelativeCompression;

/// <summary>Compression work of every cylinder against the others.</summary>
public sealed record RelativeCompressionResult : ReadingResult
{
    /// <summary>The role that told the load: current, battery or crank; null where none did.</summary>
    public string? LoadRole { get; init; }

    public double? CrankingSpeedRpm { get; init; }
    public int Cycles { get; init; }

    /// <summary>In firing order.</summary>
    public IReadOnlyList<PositionWork> Positions { get; init; } = [];

    public IReadOnlyList<LowPosition> Low { get; init; } = [];

    /// <summary>Every compression used, for the picture.</summary>
    public IReadOnlyList<Hump> Humps { get; init; } = [];

    /// <summary>The mean cycle and the fitted one over it; null where nothing was fitted.</summary>
    public FoldedCycle? Cycle { get; init; }

    [JsonIgnore]
    public override IReadOnlyList<LaneMark> Marks =>
        [.. Humps.Select(h => new LaneMark(h.From, h.To, Label(h.Position, h.Cylinder), IsLow(h.Position)))];

    [JsonIgnore]
    public override string? MarkedChannel => Channels.GetValueOrDefault(LoadRole ?? "");

    public override CylinderWheel OnWheel(Engine engine) =>
        new(
            "Compression work on the firing wheel",
            [.. Positions.Select(p => new WheelCell(Label(p.Position, p.Cylinder), p.Percent, IsLow(p.Position)))]
        );

    private bool IsLow(int position) => Low.Any(low => low.Position == position);

    private static string Label(int position, int? cylinder) => cylinder is { } number ? $"{number}" : $"({position})";

    [JsonIgnore]
    public override IReadOnlyList<LedgerEntry> Ledger =>
        [
            .. Positions
                .Where(p => p.Cylinder is not null)
                .Select(p => new LedgerEntry(p.Cylinder!.Value, p.Percent, p.SpreadPercent, "%", IsLow(p.Position))),
        ];
}

/// <summary>How it is written as JSON, worked out when building.</summary>
[JsonSourceGenerationOptions(JsonSerializerDefaults.Web)]
[JsonSerializable(typeof(RelativeCompressionResult))]
internal sealed partial class RelativeCompressionJson : JsonSerializerContext;

/// <summary>Work put into the gas at one place of the firing order; 100 is the median of those not low.</summary>
public sealed record PositionWork(int Position, int? Cylinder, double Percent, double SpreadPercent);

/// <summary>A place of the firing order below the limit and clear of the spread.</summary>
public sealed record LowPosition(int Position, int? Cylinder, double Percent);

/// <summary>The mean cycle over 0-720 degrees, 0 at the firing TDC of position 1, in the channel's unit.</summary>
public sealed record FoldedCycle(
    IReadOnlyList<float> Degrees,
    IReadOnlyList<float> Measured,
    IReadOnlyList<float> Spread,
    IReadOnlyList<float> Fitted
);
