using System.Globalization;
using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Expressions;
using Maschera.Rig;
using Maschera.Store;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Engines;

/// <summary>Enters or changes an engine; whatever is wrong is said beside its field.</summary>
public sealed class EditModel(MascheraDb db) : PageModel
{
    /// <summary>An intake manifold off and on again, minutes, where nobody says how long it takes.</summary>
    private const double UsualToReach = 60;

    private static readonly char[] s_between = [' ', ',', ';', '-', '–'];

    /// <summary>The fields as typed.</summary>
    public sealed class Fields
    {
        public string Name { get; set; } = "";
        public string? Cylinders { get; set; }
        public string? FiringOrder { get; set; }
        public string? FiringAngles { get; set; }
        public string? Banks { get; set; }
        public string Fuel { get; set; } = "petrol";
        public string? Teeth { get; set; }
        public string? Missing { get; set; }
        public string? GapToTdc { get; set; }
        public string? Extra { get; set; }
        public string? Drive { get; set; }
        public string? DriveTeeth { get; set; }
        public string? BoreMm { get; set; }
        public string? StrokeMm { get; set; }
        public string? RodMm { get; set; }
        public string? CompressionRatio { get; set; }
        public string? Valves { get; set; }
        public string? FirstEnd { get; set; }
        public string? FirstBank { get; set; }
        public string? Plugs { get; set; }
        public string? PlugMinutes { get; set; }
    }

    [BindProperty(SupportsGet = true)]
    public int? Id { get; set; }

    [BindProperty]
    public Fields Form { get; set; } = new();

    /// <summary>A stamp of the engine as the form was opened.</summary>
    [BindProperty]
    public string? Was { get; set; }

    /// <summary>The engine as far as it is typed, for the pictures.</summary>
    public Engine Typed { get; private set; } = new();

    /// <summary>"job" where a job waits for this engine; null else.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Then { get; set; }

    /// <summary>True where somebody else saved it meanwhile.</summary>
    public bool Changed { get; private set; }

    public IReadOnlyList<Engine> Layouts => EngineCatalogue.Layouts;
    public bool HasDetails =>
        Form.Teeth is not null || Form.BoreMm is not null || Form.Valves is not null || Form.FirstEnd is not null || Form.Plugs is not null;

    public async Task<IActionResult> OnGetAsync(string? layout)
    {
        if (Id is null)
        {
            if (Layouts.FirstOrDefault(l => l.Name == layout) is { } start)
                Show(start);
            return Page();
        }

        if (await db.Engines.FindAsync(Id) is not { } stored)
            return NotFound();
        Show(stored.ToEngine());
        Was = Meanwhile.Stamp(stored.Json);
        return Page();
    }

    /// <summary>The pictures of what is typed so far; what is wrong in it is not said here.</summary>
    public IActionResult OnPostDrawn() => Partial("_Drawn", Read(new Engine()));

    public async Task<IActionResult> OnPostAsync()
    {
        var stored = Id is null ? null : await db.Engines.FindAsync(Id);
        if (stored is null && Id is not null)
            return NotFound();
        var engine = Typed = Read(stored?.ToEngine() ?? new Engine());
        if (string.IsNullOrWhiteSpace(Form.Name))
            ModelState.AddModelError("Form.Name", "Give the engine a name.");
        if (ModelState.IsValid)
            foreach (var problem in engine.Problems())
                ModelState.AddModelError("Form." + problem.Field, problem.Text);
        if (!ModelState.IsValid)
            return Page();
        if (stored is not null && Was is not null && Was != Meanwhile.Stamp(stored.Json))
        {
            ModelState.Remove(nameof(Was));
            Was = Meanwhile.Stamp(stored.Json);
            Changed = true;
            return Page();
        }

        stored ??= db.Engines.Add(new StoredEngine()).Entity;
        stored.Take(engine);
        await db.SaveChangesAsync();
        return Redirect(Then == "job" ? $"/jobs/new?engine={stored.Id}" : "/engines");
    }

    /// <summary>Deletes it: jobs of it keep it, and it can be brought back.</summary>
    public async Task<IActionResult> OnPostDeleteAsync()
    {
        if (await db.LiveEngines.FirstOrDefaultAsync(e => e.Id == Id) is not { } stored)
            return NotFound();
        stored.DeletedAt = DateTime.UtcNow;
        await db.SaveChangesAsync();
        this.Offer($"{stored.Name} is deleted.", $"/engines/{Id}?handler=Undelete");
        return Redirect("/engines");
    }

    public async Task<IActionResult> OnPostUndeleteAsync()
    {
        var brought = await db.Engines.Where(e => e.Id == Id).ExecuteUpdateAsync(set => set.SetProperty(e => e.DeletedAt, (DateTime?)null));
        return brought == 0 ? NotFound() : Redirect("/engines");
    }

    /// <summary>The engine as typed, on top of what the form does not show of it.</summary>
    private Engine Read(Engine known)
    {
        var geometry = (
            Bore: Number("BoreMm", Form.BoreMm),
            Stroke: Number("StrokeMm", Form.StrokeMm),
            Rod: Number("RodMm", Form.RodMm),
            Ratio: Number("CompressionRatio", Form.CompressionRatio)
        );
        var anyGeometry =
            geometry.Bore is not null || geometry.Stroke is not null || geometry.Rod is not null || geometry.Ratio is not null;
        var teeth = Whole("Teeth", Form.Teeth);
        var valves = Numbers("Valves", Form.Valves);
        if (valves is { Count: not 4 })
            ModelState.AddModelError("Form.Valves", "Give four angles: exhaust opens, exhaust closes, intake opens, intake closes.");
        return known with
        {
            Name = Form.Name?.Trim() ?? "",
            Cylinders = Whole("Cylinders", Form.Cylinders) ?? 0,
            FiringOrder = [.. (Numbers("FiringOrder", Form.FiringOrder) ?? []).Select(n => (int)n)],
            FiringAngles = Numbers("FiringAngles", Form.FiringAngles),
            Banks = string.IsNullOrWhiteSpace(Form.Banks)
                ? null
                : [.. Form.Banks.Split('/').Select(bank => (IReadOnlyList<int>)[.. (Numbers("Banks", bank) ?? []).Select(n => (int)n)])],
            Fuel = Form.Fuel,
            CrankWheel = teeth is { } t
                ? new CrankWheel(
                    t,
                    [.. (Numbers("Missing", Form.Missing) ?? []).Select(n => (int)n).Where(n => n != 0)],
                    Number("GapToTdc", Form.GapToTdc),
                    Whole("Extra", Form.Extra) ?? 0
                )
                : null,
            CamDrive = Whole("DriveTeeth", Form.DriveTeeth) is { } driveTeeth
                ? new CamDrive(Form.Drive == "chain" ? "chain" : "belt", driveTeeth)
                : null,
            Geometry = anyGeometry
                ? new EngineGeometry(geometry.Bore ?? 0, geometry.Stroke ?? 0, geometry.Rod ?? 0, geometry.Ratio ?? 0)
                : null,
            Mounting = string.IsNullOrEmpty(Form.FirstEnd)
                ? null
                : new Mounting(Form.FirstEnd, string.IsNullOrEmpty(Form.FirstBank) ? null : Form.FirstBank),
            PlugAccess =
                string.IsNullOrWhiteSpace(Form.Plugs) && string.IsNullOrWhiteSpace(Form.PlugMinutes)
                    ? null
                    : new PlugAccess(
                        [.. (Numbers("Plugs", Form.Plugs) ?? []).Select(n => (int)n)],
                        Number("PlugMinutes", Form.PlugMinutes) ?? UsualToReach
                    ),
            ValveTiming = valves is { Count: 4 } ? new ValveTiming(valves[0], valves[1], valves[2], valves[3]) : null,
        };
    }

    private int? Whole(string field, string? text)
    {
        if (string.IsNullOrWhiteSpace(text))
            return null;
        if (TypedNumber.ParseWhole(text) is { } number)
            return number;
        ModelState.AddModelError("Form." + field, $"'{text}' is no whole number: write it like 4 or 60.");
        return null;
    }

    private double? Number(string field, string? text)
    {
        if (string.IsNullOrWhiteSpace(text))
            return null;
        if (TypedNumber.Parse(text) is { } number)
            return number;
        ModelState.AddModelError("Form." + field, $"'{text}' is no number here: write it like 82 or 10.2.");
        return null;
    }

    private List<double>? Numbers(string field, string? text)
    {
        if (string.IsNullOrWhiteSpace(text))
            return null;
        var numbers = new List<double>();
        foreach (var word in text.Split(s_between, StringSplitOptions.RemoveEmptyEntries))
        {
            if (TypedNumber.Parse(word) is { } number)
                numbers.Add(number);
            else
                ModelState.AddModelError("Form." + field, $"'{word}' is no number here: write it like {Example(field)}.");
        }

        return numbers;
    }

    private static string Example(string field) =>
        field switch
        {
            "FiringOrder" => "1-3-4-2",
            "FiringAngles" => "0 180 360 540",
            "Banks" => "1 2 3 / 4 5 6",
            "Valves" => "134 372 348 588",
            "Plugs" => "4 5 6",
            _ => "2",
        };

    private void Show(Engine e)
    {
        Typed = e;
        static string? Text(double? value) => value?.ToString(CultureInfo.InvariantCulture);
        Form = new Fields
        {
            Name = e.Name,
            Cylinders = Text(e.Cylinders),
            FiringOrder = string.Join("-", e.FiringOrder),
            FiringAngles = e.FiringAngles is null ? null : string.Join(" ", e.FiringAngles.Select(a => Text(a))),
            Banks = e.Banks is null ? null : string.Join(" / ", e.Banks.Select(bank => string.Join(" ", bank))),
            Fuel = e.Fuel ?? "petrol",
            Teeth = Text(e.CrankWheel?.Teeth),
            Missing = e.CrankWheel is { } wheel ? string.Join(" ", wheel.Missing) : null,
            GapToTdc = Text(e.CrankWheel?.GapToTdc),
            Extra = e.CrankWheel is { Extra: > 0 } marked ? Text(marked.Extra) : null,
            Drive = e.CamDrive?.Kind,
            DriveTeeth = Text(e.CamDrive?.CrankTeeth),
            BoreMm = Text(e.Geometry?.BoreMm),
            StrokeMm = Text(e.Geometry?.StrokeMm),
            RodMm = Text(e.Geometry?.RodMm),
            CompressionRatio = Text(e.Geometry?.CompressionRatio),
            FirstEnd = e.Mounting?.FirstEnd,
            FirstBank = e.Mounting?.FirstBank,
            Plugs = e.PlugAccess is { } plugs ? string.Join(" ", plugs.Cylinders) : null,
            PlugMinutes = Text(e.PlugAccess?.Minutes),
            Valves = e.ValveTiming is { } v ? $"{Text(v.Evo)} {Text(v.Evc)} {Text(v.Ivo)} {Text(v.Ivc)}" : null,
        };
    }
}
