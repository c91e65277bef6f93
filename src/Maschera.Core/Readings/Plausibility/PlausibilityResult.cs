using System.Text.Json;
using System.Text.Json.Serialization;
using Maschera.Core.Quantities;

namespace Maschera.Core.Readings.Plausibility;

/// <summary>Another channel whose events explain spikes, and the share of the spikes they explain.</summary>
public sealed record Coincidence(string Channel, double Fraction);

/// <summary>Something that can't be true.</summary>
/// <param name="Channel">The channel; several joined by a comma.</param>
/// <param name="Kind">at-supply, at-ground, out-of-range, flat, jump, spikes, dropout or shared-supply.</param>
/// <param name="From">Where it begins, s.</param>
/// <param name="To">Where it ends, s.</param>
/// <param name="Count">How often within that time.</param>
/// <param name="Text">What is wrong, and where to look.</param>
public sealed record Finding(string Channel, string Kind, double From, double To, int Count, string Text)
{
    /// <summary>The channel whose events explain spikes; null where none does.</summary>
    public Coincidence? CoincidesWith { get; init; }

    /// <summary>All channels of a shared finding.</summary>
    public IReadOnlyList<string> Channels { get; init; } = [Channel];
}

/// <summary>Whether what was logged can be true.</summary>
public sealed record PlausibilityResult : ReadingResult
{
    public IReadOnlyList<Finding> Findings { get; init; } = [];

    /// <summary>What each channel was taken for; empty where nothing is known of it.</summary>
    public IReadOnlyDictionary<string, string> Quantities { get; init; } = new Dictionary<string, string>();
}

/// <summary>How it is written as JSON, worked out when building.</summary>
[JsonSourceGenerationOptions(JsonSerializerDefaults.Web)]
[JsonSerializable(typeof(PlausibilityResult))]
internal sealed partial class PlausibilityJson : JsonSerializerContext;
