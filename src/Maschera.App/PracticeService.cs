using System.Text.Json;
using System.Text.Json.Nodes;
using Maschera.Core.Diagnosis;
using Maschera.Core.Engines;
using Maschera.Core.Expressions;
using Maschera.Core.Readings;
using Maschera.Core.Signals;
using Maschera.Rig;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;

namespace Maschera.App;

/// <summary>A check made in the practice room.</summary>
/// <param name="Check">Its word.</param>
/// <param name="Cylinder">The cylinder it was made at; null for none.</param>
/// <param name="Minutes">What it cost.</param>
/// <param name="Said">What it gave, a sentence each.</param>
/// <param name="Capture">The capture it recorded; null for none.</param>
/// <param name="Evidence">The same as the decision takes it.</param>
public sealed record PracticeStep(
    string Check,
    int? Cylinder,
    double Minutes,
    IReadOnlyList<string> Said,
    int? Capture,
    IReadOnlyList<JsonObject> Evidence
);

/// <summary>The practice room: a stand-in vehicle hides a fault, a person chooses checks, each costs its minutes.</summary>
public sealed class PracticeService(MascheraDb db, CaptureIntake intake)
{
    /// <summary>The hardest level.</summary>
    public const int MostLevel = 3;

    private const int MostSteps = 40;

    /// <summary>What the rig can really do, so that it is recorded and read instead of told.</summary>
    private static readonly string[] s_recorded =
    [
        "relative-compression",
        "crank-misfire",
        "cam-timing",
        "in-cylinder-pressure",
        "intake-pulses",
        "exhaust-pulses",
        "coolant-pulses",
    ];

    /// <summary>A fault to the trouble of the rig's cylinder.</summary>
    private static readonly Dictionary<string, string> s_troubles = new()
    {
        ["leaking-exhaust-valve"] = "seat",
        ["leaking-intake-valve"] = "intake-leaks",
        ["worn-rings"] = "rings",
        ["head-gasket-coolant"] = "gasket",
        ["intake-valve-not-opening"] = "intake-shut",
        ["exhaust-valve-not-opening"] = "exhaust-shut",
        ["ignition-coil"] = "misfires",
        ["spark-plug"] = "misfires",
        ["injector-circuit"] = "silent",
        ["injector-restricted"] = "weak",
    };

    /// <summary>Faults of the rig that belong to no cylinder.</summary>
    private static readonly string[] s_whole = ["cam-timing-off", "weak-battery", "starter-drag", "exhaust-restricted", "crank-sensor"];

    private static readonly JsonSerializerOptions s_json = new(JsonSerializerDefaults.Web);

    /// <summary>Hides a fault in a new vehicle.</summary>
    public StoredPractice Start(int level, int seed)
    {
        level = Math.Clamp(level, 1, MostLevel);
        var engine = EngineOf(level == MostLevel ? EngineCatalogue.Tasso : EngineCatalogue.Orsa);
        var hidden = HiddenCase.Draw(Likelihoods.Usual, engine.ToEngine().Cylinders, seed, f => MayHide(level, f));
        var job = new Job
        {
            Vehicle = $"{engine.Name}, practice",
            Complaint = Likelihoods.Usual.Told(hidden.Complaint),
            EngineId = engine.Id,
            CreatedAt = DateTime.UtcNow,
        };
        var practice = new StoredPractice
        {
            Job = job,
            Level = level,
            Seed = seed,
            Fault = hidden.Fault.Name,
            Cylinder = hidden.Cylinder,
            StartedAt = DateTime.UtcNow,
        };
        db.Practice.Add(practice);
        db.SaveChanges();
        return practice;
    }

    /// <summary>The first level hides what one measurement shows, the second what shows on the rig at all, the third anything.</summary>
    private static bool MayHide(int level, Fault fault) =>
        level switch
        {
            1 => s_troubles.ContainsKey(fault.Name) && fault.Name is not ("ignition-coil" or "spark-plug" or "injector-restricted"),
            2 => s_troubles.ContainsKey(fault.Name) || s_whole.Contains(fault.Name),
            _ => true,
        };

    private StoredEngine EngineOf(Engine engine)
    {
        if (db.LiveEngines.FirstOrDefault(e => e.Name == engine.Name) is { } kept)
            return kept;
        var stored = new StoredEngine();
        stored.Take(engine);
        db.Engines.Add(stored);
        db.SaveChanges();
        return stored;
    }

    /// <summary>A round with its job and engine; null where there is none.</summary>
    public StoredPractice? Find(int id) => db.Practice.Include(p => p.Job!.Engine).FirstOrDefault(p => p.Id == id);

    /// <summary>The checks made so far.</summary>
    public static IReadOnlyList<PracticeStep> StepsOf(StoredPractice practice) =>
        JsonSerializer.Deserialize<List<PracticeStep>>(practice.ChecksJson, s_json)!;

    /// <summary>The checks that can be made, with their minutes.</summary>
    public static IEnumerable<(string Check, double Minutes)> Checks =>
        Likelihoods.Usual.Checks.Select(c => (c.Name, c.Minutes)).Append(("swap-part", 15));

    /// <summary>Makes a check.</summary>
    /// <exception cref="ReadingException">There is no such check, or the round is over.</exception>
    public void Make(StoredPractice practice, string check, int? cylinder, string? part)
    {
        var steps = StepsOf(practice).ToList();
        var (name, minutes) = Checks.FirstOrDefault(c => c.Check == check);
        if (name is null || practice.EndedAt is not null || steps.Count >= MostSteps)
            throw new ReadingException(name is null ? $"There is no check '{check}'." : "This round is over: begin another.");
        var engine = practice.Job!.Engine!.ToEngine();
        if (cylinder is not null && (cylinder < 1 || cylinder > engine.Cylinders))
            throw new ReadingException($"The engine has {engine.Cylinders} cylinders.");
        cylinder ??= check == "in-cylinder-pressure" ? 1 : null;
        steps.Add(
            s_recorded.Contains(check)
                ? Recorded(practice, engine, check, minutes, cylinder)
                : Answered(practice, steps, check, minutes, cylinder, part)
        );
        practice.ChecksJson = JsonSerializer.Serialize(steps, s_json);
        practice.Minutes = steps.Sum(s => s.Minutes);
        db.SaveChanges();
    }

    /// <summary>Says what it is; that ends the round.</summary>
    public void Answer(StoredPractice practice, string fault, int? cylinder)
    {
        if (practice.EndedAt is not null)
            return;
        (practice.SaidFault, practice.SaidCylinder, practice.EndedAt) = (fault, cylinder, DateTime.UtcNow);
        db.SaveChanges();
    }

    /// <summary>True where the answer is what was hidden.</summary>
    public static bool IsRight(StoredPractice practice) =>
        practice.SaidFault == practice.Fault && (practice.Cylinder is null || practice.SaidCylinder == practice.Cylinder);

    /// <summary>What the checks so far say together.</summary>
    public static DecisionResult Weighed(StoredPractice practice) =>
        HiddenOf(practice).Weighed([.. StepsOf(practice).SelectMany(s => s.Evidence)]);

    /// <summary>The way the decisions would have gone to the same fault.</summary>
    public static SearchResult Shortest(StoredPractice practice) => Search.For(HiddenOf(practice), SearchWay.Decided);

    private static HiddenCase HiddenOf(StoredPractice practice) =>
        HiddenCase.Draw(Likelihoods.Usual, practice.Job!.Engine!.ToEngine().Cylinders, practice.Seed, f => MayHide(practice.Level, f));

    /// <summary>A check that the rig can't do is answered as such a fault would.</summary>
    private static PracticeStep Answered(
        StoredPractice practice,
        List<PracticeStep> steps,
        string check,
        double minutes,
        int? cylinder,
        string? part
    )
    {
        var hidden = HiddenOf(practice);
        // The same vehicle answers the same to the same checks, in whatever order and however often they are made.
        foreach (var step in steps.Where(s => s.Check == check))
            hidden.Make(step.Check, null, step.Cylinder, part);
        var proposed = hidden.Weighed([.. steps.SelectMany(s => s.Evidence)]).Next.FirstOrDefault(n => n.Check == check);
        var best = proposed is { Outcomes: [var likeliest, ..] } ? likeliest.Reading : null;
        var evidence = hidden.Make(check, best, cylinder, part);
        return new(check, cylinder, minutes, SaidOf(evidence), null, evidence);
    }

    /// <summary>A check that the rig can do is recorded and read.</summary>
    private PracticeStep Recorded(StoredPractice practice, Engine engine, string check, double minutes, int? cylinder)
    {
        var setup = SetupOf(practice, engine, check == "in-cylinder-pressure" ? cylinder : null);
        var (capture, conditions) = check switch
        {
            "relative-compression" => (CrankingRun.Record(setup.Cranking).Capture, new Conditions("cranking", 20, "fuel", null)),
            "crank-misfire" or "cam-timing" => (RunningRun.Record(setup.Running).Capture, new Conditions("idle", 88, null, null)),
            _ => (BreathingRun.Record(setup.Gas).Capture, new Conditions("idle", 88, null, null)),
        };
        conditions = conditions with { SyncKind = "ignition", SyncCylinder = setup.Measured ?? engine.FiringOrder[0] };
        var name = Spoken.Capital(check) + (cylinder is { } c && check == "in-cylinder-pressure" ? $" of cylinder {c}" : "");
        var id = intake.Take(StoredCapture.Of(practice.JobId, name, conditions), Fitting(check, capture));
        var readings = db.Readings.AsNoTracking().Where(r => r.CaptureId == id).OrderBy(r => r.Id).ToList();
        return new(
            check,
            cylinder,
            minutes,
            readings.Count == 0 ? ["It could not be read."] : [.. readings.Select(r => r.Sentence)],
            id,
            [.. readings.Where(r => !r.IsUnusable).Select(JobDecision.EvidenceOf)]
        );
    }

    /// <summary>Pulses at one place are a check of their own: the other pick-ups were not on.</summary>
    private static Capture Fitting(string check, Capture capture)
    {
        if (!check.EndsWith("-pulses", StringComparison.Ordinal))
            return capture;
        var place = check[..check.IndexOf('-', StringComparison.Ordinal)];
        return capture with
        {
            Channels =
            [
                .. capture.Channels.Where(c =>
                    !c.Name.Contains("pulse", StringComparison.OrdinalIgnoreCase)
                    || c.Name.StartsWith(place, StringComparison.OrdinalIgnoreCase)
                ),
            ],
        };
    }

    private static RigSetup SetupOf(StoredPractice practice, Engine engine, int? measured) =>
        new(engine)
        {
            Troubles =
                practice.Cylinder is { } at && s_troubles.TryGetValue(practice.Fault, out var word)
                    ? new Dictionary<int, CylinderTrouble> { [at] = CylinderTrouble.Find(word)! }
                    : [],
            CamLate = practice.Fault == "cam-timing-off" ? 18 : 0,
            Battery =
                practice.Fault == "weak-battery" ? "weak"
                : practice.Fault == "starter-drag" ? "cable"
                : "good",
            CrankSensor = practice.Fault == "crank-sensor" ? "drops" : "hall",
            ExhaustBlocked = practice.Fault == "exhaust-restricted",
            Measured = measured,
            Seed = practice.Seed,
        };

    /// <summary>What was found, a sentence each; what was looked for and not there in one.</summary>
    private static List<string> SaidOf(IReadOnlyList<JsonObject> evidence)
    {
        bool IsAbsent(JsonObject e) => e["seen"] is not null && (bool?)e["present"] == false;
        List<string> said = [.. evidence.Where(e => !IsAbsent(e)).SelectMany(Sentences)];
        var absent = evidence.Where(IsAbsent).Select(e => Spoken.Word((string)e["seen"]!)).ToList();
        if (absent.Count > 0)
            said.Add($"Not there: {string.Join(", ", absent)}.");
        return said;
    }

    private static IEnumerable<string> Sentences(JsonObject item)
    {
        if (item["codes"] is JsonArray codes)
        {
            yield return codes.Count == 0
                ? "No code is stored."
                : "Stored: " + string.Join(", ", codes.Select(c => (string?)c!["code"])) + ".";
            yield break;
        }

        var at = (int?)item["cylinder"] is { } cylinder ? $", cylinder {cylinder}" : "";
        if ((string?)item["seen"] is { } seen)
        {
            if (seen is "swap-moved" or "swap-stayed")
                yield return seen == "swap-moved" ? "The fault went with the part." : "The fault stayed.";
            else
                yield return $"{Spoken.Capital(seen)}{at}.";
            yield break;
        }

        var reading = (string)item["reading"]!;
        var kind = ReadingRegistry.Find(reading)!;
        var about = (string?)item["component"] ?? (string?)item["at"] ?? "";
        yield return $"{kind.Title}{(about.Length > 0 ? $", {about}" : "")}: {Places(item, kind)}.";
    }

    private static string Places(JsonObject item, IReading kind)
    {
        var said = kind.VerdictOf((string)item["verdict"]!).Said;
        var named = (item["low"] ?? item["outliers"] ?? item["misfires"] ?? item["cylinders"]) as JsonArray;
        var places = named?.Select(n => (int?)n!["cylinder"]).OfType<int>().ToList() ?? [];
        var gate = (string?)item["first"] is { } first ? $", first {Spoken.Word(first)}" : "";
        var share = item["share"] is JsonObject shares ? $", by the {string.Join(", ", shares.Select(s => s.Key))}" : "";
        return said + (places.Count > 0 ? $", cylinder {string.Join(", ", places)}" : "") + gate + share;
    }
}
