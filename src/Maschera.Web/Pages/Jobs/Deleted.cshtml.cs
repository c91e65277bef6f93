using Maschera.Store;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Jobs;

/// <summary>What was deleted and can still be brought back.</summary>
public sealed class DeletedModel(MascheraDb db) : PageModel
{
    /// <summary>A deleted thing.</summary>
    /// <param name="Name">Its name.</param>
    /// <param name="What">What it is, and of which job.</param>
    /// <param name="At">When it was deleted, UTC.</param>
    /// <param name="Back">Where a post brings it back.</param>
    public sealed record Row(string Name, string What, DateTime At, string Back);

    public IReadOnlyList<Row> Rows { get; private set; } = [];

    public async Task OnGetAsync()
    {
        var jobs = await db.Jobs.AsNoTracking().Where(j => j.DeletedAt != null).ToListAsync();
        var captures = await db
            .Captures.AsNoTracking()
            .Include(c => c.Job)
            .Where(c => c.DeletedAt != null && c.Job!.DeletedAt == null)
            .ToListAsync();
        var engines = await db.Engines.AsNoTracking().Where(e => e.DeletedAt != null).ToListAsync();
        Rows =
        [
            .. jobs.Select(j => new Row(j.Vehicle, $"job, {j.Complaint}", j.DeletedAt!.Value, $"/jobs/{j.Id}?handler=Undelete"))
                .Concat(
                    captures.Select(c => new Row(
                        c.Name,
                        $"capture of {c.Job!.Vehicle}",
                        c.DeletedAt!.Value,
                        $"/jobs/{c.JobId}?handler=UndeleteCapture&capture={c.Id}"
                    ))
                )
                .Concat(engines.Select(e => new Row(e.Name, "engine", e.DeletedAt!.Value, $"/engines/{e.Id}?handler=Undelete")))
                .OrderByDescending(r => r.At),
        ];
    }
}
