using System.Text.Json;
using Maschera.Core.Readings;
using Microsoft.Extensions.Caching.Memory;

namespace Maschera.Store;

/// <summary>
/// Results of readings as they were taken out of their JSON, for every page of a job and its captures asks for all of them. Two
/// rows with the same JSON share one result; results are never changed.
/// </summary>
internal static class HeldResults
{
    /// <summary>Letters of JSON held together: with what they say, some 60 MB. Beyond it the ones not asked for longest go.</summary>
    private const long MostLetters = 12_000_000;

    private static readonly TimeSpan s_unused = TimeSpan.FromMinutes(20);
    private static readonly MemoryCache s_held = new(new MemoryCacheOptions { SizeLimit = MostLetters });

    /// <summary>The result in its own type; null where the reading is no longer known.</summary>
    public static ReadingResult? Of(string kind, string json) =>
        ReadingRegistry.Find(kind) is not { } reading
            ? null
            : s_held.GetOrCreate(
                (kind, json),
                entry =>
                {
                    entry.Size = Math.Max(1, json.Length);
                    entry.SlidingExpiration = s_unused;
                    return (ReadingResult?)JsonSerializer.Deserialize(json, reading.ResultJson.Type, StoreJson.Options);
                }
            );
}
