using Maschera.App;
using Maschera.Formats;
using Maschera.Store;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Shelf;

/// <summary>The known-good captures, by engine.</summary>
public sealed class IndexModel(MascheraDb db, ImportService imports) : PageModel
{
    [BindProperty(SupportsGet = true)]
    public string? Search { get; set; }

    /// <summary>Engines with what lies on the shelf for them.</summary>
    public IReadOnlyList<IGrouping<string, StoredCapture>> Engines { get; private set; } = [];

    /// <summary>True where nothing lies on the shelf at all.</summary>
    public bool IsEmpty { get; private set; }

    /// <summary>Engines a bundle can belong to.</summary>
    public IReadOnlyList<StoredEngine> AllEngines { get; private set; } = [];

    public string? Problem { get; private set; }

    public Task OnGetAsync() => LoadAsync();

    /// <summary>Brings a bundle straight onto the shelf.</summary>
    public async Task<IActionResult> OnPostAsync(IFormFile? file, int engine, string? reason, string? by, CancellationToken cancel)
    {
        Problem =
            file is null ? "Choose a bundle first."
            : string.IsNullOrWhiteSpace(reason) ? "Say why it counts as good: what was checked, by which means."
            : !await db.Engines.AnyAsync(e => e.Id == engine, cancel) ? "Choose the engine it is of."
            : null;
        if (Problem is null)
        {
            var job = ShelfJobs.For(db, engine);
            await using var content = file!.OpenReadStream();
            var incoming = await imports.KeepAsync(job.Id, file.FileName, content, cancel);
            try
            {
                if (imports.Inspect(incoming).Bundle is not { } bundle)
                    throw new CaptureFormatException(
                        file.FileName,
                        "is no bundle. Bring it into a job first, and put it on the shelf from the bench."
                    );
                var capture = new StoredCapture
                {
                    JobId = job.Id,
                    Name = bundle.Name,
                    TakenAt = DateTime.UtcNow,
                    Conditions = IntakeGuess.ConditionsOf(bundle),
                    ShelvedAt = DateTime.UtcNow,
                    ShelfReason = reason!.Trim(),
                    ShelfBy = by?.Trim(),
                };
                imports.Start(incoming, capture, [.. bundle.Channels.Select(c => new ChannelChoice(c.Name, c.Unit, 1, c.Role))]);
                return Redirect($"/imports/{incoming.Token}");
            }
            catch (CaptureFormatException error)
            {
                imports.Forget(incoming.Token);
                Problem = error.Message;
            }
        }

        await LoadAsync();
        return Page();
    }

    private async Task LoadAsync()
    {
        AllEngines = await db.LiveEngines.AsNoTracking().ToListAsync();
        var all = await db
            .Captures.AsNoTracking()
            .Include(c => c.Channels)
            .Include(c => c.Job!.Engine)
            .Where(c => c.ShelvedAt != null && c.DeletedAt == null && c.Job!.DeletedAt == null)
            .OrderByDescending(c => c.ShelvedAt)
            .ToListAsync();
        IsEmpty = all.Count == 0;
        Engines = [.. all.Where(Fits).GroupBy(c => c.Job!.Engine!.Name).OrderBy(g => g.Key)];
    }

    /// <summary>Every word has to be in the engine, the vehicle, the name, the reason, the checker, the conditions or a channel.</summary>
    private bool Fits(StoredCapture capture)
    {
        var text = string.Join(
            ' ',
            [
                capture.Job!.Engine!.Name,
                capture.Job.Vehicle,
                capture.Name,
                capture.ShelfReason,
                capture.ShelfBy,
                capture.ConditionsJson,
                .. capture.OwnChannels.Select(c => c.Name),
            ]
        );
        return (Search ?? "")
            .Split(' ', StringSplitOptions.RemoveEmptyEntries)
            .All(word => text.Contains(word, StringComparison.OrdinalIgnoreCase));
    }
}
