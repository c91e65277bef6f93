using Maschera.App;
using Maschera.Core.Basics;
using Maschera.Core.Diagnosis;
using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Readings.WheelSpeeds;
using Maschera.Store;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Jobs;

/// <summary>What is to be done and what it costs, what was ordered and fitted, and whether the checks prove it.</summary>
public sealed class QuoteModel(MascheraDb db, Strengths strengths) : PageModel
{
    private const int MostSuspects = 6;

    /// <summary>A line as it is typed.</summary>
    public sealed class Fields
    {
        public string? What { get; set; }
        public bool IsLabour { get; set; }
        public string? Number { get; set; }
        public string? Variant { get; set; }
        public string? Count { get; set; } = "1";
        public string? Price { get; set; }
        public string? From { get; set; }
        public string? Days { get; set; }

        /// <summary>The fault it cures, with its cylinder behind a stroke where it has one; empty for none.</summary>
        public string? Cures { get; set; }
    }

    [BindProperty(SupportsGet = true)]
    public int Id { get; set; }

    [BindProperty]
    public Fields Form { get; set; } = new();

    public Job Job { get; private set; } = null!;
    public Engine Engine { get; private set; } = null!;
    public JobProof Proof { get; private set; } = null!;
    public JobWeighed? Weighed { get; private set; }
    public string? Problem { get; private set; }

    /// <summary>Suspects that a part or work may cure, the likeliest first.</summary>
    public IEnumerable<Suspect> Suspects => Weighed?.Result.Suspects.Where(s => s.Fault != "something-else").Take(MostSuspects) ?? [];

    /// <summary>Checks that found something wrong before the repair, each once: to be made again.</summary>
    public IReadOnlyList<(string Title, StoredCapture Capture)> ToRepeat { get; private set; } = [];

    public async Task<IActionResult> OnGetAsync(string? cures)
    {
        if (!await LoadAsync())
            return NotFound();
        Form.Cures = cures ?? (Suspects.FirstOrDefault() is { } first ? WordOf(first) : "");
        Form.What = PartOf(Form.Cures);
        return Page();
    }

    /// <summary>Adds a line.</summary>
    public async Task<IActionResult> OnPostAsync()
    {
        if (!await LoadAsync())
            return NotFound();
        var line = Typed();
        Problem ??=
            Job.Work.Count >= Quotes.MostLines ? $"A quote has up to {Quotes.MostLines} lines." : Quotes.Problem(line, Engine.Cylinders);
        if (Problem is not null)
            return Page();
        db.Work.Add(line);
        await db.SaveChangesAsync();
        return Redirect($"/jobs/{Id}/quote");
    }

    /// <summary>Takes a line a step on: ordered, fitted; or back.</summary>
    public async Task<IActionResult> OnPostStepAsync(int line, string? to)
    {
        if (await FindAsync(line) is not { } row)
            return NotFound();
        switch (to)
        {
            case "ordered":
                row.OrderedAt = DateTime.UtcNow;
                break;
            case "fitted":
                row.FittedAt = DateTime.UtcNow;
                break;
            case "back" when row.FittedAt is not null:
                row.FittedAt = null;
                break;
            case "back":
                row.OrderedAt = null;
                break;
            default:
                return BadRequest("A line is ordered, fitted or taken back.");
        }

        await db.SaveChangesAsync();
        return Redirect($"/jobs/{Id}/quote");
    }

    public async Task<IActionResult> OnPostDeleteAsync(int line)
    {
        if (await FindAsync(line) is not { } row)
            return NotFound();
        row.DeletedAt = DateTime.UtcNow;
        await db.SaveChangesAsync();
        this.Offer($"{row.What} is deleted.", $"/jobs/{Id}/quote?handler=Undelete&line={line}");
        return Redirect($"/jobs/{Id}/quote");
    }

    public async Task<IActionResult> OnPostUndeleteAsync(int line)
    {
        if (await FindAsync(line) is not { } row)
            return NotFound();
        row.DeletedAt = null;
        await db.SaveChangesAsync();
        return Redirect($"/jobs/{Id}/quote");
    }

    /// <summary>Says what it turned out to be; empty takes it back.</summary>
    public async Task<IActionResult> OnPostFoundAsync(string? cures)
    {
        if (!await LoadAsync())
            return NotFound();
        var (fault, cylinder, wheel) = Split(cures);
        if (fault is not null && (Likelihoods.Usual.Find(fault) is null || cylinder < 1 || cylinder > Engine.Cylinders))
            return BadRequest("That is no fault of this engine.");
        await db
            .Jobs.Where(j => j.Id == Id)
            .ExecuteUpdateAsync(set =>
                set.SetProperty(j => j.FoundFault, fault)
                    .SetProperty(j => j.FoundCylinder, cylinder)
                    .SetProperty(j => j.FoundWheel, wheel)
                    .SetProperty(j => j.FoundAt, fault == null ? null : DateTime.UtcNow)
            );
        return Redirect($"/jobs/{Id}/quote");
    }

    /// <summary>A suspect as the form holds it.</summary>
    public static string WordOf(Suspect suspect) =>
        suspect.Cylinder is { } c ? $"{suspect.Fault}/{c}"
        : suspect.Wheel is { } w ? $"{suspect.Fault}/{w}"
        : suspect.Fault;

    private static (string? Fault, int? Cylinder, string? Wheel) Split(string? cures)
    {
        if (string.IsNullOrEmpty(cures))
            return (null, null, null);
        var parts = cures.Split('/', 2);
        if (parts.Length < 2)
            return (parts[0], null, null);
        return int.TryParse(parts[1], out var cylinder)
            ? (parts[0], cylinder, null)
            : (parts[0], null, WheelNames.All.Contains(parts[1]) ? parts[1] : null);
    }

    private static string PartOf(string? cures) =>
        Split(cures).Fault is { } fault ? Spoken.Capital(Likelihoods.Usual.Parts.GetValueOrDefault(fault, "")) : "";

    private StoredWork Typed()
    {
        var (fault, cylinder, wheel) = Split(Form.Cures);
        double? Number(string? text, string name)
        {
            if (string.IsNullOrWhiteSpace(text))
                return null;
            if (TypedNumber.Parse(text) is { } number)
                return number;
            Problem ??= $"{name}: “{text}” is no number; write it like 2 or 12.50.";
            return null;
        }

        return new StoredWork
        {
            JobId = Id,
            What = Form.What?.Trim() ?? "",
            IsLabour = Form.IsLabour,
            Number = Form.Number?.Trim() ?? "",
            Variant = Form.Variant?.Trim() ?? "",
            Count = Number(Form.Count, "How many") ?? 1,
            Price = Number(Form.Price, "Price"),
            From = Form.From?.Trim() ?? "",
            Days = Number(Form.Days, "Days") is { } days ? (int)Math.Clamp(Math.Ceiling(days), -1, Quotes.MostDays + 1) : null,
            Fault = fault,
            Cylinder = cylinder,
            Wheel = wheel,
            ProposedAt = DateTime.UtcNow,
        };
    }

    private Task<StoredWork?> FindAsync(int line) => db.Work.FirstOrDefaultAsync(w => w.Id == line && w.JobId == Id);

    private async Task<bool> LoadAsync()
    {
        if (await WholeJob.OfAsync(db, Id) is not { } job)
            return false;
        Job = job;
        Engine = job.Engine!.ToEngine();
        var readings = JobFacts.ReadingsOf(job);
        Proof = JobProof.Of(job, readings);
        // Why a job can't be weighed is said on its page; a quote can be written all the same.
        Weighed = JobDecision.OrNull(job, strengths.Now.Known);
        ToRepeat =
        [
            .. readings
                .Where(r => Proof.Again.Contains(ReadingRegistry.Find(r.Kind)?.Title.ToLowerInvariant() ?? ""))
                .GroupBy(r => r.Kind)
                .Select(g => (ReadingRegistry.Find(g.Key)!.Title, job.Captures.First(c => c.Id == g.Last().CaptureId))),
        ];
        return true;
    }
}
