using Maschera.App;
using Maschera.Core.Quantities;
using Maschera.Core.Readings;
using Maschera.Store;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Engines;

/// <summary>An engine's known-good figures: typed, made of its shelf, taken from a file.</summary>
public sealed class FiguresModel(MascheraDb db, KnownFigures figures) : PageModel
{
    private const int MostBytes = 1_000_000;

    /// <summary>What is typed.</summary>
    public sealed class Fields
    {
        public string Kind { get; set; } = "";
        public string? About { get; set; }
        public string? Name { get; set; }
        public string? Window { get; set; }
        public string? Unit { get; set; }
        public string? State { get; set; }
        public string? Source { get; set; }
        public string? By { get; set; }
    }

    [BindProperty(SupportsGet = true)]
    public int Id { get; set; }

    [BindProperty]
    public Fields Form { get; set; } = new();

    public StoredEngine Engine { get; private set; } = null!;
    public IReadOnlyList<StoredFigure> Known { get; private set; } = [];
    public int OnShelf { get; private set; }
    public string? Problem { get; private set; }
    public string? FileProblem { get; private set; }

    /// <summary>Figures that readings on this engine's captures gave, to choose from.</summary>
    public IReadOnlyList<(string Kind, string About, string Name, string Unit)> Seen { get; private set; } = [];

    public async Task<IActionResult> OnGetAsync() => await LoadAsync() ? Page() : NotFound();

    public async Task<IActionResult> OnPostAsync()
    {
        if (!await LoadAsync())
            return NotFound();
        var figure = Typed();
        Problem = figure is null
            ? $"“{Form.Window}” is no window: write 60 ± 5, 50..70, under 10 or over 3; one that moves like {MovingWindow.Form}."
            : KnownFigures.Problem(figure);
        if (Problem is null)
            figures.Keep(Id, figure!);
        return Problem is null ? Redirect($"/engines/{Id}/figures") : Page();
    }

    /// <summary>The figure as typed, one that stands or one that moves; null where its window is none.</summary>
    private StoredFigure? Typed()
    {
        var moving = MovingWindow.Parse(Form.Window ?? "");
        var window = FigureWindow.Parse(Form.Window ?? "");
        return moving is null && window is null
            ? null
            : new StoredFigure
            {
                EngineId = Id,
                Kind = Form.Kind,
                About = Form.About?.Trim() ?? "",
                Name = Form.Name?.Trim() ?? "",
                Unit = moving?.Unit is { Length: > 0 } said ? said : Form.Unit?.Trim() ?? "",
                State = Form.State?.Trim() ?? "",
                Least = window?.From,
                Most = window?.To,
                Moves = moving is null ? "" : Form.Window!.Trim(),
                Source = Form.Source?.Trim() ?? "",
                By = Form.By?.Trim() ?? "",
            };
    }

    public async Task<IActionResult> OnPostShelfAsync(string? by, CancellationToken cancel)
    {
        if (!await LoadAsync())
            return NotFound();
        var made = figures.MakeOfShelf(Id, by?.Trim() ?? "", cancel);
        TempData["Said"] = made == 0 ? "The shelf gave no figures that scatter." : $"{made} figures made of the shelf.";
        return Redirect($"/engines/{Id}/figures");
    }

    public async Task<IActionResult> OnPostFileAsync(IFormFile? file)
    {
        if (!await LoadAsync())
            return NotFound();
        try
        {
            if (file is null || file.Length > MostBytes)
                throw new ReadingException(file is null ? "Choose a file first." : "A file of figures has up to 1 MB.");
            await using var content = file.OpenReadStream();
            TempData["Said"] = $"{figures.Import(Id, content)} figures taken.";
        }
        catch (ReadingException error)
        {
            FileProblem = error.Message;
            return Page();
        }

        return Redirect($"/engines/{Id}/figures");
    }

    public async Task<IActionResult> OnGetFileAsync() =>
        await LoadAsync() ? File(figures.Export(Id), "application/json", $"{Engine.Name} figures.json") : NotFound();

    public Task<IActionResult> OnPostDeleteAsync(int figure) => MarkAsync(figure, DateTime.UtcNow);

    public Task<IActionResult> OnPostUndeleteAsync(int figure) => MarkAsync(figure, null);

    private async Task<IActionResult> MarkAsync(int figure, DateTime? deleted)
    {
        if (await db.Figures.FirstOrDefaultAsync(f => f.Id == figure && f.EngineId == Id) is not { } row)
            return NotFound();
        row.DeletedAt = deleted;
        await db.SaveChangesAsync();
        if (deleted is not null)
            this.Offer($"{row.Name} is deleted.", $"/engines/{Id}/figures?handler=Undelete&figure={figure}");
        return Redirect($"/engines/{Id}/figures");
    }

    private async Task<bool> LoadAsync()
    {
        if (await db.LiveEngines.FirstOrDefaultAsync(e => e.Id == Id) is not { } engine)
            return false;
        Engine = engine;
        Known = [.. figures.Of(Id).AsNoTracking()];
        OnShelf = await db.Captures.CountAsync(c => c.ShelvedAt != null && c.DeletedAt == null && c.Job!.EngineId == Id);
        var results = await db
            .Readings.AsNoTracking()
            .Where(r => r.Job!.EngineId == Id && r.Job.DeletedAt == null)
            .OrderByDescending(r => r.Id)
            .Take(200)
            .ToListAsync();
        Seen =
        [
            .. results
                .Select(r => r.Result)
                .OfType<ReadingResult>()
                .Where(r => !r.IsUnusable)
                .SelectMany(r => r.Compared.Select(f => (r.Reading, KnownFigures.AboutOf(r), f.Name, f.Unit)))
                .Distinct()
                .OrderBy(f => f),
        ];
        return true;
    }
}
