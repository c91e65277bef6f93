using System.IO.Compression;
using Maschera.Store;
using Maschera.Web.Pages.Bench;
using Maschera.Web.People;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Reports;

/// <summary>The job on paper: plain words first, evidence after; on the screen, as one file, as a bundle, or by a link.</summary>
public sealed class JobModel(MascheraDb db, SampleStore samples, DataFolder data, ReportSheet sheet, Reach reach) : PageModel
{
    /// <summary>A link lasts so many days, at most.</summary>
    private const int Longest = 365;

    /// <summary>What is shown.</summary>
    public ReportSheet Sheet => sheet;

    /// <summary>The job's links that still open something; null where nobody else reaches this server.</summary>
    public IReadOnlyList<StoredReportLink>? Links { get; private set; }

    /// <summary>The address of a link that was just made: it is shown once.</summary>
    [TempData]
    public string? Made { get; set; }

    public async Task<IActionResult> OnGetAsync(int id)
    {
        if (!await sheet.LoadAsync(id))
            return NotFound();
        if (reach.IsOpen)
            Links = await db
                .ReportLinks.AsNoTracking()
                .Where(l => l.JobId == id && l.EndsAt > DateTime.UtcNow)
                .OrderBy(l => l.Id)
                .ToListAsync();
        return Page();
    }

    /// <summary>Makes a link for the customer that ends after some days.</summary>
    public async Task<IActionResult> OnPostLinkAsync(int id, int days)
    {
        if (!reach.IsOpen || !await db.LiveJobs.AnyAsync(j => j.Id == id))
            return NotFound();
        if (days is < 1 or > Longest)
            return BadRequest($"A link lasts 1 to {Longest} days.");
        var (word, link) = ReportLinks.New(id, days, DateTime.UtcNow);
        db.ReportLinks.Add(link);
        await db.SaveChangesAsync();
        Made = $"{Request.Scheme}://{Request.Host}/r/{word}";
        return Redirect($"/jobs/{id}/report");
    }

    /// <summary>Takes a link back: it opens nothing from now on.</summary>
    public async Task<IActionResult> OnPostEndAsync(int id, int link)
    {
        var ended = await db.ReportLinks.Where(l => l.Id == link && l.JobId == id).ExecuteDeleteAsync();
        return ended == 0 ? NotFound() : Redirect($"/jobs/{id}/report");
    }

    /// <summary>The report as one HTML file.</summary>
    public async Task<IActionResult> OnGetFileAsync(int id)
    {
        if (!await sheet.LoadAsync(id))
            return NotFound();
        return File(await sheet.RenderedAsync(this), "text/html; charset=utf-8", $"report-{id}.html");
    }

    /// <summary>The same beside the captures, each a bundle of its own, in one archive.</summary>
    public async Task<IActionResult> OnGetBundleAsync(int id, CancellationToken cancel)
    {
        if (!await sheet.LoadAsync(id))
            return NotFound();
        var html = await sheet.RenderedAsync(this);
        var captures = await db
            .Captures.AsNoTracking()
            .Include(c => c.Channels)
            .Include(c => c.Job)
            .Where(c => c.JobId == id && c.DeletedAt == null)
            .ToListAsync(cancel);
        var file = data.Outgoing();
        try
        {
            await Task.Run(() => Write(file, html, captures, cancel), cancel);
        }
        catch
        {
            await file.DisposeAsync();
            throw;
        }

        file.Position = 0;
        return File(file, "application/zip", $"report-{id}.zip");
    }

    private void Write(Stream file, byte[] html, List<StoredCapture> captures, CancellationToken cancel)
    {
        using var archive = new ZipArchive(file, ZipArchiveMode.Create, leaveOpen: true);
        using (var entry = archive.CreateEntry("report.html").Open())
            entry.Write(html);
        foreach (var capture in captures.Where(c => c.OwnChannels.Any()))
        {
            using var entry = archive.CreateEntry($"captures/{capture.Id} {BenchExport.FileName(capture)}.zip").Open();
            BenchExport.WriteBundle(entry, capture, samples, cancel);
        }
    }
}
