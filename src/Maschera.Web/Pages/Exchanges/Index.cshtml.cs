using Maschera.Store;
using Maschera.Web.Readings;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Exchanges;

/// <summary>An exchange with a vehicle: its readings, and every frame of it.</summary>
public sealed class IndexModel(MascheraDb db) : PageModel
{
    private const int MostLines = 2_000;

    [BindProperty(SupportsGet = true)]
    public int Id { get; set; }

    public StoredCapture Exchange { get; private set; } = null!;
    public IReadOnlyList<ReadingView> Readings { get; private set; } = [];

    /// <summary>The first lines of the exchange, and how many there are.</summary>
    public IReadOnlyList<string> Lines { get; private set; } = [];

    public int LineCount { get; private set; }

    public async Task<IActionResult> OnGetAsync() => await LoadAsync() ? Page() : NotFound();

    public async Task<IActionResult> OnGetTextAsync() =>
        await LoadAsync() ? File(System.Text.Encoding.UTF8.GetBytes(Exchange.Exchange!), "text/plain", $"{Exchange.Name}.log") : NotFound();

    private async Task<bool> LoadAsync()
    {
        var row = await db
            .Captures.AsNoTracking()
            .Include(c => c.Readings)
            .Include(c => c.Job!.Engine)
            .FirstOrDefaultAsync(c => c.Id == Id && c.Exchange != null && c.DeletedAt == null && c.Job!.DeletedAt == null);
        if (row is null)
            return false;
        Exchange = row;
        var lines = row.Exchange!.Split('\n', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries);
        (Lines, LineCount) = ([.. lines.Take(MostLines)], lines.Length);
        var engine = row.Job!.Engine!.ToEngine();
        Readings = [.. row.Readings.Select(r => ReadingView.Of(r, engine)).OfType<ReadingView>()];
        return true;
    }
}
