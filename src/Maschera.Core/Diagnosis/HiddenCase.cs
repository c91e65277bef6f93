using System.Text.Json.Nodes;
using Maschera.Core.Readings;

namespace Maschera.Core.Diagnosis;

/// <summary>
/// A vehicle with a hidden fault that answers checks as the likelihoods say such a fault does: now and then with an accident, never
/// with more than they promise. It stands in for a vehicle in the practice room and in the benchmark of decisions.
/// </summary>
public sealed class HiddenCase
{
    /// <summary>Together the abnormal outcomes of a reading take this share at most.</summary>
    private const double MostAbnormal = 0.97;

    /// <summary>The likelihoods are cautious about accidents; readings err half as often.</summary>
    private const double AccidentShare = 0.5;

    /// <summary>A complaint that this fault is less likely to give is not what somebody comes with.</summary>
    private const double LeastComplaint = 0.15;

    private static readonly string[] s_wheels = ["front-left", "front-right", "rear-left", "rear-right"];

    private readonly Likelihoods _known;
    private readonly Random _random;
    private readonly List<string> _done = [];
    private bool _leaked;

    private HiddenCase(Likelihoods known, Random random, int cylinders, Fault fault, int? cylinder, string? wheel, string complaint)
    {
        (_known, _random, Cylinders, Fault) = (known, random, cylinders, fault);
        (Cylinder, Wheel, Complaint) = (cylinder, wheel, complaint);
    }

    public int Cylinders { get; }

    /// <summary>What is hidden.</summary>
    public Fault Fault { get; }

    /// <summary>Its cylinder; null for none.</summary>
    public int? Cylinder { get; }

    /// <summary>Its wheel; null for none.</summary>
    public string? Wheel { get; }

    /// <summary>What the driver comes with, a word of the diagnosis.</summary>
    public string Complaint { get; }

    /// <summary>Checks made, in their order.</summary>
    public IReadOnlyList<string> Done => _done;

    /// <summary>Draws one: faults as often as they are met, the complaint as likely as the fault gives it.</summary>
    /// <param name="may">Which faults may be hidden; all where null.</param>
    public static HiddenCase Draw(Likelihoods known, int cylinders, int seed, Func<Fault, bool>? may = null)
    {
        var random = new Random(seed);
        var faults = known.Faults.Where(f => Complaints(known, f).Count > 0 && may?.Invoke(f) != false).ToList();
        var fault = Drawn(random, faults, f => f.Weight);
        return Of(known, cylinders, fault, random);
    }

    /// <summary>The same with a fault that is given.</summary>
    public static HiddenCase Of(Likelihoods known, int cylinders, Fault fault, int? cylinder, int seed)
    {
        var random = new Random(seed);
        var drawn = Of(known, cylinders, fault, random);
        return cylinder is null ? drawn : new(known, random, cylinders, fault, cylinder, drawn.Wheel, drawn.Complaint);
    }

    private static HiddenCase Of(Likelihoods known, int cylinders, Fault fault, Random random)
    {
        var complaint = Drawn(random, Complaints(known, fault), c => c.Likely).Word;
        int? cylinder = fault.Place == FaultPlace.Cylinder ? random.Next(1, cylinders + 1) : null;
        var wheel = fault.Place == FaultPlace.Wheel ? s_wheels[random.Next(s_wheels.Length)] : null;
        return new(known, random, cylinders, fault, cylinder, wheel, complaint);
    }

    private static List<(string Word, double Likely)> Complaints(Likelihoods known, Fault fault) =>
        [
            .. known
                .ComplaintWords.Select(w => (Word: w, Likely: known.Complaint(w)!.GetValueOrDefault(fault.Name)))
                .Where(c => c.Likely >= LeastComplaint),
        ];

    private static T Drawn<T>(Random random, IReadOnlyList<T> from, Func<T, double> weight)
    {
        var left = random.NextDouble() * from.Sum(weight);
        foreach (var item in from)
            if ((left -= weight(item)) <= 0)
                return item;
        return from[^1];
    }

    /// <summary>Makes a check.</summary>
    /// <param name="check">Its word.</param>
    /// <param name="best">Of several readings it may lead to the one that is made; the first where null.</param>
    /// <param name="cylinder">The cylinder it is made at, or whose part is swapped; null for none.</param>
    /// <param name="part">The part that is swapped.</param>
    /// <returns>What it gives, as evidence of a case; codes as an object with "codes".</returns>
    public IReadOnlyList<JsonObject> Make(string check, string? best = null, int? cylinder = null, string? part = null)
    {
        _done.Add(check);
        if (check == "codes")
            return [new JsonObject { ["codes"] = Codes() }];
        if (check == "swap-part")
            return part is null ? [] : [Swap(part, cylinder)];
        var readings = _known.Checks.First(c => c.Name == check).Readings.Where(r => _known.Verdicts(r) is not null).ToList();
        if (check is not ("look" or "leak-down" or "borescope" or "drive-log"))
            readings = readings.Where(r => r == (best ?? readings[0])).ToList();
        return [.. readings.Select(r => Read(r, cylinder))];
    }

    private JsonArray Codes()
    {
        var codes = new JsonArray();
        foreach (var (code, likely) in _known.CodesOf(Fault.Name, Cylinder))
            if (codes.Count < 2 && _random.NextDouble() < likely / 2)
                codes.Add((JsonNode)new JsonObject { ["code"] = code, ["state"] = "stored" });
        return codes;
    }

    private JsonObject Swap(string part, int? cylinder)
    {
        var same = part == Fault.Name && (Cylinder is null || cylinder == Cylinder);
        return new JsonObject
        {
            ["seen"] = same && _random.NextDouble() < 0.92 ? "swap-moved" : "swap-stayed",
            ["part"] = part,
            ["cylinder"] = cylinder,
            ["wheel"] = part == "wheel-sensor" ? Wheel : null,
        };
    }

    private JsonObject Read(string reading, int? at)
    {
        var verdicts = _known.Verdicts(reading)!;
        if (reading == "pressure-hold")
            return Hold(verdicts);
        // A transducer in another cylinder sees nothing of this one's fault.
        var elsewhere = at is not null && Cylinder is not null && at != Cylinder;
        var verdict = Outcome(verdicts, elsewhere, AccidentShare * _known.Accident(reading));
        return Evidence.Of(
            reading,
            verdict,
            elsewhere ? at : at ?? Cylinder ?? _random.Next(1, Cylinders + 1),
            Wheel ?? s_wheels[0],
            Cylinders
        );
    }

    /// <summary>The first hold tells that it leaks, a second one, with a way shut, where.</summary>
    private JsonObject Hold(IReadOnlyDictionary<string, Dictionary<string, double>> verdicts)
    {
        if (_leaked)
        {
            var way = Drawn(_random, ["supply", "return", "rest"], w => 0.02 + verdicts[w].GetValueOrDefault(Fault.Name));
            return Evidence.Of("pressure-hold", way, null, null, Cylinders);
        }

        var leaks = Math.Max(Finding.Accident, verdicts["leaks"].GetValueOrDefault(Fault.Name));
        _leaked = _random.NextDouble() < leaks;
        return Evidence.Of("pressure-hold", _leaked ? "leaks" : "", null, null, Cylinders);
    }

    private string Outcome(IReadOnlyDictionary<string, Dictionary<string, double>> verdicts, bool elsewhere, double accident)
    {
        var shares = verdicts.ToDictionary(
            v => v.Key,
            v => Math.Max(accident / verdicts.Count, elsewhere ? 0 : v.Value.GetValueOrDefault(Fault.Name))
        );
        var scale = Math.Min(1, MostAbnormal / shares.Values.Sum());
        var left = _random.NextDouble();
        foreach (var (verdict, share) in shares)
            if ((left -= share * scale) <= 0)
                return verdict;
        return "";
    }

    /// <summary>Evidence as the readings write it, no more than is needed to weigh it.</summary>
    private static class Evidence
    {
        /// <summary>The words of nothing wrong.</summary>
        private static readonly string[] s_fine =
        [
            "even",
            "none",
            "ok",
            "normal",
            "tracks",
            "plausible",
            "steady",
            "pass",
            "responds",
            "agree",
            "matches",
            "holds",
            "starts",
            "sound",
        ];

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
            var fine = s_fine.First(w => kind.Verdicts.Any(v => v.Word == w));
            var said = verdict.Length == 0 ? fine : verdict;
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
                    item["place"] = subject;
                    if (verdict.Length > 0)
                        item["cylinders"] = List(new JsonObject { ["cylinder"] = cylinder, ["isOdd"] = true });
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
                    break;
                case "circuit":
                    Wires(item, subject!, verdict, cylinder, wheel);
                    break;
                case "tracking" or "response" or "pulse-count":
                    item["component"] = ComponentOf(subject!, cylinder, wheel);
                    break;
            }
        }

        private static JsonArray List(JsonNode item) => new(item);

        private static void Shut(JsonObject item, string gate)
        {
            item["verdict"] = "missing";
            item["first"] = gate == "no-speed" ? "speed" : gate;
            if (gate == "no-speed")
                item["conditions"] = List(
                    new JsonObject
                    {
                        ["condition"] = "speed",
                        ["state"] = "missing",
                        ["figure"] = 0,
                    }
                );
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
            if (verdict.Length > 0)
                item["wires"] = List(
                    new JsonObject
                    {
                        ["wire"] = subject == "supply" ? "5v" : "signal",
                        ["state"] = subject == "supply" ? "short-to-ground" : "open",
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
}
