using System.Text.Json;
using System.Text.Json.Serialization;
using Maschera.Core.Engines;

namespace Maschera.Core.Readings.InjectorBalance;

/// <summary>One injector, the median over its rounds.</summary>
/// <param name="Cylinder">Its cylinder.</param>
/// <param name="At">Its first pulse, s.</param>
/// <param name="Drop">What its pulse takes from the rail, leak taken out, in the rail's unit.</param>
/// <param name="PulseMilliseconds">Null where no pulse was captured and the flanks tell none.</param>
/// <param name="FlowPercent">100 is the median of the injectors that are no outliers.</param>
/// <param name="SpreadPercent">Standard deviation over the rounds; null for a single one.</param>
public sealed record InjectorFlow(
    int Cylinder,
    double At,
    double Drop,
    double? PulseMilliseconds,
    double FlowPercent,
    double? SpreadPercent
);

/// <summary>An injector that stands out.</summary>
public sealed record InjectorOutlier(int Cylinder, double FlowPercent);

/// <summary>The pressure of one pulse, less what stood before it, from its start; for the picture.</summary>
public sealed record PulseCourse(int Cylinder, IReadOnlyList<double> Seconds, IReadOnlyList<double> Pressures);

/// <summary>What each injector takes from the rail.</summary>
public sealed record InjectorBalanceResult : ReadingResult
{
    /// <summary>fixed-time or fixed-drop.</summary>
    public string Mode { get; init; } = "";

    public string Unit { get; init; } = "";

    /// <summary>What leaks away between the pulses, a minute; positive when pressure is lost.</summary>
    public double? HoldPerMinute { get; init; }

    public IReadOnlyList<InjectorFlow> Injectors { get; init; } = [];

    public IReadOnlyList<InjectorOutlier> Outliers { get; init; } = [];

    /// <summary>The median flow against the known-good set's; null without one.</summary>
    public double? AgainstReferencePercent { get; init; }

    public IReadOnlyList<PulseCourse> Courses { get; init; } = [];

    [JsonIgnore]
    public override IReadOnlyList<LedgerEntry> Ledger =>
        [
            .. Injectors.Select(i => new LedgerEntry(
                i.Cylinder,
                i.FlowPercent,
                i.SpreadPercent,
                "%",
                Outliers.Any(o => o.Cylinder == i.Cylinder)
            )),
        ];

    public override CylinderWheel? OnWheel(Engine engine) =>
        new(
            "Injector flow",
            [
                .. engine.FiringOrder.Select(number =>
                    Injectors.FirstOrDefault(i => i.Cylinder == number) is { } own
                        ? new WheelCell($"{number}", own.FlowPercent, Outliers.Any(o => o.Cylinder == number))
                        : new WheelCell($"{number}", null, false)
                ),
            ]
        );
}

/// <summary>How it is written as JSON, worked out when building.</summary>
[JsonSourceGenerationOptions(JsonSerializerDefaults.Web)]
[JsonSerializable(typeof(InjectorBalanceResult))]
internal sealed partial class InjectorBalanceJson : JsonSerializerContext;
