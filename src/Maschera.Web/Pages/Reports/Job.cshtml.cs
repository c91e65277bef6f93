using System.Globalization;
using System.IO.Compression;
using System.Text;
using Maschera.App;
using Maschera.Core.Engines;
using Maschera.Core.Vehicle;
using Maschera.Store;
using Maschera.Web.Drawing;
using Maschera.Web.Pages.Bench;
using Maschera.Web.Readings;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.AspNetCore.Mvc.Rendering;
using Microsoft.AspNetCore.Mvc.ViewEngines;
using Microsoft.AspNetCore.Mvc.ViewFeatures;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Reports;

/// <summary>The job on paper: plain words first, evidence after; on the screen, as one file, or as a bundle with the captures.</summary>
public sealed class JobModel(
    MascheraDb db,
    SampleStore samples,
    DataFolder data,
    Strengths strengths,
    IWebHostEnvironment files,
    ICompositeViewEngine views
) : PageModel
{
    public Job Job { get; private set; } = null!;
    public Engine Engine { get; private set; } = null!;
    public CustomerReport Report { get; private set; } = null!;

    /// <summary>The captures whose views may be drawn.</summary>
    private List<StoredCapture> _captures = [];

    /// <summary>Codes the vehicle remembered, without those of one's own testing.</summary>
    public IEnumerable<StoredCode> Codes => Job.Codes.Where(c => c.State != CodeStates.OwnTesting);

    /// <summary>What a person wrote into the trail for the report.</summary>
    public IEnumerable<StoredRemark> Pinned => Job.Remarks.Where(r => r.IsPinned).OrderBy(r => r.At);

    public async Task<IActionResult> OnGetAsync(int id) => await LoadAsync(id) ? Page() : NotFound();

    /// <summary>The report as one HTML file.</summary>
    public async Task<IActionResult> OnGetFileAsync(int id)
    {
        if (!await LoadAsync(id))
            return NotFound();
        return File(await RenderedAsync(), "text/html; charset=utf-8", $"report-{id}.html");
    }

    /// <summary>The same beside the captures, each a bundle of its own, in one archive.</summary>
    public async Task<IActionResult> OnGetBundleAsync(int id, CancellationToken cancel)
    {
        if (!await LoadAsync(id))
            return NotFound();
        var html = await RenderedAsync();
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

    /// <summary>The report as a file that opens anywhere: styles and type within it.</summary>
    private async Task<byte[]> RenderedAsync()
    {
        var view = views.GetView(null, "/Pages/Reports/_File.cshtml", isMainPage: true).View!;
        await using var page = new StringWriter();
        var data = new ViewDataDictionary<JobModel>(ViewData, this) { ["Styles"] = await OneFile.StylesAsync(files.WebRootFileProvider) };
        await view.RenderAsync(new ViewContext(PageContext, view, data, TempData, page, new HtmlHelperOptions()));
        return Encoding.UTF8.GetBytes(page.ToString());
    }

    /// <summary>The view a remark was written at, as a picture; null where it was written at none, or its capture is gone.</summary>
    public string? PictureOf(StoredRemark remark)
    {
        if (
            SavedView.Of(remark.Address) is not { } view
            || _captures.Find(c => c.Id == view.Capture) is not { } capture
            || !double.TryParse(view.From, CultureInfo.InvariantCulture, out var from)
            || !double.TryParse(view.To, CultureInfo.InvariantCulture, out var to)
            || !(from < to)
        )
            return null;
        var svg = BenchPicture.Draw(capture, Arrangement.Of(capture), samples, from, to, null);
        return "data:image/svg+xml;base64," + Convert.ToBase64String(Encoding.UTF8.GetBytes(svg));
    }

    /// <summary>A reading as it is shown; null where its kind is no longer known.</summary>
    public ReadingView? View(StoredReading reading) => ReadingView.Of(reading, Engine);

    private async Task<bool> LoadAsync(int id)
    {
        if (await WholeJob.OfAsync(db, id) is not { } job)
            return false;
        Job = job;
        Engine = job.Engine!.ToEngine();
        if (Pinned.Any(r => r.Address is not null))
            _captures = await db
                .Captures.AsNoTracking()
                .Include(c => c.Job)
                .Include(c => c.Channels)
                .Include(c => c.Calipers)
                .Include(c => c.Pins)
                .Where(c => c.JobId == id && c.DeletedAt == null)
                .ToListAsync();
        Report = await Task.Run(() => CustomerReport.Of(job, strengths.Now.Known));
        return true;
    }
}
