using System.Text.Json.Nodes;
using Maschera.Core.Basics;
using Maschera.Core.Readings;

namespace Maschera.Core.Diagnosis;

/// <summary>Evidence as the readings write it, no more than is needed to weigh it.</summary>
internal static class HiddenEvidence
{
    /// <summary>Conditions of a start, in the order in which they are asked for.</summary>
    private static readonly string[] s_gates = ["battery", "speed", "rail-pressure", "sync", "fuel-command", "immobiliser"];

    /// <summary>What a drive log holds.</summary>
    private static readonly string[] s_logged = ["airflow", "boost", "fuel", "throttle", "crank", "cam"];

    private static readonly string[] s_atCylinder =
    [
        "air-at-intake",
        "air-at-exhaust",
        "air-at-oil-filler",
        "bubbles-in-coolant",
        "coolant-in-cylinder",
        "dripping-injector",
        "wet-plug",
        "oil-on-plug",
        "cracked-plug",
    ];

    public static JsonObject Of(string reading, string verdict, int? cylinder, string? wheel, int cylinders)
    {
        var parts = reading.Split('/', 2);
        if (parts[0] == "seen")
            return Seen(parts[1], verdict == "present", cylinder);
        var kind = ReadingRegistry.Find(parts[0])!;
        var said = verdict.Length == 0 ? kind.Verdicts.First(v => v.Tone == Tone.Fine).Word : verdict;
        var item = new JsonObject { ["reading"] = parts[0], ["verdict"] = said };
        Fill(item, parts[0], parts.Length > 1 ? parts[1] : null, verdict, cylinder, wheel);
        return item;
    }

    /// <summary>What is seen tells its cylinder only where one looks into or at one.</summary>
    private static JsonObject Seen(string word, bool present, int? cylinder) =>
        new()
        {
            ["seen"] = word,
            ["present"] = present,
            ["cylinder"] = s_atCylinder.Contains(word) ? cylinder : null,
        };

    private static void Fill(JsonObject item, string reading, string? subject, string verdict, int? cylinder, string? wheel)
    {
        switch (reading)
        {
            case "relative-compression" when verdict.Length > 0:
                item["low"] = List(new JsonObject { ["cylinder"] = cylinder });
                break;
            case "misfire" when verdict == "single":
                item["cylinders"] = List(new JsonObject { ["cylinder"] = cylinder, ["misfires"] = 40 });
                break;
            case "contribution" when verdict.Length > 0:
                item["cylinders"] = List(new JsonObject { ["cylinder"] = cylinder, ["isOdd"] = true });
                break;
            case "pulses":
                item["at"] = subject;
                if (verdict.Length > 0)
                    item["cylinders"] = List(new JsonObject { ["cylinder"] = cylinder, ["isOdd"] = true });
                if (verdict == "fire-lost")
                    (item["verdict"], item["cause"]) = ("one-odd", "combustion");
                break;
            case "on-board-tests" when verdict.Length > 0:
                item["misfires"] = List(new JsonObject { ["cylinder"] = cylinder, ["tenCycleAverage"] = 60 });
                break;
            case "cylinder-pressure":
                item["cylinder"] = cylinder;
                break;
            case "injector-balance" when verdict is "low" or "high":
                item["verdict"] = "outliers";
                item["outliers"] = List(new JsonObject { ["cylinder"] = cylinder, ["flowPercent"] = verdict == "low" ? 70 : 130 });
                break;
            case "pressure-hold" when verdict is "supply" or "return" or "rest":
                item["verdict"] = "leaks";
                item["share"] = new JsonObject { [verdict] = 0.9 };
                break;
            case "wheel-speeds" when verdict.Length > 0:
                item["wheels"] = List(new JsonObject { ["wheel"] = wheel, ["state"] = "drops-out" });
                break;
            case "start-conditions" when verdict.Length > 0:
                Shut(item, verdict);
                break;
            case "plausibility":
                item["findings"] = verdict.Length == 0 ? [] : List(Implausible(subject!));
                item["channels"] = new JsonObject(
                    s_logged.Select((s, i) => KeyValuePair.Create($"{i}", (JsonNode?)ComponentOf(s, null, null)))
                );
                break;
            case "circuit":
                Wires(item, subject!, verdict, cylinder, wheel);
                break;
            case "tracking" or "response" or "pulse-count":
                item["component"] = ComponentOf(subject!, cylinder, wheel);
                break;
        }
    }

    /// <summary>One log is judged once: what is implausible, or all its channels as plausible.</summary>
    public static IEnumerable<JsonObject> OneLog(IReadOnlyList<JsonObject> made)
    {
        var logs = made.Where(e => (string?)e["reading"] == "plausibility").ToList();
        var kept = logs.Where(e => e["findings"]!.AsArray().Count > 0).DefaultIfEmpty(logs.FirstOrDefault()).OfType<JsonObject>();
        return made.Except(logs).Concat(kept);
    }

    private static JsonArray List(JsonNode item) => new(item);

    /// <summary>The first condition that is missing; those before it are met.</summary>
    private static void Shut(JsonObject item, string gate)
    {
        var first = gate == "no-speed" ? "speed" : gate;
        item["verdict"] = "missing";
        item["first"] = first;
        var missing = new JsonObject { ["condition"] = first, ["state"] = "missing" };
        if (gate == "no-speed")
            missing["figure"] = 0;
        var met = s_gates.TakeWhile(g => g != first).Select(g => (JsonNode)new JsonObject { ["condition"] = g, ["state"] = "met" });
        item["conditions"] = new JsonArray([.. met, missing]);
    }

    private static JsonObject Implausible(string subject) =>
        subject switch
        {
            "shared" => new() { ["kind"] = "shared-supply" },
            "wire" => new() { ["kind"] = "spikes" },
            _ => new() { ["kind"] = "stuck", ["channel"] = ComponentOf(subject, null, null) },
        };

    private static void Wires(JsonObject item, string subject, string verdict, int? cylinder, string? wheel)
    {
        item["component"] = subject is "supply" or "signal" ? "" : ComponentOf(subject, cylinder, wheel);
        if (subject is not ("supply" or "signal"))
            item["cylinder"] = subject == "injector" ? cylinder : null;
        item["wires"] = List(
            new JsonObject
            {
                ["wire"] = subject == "supply" ? "5v" : "signal",
                ["state"] =
                    verdict.Length == 0 ? "sound"
                    : subject == "supply" ? "short-to-ground"
                    : "open",
            }
        );
    }

    /// <summary>A name that the words of the subject know.</summary>
    private static string ComponentOf(string subject, int? cylinder, string? wheel) =>
        subject switch
        {
            "airflow" => "air mass sensor",
            "timing" => "injection timing",
            "wheel" => $"{wheel?.Replace('-', ' ')} wheel",
            "injector" => $"injector {cylinder}",
            _ => subject,
        };
}
