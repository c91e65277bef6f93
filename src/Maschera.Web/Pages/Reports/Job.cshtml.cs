using Maschera.App;
using Maschera.Store;
using Maschera.Web.Readings;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Reports;

/// <summary>The job on paper: plain words first, evidence after.</summary>
public sealed class JobModel(MascheraDb db) : PageModel
{
    public Job Job { get; private set; } = null!;
    public IReadOnlyList<BeforeAfter> BeforeAfter { get; private set; } = [];
    public IReadOnlyList<ReadingView> Readings { get; private set; } = [];

    public async Task<IActionResult> OnGetAsync(int id)
    {
        var job = await db
            .LiveJobs.AsNoTracking()
            .AsSplitQuery()
            .Include(j => j.Engine)
            .Include(j => j.Codes.Where(c => c.DeletedAt == null))
            .Include(j => j.Captures.Where(c => c.DeletedAt == null))
            .Include(j => j.Readings.Where(r => r.Capture!.DeletedAt == null))
                .ThenInclude(r => r.Capture)
            .FirstOrDefaultAsync(j => j.Id == id);
        if (job is null)
            return NotFound();
        Job = job;
        var engine = job.Engine!.ToEngine();
        Readings = [.. job.Readings.OrderBy(r => r.Id).Select(r => ReadingView.Of(r, engine)).OfType<ReadingView>()];
        BeforeAfter = JobFacts.Compared(job, job.Readings);
        return Page();
    }
}
