using System.Text.Json;

namespace Maschera.Core.Diagnosis;

/// <summary>Turns a reading's result, whole or cut down, into findings.</summary>
internal sealed class EvidenceReader(
    Likelihoods known,
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

    private static readonly string[] s_normal =
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
        "all-met",
        "sound",
    ];

    /// <summary>Notes of sound readings, and the verdicts they do not speak against then.</summary>
    private static readonly Dictionary<string, string[]> s_untold = new()
    {
        ["shift-unknown"] = ["intake-timing", "exhaust-timing", "valve-timing"],
        ["shift-unsure"] = ["intake-timing", "exhaust-timing", "valve-timing"],
        ["leak-unsure"] = ["leaks"],
        ["fires-weakly"] = ["single"],
    };

    public IEnumerable<Finding> Read(JsonElement item, string reading, string verdict, HashSet<string> done)
    {
        var key = KeyOf(item, reading);
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
        foreach (var finding in Findings(item, reading, verdict, verdicts))
            yield return finding;
        foreach (var finding in reading == "plausibility" && s_normal.Contains(verdict) ? EachPlausible(item, verdict, done) : [])
            yield return finding;
    }

    /// <summary>A log without a fault speaks for each sensor in it.</summary>
    private IEnumerable<Finding> EachPlausible(JsonElement item, string verdict, HashSet<string> done)
    {
        var text = Text(item, "plausibility", verdict);
        foreach (var key in ChannelNames(item).Select(known.Subject).OfType<string>().Select(s => $"plausibility/{s}").Distinct())
        {
            done.Add(key);
            if (known.Verdicts(key) is { } verdicts)
                yield return new("plausibility", text, false, Together(verdicts), [], Weight: PlausibleWeight);
        }
    }

    private IEnumerable<Finding> Findings(
        JsonElement item,
        string reading,
        string verdict,
        IReadOnlyDictionary<string, Dictionary<string, double>> verdicts
    )
    {
        var text = Text(item, reading, verdict);
        if (s_normal.Contains(verdict))
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
                    yield return new(reading, text, true, faults, place.Cylinders, place.Wheel)
                    {
                        ByAccident = known.Accident(reading),
                        Shared = SharedBy(known, structure, faults, place.Cylinders),
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

    /// <summary>
    /// Low cylinders that seal but do not fill speak for their valve gear, each for its own, beside being low. Where a note says it of
    /// fewer than are low, which of them it is stands in its words alone.
    /// </summary>
    private IEnumerable<Finding> ShortOfAir(JsonElement item, string text)
    {
        var low = Items(item, "low").Select(Cylinder).ToList();
        var told = Items(item, "notes").Count(note => Word(note, "code") == "short-of-air");
        if (
            told == 0
            || told < low.Count
            || known.Verdicts("relative-compression/fill")?.GetValueOrDefault("short-of-air") is not { } faults
        )
            yield break;
        foreach (var cylinder in low.Where(c => c > 0))
            yield return new("relative-compression", text, true, faults, [cylinder])
            {
                ByAccident = known.Accident("relative-compression"),
            };
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
        var untold = Items(item, "notes").SelectMany(note => s_untold.GetValueOrDefault(Word(note, "code") ?? "", [])).ToHashSet();
        return verdicts.Where(v => !untold.Contains(v.Key)).ToDictionary();
    }

    /// <summary>How likely any of the abnormal verdicts would have been.</summary>
    private static Dictionary<string, double> Together(IReadOnlyDictionary<string, Dictionary<string, double>> verdicts) =>
        verdicts
            .Values.SelectMany(v => v)
            .GroupBy(p => p.Key)
            .ToDictionary(g => g.Key, g => Math.Min(0.95, 1 - g.Aggregate(1.0, (left, p) => left * (1 - p.Value))));

    private string KeyOf(JsonElement item, string reading)
    {
        var subject = reading switch
        {
            "pulses" => Word(item, "place")
                ?? known.Subject(Channels(item))
                ?? (Channels(item).Contains("exhaust", StringComparison.OrdinalIgnoreCase) ? "exhaust" : "intake"),
            "plausibility" => Plausible(item),
            "circuit" => Circuit(item),
            "tracking" or "response" or "pulse-count" => known.Subject(Word(item, "component") ?? "") ?? known.Subject(Channels(item)),
            _ => null,
        };
        return subject is null ? reading : $"{reading}/{subject}";
    }

    private string? Plausible(JsonElement item)
    {
        var findings = Items(item, "findings").ToList();
        if (findings.Count == 0)
            return "shared";
        if (findings.Any(f => Word(f, "kind") is "shared-supply" || Word(f, "kind") is "out-of-range" or "at-ground" && NamesSupply(f)))
            return "shared";
        if (
            findings.Any(f =>
                f.TryGetProperty("coincidesWith", out var with) && with.ValueKind != JsonValueKind.Null || Word(f, "kind") is "spikes"
            )
        )
            return "wire";
        return findings.Select(f => known.Subject(Word(f, "channel") ?? "")).FirstOrDefault(s => s is not null);
    }

    /// <summary>True for what is said of a supply itself, not of what a sensor fed from one tells.</summary>
    private static bool NamesSupply(JsonElement finding) =>
        Word(finding, "channel") is { } name
        && ((string[])["reference", "supply", "vref"]).Any(w => name.Contains(w, StringComparison.OrdinalIgnoreCase))
        && !name.Contains("pressure", StringComparison.OrdinalIgnoreCase);

    private string? Circuit(JsonElement item)
    {
        var faulty = Items(item, "wires").Where(w => Word(w, "state") is not ("sound" or "not-measured")).ToList();
        if (faulty.Exists(w => IsSupply(w) && Word(w, "state")!.StartsWith("short", StringComparison.Ordinal)))
            return "supply";
        var wires = Items(item, "wires").ToList();
        if (faulty.Count == 0 && wires.Count > 0 && wires.TrueForAll(IsSupply))
            return "supply";
        var about = Word(item, "component") ?? string.Join(' ', Items(item, "wires").Select(w => Word(w, "text"))) + Word(item, "sentence");
        // A ground or a plain supply of something that no fault is known of speaks for none.
        var isShort = faulty.Count == 0 || faulty.Any(w => Word(w, "wire") is not ("ground" or "supply"));
        return known.Subject(about) ?? (isShort ? "signal" : null);
    }

    private static bool IsSupply(JsonElement wire) => Word(wire, "wire")?.Contains("5v", StringComparison.OrdinalIgnoreCase) == true;

    private static IEnumerable<string> WordsOf(JsonElement item, string reading, string verdict)
    {
        switch (reading)
        {
            case "start-conditions" when verdict == "missing":
                var first = Word(item, "first") ?? "";
                return [first == "speed" && Figure(item, "speed") is 0 ? "no-speed" : first];
            case "pressure-hold":
                return Shares(item) is { Count: > 0 } shares ? [shares.MaxBy(s => s.Value).Key] : ["leaks"];
            case "injector-balance" when verdict == "outliers":
                return [.. Items(item, "outliers").Select(o => Number(o, "flowPercent") > 100 ? "high" : "low").Distinct()];
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
        Items(item, "conditions").Where(c => Word(c, "condition") == condition).Select(c => Number(c, "figure")).FirstOrDefault();

    private static IEnumerable<string> Met(JsonElement item) =>
        Items(item, "conditions").Where(c => Word(c, "state") == "met").Select(c => Word(c, "condition") ?? "");

    /// <summary>The cylinders or the wheel an abnormal finding speaks of; one finding for each wheel.</summary>
    private IEnumerable<(List<int> Cylinders, string? Wheel)> Places(JsonElement item, string reading, string word)
    {
        if (reading == "wheel-speeds")
            return Items(item, "wheels").Where(w => Word(w, "state") is not "ok").Select(w => (new List<int>(), Word(w, "wheel")));
        var wheel =
            Word(item, "wheel") ?? (reading is "pulse-count" or "circuit" ? WheelIn(Channels(item) + " " + Word(item, "component")) : null);
        List<int> named =
        [
            .. reading switch
            {
                "relative-compression" => Items(item, "low").Select(Cylinder),
                "injector-balance" => Items(item, "outliers")
                    .Where(o => Number(o, "flowPercent") > 100 == (word == "high"))
                    .Select(Cylinder),
                "misfire" => Items(item, "cylinders").Where(c => Number(c, "misfires") > 0).Select(Cylinder),
                "contribution" or "pulses" => Items(item, "cylinders")
                    .Where(c => c.TryGetProperty("isOdd", out var odd) && odd.ValueKind == JsonValueKind.True)
                    .Select(Cylinder),
                "on-board-tests" => Items(item, "misfires")
                    .Where(m => Number(m, "tenCycleAverage") > Counts || Number(m, "lastCycle") > Counts)
                    .Select(Cylinder),
                _ => [],
            },
        ];
        if (named.Count == 0 && Cylinder(item) is > 0 and var own)
            named.Add(own);
        return [(named.Where(c => c >= 1 && c <= cylinders).ToList(), wheel)];
    }

    /// <summary>A cylinder's own pressure says nothing of the others; everything else speaks of all.</summary>
    private static List<int> NormalCylinders(JsonElement item, string reading) =>
        reading is "cylinder-pressure" or "circuit" && Cylinder(item) is > 0 and var own ? [own] : [];

    private string? WheelIn(string text) =>
        wheels.FirstOrDefault(w => text.Replace(' ', '-').Contains(w, StringComparison.OrdinalIgnoreCase));

    private static string Text(JsonElement item, string reading, string verdict) =>
        Word(item, "sentence") is { Length: > 0 } said ? said : $"{reading.Replace('-', ' ')}: {verdict.Replace('-', ' ')}.";

    private static string Channels(JsonElement item) =>
        ChannelNames(item) is { Count: > 0 } names ? string.Join(' ', names) : Word(item, "command") ?? "";

    /// <summary>The command first.</summary>
    private static List<string> ChannelNames(JsonElement item) =>
        item.TryGetProperty("channels", out var channels) && channels.ValueKind == JsonValueKind.Object
            ?
            [
                .. channels
                    .EnumerateObject()
                    // The other side's sensor is only held against this one.
                    .Where(c => c.Value.ValueKind == JsonValueKind.String && c.Name != "other")
                    .OrderBy(c => c.Name == "command" ? 0 : 1)
                    .Select(c => c.Value.GetString()!),
            ]
            : [];

    private static IEnumerable<JsonElement> Items(JsonElement item, string name) =>
        item.TryGetProperty(name, out var list) && list.ValueKind == JsonValueKind.Array
            ? list.EnumerateArray().Where(e => e.ValueKind == JsonValueKind.Object)
            : [];

    private static int Cylinder(JsonElement item) => (int)(Number(item, "cylinder") ?? 0);

    private static double? Number(JsonElement item, string name) =>
        item.TryGetProperty(name, out var value) && value.ValueKind == JsonValueKind.Number ? value.GetDouble() : null;

    private static string? Word(JsonElement item, string name) =>
        item.TryGetProperty(name, out var value) && value.ValueKind == JsonValueKind.String ? value.GetString() : null;
}
