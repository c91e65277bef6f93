using System.ComponentModel.DataAnnotations;
using Maschera.Store;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.AspNetCore.Mvc.Rendering;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Jobs;

/// <summary>Takes a job in, or changes one.</summary>
public sealed class EditModel(MascheraDb db) : PageModel
{
    private const int MostName = 120,
        MostText = 4_000;

    /// <summary>The fields of the form.</summary>
    public sealed class Fields
    {
        [Required(ErrorMessage = "Which vehicle is it?")]
        [StringLength(MostName, ErrorMessage = "A vehicle's name has up to 120 letters.")]
        public string Vehicle { get; set; } = "";

        [StringLength(40, ErrorMessage = "A plate has up to 40 letters.")]
        public string? Plate { get; set; }

        [Required(ErrorMessage = "Choose the engine.")]
        public int? EngineId { get; set; }

        [Range(0, 5_000_000, ErrorMessage = "Kilometres lie from 0 to 5,000,000.")]
        public int? OdometerKm { get; set; }

        [Required(ErrorMessage = "What does the customer complain of?")]
        [StringLength(MostText, ErrorMessage = "Up to 4,000 letters.")]
        public string Complaint { get; set; } = "";

        [StringLength(MostText, ErrorMessage = "Up to 4,000 letters.")]
        public string? WhenItHappens { get; set; }

        [StringLength(MostText, ErrorMessage = "Up to 4,000 letters.")]
        public string? EarlierRepairs { get; set; }
    }

    [BindProperty(SupportsGet = true)]
    public int? Id { get; set; }

    [BindProperty]
    public Fields Form { get; set; } = new();

    /// <summary>A stamp of the job as the form was opened.</summary>
    [BindProperty]
    public string? Was { get; set; }

    /// <summary>What somebody else wrote meanwhile, by field.</summary>
    public Fields? Theirs { get; private set; }

    /// <summary>The same where it is not what was typed.</summary>
    public IEnumerable<(string Name, string Theirs)> Unlike =>
        Theirs is null
            ? []
            : new (string Name, object? Theirs, object? Own)[]
            {
                ("Vehicle", Theirs.Vehicle, Form.Vehicle),
                ("Plate", Theirs.Plate, Form.Plate),
                (
                    "Engine",
                    Engines.FirstOrDefault(e => e.Value == $"{Theirs.EngineId}")?.Text,
                    Engines.FirstOrDefault(e => e.Value == $"{Form.EngineId}")?.Text
                ),
                ("Odometer", Theirs.OdometerKm, Form.OdometerKm),
                ("Complaint", Theirs.Complaint, Form.Complaint),
                ("When it happens", Theirs.WhenItHappens, Form.WhenItHappens),
                ("Earlier repairs", Theirs.EarlierRepairs, Form.EarlierRepairs),
            }
                .Where(f => $"{f.Theirs}" != $"{f.Own}")
                .Select(f => (f.Name, f.Theirs is null or "" ? "nothing" : $"{f.Theirs}"));

    public IReadOnlyList<SelectListItem> Engines { get; private set; } = [];

    /// <summary>The engine entered a moment ago, which the job is of; null for none.</summary>
    [BindProperty(SupportsGet = true, Name = "engine")]
    public int? Chosen { get; set; }

    public async Task<IActionResult> OnGetAsync()
    {
        await LoadEnginesAsync();
        Form.EngineId = Chosen;
        if (Id is null)
            return Page();
        if (await FindAsync() is not { } job)
            return NotFound();
        Form = FieldsOf(job);
        Was = StampOf(job);
        return Page();
    }

    public async Task<IActionResult> OnPostAsync()
    {
        if (Form.EngineId is { } engine && !await db.Engines.AnyAsync(e => e.Id == engine))
            ModelState.AddModelError("Form.EngineId", "Choose the engine.");
        if (!ModelState.IsValid)
        {
            await LoadEnginesAsync();
            return Page();
        }

        var job = Id is null ? new Job { CreatedAt = DateTime.UtcNow } : await FindAsync();
        if (job is null)
            return NotFound();
        if (Id is not null && Was is not null && Was != StampOf(job))
        {
            Theirs = FieldsOf(job);
            ModelState.Remove(nameof(Was));
            Was = StampOf(job);
            ModelState.AddModelError("", Meanwhile.Said);
            await LoadEnginesAsync();
            return Page();
        }

        (job.Vehicle, job.Plate, job.EngineId, job.OdometerKm) = (
            Form.Vehicle.Trim(),
            Form.Plate?.Trim(),
            Form.EngineId!.Value,
            Form.OdometerKm
        );
        (job.Complaint, job.WhenItHappens, job.EarlierRepairs) = (
            Form.Complaint.Trim(),
            Form.WhenItHappens?.Trim(),
            Form.EarlierRepairs?.Trim()
        );
        if (Id is null)
            db.Jobs.Add(job);
        await db.SaveChangesAsync();
        return Redirect($"/jobs/{job.Id}");
    }

    private static Fields FieldsOf(Job job) =>
        new()
        {
            Vehicle = job.Vehicle,
            Plate = job.Plate,
            EngineId = job.EngineId,
            OdometerKm = job.OdometerKm,
            Complaint = job.Complaint,
            WhenItHappens = job.WhenItHappens,
            EarlierRepairs = job.EarlierRepairs,
        };

    private static string StampOf(Job job) =>
        Meanwhile.Stamp(job.Vehicle, job.Plate, job.EngineId, job.OdometerKm, job.Complaint, job.WhenItHappens, job.EarlierRepairs);

    private Task<Job?> FindAsync() => db.LiveJobs.FirstOrDefaultAsync(j => j.Id == Id);

    /// <summary>The engines to choose from: a deleted one only where the job has it.</summary>
    private async Task LoadEnginesAsync() =>
        Engines = [
            new SelectListItem("Choose…", ""),
            .. (
                await db
                    .Engines.Where(e => e.DeletedAt == null || db.Jobs.Any(j => j.Id == Id && j.EngineId == e.Id))
                    .OrderBy(e => e.Name)
                    .ToListAsync()
            ).Select(e => new SelectListItem(
                e.DeletedAt is null ? e.Name : $"{e.Name} (deleted)",
                e.Id.ToString(System.Globalization.CultureInfo.InvariantCulture)
            )),
        ];
}
