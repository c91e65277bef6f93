using System.Globalization;
using System.Text;
using Maschera.App;
using Maschera.Core.Engines;
using Maschera.Core.Vehicle;
using Maschera.Store;
using Maschera.Web.Drawing;
using Maschera.Web.Readings;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.AspNetCore.Mvc.Rendering;
using Microsoft.AspNetCore.Mvc.ViewEngines;
using Microsoft.AspNetCore.Mvc.ViewFeatures;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Reports;

/// <summary>A job as it stands on paper: for the page, for a file, for a customer's link.</summary>
public sealed class ReportSheet(
    MascheraDb db,
    SampleStore samples,
    Strengths strengths,
    IWebHostEnvironment files,
    ICompositeViewEngine views
)
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

    /// <summary>Loads a job; false where there is none.</summary>
    public async Task<bool> LoadAsync(int id)
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

    /// <summary>The report as a file that opens anywhere: styles and type within it.</summary>
    /// <param name="on">The page that answers with it.</param>
    public async Task<byte[]> RenderedAsync(PageModel on)
    {
        var view = views.GetView(null, "/Pages/Reports/_File.cshtml", isMainPage: true).View!;
        await using var page = new StringWriter();
        var data = new ViewDataDictionary<ReportSheet>(on.ViewData, this)
        {
            ["Styles"] = await OneFile.StylesAsync(files.WebRootFileProvider),
        };
        await view.RenderAsync(new ViewContext(on.PageContext, view, data, on.TempData, page, new HtmlHelperOptions()));
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
}
