using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Readings.CylinderPressure;
using Maschera.Core.Readings.Tracking;
using Maschera.Store;
using Maschera.Web.Drawing;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Jobs;

/// <summary>One reading's column in the ledger.</summary>
public sealed record LedgerColumn(string Title, string Capture, string Unit, IReadOnlyDictionary<int, LedgerEntry> Cells);

/// <summary>One pair of desired and actual before and after a repair.</summary>
public sealed record BeforeAfter(string Name, string Before, string After, TrackingResult First, TrackingResult Last)
{
    /// <summary>The figures, those that changed by more than a tenth marked.</summary>
    public IEnumerable<(string Name, double? Before, double? After, string Unit, bool Changed)> Figures =>
        from figure in (IEnumerable<(string Name, double? Before, double? After, string Unit)>)
        [
            ("Inside the band", First.InsideBandPercent, Last.InsideBandPercent, "%"), ("Bias", First.Bias, Last.Bias, First.Unit), ("Delay", First.DelaySeconds, Last.DelaySeconds, "s"),
            ("Rise", First.RiseSeconds, Last.RiseSeconds, "s"), ("Overshoot", First.OvershootPercent, Last.OvershootPercent, "%"), ("Settles in", First.SettleSeconds, Last.SettleSeconds, "s"),
        ]
        select (figure.Name, figure.Before, figure.After, figure.Unit, figure is { Before: { } b, After: { } a } ? Math.Abs(a - b) > 0.1 * Math.Max(Math.Abs(a), Math.Abs(b)) : figure.Before is null != figure.After is null);
}

/// <summary>One job: complaint, ledger beside the firing wheel, captures and trail.</summary>
public sealed class JobModel(MascheraDb db) : PageModel
{
    [BindProperty(SupportsGet = true)] public int Id { get; set; }

    public Job Job { get; private set; } = null!;
    public Engine Engine { get; private set; } = null!;
    public FiringWheel Wheel { get; private set; } = null!;
    public IReadOnlyList<BeforeAfter> BeforeAfter { get; private set; } = [];
    /// <summary>The cylinders whose pressure was measured, against each other; null with fewer than two.</summary>
    public PressureComparison? Pressures { get; private set; }

    public IReadOnlyList<Note> Remarks { get; private set; } = [];
    public IReadOnlyList<LedgerColumn> Columns { get; private set; } = [];
    /// <summary>Usable readings that speak of the engine or a signal as a whole, the newest of each kind and capture.</summary>
    public IReadOnlyList<(string Title, string Capture, string Verdict, string Sentence)> Whole { get; private set; } = [];
    public IReadOnlyList<(DateTime When, string Text)> Trail { get; private set; } = [];
    public string? UploadError { get; private set; }

    public async Task<IActionResult> OnGetAsync(string? uploadError)
    {
        var job = await db.LiveJobs.AsNoTracking().AsSplitQuery().Include(j => j.Engine).Include(j => j.Readings).Include(j => j.Codes.Where(c => c.DeletedAt == null))
            .Include(j => j.Captures.Where(c => c.DeletedAt == null)).FirstOrDefaultAsync(j => j.Id == Id);
        if (job is null) return NotFound();
        Job = job;
        Engine = job.Engine!.ToEngine();
        UploadError = uploadError;
        var shown = job.Captures.Select(c => c.Id).ToHashSet();
        var readings = job.Readings.Where(r => shown.Contains(r.CaptureId)).OrderBy(r => r.Id).ToList();
        foreach (var capture in job.Captures) capture.Readings.AddRange(readings.Where(r => r.CaptureId == capture.Id && !capture.Readings.Contains(r)));
        Columns = LedgerOf(job, readings);
        BeforeAfter = Compared(job, readings);
        Pressures = PressureComparison.Of(readings.Select(r => r.Result).OfType<CylinderPressureResult>());
        Remarks = LookModel.RemarksOf(job);
        Whole = [.. readings.Where(r => r.Verdict != ReadingResult.Unusable && r.Result is { Ledger.Count: 0 }).Select(r => (ReadingRegistry.Find(r.Kind)!.Title, job.Captures.First(c => c.Id == r.CaptureId).Name, r.Verdict, r.Sentence))];
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

    /// <summary>Pairs read on more than one capture of the job: the earliest against the latest.</summary>
    public static IReadOnlyList<BeforeAfter> Compared(Job job, IEnumerable<StoredReading> readings) =>
    [
        .. readings.Where(r => r.Kind == "tracking").Select(r => (Row: r, Result: r.Result as TrackingResult)).Where(r => r.Result is { IsUnusable: false }).GroupBy(r => r.Result!.Channels["desired"])
            .Where(g => g.Select(r => r.Row.CaptureId).Distinct().Count() > 1).Select(g => (First: g.MinBy(r => r.Row.CaptureId), Last: g.MaxBy(r => r.Row.CaptureId), g.Key))
            .Select(p => new BeforeAfter(p.Key, job.Captures.First(c => c.Id == p.First.Row.CaptureId).Name, job.Captures.First(c => c.Id == p.Last.Row.CaptureId).Name, p.First.Result!, p.Last.Result!)),
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
