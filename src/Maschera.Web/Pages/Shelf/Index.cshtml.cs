using Maschera.Store;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Shelf;

/// <summary>The known-good captures, by engine.</summary>
public sealed class IndexModel(MascheraDb db) : PageModel
{
    [BindProperty(SupportsGet = true)] public string? Search { get; set; }

    /// <summary>Engines with what lies on the shelf for them.</summary>
    public IReadOnlyList<IGrouping<string, StoredCapture>> Engines { get; private set; } = [];

    /// <summary>True where nothing lies on the shelf at all.</summary>
    public bool IsEmpty { get; private set; }

    public async Task OnGetAsync()
    {
        var all = await db.Captures.AsNoTracking().Include(c => c.Channels).Include(c => c.Job!.Engine)
            .Where(c => c.ShelvedAt != null && c.DeletedAt == null && c.Job!.DeletedAt == null).OrderByDescending(c => c.ShelvedAt).ToListAsync();
        IsEmpty = all.Count == 0;
        Engines = [.. all.Where(Fits).GroupBy(c => c.Job!.Engine!.Name).OrderBy(g => g.Key)];
    }

    /// <summary>Every word has to be in the engine, the vehicle, the name, the reason, the checker, the conditions or a channel.</summary>
    private bool Fits(StoredCapture capture)
    {
        var text = string.Join(' ', [capture.Job!.Engine!.Name, capture.Job.Vehicle, capture.Name, capture.ShelfReason, capture.ShelfBy, capture.ConditionsJson, .. capture.OwnChannels.Select(c => c.Name)]);
        return (Search ?? "").Split(' ', StringSplitOptions.RemoveEmptyEntries).All(word => text.Contains(word, StringComparison.OrdinalIgnoreCase));
    }
}
