using System.Text.Json.Nodes;
using Maschera.Core.Readings.WheelSpeeds;

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

    private readonly Likelihoods _known;
    private readonly int _answers;
    private readonly List<string> _done = [];
    private Random _random;
    private bool _leaked;

    private HiddenCase(Likelihoods known, int answers, int cylinders, Fault fault, int? cylinder, string? wheel, string complaint)
    {
        (_known, _answers, _random, Cylinders, Fault) = (known, answers, new Random(answers), cylinders, fault);
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
        return cylinder is null ? drawn : new(known, drawn._answers, cylinders, fault, cylinder, drawn.Wheel, drawn.Complaint);
    }

    private static HiddenCase Of(Likelihoods known, int cylinders, Fault fault, Random random)
    {
        var complaint = Drawn(random, Complaints(known, fault), c => c.Likely).Word;
        int? cylinder = fault.Place == FaultPlace.Cylinder ? random.Next(1, cylinders + 1) : null;
        var wheel = fault.Place == FaultPlace.Wheel ? WheelNames.All[random.Next(WheelNames.All.Count)] : null;
        return new(known, random.Next(), cylinders, fault, cylinder, wheel, complaint);
    }

    /// <summary>What the complaint and the evidence so far, as <see cref="Make"/> gives it, say together.</summary>
    public DecisionResult Weighed(IReadOnlyList<JsonObject> evidence)
    {
        var root = new JsonObject
        {
            ["engine"] = new JsonObject { ["cylinders"] = Cylinders },
            ["complaints"] = new JsonArray(Complaint),
            ["evidence"] = new JsonArray([.. evidence.Where(e => e["codes"] is null).Select(e => e.DeepClone())]),
            ["byComponent"] = true,
        };
        if (evidence.FirstOrDefault(e => e["codes"] is not null) is { } read)
            root["codes"] = read["codes"]!.DeepClone();
        return Decision.Of(root, _known);
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
        _random = new Random(SeedOf(check, _done.Count(c => c == check)));
        if (check == "codes")
            return [new JsonObject { ["codes"] = Codes() }];
        if (check == "swap-part")
            return part is null ? [] : [Swap(part, cylinder)];
        var readings = _known.Checks.First(c => c.Name == check).Readings.Where(r => _known.Verdicts(r) is not null).ToList();
        if (check is not ("look" or "leak-down" or "borescope" or "drive-log"))
            readings = readings.Where(r => r == (best ?? readings[0])).ToList();
        return [.. HiddenEvidence.OneLog([.. readings.Select(r => Read(r, cylinder))])];
    }

    /// <summary>A check answers the same in whatever order checks are made: each time it has chances of its own (FNV-1a).</summary>
    private int SeedOf(string check, int time)
    {
        var hash = 2_166_136_261u;
        foreach (var letter in $"{_answers} {check} {time}")
            hash = (hash ^ letter) * 16_777_619;
        return (int)hash;
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
        return HiddenEvidence.Of(
            reading,
            verdict,
            elsewhere ? at : at ?? Cylinder ?? _random.Next(1, Cylinders + 1),
            Wheel ?? WheelNames.All[0],
            Cylinders
        );
    }

    /// <summary>The first hold tells that it leaks, a second one, with a way shut, where.</summary>
    private JsonObject Hold(IReadOnlyDictionary<string, Dictionary<string, double>> verdicts)
    {
        if (_leaked)
        {
            var way = Drawn(_random, ["supply", "return", "rest"], w => 0.02 + verdicts[w].GetValueOrDefault(Fault.Name));
            return HiddenEvidence.Of("pressure-hold", way, null, null, Cylinders);
        }

        var leaks = Math.Max(Finding.Accident, verdicts["leaks"].GetValueOrDefault(Fault.Name));
        _leaked = _random.NextDouble() < leaks;
        return HiddenEvidence.Of("pressure-hold", _leaked ? "leaks" : "", null, null, Cylinders);
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
}
