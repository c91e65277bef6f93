using Maschera.App;
using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Readings.CylinderPressure;
using Maschera.Core.Readings.Tracking;
using Maschera.Store;
using Maschera.Web.Drawing;
using Maschera.Web.Readings;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Jobs;

/// <summary>One job: complaint, ledger beside the firing wheel, captures and trail.</summary>
public sealed class JobModel(MascheraDb db, Strengths strengths) : PageModel
{
    private const int MostBrief = 3,
        MostRemarks = 500,
        LongestRemark = 500,
        LongestAddress = 2_000;

    [BindProperty(SupportsGet = true)]
    public int Id { get; set; }

    public Job Job { get; private set; } = null!;
    public Engine Engine { get; private set; } = null!;
    public FiringWheel Wheel { get; private set; } = null!;
    public IReadOnlyList<BeforeAfter> BeforeAfter { get; private set; } = [];

    /// <summary>The job's readings by kind, for what a kind shows of them all.</summary>
    public IEnumerable<IGrouping<IReading, ReadingView>> Kinds { get; private set; } = [];

    public IReadOnlyList<Note> Remarks { get; private set; } = [];
    public IReadOnlyList<LedgerColumn> Columns { get; private set; } = [];

    /// <summary>Usable readings that speak of the engine or a signal as a whole, the newest of each kind and capture.</summary>
    public IReadOnlyList<ReadingView> Whole { get; private set; } = [];

    /// <summary>The ledger at a glance: the newest column of each kind, as many as fit beside the wheel.</summary>
    public IReadOnlyList<LedgerColumn> Brief =>
        [.. Columns.GroupBy(c => c.Brief).Select(g => g.Last()).OrderByDescending(c => c.Cells.Values.Any(e => e.Odd)).Take(MostBrief)];

    public string? UploadError { get; private set; }

    /// <summary>Jobs with this vehicle's plate.</summary>
    public int VisitCount { get; private set; }

    public async Task<IActionResult> OnGetAsync(string? uploadError)
    {
        var job = await WholeJob.OfAsync(db, Id);
        if (job is null)
            return NotFound();
        Job = job;
        Engine = job.Engine!.ToEngine();
        UploadError = uploadError;
        VisitCount = Visits.CountOf(db, job.Plate);
        var readings = JobFacts.ReadingsOf(job);
        var views = readings.Select(r => ReadingView.Of(r, Engine)).OfType<ReadingView>().ToList();
        Columns = JobFacts.LedgerOf(job, readings);
        BeforeAfter = JobFacts.Compared(job, readings);
        Kinds = views.GroupBy(v => v.Kind);
        Remarks = JobFacts.RemarksOf(job);
        Whole = [.. views.Where(v => v.Result is { IsUnusable: false, Ledger.Count: 0 })];
        Wheel = FiringWheel.Of(Engine, [.. views.Select(v => v.Result)]);
        return Page();
    }

    /// <summary>What is left, what was ruled out and what to check next; asked for once the page stands.</summary>
    public async Task<IActionResult> OnGetWeighedAsync()
    {
        var job = await WholeJob.OfAsync(db, Id);
        if (job is null)
            return NotFound();
        JobProof proof = JobProof.Of(job, JobFacts.ReadingsOf(job));
        try
        {
            return Partial("_Weighed", (await Task.Run(() => JobDecision.Of(job, strengths.Now.Known)), proof, (string?)null));
        }
        catch (ReadingException error)
        {
            return Partial("_Weighed", ((JobWeighed?)null, proof, (string?)error.Message));
        }
    }

    /// <summary>The trail with what each line changed; asked for once the page stands.</summary>
    public async Task<IActionResult> OnGetTrailAsync()
    {
        if (await WholeJob.OfAsync(db, Id) is not { } job)
            return NotFound();
        return Partial("_Trail", await Task.Run(() => JobTrail.Of(job, strengths.Now.Known)));
    }

    /// <summary>Writes a remark into the trail, with the place on the bench it speaks of.</summary>
    public async Task<IActionResult> OnPostRemarkAsync(string? text, string? address)
    {
        if (!await db.LiveJobs.AnyAsync(j => j.Id == Id))
            return NotFound();
        // Only a place within Maschera: nobody is led elsewhere by a remark.
        var place = Url.IsLocalUrl(address) && address!.StartsWith("/bench/", StringComparison.Ordinal) ? address : null;
        if (string.IsNullOrWhiteSpace(text) || text.Length > LongestRemark || address?.Length > LongestAddress)
            return BadRequest($"A remark has 1 to {LongestRemark} letters.");
        if (await db.Remarks.CountAsync(r => r.JobId == Id && r.DeletedAt == null) >= MostRemarks)
            return BadRequest($"A job holds {MostRemarks} remarks; delete what no longer counts first.");
        db.Remarks.Add(
            new StoredRemark
            {
                JobId = Id,
                At = DateTime.UtcNow,
                Text = text.Trim(),
                Address = place,
            }
        );
        await db.SaveChangesAsync();
        if (place is not null)
            TempData["Said"] = "It stands in the trail.";
        return Redirect(place ?? $"/jobs/{Id}#trail");
    }

    public async Task<IActionResult> OnPostPinAsync(int remark)
    {
        var changed = await db
            .Remarks.Where(r => r.Id == remark && r.JobId == Id)
            .ExecuteUpdateAsync(set => set.SetProperty(r => r.IsPinned, r => !r.IsPinned));
        return changed == 0 ? NotFound() : Redirect($"/jobs/{Id}#trail");
    }

    public async Task<IActionResult> OnPostDeleteRemarkAsync(int remark)
    {
        if (await db.Remarks.FirstOrDefaultAsync(r => r.Id == remark && r.JobId == Id) is not { } row)
            return NotFound();
        row.DeletedAt = DateTime.UtcNow;
        await db.SaveChangesAsync();
        this.Offer("The remark is deleted.", $"/jobs/{Id}?handler=UndeleteRemark&remark={remark}");
        return Redirect($"/jobs/{Id}#trail");
    }

    public async Task<IActionResult> OnPostUndeleteRemarkAsync(int remark)
    {
        await db
            .Remarks.Where(r => r.Id == remark && r.JobId == Id)
            .ExecuteUpdateAsync(set => set.SetProperty(r => r.DeletedAt, (DateTime?)null));
        return Redirect($"/jobs/{Id}#trail");
    }

    public async Task<IActionResult> OnPostCloseAsync()
    {
        if (await db.LiveJobs.FirstOrDefaultAsync(j => j.Id == Id) is not { } job)
            return NotFound();
        job.ClosedAt = job.ClosedAt is null ? DateTime.UtcNow : null;
        await db.SaveChangesAsync();
        return Redirect($"/jobs/{Id}");
    }

    public async Task<IActionResult> OnPostDeleteAsync()
    {
        if (await db.LiveJobs.FirstOrDefaultAsync(j => j.Id == Id) is not { } job)
            return NotFound();
        job.DeletedAt = DateTime.UtcNow;
        await db.SaveChangesAsync();
        this.Offer($"{job.Vehicle} is deleted.", $"/jobs/{Id}?handler=Undelete");
        return Redirect("/");
    }

    public async Task<IActionResult> OnPostUndeleteAsync()
    {
        await db.Jobs.Where(j => j.Id == Id).ExecuteUpdateAsync(set => set.SetProperty(j => j.DeletedAt, (DateTime?)null));
        return Redirect($"/jobs/{Id}");
    }

    public async Task<IActionResult> OnPostDeleteCaptureAsync(int capture)
    {
        if (await db.Captures.FirstOrDefaultAsync(c => c.Id == capture && c.JobId == Id) is not { } row)
            return NotFound();
        row.DeletedAt = DateTime.UtcNow;
        await db.SaveChangesAsync();
        this.Offer($"{row.Name} is deleted.", $"/jobs/{Id}?handler=UndeleteCapture&capture={capture}");
        return Redirect($"/jobs/{Id}#captures");
    }

    public async Task<IActionResult> OnPostUndeleteCaptureAsync(int capture)
    {
        await db
            .Captures.Where(c => c.Id == capture && c.JobId == Id)
            .ExecuteUpdateAsync(set => set.SetProperty(c => c.DeletedAt, (DateTime?)null));
        return Redirect($"/jobs/{Id}#captures");
    }
}
