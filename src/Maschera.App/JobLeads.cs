using System.Collections.Concurrent;
using Maschera.Core.Diagnosis;
using Maschera.Core.Readings;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;

namespace Maschera.App;

/// <summary>A job in two lines: what it most likely is, and what to do next.</summary>
/// <param name="Suspect">The first suspect, or that none stands out; empty where nothing weighs.</param>
/// <param name="Probability">Its probability; 0 for none.</param>
/// <param name="Next">The next check, or how the repair's proof stands; empty for none.</param>
/// <param name="Minutes">The check's minutes; null where it is none.</param>
public sealed record JobLead(string Suspect, double Probability, string Next, double? Minutes);

/// <summary>The leads of jobs, each weighed once for as long as nothing of its job changes.</summary>
public sealed class JobLeads
{
    private const int MostHeld = 2_000;

    /// <summary>A first suspect below this is as likely as many others.</summary>
    private const double StandsOut = 0.1;

    private readonly ConcurrentDictionary<int, (string Stamp, JobLead? Lead)> _held = new();

    /// <summary>What the leads of jobs depend on, in one query; a lead of another stamp is old.</summary>
    public static async Task<IReadOnlyDictionary<int, string>> StampsAsync(
        MascheraDb db,
        IReadOnlyCollection<int> jobs,
        Strengths strengths,
        CancellationToken cancel
    )
    {
        var rows = await db
            .Jobs.Where(j => jobs.Contains(j.Id))
            .Select(j => new
            {
                j.Id,
                j.Complaint,
                j.WhenItHappens,
                j.EngineId,
                j.CodesClearedAt,
                Readings = j.Readings.Count(r => r.Capture!.DeletedAt == null),
                Reading = j.Readings.Max(r => (int?)r.Id),
                Captures = j.Captures.Count(c => c.DeletedAt == null),
                Codes = j.Codes.Count(c => c.DeletedAt == null),
                Code = j.Codes.Max(c => (int?)c.Id),
                Seen = j.Observations.Count(o => o.DeletedAt == null),
                Saw = j.Observations.Max(o => (int?)o.Id),
                Fitted = j.Work.Where(w => w.DeletedAt == null).Max(w => w.FittedAt),
            })
            .ToListAsync(cancel);
        return rows.ToDictionary(r => r.Id, r => $"{strengths.Now.Stamp} {r}");
    }

    /// <summary>The lead that is held; false where it has to be weighed.</summary>
    public bool TryGet(int job, string stamp, out JobLead? lead)
    {
        var held = _held.TryGetValue(job, out var found) && found.Stamp == stamp;
        lead = held ? found.Lead : null;
        return held;
    }

    /// <summary>Weighs a job and holds the answer.</summary>
    public async Task<JobLead?> WeighAsync(MascheraDb db, int id, Strengths strengths, CancellationToken cancel)
    {
        if (!(await StampsAsync(db, [id], strengths, cancel)).TryGetValue(id, out var stamp))
            return null;
        if (TryGet(id, stamp, out var held))
            return held;
        var lead = await WholeJob.OfAsync(db, id) is { } job ? Of(job, strengths.Now.Known) : null;
        if (_held.Count >= MostHeld)
            _held.Clear();
        _held[id] = (stamp, lead);
        return lead;
    }

    private static JobLead? Of(Job job, Likelihoods known)
    {
        var proof = JobProof.Of(job, JobFacts.ReadingsOf(job));
        try
        {
            if (JobDecision.Of(job, known) is not { Result: var result, Engine.Cylinders: var cylinders })
                return null;
            var first = ToldSuspects.Of(result, cylinders)[0];
            var standsOut = first.Probability >= StandsOut;
            var next = result.Next.Count > 0 ? result.Next[0] : null;
            return new(
                standsOut ? Spoken.Capital(Spoken.Fault(first.Fault, first.Cylinder, first.Wheel)) : "No suspect stands out yet",
                standsOut ? first.Probability : 0,
                proof.Proof switch
                {
                    Proof.Proved => "Repair proved",
                    Proof.StillWrong => "Still wrong after the repair",
                    Proof.Open => "Prove the repair",
                    _ => next is null ? "" : Spoken.Capital(next.Check) + (next.Cylinder is { } c ? $", cylinder {c}" : ""),
                },
                proof.Proof == Proof.NotRepaired ? next?.Minutes : null
            );
        }
        catch (ReadingException error)
        {
            return new($"It can't be weighed: {error.Message}", 0, "", null);
        }
    }
}
