using System.Text.Json;
using System.Text.Json.Serialization;

namespace Maschera.Core.Readings.Circuit;

/// <summary>What is said of one wire of a component.</summary>
/// <param name="Wire">The component's terminal: supply, supply 5v, ground, signal, signal 2.</param>
/// <param name="State">sound, open, high-resistance, short-to-ground, short-to-supply, short-to-signal or not-measured.</param>
/// <param name="Figure">What told it; null where nothing was measured.</param>
/// <param name="Unit">V or Ohm.</param>
/// <param name="Text">What that means, for a person.</param>
public sealed record WireState(string Wire, string State, double? Figure, string Unit, string Text)
{
    public const string Sound = "sound",
        Open = "open",
        HighResistance = "high-resistance",
        ToGround = "short-to-ground",
        ToSupply = "short-to-supply",
        ToSignal = "short-to-signal",
        NotMeasured = "not-measured";

    /// <summary>The component it belongs to; null where the sheet names none.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public string? Component { get; init; }

    /// <summary>True where something is wrong with it.</summary>
    [JsonIgnore]
    public bool IsFaulty => State is not (Sound or NotMeasured);
}

/// <summary>The wires of one component.</summary>
public sealed record CircuitResult : ReadingResult
{
    /// <summary>The components by name, one after another; null where the sheet names none.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public string? Component { get; init; }

    public IReadOnlyList<WireState> Wires { get; init; } = [];

    /// <summary>What to measure next, the least work first.</summary>
    public IReadOnlyList<string> Missing { get; init; } = [];
}

/// <summary>How it is written as JSON, worked out when building.</summary>
[JsonSourceGenerationOptions(JsonSerializerDefaults.Web)]
[JsonSerializable(typeof(CircuitResult))]
internal sealed partial class CircuitJson : JsonSerializerContext;
