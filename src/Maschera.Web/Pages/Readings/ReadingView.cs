using Maschera.Core.Engines;
using Maschera.Core.Logs;
using Maschera.Core.Readings;
using Maschera.Core.Readings.Tracking;
using Maschera.Store;

namespace Maschera.Web.Pages;

/// <summary>A stored reading as it is shown.</summary>
public sealed record ReadingView(StoredReading Reading, ReadingResult Result, Engine Engine)
{
    private static readonly HashSet<string> s_withBody = ["relative-compression", "duty", "cam-timing", "misfire", "tracking", "plausibility", "on-board-tests", "contribution", "cylinder-pressure", "pulses"];

    /// <summary>The reading's name for a person.</summary>
    public string Title => (ReadingRegistry.Find(Reading.Kind)?.Title ?? Reading.Kind) + (Result is TrackingResult { IsUnusable: false } tracking ? $": {Pair(tracking)}" : "");

    private static string Pair(TrackingResult result) => QuantityPairs.Find([.. result.Channels.Values]) is [var pair, ..] ? pair.Stem : result.Channels.GetValueOrDefault("actual", "");

    /// <summary>The partial view of its figures.</summary>
    public string Body => Result.IsUnusable || !s_withBody.Contains(Reading.Kind) ? "/Pages/Readings/_Nothing.cshtml" : $"/Pages/Readings/_{Reading.Kind}.cshtml";

    /// <summary>The view of a stored reading; null where its kind is no longer known.</summary>
    public static ReadingView? Of(StoredReading reading, Engine engine) => reading.Result is { } result ? new(reading, result, engine) : null;
}
