using Maschera.Core.Basics;
using Maschera.Core.Diagnosis;
using Maschera.Core.Readings;
using Maschera.Store;

namespace Maschera.App;

/// <summary>A job as the customer reads it, put together from its trail and what is weighed.</summary>
/// <param name="Told">What the customer told.</param>
/// <param name="Found">What was found, in two plain sentences.</param>
/// <param name="Best">The reading whose picture shows it best; null where none does.</param>
/// <param name="RuledOut">What it is not.</param>
/// <param name="Proposal">What is proposed and why, in a sentence.</param>
/// <param name="Proof">What the checks of before and after say.</param>
/// <param name="Shown">The pair of before and after that shows it best; null for none.</param>
/// <param name="Before">Readings of before the repair, for the next workshop, the oldest first.</param>
/// <param name="After">Those of after it.</param>
public sealed record CustomerReport(
    string Told,
    IReadOnlyList<string> Found,
    StoredReading? Best,
    IReadOnlyList<RuledOutBy> RuledOut,
    string Proposal,
    JobProof Proof,
    BeforeAfter? Shown,
    IReadOnlyList<StoredReading> Before,
    IReadOnlyList<StoredReading> After
)
{
    /// <summary>From these shares on a suspect is called likely, and probable.</summary>
    private const double Likely = 0.75,
        Probable = 0.4;

    /// <summary>The report of a job.</summary>
    public static CustomerReport Of(Job job, Likelihoods known)
    {
        var readings = JobFacts.ReadingsOf(job);
        var proof = JobProof.Of(job, readings);
        var weighed = JobDecision.OrNull(job, known);
        var lead = weighed?.Result.Suspects.FirstOrDefault(s => s.Fault != "something-else");
        var before = readings.Where(r => !JobProof.IsAfterRepair(job, r)).ToList();
        var best = BestOf(weighed, lead, before);
        return new(
            ToldOf(job),
            FoundOf(job, known, weighed, lead, best, proof),
            best,
            weighed is null ? [] : RuledOutBy.Of(weighed.Result, weighed.Engine.Cylinders),
            ProposalOf(job, known, weighed, lead),
            proof,
            ShownOf(job, readings, proof, best),
            before,
            [.. readings.Where(r => JobProof.IsAfterRepair(job, r))]
        );
    }

    /// <summary>What proves the repair, best in what the picture shows; where none is noted, a check that came out otherwise.</summary>
    private static BeforeAfter? ShownOf(Job job, IReadOnlyList<StoredReading> readings, JobProof proof, StoredReading? best)
    {
        var pairs =
            proof.Proof == App.Proof.NotRepaired
                ? JobFacts.Compared(job, readings).Where(p => p.FirstVerdict.Tone != p.LastVerdict.Tone).ToList()
                : [.. proof.By];
        return pairs.Find(p => p.Kind.Kind == best?.Kind) ?? (pairs.Count > 0 ? pairs[0] : null);
    }

    private static string ToldOf(Job job)
    {
        var when = job.WhenItHappens is { Length: > 0 } w ? $" It happens: {Lower(w).TrimEnd('.')}." : "";
        var done = job.EarlierRepairs is { Length: > 0 } d ? $" Done before: {Lower(d).TrimEnd('.')}." : "";
        return $"{job.Complaint.TrimEnd('.')}.{when}{done}";
    }

    private static string Lower(string text) =>
        text.Length > 1 && (char.IsLower(text[1]) || text[1] == ' ') ? char.ToLowerInvariant(text[0]) + text[1..] : text;

    private static List<string> FoundOf(Job job, Likelihoods known, JobWeighed? weighed, Suspect? lead, StoredReading? best, JobProof proof)
    {
        List<string> shown = best is null ? [] : [best.Sentence];
        if (job.FoundFault is { } found)
            return [$"{known.Plain(found, job.FoundCylinder, job.FoundWheel)}.", .. shown];
        if (lead is null || !JobFacts.ReadingsOf(job).Any(r => !JobProof.IsAfterRepair(job, r)))
            return ["Nothing is measured yet that would tell what it is."];
        var plain = known.Plain(lead.Fault, lead.Cylinder, lead.Wheel);
        var lower = Lower(plain);
        var other = weighed!.Result.Suspects.First(s => s.Fault == "something-else").Probability;
        var first =
            proof.Proof == App.Proof.Proved ? $"{plain}; the repair is proved."
            : other >= lead.Probability || !weighed.Result.Explained && lead.Probability < Likely
                ? $"What was found does not yet fit one cause. The likeliest of those we know: {lower}."
            : lead.Probability >= Likely ? $"Most likely {lower}."
            : lead.Probability >= Probable ? $"Probably {lower}; other causes are not ruled out yet."
            : $"It is not certain yet. The first suspect: {lower}.";
        return [first, .. shown];
    }

    /// <summary>The finding that speaks for the first suspect and shows it in a picture; else any that found something wrong.</summary>
    private static StoredReading? BestOf(JobWeighed? weighed, Suspect? lead, List<StoredReading> readings)
    {
        var faulty = readings.Where(r => !r.IsUnusable && JobFacts.ToneOf(r) == Tone.Fault).ToList();
        if (weighed is null || lead is null)
            return faulty.LastOrDefault();
        var speaks = lead.For.Select(t => weighed.Evidence.GetValueOrDefault(t)).OfType<StoredReading>().Where(faulty.Contains).ToList();
        // What names the cylinder shows it best; a list of codes and counters shows nothing.
        return speaks
                .OrderByDescending(r => r.Result?.Ledger.Any(e => e.Odd && e.Cylinder == lead.Cylinder) == true)
                .ThenBy(r => r.Kind == "on-board-tests")
                .FirstOrDefault()
            ?? faulty.OrderBy(r => r.Kind == "on-board-tests").LastOrDefault();
    }

    private static string ProposalOf(Job job, Likelihoods known, JobWeighed? weighed, Suspect? lead)
    {
        if (job.Work.Exists(w => w.DeletedAt is null))
        {
            var cured = job.Work.FirstOrDefault(w => w is { DeletedAt: null, Fault: not null });
            var because = cured is null ? "" : $", because: {Lower(known.Plain(cured.Fault!, cured.Cylinder, cured.Wheel))}";
            return job.Work.Exists(w => w is { DeletedAt: null, FittedAt: not null })
                ? $"This was renewed and done{because}."
                : $"This is to be renewed and done{because}.";
        }

        var next = weighed is { Result.Next: [var nearest, ..] } ? nearest : null;
        return next is null || lead is null
            ? "Read the codes and measure first."
            : $"One more check before anything is renewed: {Spoken.Word(next.Check)}{(next.Cylinder is { } c ? $" of cylinder {c}" : "")}, "
                + $"about {next.Minutes:0} minutes. It tells most of what is still open.";
    }
}
