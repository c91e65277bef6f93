using Maschera.Core.Readings;
using Maschera.Core.Readings.RelativeCompression;
using Maschera.Store;
using Maschera.Web.Services;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Bench;

/// <summary>The bench: a capture's lanes, and what was read from it.</summary>
public sealed class CaptureModel(MascheraDb db, ReadingService readings) : PageModel
{
    private const int Inks = 6;

    [BindProperty(SupportsGet = true)] public int Id { get; set; }
    [BindProperty(SupportsGet = true)] public string Kind { get; set; } = "relative-compression";

    public StoredCapture Capture { get; private set; } = null!;
    public IReadOnlyList<ReadingView> Readings { get; private set; } = [];
    public string? Problem { get; private set; }

    /// <summary>What the canvas draws.</summary>
    public object ForDrawing { get; private set; } = new();

    public string LanesInWords => "Waveforms: " + string.Join(", ", Capture.Channels.Select(c => $"{c.Name} in {(c.Unit.Length > 0 ? c.Unit : "full scale")}"));

    public async Task<IActionResult> OnGetAsync() => await LoadAsync() ? Page() : NotFound();

    public async Task<IActionResult> OnGetRolesAsync() =>
        await LoadAsync() && ReadingRegistry.Find(Kind) is not null ? Partial("_Roles", this) : NotFound();

    public async Task<IActionResult> OnPostAsync(Dictionary<string, string> roles, string? syncKind, string? syncCylinder, CancellationToken cancel)
    {
        if (!await LoadAsync() || ReadingRegistry.Find(Kind) is null) return NotFound();
        try
        {
            await RememberSyncAsync(syncKind, syncCylinder);
            readings.Make(Id, Kind, roles.Where(r => !string.IsNullOrEmpty(r.Value)).ToDictionary(), cancel);
        }
        catch (ReadingException error)
        {
            Problem = error.Message;
            return Page();
        }

        return Redirect($"/bench/{Id}?kind={Kind}");
    }

    /// <summary>The channel that stands for a role, as chosen at the import.</summary>
    public string? Chosen(string role) => Capture.Channels.FirstOrDefault(c => c.Role == role)?.Name;

    private async Task RememberSyncAsync(string? kind, string? cylinder)
    {
        if (string.IsNullOrEmpty(kind)) return;
        if (!int.TryParse(cylinder, out var number)) throw new ReadingException($"'{cylinder}' is not a cylinder's number.");
        var capture = await db.Captures.FirstAsync(c => c.Id == Id);
        capture.Conditions = capture.Conditions with { SyncKind = kind, SyncCylinder = number };
        await db.SaveChangesAsync();
    }

    private async Task<bool> LoadAsync()
    {
        var capture = await db.Captures.AsNoTracking().AsSplitQuery().Include(c => c.Channels.OrderBy(x => x.Ordinal)).Include(c => c.Readings).Include(c => c.Job!.Engine)
            .FirstOrDefaultAsync(c => c.Id == Id && c.DeletedAt == null && c.Job!.DeletedAt == null);
        if (capture is null) return false;
        Capture = capture;
        var engine = capture.Job!.Engine!.ToEngine();
        Readings = [.. capture.Readings.OrderByDescending(r => r.Id).Select(r => ReadingView.Of(r, engine)).OfType<ReadingView>()];
        ForDrawing = Drawn();
        return true;
    }

    private object Drawn()
    {
        var compression = Readings.Select(r => r.Result).OfType<RelativeCompressionResult>().FirstOrDefault();
        var loadName = compression?.Channels.GetValueOrDefault(compression.LoadRole ?? "");
        return new
        {
            from = Capture.Channels.Min(c => c.Start),
            to = Capture.Channels.Max(c => c.End),
            lanes = Capture.Channels.Select((c, i) => new { channel = c.Id, name = c.Name, unit = c.Unit, ink = i % Inks, load = c.Name == loadName }),
            humps = compression?.Humps.Select(h => new { h.From, h.To, h.Position, h.Cylinder, low = compression.Low.Any(l => l.Position == h.Position) }) ?? [],
        };
    }
}
