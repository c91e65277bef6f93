using System.Text.Json;
using System.Text.RegularExpressions;

namespace Maschera.Core.Diagnosis;

/// <summary>What a result speaks of: the pressure that was tracked, the place of a pick-up, the component of a circuit.</summary>
/// <param name="ofWheels">True where what is complained of is the wheel sensors'.</param>
internal sealed partial class EvidenceSubject(Likelihoods known, bool ofWheels)
{
    /// <summary>The reading, with its subject behind a stroke where one is told from it.</summary>
    public string KeyOf(JsonElement item, string reading)
    {
        var subject = reading switch
        {
            "pulses" => Place(item),
            "plausibility" => Plausible(item),
            "circuit" => Circuit(item),
            "pulse-count" => Named(item) ?? (ofWheels ? "wheel" : null),
            "tracking" or "response" => Named(item),
            _ => null,
        };
        return subject is null ? reading : $"{reading}/{subject}";
    }

    private string? Named(JsonElement item) => known.Subject(item.Word("component") ?? "") ?? known.Subject(item.Channels());

    /// <summary>Where the pick-up sat; at the intake where neither the result nor a channel's name says.</summary>
    private static string Place(JsonElement item) =>
        item.Word("at")
        ?? Places().Match(item.Channels()) switch
        {
            { Success: false } => "intake",
            { Value: var name } when name.StartsWith("tail", StringComparison.OrdinalIgnoreCase) => "exhaust",
            { Value: var name } => name.ToLowerInvariant(),
        };

    [GeneratedRegex("exhaust|tail ?pipe|coolant|crankcase", RegexOptions.IgnoreCase)]
    private static partial Regex Places();

    private string? Plausible(JsonElement item)
    {
        var findings = item.Items("findings").ToList();
        if (findings.Count == 0)
            return "shared";
        if (findings.Any(f => f.Word("kind") is "shared-supply" || f.Word("kind") is "out-of-range" or "at-ground" && NamesSupply(f)))
            return "shared";
        var first = findings.Select(f => known.Subject(f.Word("channel") ?? "")).FirstOrDefault(s => s is not null);
        return findings.Any(f => FeedsIn(f, first)) ? "wire" : first;
    }

    /// <summary>
    /// Spikes come from another wire where its events are told, and on a supply or a pulse train; on what a slow sensor says they may be
    /// its own contact.
    /// </summary>
    private static bool FeedsIn(JsonElement finding, string? subject) =>
        finding.TryGetProperty("coincidesWith", out var with) && with.ValueKind != JsonValueKind.Null
        || finding.Word("kind") is "spikes" && (subject is not ("airflow" or "throttle" or "fuel" or "boost") || NamesSupply(finding));

    /// <summary>True for what is said of a supply itself, not of what a sensor fed from one tells.</summary>
    private static bool NamesSupply(JsonElement finding) =>
        finding.Word("channel") is { } name
        && ((string[])["reference", "supply", "vref"]).Any(w => name.Contains(w, StringComparison.OrdinalIgnoreCase))
        && !name.Contains("pressure", StringComparison.OrdinalIgnoreCase);

    private string? Circuit(JsonElement item)
    {
        var wires = item.Items("wires").ToList();
        var faulty = wires.Where(w => w.Word("state") is not ("sound" or "not-measured")).ToList();
        if (faulty.Exists(w => IsSupply(w) && w.Word("state")!.StartsWith("short", StringComparison.Ordinal)))
            return "supply";
        if (faulty.Count == 0 && wires.Count > 0 && wires.TrueForAll(IsSupply))
            return "supply";
        // A ground or a plain supply of something that no fault is known of speaks for none.
        var isShort = faulty.Count == 0 || faulty.Any(w => w.Word("wire") is not ("ground" or "supply"));
        return known.Subject(item.Word("component") ?? Told(item, wires)) ?? (isShort ? "signal" : null);
    }

    /// <summary>The words of a circuit's result without those of its far end, which is a module's whatever the component.</summary>
    private static string Told(JsonElement item, IEnumerable<JsonElement> wires) =>
        FarEnd().Replace(string.Join(' ', wires.Select(w => w.Word("text")).Append(item.Word("sentence"))), "");

    [GeneratedRegex(@"\b(?:its|the) module\b|(?<!\bcontrol |\bengine )\bmodule (?:ground|supply|signal)", RegexOptions.IgnoreCase)]
    private static partial Regex FarEnd();

    private static bool IsSupply(JsonElement wire) => wire.Word("wire")?.Contains("5v", StringComparison.OrdinalIgnoreCase) == true;
}
