using System.Text.Json.Nodes;
using Maschera.Core.Basics;
using Maschera.Core.Diagnosis;
using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Store;

namespace Maschera.App;

/// <summary>What is known of a job, weighed.</summary>
/// <param name="Result">Suspects, ruled out, next checks.</param>
/// <param name="Complaints">As what the complaint was understood; empty where it names nothing that is known.</param>
/// <param name="Evidence">Sentences of the readings weighed, each with its reading.</param>
/// <param name="Known">The strengths it was weighed with.</param>
public sealed record JobWeighed(
    DecisionResult Result,
    IReadOnlyList<string> Complaints,
    IReadOnlyDictionary<string, StoredReading> Evidence,
    Engine Engine,
    Likelihoods Known
);

/// <summary>Makes a case of a job: its complaint, its codes, and the newest answer to each question its readings asked.</summary>
public static class JobDecision
{
    /// <summary>Weighs a job; null while nothing is known that weighs.</summary>
    /// <param name="known">How strongly each finding speaks.</param>
    /// <param name="until">Only what was known then; all where null.</param>
    /// <exception cref="ReadingException">Something known can't be: a code of a cylinder that the engine has not.</exception>
    public static JobWeighed? Of(Job job, Likelihoods known, DateTime? until = null)
    {
        var engine = job.Engine!.ToEngine();
        bool WasKnown(DateTime at) => until is null || at <= until;
        var readings = Newest([.. JobFacts.ReadingsOf(job).Where(r => WasKnown(r.MadeAt) && !JobProof.IsAfterRepair(job, r))]);
        var codes = job.Codes.Where(c => c.DeletedAt is null && WasKnown(c.SeenAt)).ToList();
        var complaints = known.Complained($"{job.Complaint} {job.WhenItHappens}");
        var seen = job.Observations.Where(o => o.DeletedAt is null && WasKnown(o.SeenAt)).OrderBy(o => o.Id).ToList();
        if (readings.Count == 0 && codes.Count == 0 && complaints.Count == 0 && seen.Count == 0)
            return null;
        var evidence = new JsonArray([.. readings.Select(EvidenceOf), .. seen.Where(o => !o.IsReplacedPart).Select(Seen)]);
        var root = new JsonObject
        {
            ["engine"] = EngineOf(engine),
            ["complaints"] = new JsonArray([.. complaints.Select(c => (JsonNode)c)]),
            ["evidence"] = evidence,
            ["cleared"] = job.CodesClearedAt is not null,
            ["byComponent"] = true,
            ["replaced"] = new JsonArray([.. seen.Where(o => o.IsReplacedPart).Select(Replaced)]),
        };
        if (codes.Count > 0)
            root["codes"] = new JsonArray([.. codes.Select(c => (JsonNode)new JsonObject { ["code"] = c.Code, ["state"] = c.State })]);
        return new JobWeighed(
            Decision.Of(root, known),
            complaints,
            readings.GroupBy(r => r.Sentence).ToDictionary(g => g.Key, g => g.Last()),
            engine,
            known
        );
    }

    /// <summary>The same where it is said elsewhere that a job can't be weighed; null then too.</summary>
    public static JobWeighed? OrNull(Job job, Likelihoods known, DateTime? until = null)
    {
        try
        {
            return Of(job, known, until);
        }
        catch (ReadingException)
        {
            return null;
        }
    }

    /// <summary>Of several readings that ask the same of channels of the same names under the same sync, the newest.</summary>
    private static List<StoredReading> Newest(IReadOnlyList<StoredReading> readings) =>
        [
            .. readings
                .Where(r => !r.IsUnusable && r.Result is not null)
                .GroupBy(r => (r.Kind, Asked(r), r.Capture?.Conditions.SyncCylinder))
                .Select(g => g.Last())
                .OrderBy(r => r.Id),
        ];

    /// <summary>What a case says of an engine: how its cylinders belong together, and whose plugs are hard to reach.</summary>
    private static JsonObject EngineOf(Engine engine) =>
        new()
        {
            ["cylinders"] = engine.Cylinders,
            ["firingOrder"] = Listed(engine.FiringOrder),
            ["fuel"] = engine.Fuel,
            ["banks"] = engine.Banks is { } banks ? new JsonArray([.. banks.Select(b => (JsonNode)Listed(b))]) : null,
            ["plugAccess"] = engine.PlugAccess is { } plugs
                ? new JsonObject { ["cylinders"] = Listed(plugs.Cylinders), ["minutes"] = plugs.Minutes }
                : null,
        };

    private static JsonArray Listed(IReadOnlyList<int> cylinders) => new([.. cylinders.Select(c => (JsonNode)c)]);

    private static string Asked(StoredReading reading) =>
        ReadingRegistry.Find(reading.Kind)?.Identity(reading.Result!.Channels) ?? string.Join(',', reading.Result!.Channels.Values);

    private static JsonNode Seen(StoredObservation seen) =>
        new JsonObject
        {
            ["seen"] = seen.Word,
            ["present"] = seen.Present,
            ["cylinder"] = seen.Cylinder,
            ["wheel"] = seen.Wheel,
            ["part"] = seen.Part,
        };

    private static JsonNode Replaced(StoredObservation part) => new JsonObject { ["part"] = part.Word, ["cylinder"] = part.Cylinder };

    /// <summary>A reading as a case holds it.</summary>
    internal static JsonObject EvidenceOf(StoredReading reading)
    {
        var result = JsonNode.Parse(reading.Json)!.AsObject();
        result["reading"] = reading.Kind;
        return result;
    }
}
