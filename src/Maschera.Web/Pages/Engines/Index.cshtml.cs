using Maschera.Core.Engines;
using Maschera.Store;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Engines;

/// <summary>All engines that are kept.</summary>
public sealed class IndexModel(MascheraDb db) : PageModel
{
    public IReadOnlyList<(int Id, Engine Engine)> Engines { get; private set; } = [];

    public async Task OnGetAsync(CancellationToken cancel) =>
        Engines = [.. (await db.LiveEngines.AsNoTracking().ToListAsync(cancel)).Select(e => (e.Id, e.ToEngine()))];
}
