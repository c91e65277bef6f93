using Maschera.Core.Diagnosis;
using Maschera.Store;

namespace Maschera.App;

/// <summary>What a line of the trail tells of.</summary>
public enum TrailKind
{
    Intake,
    Codes,
    Seen,
    Reading,
    Remark,
    Work,
    Close,
}

/// <summary>A line of the trail.</summary>
/// <param name="When">UTC.</param>
/// <param name="Kind">What it tells of.</param>
/// <param name="Text">The same in words.</param>
/// <param name="Address">Where it is to be seen; null for nowhere.</param>
/// <param name="Shift">What it changed among the suspects; empty for nothing.</param>
/// <param name="Remark">The remark a person wrote; null for what wrote itself.</param>
public sealed record TrailLine(DateTime When, TrailKind Kind, string Text, string? Address, string Shift, StoredRemark? Remark)
{
    /// <summary>Who did it; null where nobody is asked for a name.</summary>
    public string? By { get; init; }

    /// <summary>The picture of the view a remark was written at; null where it was written at none.</summary>
    public string? Picture => Remark is null ? null : SavedView.Of(Address)?.Picture;
}

/// <summary>A job's reasoning in the order of time: it writes itself, and a person writes between its lines.</summary>
public static class JobTrail
{
    /// <summary>A probability that moved by less is no news.</summary>
    private const double News = 0.05;

    /// <summary>Only the last so many lines are weighed one by one.</summary>
    private const int MostWeighed = 40;

    /// <summary>All lines, the oldest first, each with what it changed.</summary>
    public static IReadOnlyList<TrailLine> Of(Job job, Likelihoods known)
    {
        var lines = Lines(job).OrderBy(l => l.When).ToList();
        DecisionResult? before = null;
        for (var i = Math.Max(0, lines.Count - MostWeighed); i < lines.Count; i++)
        {
            if (lines[i].Kind is TrailKind.Remark or TrailKind.Work or TrailKind.Close)
                continue;
            // What can't be weighed is said where it is weighed; the trail tells it without a shift.
            var now = JobDecision.OrNull(job, known, lines[i].When)?.Result;
            if (now is not null && lines[i].Kind != TrailKind.Intake)
                lines[i] = lines[i] with { Shift = Shift(before, now, job.Engine!.ToEngine().Cylinders) };
            before = now ?? before;
        }

        return lines;
    }

    private static IEnumerable<TrailLine> Lines(Job job)
    {
        yield return new(job.CreatedAt, TrailKind.Intake, $"Taken in: {job.Complaint.TrimEnd('.')}.", null, "", null) { By = job.By };
        foreach (var codes in job.Codes.Where(c => c.DeletedAt is null).GroupBy(c => c.SeenAt))
            yield return new(
                codes.Key,
                TrailKind.Codes,
                $"Codes: {string.Join(", ", codes.Select(c => $"{c.Code} {c.State}"))}.",
                $"/jobs/{job.Id}/look",
                "",
                null
            )
            {
                By = codes.First().By,
            };
        foreach (var seen in job.Observations.Where(o => o.DeletedAt is null))
            yield return new(seen.SeenAt, TrailKind.Seen, SeenSaid(seen), $"/jobs/{job.Id}/seen", "", null) { By = seen.By };
        foreach (var reading in JobFacts.ReadingsOf(job))
            yield return new(reading.MadeAt, TrailKind.Reading, reading.Sentence, AddressOf(job, reading), "", null) { By = reading.By };
        foreach (var remark in job.Remarks.Where(r => r.DeletedAt is null))
            yield return new(remark.At, TrailKind.Remark, remark.Text, remark.Address, "", remark) { By = remark.By };
        foreach (var line in job.Work.Where(w => w.DeletedAt is null).SelectMany(WorkLines))
            yield return line;
        if (job.FoundFault is { } found)
            yield return new(
                job.FoundAt ?? job.ClosedAt ?? DateTime.UtcNow,
                TrailKind.Close,
                $"It was: {Spoken.Fault(found, job.FoundCylinder, job.FoundWheel)}.",
                null,
                "",
                null
            );
        if (job.ClosedAt is { } closed)
            yield return new(closed, TrailKind.Close, "Closed.", null, "", null);
    }

    private static IEnumerable<TrailLine> WorkLines(StoredWork work)
    {
        TrailLine Line(DateTime when, string done) =>
            new(when, TrailKind.Work, $"{work.What}: {done}.", $"/jobs/{work.JobId}/quote", "", null);
        yield return Line(work.ProposedAt, "proposed") with
        {
            By = work.By,
        };
        if (work.OrderedAt is { } ordered)
            yield return Line(ordered, "ordered");
        if (work.FittedAt is { } fitted)
            yield return Line(fitted, work.IsLabour ? "done" : "fitted");
    }

    private static string? AddressOf(Job job, StoredReading reading) =>
        job.Captures.FirstOrDefault(c => c.Id == reading.CaptureId)?.Address;

    private static string SeenSaid(StoredObservation seen)
    {
        var where = Spoken.Where(seen.Cylinder, seen.Wheel);
        if (seen.IsReplacedPart)
            return $"Renewed before: {Likelihoods.Usual.Parts.GetValueOrDefault(seen.Word, seen.Word)}{where}.";
        if (seen.Part is { } part)
            return $"Swapped for a trial: {Likelihoods.Usual.Parts.GetValueOrDefault(part, part)}{where}. "
                + (seen.Word == "swap-moved" ? "The fault went with it." : "The fault stayed.");
        return seen.Present ? $"Seen: {Spoken.Word(seen.Word)}{where}." : $"Looked for and not there: {Spoken.Word(seen.Word)}{where}.";
    }

    /// <summary>What is ruled out, each with the cylinders it is ruled out at where those are not all.</summary>
    private static IEnumerable<string> Named(DecisionResult result, int cylinders) =>
        RuledOutBy.Of(result, cylinders).SelectMany(r => r.Faults.Select(f => f + r.Where)).Distinct();

    /// <summary>What became of the suspects: the one that moved most, and what was ruled out.</summary>
    private static string Shift(DecisionResult? before, DecisionResult now, int cylinders)
    {
        if (before is null)
            return "";
        var earlier = Named(before, cylinders).ToHashSet();
        List<string> ruled = [.. Named(now, cylinders).Where(f => !earlier.Contains(f))];
        double Was(Suspect s) =>
            before.Suspects.FirstOrDefault(b => (b.Fault, b.Cylinder, b.Wheel) == (s.Fault, s.Cylinder, s.Wheel))?.Probability ?? 0;
        var moved = now.Suspects.Where(s => s.Fault != "something-else").MaxBy(s => s.Probability - Was(s));
        List<string> said = [];
        if (moved is not null && moved.Probability - Was(moved) >= News)
            said.Add($"{Spoken.Fault(moved.Fault, moved.Cylinder, moved.Wheel)}: {100 * Was(moved):0} → {100 * moved.Probability:0} %");
        if (ruled.Count > 0)
            said.Add("ruled out: " + string.Join(", ", ruled.Take(3)) + (ruled.Count > 3 ? $" and {ruled.Count - 3} more" : ""));
        return string.Join("; ", said);
    }
}
