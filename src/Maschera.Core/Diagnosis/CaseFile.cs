using System.Text.Json;
using Maschera.Core.Basics;
using Maschera.Core.Readings;
using Maschera.Core.Readings.WheelSpeeds;

namespace Maschera.Core.Diagnosis;

/// <summary>Everything known of a job, as it comes in JSON, turned into findings.</summary>
internal sealed class CaseFile
{
    /// <summary>Codes that were set while the battery was weak weigh little.</summary>
    private const double OnWeakBattery = 0.15;

    /// <summary>Further codes of one kind say little that the first did not.</summary>
    private const double FurtherCode = 0.4;

    private readonly Likelihoods _known;
    private readonly CylinderStructure _structure;
    private readonly EvidenceReader _reader;
    private readonly List<int> _hidden;
    private readonly double _toReach;
    private readonly List<Finding> _findings = [];
    private readonly List<Note> _notes = [];
    private readonly HashSet<string> _done = [];

    public CaseFile(JsonElement root, Likelihoods known)
    {
        _known = known;
        if (root.ValueKind != JsonValueKind.Object)
            throw new ReadingException("a case is a JSON object.");
        Cylinders = CylindersOf(root);
        _structure = new(root.TryGetProperty("engine", out var engine) ? engine : null, Cylinders);
        Minutes = MinutesOf(root);
        (_hidden, _toReach) = PlugsOf(root);
        Fuel = engine.ValueKind == JsonValueKind.Object ? engine.Word("fuel") : null;
        Cleared = root.IsTrue("cleared");
        ByComponent = root.IsTrue("byComponent");
        foreach (var complaint in Items(root, "complaints"))
            TakeComplaint(Text(complaint, "complaints"));
        var subject = new EvidenceSubject(known, _findings.Exists(f => f.Faults.ContainsKey("wheel-sensor")));
        _reader = new(known, subject, Cylinders, _structure, Cleared, WheelNames.All);
        foreach (var evidence in Items(root, "evidence"))
            TakeEvidence(Object(evidence, "evidence"));
        TakeCodes(root);
        foreach (var part in Items(root, "replaced"))
            TakeReplaced(Object(part, "replaced"));
        foreach (
            var named in _findings
                .Where(f => f.IsAbnormal && f.Shared.Count > 0)
                .Select(f => f.Cylinders)
                .DistinctBy(c => string.Join(' ', c))
        )
            _notes.AddRange(_structure.Relations(named).Select(r => CylinderStructure.Told(r, named)));
    }

    public int Cylinders { get; }
    public bool Cleared { get; }

    /// <summary>The engine's fuel; null where it is not said.</summary>
    public string? Fuel { get; }

    /// <summary>True where a check of one component leaves the same check of another to be done.</summary>
    public bool ByComponent { get; }

    public IReadOnlyDictionary<string, double> Minutes { get; }

    /// <summary>Minutes more to reach the plug of a cylinder.</summary>
    public double ToReach(int? cylinder) => cylinder is { } c && _hidden.Contains(c) ? _toReach : 0;

    public IReadOnlyList<Finding> Findings => _findings;
    public IReadOnlyList<Note> Notes => _notes;

    /// <summary>Readings that were made, with their subject where they have one.</summary>
    public IReadOnlySet<string> Done => _done;

    /// <summary>Faults whose part was replaced, with the cylinder; null for all.</summary>
    public List<(string Fault, int? Cylinder)> Replaced { get; } = [];

    private static int CylindersOf(JsonElement root)
    {
        if (!root.TryGetProperty("engine", out var engine))
            return 4;
        if (engine.ValueKind != JsonValueKind.Object)
            throw new ReadingException("engine is no object.");
        if (!engine.TryGetProperty("cylinders", out var cylinders))
            return 4;
        return cylinders.ValueKind == JsonValueKind.Number && cylinders.TryGetInt32(out var count) && count is >= 1 and <= 16
            ? count
            : throw new ReadingException("engine: cylinders is a whole number from 1 to 16.");
    }

    private static (List<int> Hidden, double Minutes) PlugsOf(JsonElement root)
    {
        if (!root.TryGetProperty("engine", out var engine) || !engine.TryGetProperty("plugAccess", out var plugs))
            return ([], 0);
        if (plugs.ValueKind == JsonValueKind.Null)
            return ([], 0);
        var minutes = Object(plugs, "engine").TryGetProperty("minutes", out var value) ? value : default;
        if (minutes.ValueKind != JsonValueKind.Number || !(minutes.GetDouble() is >= 0 and <= 600))
            throw new ReadingException("engine: plugAccess has minutes from 0 to 600.");
        return (
            CylinderStructure.Numbers(plugs.TryGetProperty("cylinders", out var named) ? named : default, "plugAccess"),
            minutes.GetDouble()
        );
    }

    private static Dictionary<string, double> MinutesOf(JsonElement root)
    {
        if (!root.TryGetProperty("minutes", out var minutes))
            return [];
        if (minutes.ValueKind != JsonValueKind.Object)
            throw new ReadingException("minutes is no object.");
        return minutes
            .EnumerateObject()
            .ToDictionary(
                m => m.Name,
                m =>
                    m.Value.ValueKind == JsonValueKind.Number && m.Value.GetDouble() > 0
                        ? m.Value.GetDouble()
                        : throw new ReadingException($"minutes: {m.Name} is a number above zero.")
            );
    }

    private static IEnumerable<JsonElement> Items(JsonElement root, string name)
    {
        if (!root.TryGetProperty(name, out var list) || list.ValueKind == JsonValueKind.Null)
            return [];
        return list.ValueKind == JsonValueKind.Array ? [.. list.EnumerateArray()] : throw new ReadingException($"{name} is no list.");
    }

    private static string Text(JsonElement item, string where) =>
        item.ValueKind == JsonValueKind.String
            ? item.GetString()!
            : throw new ReadingException($"{where}: {item.GetRawText()} is no word.");

    private static JsonElement Object(JsonElement item, string where) =>
        item.ValueKind == JsonValueKind.Object ? item : throw new ReadingException($"{where}: {item.GetRawText()} is no object.");

    private static string? Word(JsonElement item, string name, string where)
    {
        if (!item.TryGetProperty(name, out var value) || value.ValueKind == JsonValueKind.Null)
            return null;
        return value.ValueKind == JsonValueKind.String ? value.GetString() : throw new ReadingException($"{where}: {name} is no word.");
    }

    private int? Cylinder(JsonElement item, string where)
    {
        if (!item.TryGetProperty("cylinder", out var value) || value.ValueKind == JsonValueKind.Null)
            return null;
        if (value.ValueKind != JsonValueKind.Number || !value.TryGetInt32(out var number))
            throw new ReadingException($"{where}: cylinder is a whole number.");
        return number >= 1 && number <= Cylinders
            ? number
            : throw new ReadingException($"{where}: cylinder {number}, but the engine has {Cylinders}.");
    }

    private void TakeComplaint(string word)
    {
        if (_known.Complaint(word) is { } faults)
            _findings.Add(
                new("complaint", $"It is complained of {word.Replace('-', ' ')}.", true, faults, [], Weight: 0.8)
                {
                    ByAccident = _known.Accident("complaint"),
                }
            );
        else
            _notes.Add(new("unknown-complaint", $"The complaint '{word}' is not known and weighs nothing."));
    }

    private void TakeCodes(JsonElement root)
    {
        if (!root.TryGetProperty("codes", out _))
            return;
        _done.Add("codes");
        var weak = _findings.Any(f => f is { IsAbnormal: true, Source: "start-conditions" } && f.Faults.ContainsKey("weak-battery"));
        List<SetCode> set = [.. Items(root, "codes").Select(CodeOf).OfType<SetCode>()];
        foreach (var kind in set.GroupBy(c => c.Faults).Select(g => g.ToList()))
            TakeKind(kind, weak);
        if (weak && set.Count > 0)
            _notes.Add(new("codes-on-weak-battery", "The battery was weak while cranking: codes of other modules set then weigh little."));
        ManySupplies();
    }

    private sealed record SetCode(string Code, IReadOnlyDictionary<string, double> Faults, int? Cylinder);

    /// <summary>A code that is set; null, with a note, for one that is not known.</summary>
    private SetCode? CodeOf(JsonElement item)
    {
        var word = item.ValueKind == JsonValueKind.String ? item.GetString() : Word(Object(item, "codes"), "code", "codes");
        var code = word?.ToUpperInvariant() ?? "";
        if (_known.Code(code) is not { } meant)
        {
            _notes.Add(new("unknown-code", $"What {code} speaks for is not known here; it weighs nothing."));
            return null;
        }

        return meant.Cylinder > Cylinders
            ? throw new ReadingException($"codes: {code} names cylinder {meant.Cylinder}, but the engine has {Cylinders}.")
            : new(code, meant.Faults, meant.Cylinder);
    }

    /// <summary>Codes of one kind: those of several cylinders are one finding, further ones say little that the first did not.</summary>
    private void TakeKind(List<SetCode> kind, bool weak)
    {
        double Weight(SetCode code, double usual) =>
            weak && !code.Code.StartsWith("P056", StringComparison.Ordinal) ? OnWeakBattery : usual;
        var first = kind.DistinctBy(c => c.Cylinder).ToList();
        List<int> cylinders = [.. first.Select(c => c.Cylinder).OfType<int>()];
        var are = first.Count == 1 ? "is" : "are";
        _findings.Add(
            new(
                "codes",
                $"{string.Join(", ", first.Select(c => c.Code))} {are} set.",
                true,
                kind[0].Faults,
                cylinders,
                Weight: Weight(kind[0], 1)
            )
            {
                ByAccident = _known.Accident("codes"),
                Shared = EvidenceReader.SharedBy(_known, _structure, kind[0].Faults, cylinders),
            }
        );
        foreach (var code in kind.Except(first))
            _findings.Add(
                new(
                    "codes",
                    $"{code.Code} is set.",
                    true,
                    code.Faults,
                    code.Cylinder is { } c ? [c] : [],
                    Weight: Weight(code, FurtherCode)
                )
            );
    }

    /// <summary>Several sensors of one supply that complain together point at the supply.</summary>
    private void ManySupplies()
    {
        var shared = _findings.Where(f => f.Source == "codes" && f.Faults.ContainsKey("reference-supply-short")).ToList();
        if (shared.Count < 2)
            return;
        _findings.Add(
            new(
                "codes",
                $"{shared.Count} sensors of one supply complain together.",
                true,
                new Dictionary<string, double> { ["reference-supply-short"] = 0.8 },
                []
            )
        );
    }

    private void TakeReplaced(JsonElement part)
    {
        var name = Word(part, "part", "replaced") ?? throw new ReadingException("replaced: a part has its fault's word under \"part\".");
        var cylinder = Cylinder(part, "replaced");
        if (_known.Find(name) is null)
            _notes.Add(new("unknown-part", $"The part '{name}' is not known and weighs nothing."));
        else
            Replaced.Add((name, cylinder));
    }

    private void TakeEvidence(JsonElement item)
    {
        if (Word(item, "seen", "evidence") is { } seen)
        {
            TakeSeen(item, seen);
            return;
        }

        var reading =
            Word(item, "reading", "evidence") ?? throw new ReadingException("evidence: an item has a \"reading\" or something \"seen\".");
        var verdict = Word(item, "verdict", "evidence");
        _ = Cylinder(item, "evidence");
        if (verdict is null || ReadingRegistry.Find(reading) is not { } kind || kind.Verdicts.All(v => v.Word != verdict))
            _notes.Add(new("unknown-evidence", $"'{reading}' with the verdict '{verdict}' is not known and weighs nothing."));
        else if (verdict != Verdict.UnusableWord)
            TakeReading(item, reading, verdict);
    }

    private void TakeReading(JsonElement item, string reading, string verdict)
    {
        var findings = _reader.Read(item, reading, verdict, _done).ToList();
        _findings.AddRange(findings);
        if (findings.Count > 0 || EvidenceReader.IsQuiet(reading, verdict))
            return;
        var of = item.Channels() is { Length: > 0 } channels ? $" of {channels}" : "";
        _notes.Add(
            new(
                "not-weighed",
                $"What '{reading.Replace('-', ' ')}: {verdict.Replace('-', ' ')}'{of} speaks for is not known; it weighs nothing."
            )
        );
    }

    private void TakeSeen(JsonElement item, string word)
    {
        var present = !item.IsFalse("present");
        List<int> cylinders = Cylinder(item, "evidence") is { } own ? [own] : [];
        if (word is "swap-moved" or "swap-stayed")
        {
            TakeSwap(item, word == "swap-moved" && present, cylinders);
            return;
        }

        if (_known.Verdicts($"seen/{word}") is not { } verdicts)
        {
            _notes.Add(new("unknown-evidence", $"'{word}' is not known and weighs nothing."));
            return;
        }

        _done.Add($"seen/{word}");
        var said = word.Replace('-', ' ');
        _findings.Add(
            new(
                word,
                present ? $"Seen: {said}." : $"Looked for and not there: {said}.",
                present,
                verdicts["present"],
                cylinders,
                Word(item, "wheel", "evidence")
            )
        );
    }

    /// <summary>A fault that went with the part speaks for it strongly, one that stayed against it.</summary>
    private void TakeSwap(JsonElement item, bool moved, List<int> cylinders)
    {
        var part = Word(item, "part", "evidence") ?? "";
        if (_known.Find(part) is null)
        {
            _notes.Add(new("unknown-part", $"The swapped part '{part}' is not known and weighs nothing."));
            return;
        }

        _done.Add("swap-part");
        var said = part.Replace('-', ' ');
        var faults = new Dictionary<string, double> { [part] = 0.95 };
        _findings.Add(
            new(
                "swap-part",
                moved ? $"The fault went with the {said}." : $"The fault stayed when the {said} was swapped.",
                moved,
                faults,
                cylinders,
                Word(item, "wheel", "evidence")
            )
        );
    }
}
