using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Store;
using Maschera.Web.Drawing;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Jobs;

/// <summary>One reading's column in the ledger.</summary>
public sealed record LedgerColumn(string Title, string Capture, string Unit, IReadOnlyDictionary<int, LedgerEntry> Cells);

/// <summary>One job: complaint, ledger beside the firing wheel, captures and trail.</summary>
public sealed class JobModel(MascheraDb db) : PageModel
{
    [BindProperty(SupportsGet = true)] public int Id { get; set; }

    public Job Job { get; private set; } = null!;
    public Engine Engine { get; private set; } = null!;
    public FiringWheel Wheel { get; private set; } = null!;
    public IReadOnlyList<LedgerColumn> Columns { get; private set; } = [];
    /// <summary>Usable readings that speak of the engine or a signal as a whole, the newest of each kind and capture.</summary>
    public IReadOnlyList<(string Title, string Verdict, string Sentence)> Whole { get; private set; } = [];
    public IReadOnlyList<(DateTime When, string Text)> Trail { get; private set; } = [];
    public string? UploadError { get; private set; }

    public async Task<IActionResult> OnGetAsync(string? uploadError)
    {
        var job = await db.LiveJobs.AsNoTracking().AsSplitQuery().Include(j => j.Engine).Include(j => j.Readings)
            .Include(j => j.Captures.Where(c => c.DeletedAt == null)).FirstOrDefaultAsync(j => j.Id == Id);
        if (job is null) return NotFound();
        Job = job;
        Engine = job.Engine!.ToEngine();
        UploadError = uploadError;
        var shown = job.Captures.Select(c => c.Id).ToHashSet();
        var readings = job.Readings.Where(r => shown.Contains(r.CaptureId)).OrderBy(r => r.Id).ToList();
        foreach (var capture in job.Captures) capture.Readings.AddRange(readings.Where(r => r.CaptureId == capture.Id && !capture.Readings.Contains(r)));
        Columns = LedgerOf(job, readings);
        Whole = [.. readings.Where(r => r.Verdict != ReadingResult.Unusable && r.Result is { Ledger.Count: 0 }).Select(r => (ReadingRegistry.Find(r.Kind)!.Title, r.Verdict, r.Sentence))];
        Wheel = FiringWheel.Of(Engine, readings.Select(r => r.Result));
        Trail = [.. readings.Select(r => (r.MadeAt, r.Sentence)).Prepend((job.CreatedAt, $"Taken in: {job.Complaint}."))];
        return Page();
    }

    /// <summary>The ledger's columns: every reading that names cylinders, in the order they were made.</summary>
    public static IReadOnlyList<LedgerColumn> LedgerOf(Job job, IEnumerable<StoredReading> readings) =>
    [
        .. readings.Select(r => (Row: r, Result: r.Result)).Where(r => r.Result?.Ledger.Count > 0).Select(r => new LedgerColumn(
            ReadingRegistry.Find(r.Row.Kind)!.Title, job.Captures.First(c => c.Id == r.Row.CaptureId).Name, r.Result!.Ledger[0].Unit,
            r.Result.Ledger.ToDictionary(e => e.Cylinder))),
    ];

    public async Task<IActionResult> OnPostCloseAsync()
    {
        if (await db.LiveJobs.FirstOrDefaultAsync(j => j.Id == Id) is not { } job) return NotFound();
        job.ClosedAt = job.ClosedAt is null ? DateTime.UtcNow : null;
        await db.SaveChangesAsync();
        return Redirect($"/jobs/{Id}");
    }

    public async Task<IActionResult> OnPostDeleteAsync()
    {
        if (await db.LiveJobs.FirstOrDefaultAsync(j => j.Id == Id) is not { } job) return NotFound();
        job.DeletedAt = DateTime.UtcNow;
        await db.SaveChangesAsync();
        Offer($"{job.Vehicle} is deleted.", $"/jobs/{Id}?handler=Undelete");
        return Redirect("/");
    }

    public async Task<IActionResult> OnPostUndeleteAsync()
    {
        await db.Jobs.Where(j => j.Id == Id).ExecuteUpdateAsync(set => set.SetProperty(j => j.DeletedAt, (DateTime?)null));
        return Redirect($"/jobs/{Id}");
    }

    public async Task<IActionResult> OnPostDeleteCaptureAsync(int capture)
    {
        if (await db.Captures.FirstOrDefaultAsync(c => c.Id == capture && c.JobId == Id) is not { } row) return NotFound();
        row.DeletedAt = DateTime.UtcNow;
        await db.SaveChangesAsync();
        Offer($"{row.Name} is deleted.", $"/jobs/{Id}?handler=UndeleteCapture&capture={capture}");
        return Redirect($"/jobs/{Id}");
    }

    public async Task<IActionResult> OnPostUndeleteCaptureAsync(int capture)
    {
        await db.Captures.Where(c => c.Id == capture && c.JobId == Id).ExecuteUpdateAsync(set => set.SetProperty(c => c.DeletedAt, (DateTime?)null));
        return Redirect($"/jobs/{Id}");
    }

    private void Offer(string said, string undo)
    {
        TempData["Said"] = said;
        TempData["Undo"] = undo;
    }
}
