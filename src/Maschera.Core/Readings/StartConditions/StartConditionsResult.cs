using System.Text.Json;
using System.Text.Json.Serialization;

namespace Maschera.Core.Readings.StartConditions;

/// <summary>One thing an engine needs to start.</summary>
/// <param name="Condition">battery, speed, rail-pressure, sync, fuel-command or immobiliser.</param>
/// <param name="State">met, missing or not-logged; the last also where it can't be judged.</param>
/// <param name="Figure">What was reached, in <paramref name="Unit"/>.</param>
/// <param name="Need">What it takes; null where none is known.</param>
/// <param name="From">Start of the stretch judged, s.</param>
public sealed record StartCondition(
    string Condition,
    string State,
    double? Figure,
    double? Need,
    string Unit,
    double From,
    double To,
    string Text
)
{
    public const string Met = "met",
        Missing = "missing",
        NotLogged = "not-logged";

    [JsonIgnore]
    public bool IsMissing => State == Missing;
}

/// <summary>What keeps an engine from starting, in the order of the gates.</summary>
public sealed record StartConditionsResult : ReadingResult
{
    /// <summary>The first gate that is shut; null for none.</summary>
    public string? First { get; init; }

    public IReadOnlyList<StartCondition> Conditions { get; init; } = [];

    [JsonIgnore]
    public override IReadOnlyList<KeyFigure> Figures =>
        [.. Conditions.Where(c => c.Figure is not null).Select(c => new KeyFigure(c.Condition.Replace('-', ' '), c.Figure, c.Unit))];
}

/// <summary>How it is written as JSON, worked out when building.</summary>
[JsonSourceGenerationOptions(JsonSerializerDefaults.Web)]
[JsonSerializable(typeof(StartConditionsResult))]
internal sealed partial class StartConditionsJson : JsonSerializerContext;
