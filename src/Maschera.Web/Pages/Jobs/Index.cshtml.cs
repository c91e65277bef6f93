using Maschera.App;
using Maschera.Store;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Jobs;

/// <summary>The open work, or what is closed.</summary>
public sealed class IndexModel(MascheraDb db, JobLeads leads, Strengths strengths) : PageModel
{
    [BindProperty(SupportsGet = true)]
    public string? Search { get; set; }

    [BindProperty(SupportsGet = true)]
    public bool Closed { get; set; }

    public IReadOnlyList<Job> Jobs { get; private set; } = [];

    /// <summary>Stamps of the jobs' leads, by job.</summary>
    private IReadOnlyDictionary<int, string> Stamps { get; set; } = new Dictionary<int, string>();

    /// <summary>The lead of a job where it is held; false where the row has to ask for it.</summary>
    public bool TryLead(Job job, out JobLead? lead)
    {
        lead = null;
        return Stamps.TryGetValue(job.Id, out var stamp) && leads.TryGet(job.Id, stamp, out lead);
    }

    /// <summary>One job's lead, asked for by its row.</summary>
    public async Task<IActionResult> OnGetLeadAsync(int job, CancellationToken cancel) =>
        Partial("_Lead", await leads.WeighAsync(db, job, strengths, cancel));

    public async Task OnGetAsync(CancellationToken cancel)
    {
        var jobs = db
            .RealJobs.AsNoTracking()
            .Include(j => j.Work.Where(w => w.DeletedAt == null))
            .Where(j => (j.ClosedAt != null) == Closed);
        if (!string.IsNullOrWhiteSpace(Search))
        {
            var like = $"%{Search.Trim()}%";
            jobs = jobs.Where(j =>
                EF.Functions.Like(j.Vehicle, like) || EF.Functions.Like(j.Plate!, like) || EF.Functions.Like(j.Complaint, like)
            );
        }

        Jobs = await jobs.OrderByDescending(j => j.CreatedAt).ToListAsync(cancel);
        await AddReadingsAsync(cancel);
        Stamps = await JobLeads.StampsAsync(db, [.. Jobs.Select(j => j.Id)], strengths, cancel);
    }

    /// <summary>What the steps need of the readings, and no more: their results are long.</summary>
    private async Task AddReadingsAsync(CancellationToken cancel)
    {
        var readings = await db
            .Readings.AsNoTracking()
            .Where(r => r.Capture!.DeletedAt == null && (r.Job!.ClosedAt != null) == Closed)
            .Select(r => new StoredReading
            {
                JobId = r.JobId,
                Kind = r.Kind,
                Verdict = r.Verdict,
            })
            .ToListAsync(cancel);
        var byJob = readings.ToLookup(r => r.JobId);
        foreach (var job in Jobs)
            job.Readings.AddRange(byJob[job.Id]);
    }
}
