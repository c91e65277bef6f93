using System.Text.Json;

namespace Maschera.Core.Diagnosis;

/// <summary>What stands in a result, taken as it comes: what is missing or of another type is not there.</summary>
internal static class EvidenceJson
{
    /// <summary>The objects of a list; none where there is no list.</summary>
    public static IEnumerable<JsonElement> Items(this JsonElement item, string name) =>
        item.TryGetProperty(name, out var list) && list.ValueKind == JsonValueKind.Array
            ? list.EnumerateArray().Where(e => e.ValueKind == JsonValueKind.Object)
            : [];

    /// <summary>The item's cylinder, from 1; 0 for none.</summary>
    public static int Cylinder(this JsonElement item) => (int)(item.Number("cylinder") ?? 0);

    public static double? Number(this JsonElement item, string name) =>
        item.TryGetProperty(name, out var value) && value.ValueKind == JsonValueKind.Number ? value.GetDouble() : null;

    public static string? Word(this JsonElement item, string name) =>
        item.TryGetProperty(name, out var value) && value.ValueKind == JsonValueKind.String ? value.GetString() : null;

    public static bool IsTrue(this JsonElement item, string name) =>
        item.TryGetProperty(name, out var value) && value.ValueKind == JsonValueKind.True;

    public static bool IsFalse(this JsonElement item, string name) =>
        item.TryGetProperty(name, out var value) && value.ValueKind == JsonValueKind.False;

    /// <summary>
    /// Names of the channels that a reading used, the command first, without the other side's sensor it was held against.
    /// </summary>
    public static List<string> ChannelNames(this JsonElement item) =>
        item.TryGetProperty("channels", out var channels) && channels.ValueKind == JsonValueKind.Object
            ?
            [
                .. channels
                    .EnumerateObject()
                    .Where(c => c.Value.ValueKind == JsonValueKind.String && c.Name != "other")
                    .OrderBy(c => c.Name == "command" ? 0 : 1)
                    .Select(c => c.Value.GetString()!),
            ]
            : [];

    /// <summary>The same in one line; the command where no channel is named.</summary>
    public static string Channels(this JsonElement item) =>
        item.ChannelNames() is { Count: > 0 } names ? string.Join(' ', names) : item.Word("command") ?? "";
}
