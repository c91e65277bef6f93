using Maschera.Store;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Jobs;

/// <summary>The open work, or what is closed.</summary>
public sealed class IndexModel(MascheraDb db) : PageModel
{
    [BindProperty(SupportsGet = true)]
    public string? Search { get; set; }

    [BindProperty(SupportsGet = true)]
    public bool Closed { get; set; }

    public IReadOnlyList<Job> Jobs { get; private set; } = [];

    public async Task OnGetAsync(CancellationToken cancel)
    {
        var jobs = db
            .LiveJobs.AsNoTracking()
            .Include(j => j.Readings.Where(r => r.Capture!.DeletedAt == null))
            .Where(j => (j.ClosedAt != null) == Closed);
        if (!string.IsNullOrWhiteSpace(Search))
        {
            var like = $"%{Search.Trim()}%";
            jobs = jobs.Where(j =>
                EF.Functions.Like(j.Vehicle, like) || EF.Functions.Like(j.Plate!, like) || EF.Functions.Like(j.Complaint, like)
            );
        }

        Jobs = await jobs.OrderByDescending(j => j.CreatedAt).ToListAsync(cancel);
    }
}
