using Maschera.App;
using Maschera.Core.Readings;
using Maschera.Core.Readings.Circuit;
using Maschera.Core.Vehicle;
using Maschera.Formats;
using Maschera.Store;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Sheets;

/// <summary>Starts a sheet: its components with their terminals, or a table that was written elsewhere.</summary>
public sealed class NewModel(MascheraDb db, SheetService sheets) : PageModel
{
    private const int MostComponents = 3,
        MostPins = 12,
        MostLetters = 60,
        MostBytes = 1_000_000;

    /// <summary>A component as it is typed.</summary>
    public sealed class ComponentFields
    {
        public string? Name { get; set; }
        public string Kind { get; set; } = SheetPlan.Kinds.Keys.First();

        /// <summary>Terminals with commas between; the kind's where empty.</summary>
        public string? Pins { get; set; }
    }

    [BindProperty(SupportsGet = true)]
    public int Id { get; set; }

    [BindProperty]
    public List<ComponentFields> Components { get; set; } = [];

    public Job Job { get; private set; } = null!;
    public string? Problem { get; private set; }

    public async Task<IActionResult> OnGetAsync() => await LoadAsync() ? Page() : NotFound();

    public async Task<IActionResult> OnPostAsync()
    {
        if (!await LoadAsync())
            return NotFound();
        try
        {
            List<SheetComponent> components = [.. Components.Where(c => !string.IsNullOrWhiteSpace(c.Name)).Select(Typed)];
            if (components.Count == 0)
                throw new ReadingException("Name the component first: the pump, the sensor, the valve.");
            if (components.Select(c => c.Name.ToUpperInvariant()).Distinct().Count() < components.Count)
                throw new ReadingException("Two components have one name; give each its own.");
            var name = string.Join(", ", components.Select(c => c.Name));
            return Redirect($"/sheets/{sheets.Create(Id, $"Wires of {name}", new CircuitSheet([]) { Components = components })}");
        }
        catch (ReadingException error)
        {
            Problem = error.Message;
            return Page();
        }
    }

    public async Task<IActionResult> OnPostFileAsync(IFormFile? file, CancellationToken cancel)
    {
        if (!await LoadAsync())
            return NotFound();
        try
        {
            if (file is null || file.Length > MostBytes)
                throw new ReadingException(file is null ? "Choose a file first." : $"{file.FileName} is too large for a table of values.");
            using var reader = new StreamReader(file.OpenReadStream());
            var sheet = CircuitSheetFile.Parse(await reader.ReadToEndAsync(cancel), file.FileName);
            if (sheet.Rows.Count > SheetService.MostRows)
                throw new ReadingException($"{file.FileName} has {sheet.Rows.Count} values; a sheet takes {SheetService.MostRows}.");
            var name = Path.GetFileNameWithoutExtension(file.FileName);
            return Redirect($"/sheets/{sheets.Create(Id, name, SheetPlan.Named(sheet, name))}");
        }
        catch (Exception error) when (error is ReadingException or CaptureFormatException)
        {
            Problem = error.Message;
            return Page();
        }
    }

    private static SheetComponent Typed(ComponentFields fields)
    {
        var name = fields.Name!.Trim();
        if (name.Length > MostLetters)
            throw new ReadingException($"A component's name has up to {MostLetters} letters.");
        if (string.IsNullOrWhiteSpace(fields.Pins))
            return SheetPlan.Kinds.TryGetValue(fields.Kind, out var usual)
                ? new(name, [.. usual.Select(t => new SheetPin(t))])
                : throw new ReadingException($"What is {name}? Choose a kind, or write its terminals.");
        var pins = fields.Pins.Split([',', ';'], StringSplitOptions.RemoveEmptyEntries).Select(CircuitSheetFile.Terminal).ToList();
        if (pins.Find(p => !SheetPlan.IsTerminal(p)) is { } unknown)
            throw new ReadingException(
                $"'{unknown}' at {name} is no terminal: write supply, supply 5V, ground or signal, with a number where there are several."
            );
        return pins.Count is > 0 and <= MostPins && pins.Distinct().Count() == pins.Count
            ? new(name, [.. pins.Select(p => new SheetPin(p))])
            : throw new ReadingException($"{name} takes 1 to {MostPins} terminals, each named once.");
    }

    private async Task<bool> LoadAsync()
    {
        if (await db.LiveJobs.AsNoTracking().FirstOrDefaultAsync(j => j.Id == Id) is not { } job)
            return false;
        Job = job;
        while (Components.Count < MostComponents)
            Components.Add(new());
        return true;
    }
}
