using System.ComponentModel.DataAnnotations;
using System.Text.Json;
using Maschera.App;
using Maschera.Core.Basics;
using Maschera.Core.Readings;
using Maschera.Core.Readings.OnBoardTests;
using Maschera.Core.Vehicle;
using Maschera.Formats;
using Maschera.Instruments;
using Maschera.Rig.Vehicle;
using Maschera.Store;
using Maschera.Web.Readings;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Jobs;

/// <summary>Look before unplugging: codes, freeze frame, on-board tests, and what they can't prove.</summary>
public sealed class LookModel(MascheraDb db, VehicleService vehicles) : PageModel
{
    /// <summary>The stand-in vehicle as it is wanted.</summary>
    public sealed class VehicleFields
    {
        [Range(0, 16, ErrorMessage = "A cylinder's number, or 0 for none.")]
        public int Misfires { get; set; }

        public bool SplitHose { get; set; }
        public bool FuelSender { get; set; }
        public bool JustCleared { get; set; }

        [Range(5.0, 600.0, ErrorMessage = "From 5 to 600 seconds.")]
        public int Seconds { get; set; } = 60;
    }

    private const double LiveRound = 0.1;

    [BindProperty(SupportsGet = true)]
    public int Id { get; set; }

    [BindProperty]
    public VehicleFields Vehicle { get; set; } = new();

    public Job Job { get; private set; } = null!;
    public IReadOnlyList<StoredCode> Codes { get; private set; } = [];
    public IReadOnlyList<Note> Remarks { get; private set; } = [];
    public IReadOnlyList<(StoredCapture Exchange, ReadingView View)> Tests { get; private set; } = [];
    public string? Problem { get; private set; }

    public async Task<IActionResult> OnGetAsync() => await LoadAsync() ? Page() : NotFound();

    /// <summary>Adds the codes of a typed or pasted text.</summary>
    public async Task<IActionResult> OnPostAddAsync(string? text)
    {
        if (!await LoadAsync())
            return NotFound();
        var codes = CodeText.Parse(text ?? "");
        if (codes.Count == 0)
            return Refuse("No trouble code is in this text. A code is a letter of P, C, B, U and four digits, for example P0303.");
        foreach (var code in codes)
            vehicles.Add(Id, code);
        await db.SaveChangesAsync();
        return Back();
    }

    public async Task<IActionResult> OnPostStateAsync(int code, string state)
    {
        if (!CodeStates.All.Contains(state))
            return BadRequest();
        await db.Codes.Where(c => c.Id == code && c.JobId == Id).ExecuteUpdateAsync(set => set.SetProperty(c => c.State, state));
        return Back();
    }

    public async Task<IActionResult> OnPostDeleteAsync(int code)
    {
        if (await db.Codes.FirstOrDefaultAsync(c => c.Id == code && c.JobId == Id) is not { } row)
            return NotFound();
        row.DeletedAt = DateTime.UtcNow;
        await db.SaveChangesAsync();
        this.Offer($"{row.Code} is deleted.", $"/jobs/{Id}/look?handler=Undelete&code={code}");
        return Back();
    }

    public async Task<IActionResult> OnPostUndeleteAsync(int code)
    {
        await db
            .Codes.Where(c => c.Id == code && c.JobId == Id)
            .ExecuteUpdateAsync(set => set.SetProperty(c => c.DeletedAt, (DateTime?)null));
        return Back();
    }

    /// <summary>Keeps when codes were cleared and the battery was off, and its voltage.</summary>
    public async Task<IActionResult> OnPostFactsAsync(DateTime? clearedAt, DateTime? batteryOffAt, string? batteryVolts)
    {
        if (!await LoadAsync())
            return NotFound();
        double? volts = null;
        if (!string.IsNullOrWhiteSpace(batteryVolts))
        {
            if (TypedNumber.Parse(batteryVolts) is not { } typed || typed is < 0 or > 60)
                return Refuse($"'{batteryVolts}' is no battery voltage.");
            volts = typed;
        }

        var job = await db.LiveJobs.FirstAsync(j => j.Id == Id);
        (job.CodesClearedAt, job.BatteryOffAt, job.BatteryVolts) = (clearedAt?.ToUniversalTime(), batteryOffAt?.ToUniversalTime(), volts);
        await db.SaveChangesAsync();
        return Back();
    }

    /// <summary>Reads codes, freeze frame and counters of the stand-in vehicle.</summary>
    public Task<IActionResult> OnPostReadAsync(CancellationToken cancel) =>
        AskAsync(
            async (job, adapter, clock) =>
            {
                await vehicles.LookAsync(job, adapter, () => clock[0], cancel);
                return Back();
            }
        );

    /// <summary>Logs the stand-in vehicle's live values.</summary>
    public Task<IActionResult> OnPostLogAsync(CancellationToken cancel) =>
        AskAsync(
            async (job, adapter, clock) =>
            {
                bool GoOn() => (clock[0] += LiveRound) < Vehicle.Seconds;
                return Redirect($"/bench/{await vehicles.LogAsync(job, adapter, () => clock[0], GoOn, cancel)}");
            }
        );

    /// <summary>Takes in a file of service $06 answers.</summary>
    public async Task<IActionResult> OnPostTestsAsync(IFormFile? file, CancellationToken cancel)
    {
        if (!await LoadAsync())
            return NotFound();
        if (file is null)
            return Refuse("Choose a file first: payloads in hexadecimal digits, or a candump log.");
        if (file.Length > 50_000_000)
            return Refuse($"{file.FileName} is too large for an exchange of on-board tests.");
        using var reader = new StreamReader(file.OpenReadStream());
        try
        {
            var name = Path.GetFileNameWithoutExtension(file.FileName);
            return Redirect($"/exchanges/{vehicles.KeepExchange(Job, name, await reader.ReadToEndAsync(cancel))}");
        }
        catch (CaptureFormatException error)
        {
            return Refuse(error.Message);
        }
    }

    /// <summary>The freeze frame of a code; empty without one.</summary>
    public static IReadOnlyList<FrozenValue> Frozen(StoredCode code) =>
        code.FrozenJson is null ? [] : JsonSerializer.Deserialize<List<FrozenValue>>(code.FrozenJson, JsonSerializerOptions.Web)!;

    private async Task<IActionResult> AskAsync(Func<Job, ICanAdapter, double[], Task<IActionResult>> act)
    {
        if (!await LoadAsync())
            return NotFound();
        if (!ModelState.IsValid)
            return Page();
        var engine = Job.Engine!.ToEngine();
        var clock = new double[1];
        var plan = new VehiclePlan(engine)
        {
            Misfires = Math.Min(Vehicle.Misfires, engine.Cylinders),
            SplitHose = Vehicle.SplitHose,
            FuelSender = Vehicle.FuelSender,
            JustCleared = Vehicle.JustCleared,
            BatteryVolts = Job.BatteryVolts ?? 12.5,
        };
        try
        {
            return await act(Job, new StandInVehicle(plan, () => clock[0]), clock);
        }
        catch (VehicleException error)
        {
            return Refuse(error.Message);
        }
    }

    private PageResult Refuse(string why)
    {
        Problem = why;
        return Page();
    }

    private RedirectResult Back() => Redirect($"/jobs/{Id}/look");

    private async Task<bool> LoadAsync()
    {
        var job = await db
            .LiveJobs.AsNoTracking()
            .AsSplitQuery()
            .Include(j => j.Engine)
            .Include(j => j.Readings)
            .Include(j => j.Codes)
            .Include(j => j.Captures.Where(c => c.DeletedAt == null && c.Exchange != null))
            .FirstOrDefaultAsync(j => j.Id == Id);
        if (job is null)
            return false;
        Job = job;
        Codes =
        [
            .. job
                .Codes.Where(c => c.DeletedAt == null)
                .OrderBy(c => CodeStates.All.ToList().IndexOf(c.State))
                .ThenBy(c => c.SeenAt)
                .ThenBy(c => c.Id),
        ];
        Remarks = JobFacts.RemarksOf(job);
        var engine = job.Engine!.ToEngine();
        Tests =
        [
            .. from exchange in job.Captures.OrderByDescending(c => c.Id)
            from reading in job.Readings.Where(r => r.CaptureId == exchange.Id)
            let view = ReadingView.Of(reading, engine)
            where view is { Kind.ReadsMessages: true }
            select (exchange, view),
        ];
        return true;
    }
}
