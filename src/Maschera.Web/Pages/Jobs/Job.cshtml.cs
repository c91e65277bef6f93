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
public sealed class JobModel(MascheraDb db) : PageModel
{
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
    public IReadOnlyList<(DateTime When, string Text)> Trail { get; private set; } = [];
    public string? UploadError { get; private set; }

    /// <summary>Jobs with this vehicle's plate.</summary>
    public int VisitCount { get; private set; }

    public async Task<IActionResult> OnGetAsync(string? uploadError)
    {
        var job = await WholeAsync();
        if (job is null)
            return NotFound();
        Job = job;
        Engine = job.Engine!.ToEngine();
        UploadError = uploadError;
        VisitCount = Visits.CountOf(db, job.Plate);
        var readings = JobFacts.ReadingsOf(job);
        foreach (var capture in job.Captures)
            capture.Readings.AddRange(readings.Where(r => r.CaptureId == capture.Id && !capture.Readings.Contains(r)));
        foreach (var reading in readings)
            reading.Capture = job.Captures.First(c => c.Id == reading.CaptureId);
        var views = readings.Select(r => ReadingView.Of(r, Engine)).OfType<ReadingView>().ToList();
        Columns = JobFacts.LedgerOf(job, readings);
        BeforeAfter = JobFacts.Compared(job, readings);
        Kinds = views.GroupBy(v => v.Kind);
        Remarks = JobFacts.RemarksOf(job);
        Whole = [.. views.Where(v => v.Result is { IsUnusable: false, Ledger.Count: 0 })];
        Wheel = FiringWheel.Of(Engine, [.. views.Select(v => v.Result)]);
        Trail = [.. readings.Select(r => (r.MadeAt, r.Sentence)).Prepend((job.CreatedAt, $"Taken in: {job.Complaint}."))];
        return Page();
    }

    /// <summary>What is left, what was ruled out and what to check next; asked for once the page stands.</summary>
    public async Task<IActionResult> OnGetWeighedAsync()
    {
        var job = await WholeAsync();
        if (job is null)
            return NotFound();
        try
        {
            return Partial("_Weighed", (await Task.Run(() => JobDecision.Of(job)), (string?)null));
        }
        catch (ReadingException error)
        {
            return Partial("_Weighed", ((JobWeighed?)null, (string?)error.Message));
        }
    }

    /// <summary>The job with all that is there of it, to be read; null where there is none.</summary>
    private Task<Job?> WholeAsync() =>
        db
            .LiveJobs.AsNoTracking()
            .AsSplitQuery()
            .Include(j => j.Engine)
            .Include(j => j.Readings.Where(r => r.Capture!.DeletedAt == null))
            .Include(j => j.Codes.Where(c => c.DeletedAt == null))
            .Include(j => j.Observations.Where(o => o.DeletedAt == null))
            .Include(j => j.Captures.Where(c => c.DeletedAt == null))
            .FirstOrDefaultAsync(j => j.Id == Id);

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
        return Redirect($"/jobs/{Id}");
    }

    public async Task<IActionResult> OnPostUndeleteCaptureAsync(int capture)
    {
        await db
            .Captures.Where(c => c.Id == capture && c.JobId == Id)
            .ExecuteUpdateAsync(set => set.SetProperty(c => c.DeletedAt, (DateTime?)null));
        return Redirect($"/jobs/{Id}");
    }
}
