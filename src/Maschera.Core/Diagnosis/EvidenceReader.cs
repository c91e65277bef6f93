using System.Text.Json;
using Maschera.Core.Basics;
using Maschera.Core.Readings;

namespace Maschera.Core.Diagnosis;

/// <summary>Turns a reading's result, whole or cut down, into findings.</summary>
internal sealed class EvidenceReader(
    Likelihoods known,
    EvidenceSubject subject,
    int cylinders,
    CylinderStructure structure,
    bool cleared,
    IReadOnlyList<string> wheels
)
{
    /// <summary>A cylinder's misfire counter from which it speaks, and how much a module's own pass weighs.</summary>
    private const int Counts = 20;

    private const double PassWeight = 0.5;

    /// <summary>A channel that looks as it should may still be a little off; so much speaks against its sensor's faults.</summary>
    private const double PlausibleWeight = 0.6;

    /// <summary>Notes of sound readings, and the verdicts they do not speak against then.</summary>
    private static readonly Dictionary<string, string[]> s_untold = new()
    {
        ["shift-unknown"] = ["intake-timing", "exhaust-timing", "valve-timing"],
        ["shift-unsure"] = ["intake-timing", "exhaust-timing", "valve-timing"],
        ["leak-unsure"] = ["leaks"],
        ["fires-weakly"] = ["single"],
    };

    /// <summary>True for the word of a reading that found nothing wrong, or could not tell.</summary>
    public static bool IsQuiet(string reading, string verdict) => verdict == "cannot-tell" || IsNormal(reading, verdict);

    /// <summary>True for what a reading says where nothing is wrong: gates that are all met are none, though it does not start.</summary>
    private static bool IsNormal(string reading, string verdict) =>
        verdict == "all-met" || ReadingRegistry.Find(reading)?.VerdictOf(verdict).Tone is Tone.Fine;

    public IEnumerable<Finding> Read(JsonElement item, string reading, string verdict, HashSet<string> done)
    {
        var key = subject.KeyOf(item, reading);
        done.Add(key);
        done.Add(reading);
        if (reading == "pressure-hold")
            done.Add(
                Shares(item).Count > 0 ? NextChecks.HeldShut
                : verdict == "leaks" ? NextChecks.HeldOpen
                : reading
            );
        if (known.Verdicts(key) is not { } verdicts)
            yield break;
        if (reading == "on-board-tests" && verdict == "pass" && cleared)
            yield break;
        foreach (var finding in Findings(item, key, verdict, verdicts))
            yield return finding;
        foreach (var finding in reading == "plausibility" && IsNormal(reading, verdict) ? EachPlausible(item, verdict, done) : [])
            yield return finding;
    }

    /// <summary>A log without a fault speaks for each sensor in it.</summary>
    private IEnumerable<Finding> EachPlausible(JsonElement item, string verdict, HashSet<string> done)
    {
        var text = Text(item, "plausibility", verdict);
        foreach (var key in item.ChannelNames().Select(known.Subject).OfType<string>().Select(s => $"plausibility/{s}").Distinct())
        {
            done.Add(key);
            if (known.Verdicts(key) is { } verdicts)
                yield return new("plausibility", text, false, Together(verdicts), [], Weight: PlausibleWeight);
        }
    }

    private IEnumerable<Finding> Findings(
        JsonElement item,
        string key,
        string verdict,
        IReadOnlyDictionary<string, Dictionary<string, double>> verdicts
    )
    {
        var reading = key.Split('/')[0];
        var text = Text(item, reading, verdict);
        if (reading == "on-board-tests" && (verdict == "fail" || Counted(item).Any()))
        {
            foreach (var finding in OnBoard(item, text, verdicts["fail"]))
                yield return finding;
            yield break;
        }

        if (IsNormal(reading, verdict))
        {
            var weight = reading == "on-board-tests" ? PassWeight : 1;
            var told = Told(item, verdicts);
            if (told.Count > 0)
                yield return new(reading, text, false, Together(told), NormalCylinders(item, reading), Weight: weight);
            yield break;
        }

        var words = WordsOf(item, reading, verdict).ToList();
        foreach (var word in words)
            if (verdicts.TryGetValue(word, out var faults))
                foreach (var place in Places(item, reading, word))
                    yield return Abnormal(key, text, faults, place.Cylinders, place.Wheel) with
                    {
                        // The likelihoods of a verdict of several are told for several.
                        Further = word.StartsWith("several", StringComparison.Ordinal) ? 1 : Finding.FurtherByAccident,
                    };
        foreach (var finding in reading == "relative-compression" ? ShortOfAir(item, text) : [])
            yield return finding;
        // A gate that is met speaks against what would have shut it.
        foreach (var met in reading == "start-conditions" ? Met(item).Except(words) : [])
            if (verdicts.TryGetValue(met, out var faults))
                yield return new(reading, $"{met.Replace('-', ' ')} is met.", false, faults, []);
    }

    /// <param name="key">The reading, with its subject behind a stroke where it has one.</param>
    private Finding Abnormal(
        string key,
        string text,
        IReadOnlyDictionary<string, double> faults,
        IReadOnlyList<int> cylinders,
        string? wheel = null
    ) =>
        new(key.Split('/')[0], text, true, faults, cylinders, wheel)
        {
            ByAccident = known.Accident(key),
            Shared = SharedBy(known, structure, faults, cylinders),
        };

    /// <summary>Cylinders whose misfires were counted; the counters speak also where every test passes.</summary>
    private static IEnumerable<int> Counted(JsonElement item) =>
        item.Items("misfires")
            .Where(m => m.Number("tenCycleAverage") > Counts || m.Number("lastCycle") > Counts)
            .Concat(item.Items("tests").Where(t => t.IsFalse("passed") && t.Cylinder() > 0))
            .Select(EvidenceJson.Cylinder)
            .Distinct();

    /// <summary>What the module itself found: misfires of cylinders, and each system whose test fails.</summary>
    private IEnumerable<Finding> OnBoard(JsonElement item, string text, Dictionary<string, double> misfires)
    {
        var systems = item.Items("tests").Where(t => t.IsFalse("passed") && t.Cylinder() == 0).ToList();
        var counted = Counted(item).Where(c => c <= cylinders).ToList();
        if (counted.Count > 0 || systems.Count == 0)
            yield return Abnormal("on-board-tests", text, misfires, counted);
        foreach (
            var system in systems.Select(t => known.Subject(t.Word("monitorName") ?? "")).Distinct().Select(s => $"on-board-tests/{s}")
        )
            if (known.Verdicts(system)?.GetValueOrDefault("fail") is { } faults)
                yield return Abnormal(system, text, faults, []);
    }

    /// <summary>
    /// Low cylinders that seal but do not fill speak for their valve gear, each for its own, beside being low. Where a note says it of
    /// fewer than are low, which of them it is stands in its words alone.
    /// </summary>
    private IEnumerable<Finding> ShortOfAir(JsonElement item, string text)
    {
        const string fill = "relative-compression/fill";
        var low = item.Items("low").Select(EvidenceJson.Cylinder).ToList();
        var told = item.Items("notes").Count(note => note.Word("code") == "short-of-air");
        if (told == 0 || told < low.Count || known.Verdicts(fill)?.GetValueOrDefault("short-of-air") is not { } faults)
            yield break;
        foreach (var cylinder in low.Where(c => c > 0))
            yield return Abnormal(fill, text, faults, [cylinder]);
    }

    /// <summary>Of the faults that show a finding those that these cylinders share.</summary>
    public static Dictionary<string, double> SharedBy(
        Likelihoods known,
        CylinderStructure structure,
        IReadOnlyDictionary<string, double> faults,
        IReadOnlyList<int> named
    ) =>
        structure
            .Relations(named)
            .SelectMany(r => known.Shared(r))
            .Where(s => faults.ContainsKey(s.Key))
            .GroupBy(s => s.Key)
            .ToDictionary(g => g.Key, g => g.Max(s => s.Value));

    /// <summary>
    /// The verdicts that a reading without a fault speaks against: not those of which its notes say that it can't tell them.
    /// </summary>
    private static Dictionary<string, Dictionary<string, double>> Told(
        JsonElement item,
        IReadOnlyDictionary<string, Dictionary<string, double>> verdicts
    )
    {
        var untold = item.Items("notes").SelectMany(note => s_untold.GetValueOrDefault(note.Word("code") ?? "", [])).ToHashSet();
        return verdicts.Where(v => !untold.Contains(v.Key)).ToDictionary();
    }

    /// <summary>How likely any of the abnormal verdicts would have been.</summary>
    private static Dictionary<string, double> Together(IReadOnlyDictionary<string, Dictionary<string, double>> verdicts) =>
        verdicts
            .Values.SelectMany(v => v)
            .GroupBy(p => p.Key)
            .ToDictionary(g => g.Key, g => Math.Min(0.95, 1 - g.Aggregate(1.0, (left, p) => left * (1 - p.Value))));

    private static IEnumerable<string> WordsOf(JsonElement item, string reading, string verdict)
    {
        switch (reading)
        {
            case "start-conditions" when verdict == "missing":
                var first = item.Word("first") ?? "";
                return [first == "speed" && Figure(item, "speed") is 0 ? "no-speed" : first];
            case "pressure-hold":
                return Shares(item) is { Count: > 0 } shares ? [shares.MaxBy(s => s.Value).Key] : ["leaks"];
            case "injector-balance" when verdict == "outliers":
                return [.. item.Items("outliers").Select(o => o.Number("flowPercent") > 100 ? "high" : "low").Distinct()];
            // At the intake it draws like the others, and only its firing is lost; at the exhaust the verdict allows for either.
            case "pulses" when verdict == "one-odd" && item.Word("at") == "intake" && item.Word("cause") == "combustion":
                return ["fire-lost"];
            default:
                return [verdict];
        }
    }

    private static Dictionary<string, double> Shares(JsonElement item) =>
        item.TryGetProperty("share", out var share) && share.ValueKind == JsonValueKind.Object
            ? share
                .EnumerateObject()
                .Where(s => s.Value.ValueKind == JsonValueKind.Number)
                .ToDictionary(s => s.Name, s => s.Value.GetDouble())
            : [];

    private static double? Figure(JsonElement item, string condition) =>
        item.Items("conditions").Where(c => c.Word("condition") == condition).Select(c => c.Number("figure")).FirstOrDefault();

    private static IEnumerable<string> Met(JsonElement item) =>
        item.Items("conditions").Where(c => c.Word("state") == "met").Select(c => c.Word("condition") ?? "");

    /// <summary>The cylinders or the wheel an abnormal finding speaks of; one finding for each wheel.</summary>
    private IEnumerable<(List<int> Cylinders, string? Wheel)> Places(JsonElement item, string reading, string word)
    {
        if (reading == "wheel-speeds")
            return item.Items("wheels").Where(w => w.Word("state") is not "ok").Select(w => (new List<int>(), w.Word("wheel")));
        var wheel =
            item.Word("wheel") ?? (reading is "pulse-count" or "circuit" ? WheelIn(item.Channels() + " " + item.Word("component")) : null);
        List<int> named =
        [
            .. reading switch
            {
                "relative-compression" => item.Items("low").Select(EvidenceJson.Cylinder),
                "injector-balance" => item.Items("outliers")
                    .Where(o => o.Number("flowPercent") > 100 == (word == "high"))
                    .Select(EvidenceJson.Cylinder),
                "misfire" => item.Items("cylinders").Where(c => c.Number("misfires") > 0).Select(EvidenceJson.Cylinder),
                "contribution" or "pulses" => item.Items("cylinders").Where(c => c.IsTrue("isOdd")).Select(EvidenceJson.Cylinder),
                _ => [],
            },
        ];
        if (named.Count == 0 && item.Cylinder() is > 0 and var own)
            named.Add(own);
        return [(named.Where(c => c >= 1 && c <= cylinders).ToList(), wheel)];
    }

    /// <summary>A cylinder's own pressure says nothing of the others; everything else speaks of all.</summary>
    private static List<int> NormalCylinders(JsonElement item, string reading) =>
        reading is "cylinder-pressure" or "circuit" && item.Cylinder() is > 0 and var own ? [own] : [];

    private string? WheelIn(string text) =>
        wheels.FirstOrDefault(w => text.Replace(' ', '-').Contains(w, StringComparison.OrdinalIgnoreCase));

    private static string Text(JsonElement item, string reading, string verdict) =>
        item.Word("sentence") is { Length: > 0 } said ? said : $"{reading.Replace('-', ' ')}: {verdict.Replace('-', ' ')}.";
}
