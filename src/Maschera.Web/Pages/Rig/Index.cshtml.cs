using System.ComponentModel.DataAnnotations;
using System.Globalization;
using Maschera.App;
using Maschera.App.Live;
using Maschera.Core.Diagnosis;
using Maschera.Core.Engines;
using Maschera.Core.Readings.Circuit;
using Maschera.Core.Signals;
using Maschera.Core.Vehicle;
using Maschera.Instruments;
using Maschera.Rig;
using Maschera.Rig.Instruments;
using Maschera.Rig.Wiring;
using Maschera.Store;
using Maschera.Web.Pages.Sheets;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.AspNetCore.Mvc.Rendering;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Rig;

/// <summary>Records the stand-in engine into a job.</summary>
public sealed class IndexModel(MascheraDb db, CaptureIntake intake, LiveService live, SheetService sheets) : PageModel
{
    private static readonly ScopeAbilities s_standIn = new StandInScope(new StandInPlan(EngineCatalogue.Orsa)).Abilities;

    /// <summary>What the stand-in is asked to do.</summary>
    public sealed class Fields
    {
        public int Job { get; set; }

        /// <summary>Cylinder to the word of its trouble; empty for a sound one.</summary>
        public Dictionary<int, string?> Troubles { get; set; } = [];

        public string Battery { get; set; } = "good";
        public string CrankSensor { get; set; } = "hall";
        public bool ExhaustBlocked { get; set; }
        public bool HoseSplit { get; set; }

        /// <summary>Word of what is wrong with the crank sensor's wires.</summary>
        public string Wire { get; set; } = "sound";

        /// <summary>"cranking" on the starter, "running" on its own fuel, or "gas".</summary>
        public string Does { get; set; } = "cranking";

        [Range(500.0, 6000.0, ErrorMessage = "From 500 to 6,000 rpm.")]
        public int Speed { get; set; } = 800;

        [Range(-40.0, 40.0, ErrorMessage = "From −40 to 40 degrees.")]
        public double CamOffset { get; set; }

        [Range(2.0, 30.0, ErrorMessage = "From 2 to 30 seconds.")]
        public int Seconds { get; set; } = 5;

        public bool Sync { get; set; } = true;

        /// <summary>Cylinder with the transducer in its plug hole; 0 for pick-ups.</summary>
        [Range(0, Engine.MostCylinders, ErrorMessage = "A cylinder's number, or the pick-ups.")]
        public int Measured { get; set; } = 1;

        /// <summary>Names of the probes that run live.</summary>
        public List<string> Probes { get; set; } = [.. s_connected];

        public double Rate { get; set; } = 100_000;
    }

    /// <summary>Probes that are connected unless somebody says otherwise: no more of them fit an engine than there are inputs.</summary>
    private static readonly string[] s_connected =
    [
        "Starter current",
        "Battery voltage",
        "Ignition",
        "Crank sensor",
        "Cam sensor",
        "Cylinder pressure",
        "Intake pulse",
        "Exhaust pulse",
    ];

    [BindProperty]
    public Fields Form { get; set; } = new();

    public IReadOnlyList<SelectListItem> Jobs { get; private set; } = [];

    /// <summary>All probes there are; those that make no sense on what the engine does stay unconnected.</summary>
    public IReadOnlyList<string> Probes { get; } = [.. s_connected, "Crankcase pulse", "Coolant pulse", "Exhaust back pressure"];

    /// <summary>The engine that is drawn: the job's.</summary>
    public Engine Engine { get; private set; } = EngineCatalogue.Orsa;

    public IReadOnlyList<SelectListItem> Rates { get; } =
    [.. s_standIn.Rates.Select(r => new SelectListItem($"{r:#,0}", r.ToString(CultureInfo.InvariantCulture)))];

    /// <summary>The check that is to be made, a word of the diagnosis; null for none.</summary>
    public string? Check { get; private set; }

    /// <summary>The button that makes it: "" cranks, "Run", "Gas", "Other"; null where no check was asked for.</summary>
    public string? Wanted { get; private set; }

    /// <param name="job">The job to record into.</param>
    /// <param name="check">The check to set everything for.</param>
    /// <param name="cylinder">Its cylinder.</param>
    public async Task OnGetAsync(int? job, string? check, int? cylinder)
    {
        Form.Job = job ?? 0;
        if (Likelihoods.Usual.HookUp(check ?? "").Length > 0)
        {
            (Check, Wanted) = (check, ButtonOf(check!));
            Form.Measured = check == "in-cylinder-pressure" ? cylinder ?? 1 : 0;
            Form.Does = Wanted switch
            {
                "Run" => "running",
                "Gas" => "gas",
                _ => "cranking",
            };
        }

        await LoadAsync();
    }

    private static string ButtonOf(string check) =>
        check switch
        {
            "relative-compression" => "",
            "cam-timing" or "crank-misfire" => "Run",
            "in-cylinder-pressure" or "intake-pulses" or "exhaust-pulses" or "coolant-pulses" or "back-pressure" => "Gas",
            _ => "Other",
        };

    /// <summary>Records the engine on its starter.</summary>
    public Task<IActionResult> OnPostAsync() =>
        RecordAsync(
            setup => ("Cranking", CrankingRun.Record(setup.Cranking).Capture),
            setup => new Conditions("cranking", 20, "fuel", setup.Said, SyncKind, SyncOn(setup))
        );

    /// <summary>Records the engine on its own fuel.</summary>
    public Task<IActionResult> OnPostRunAsync() =>
        RecordAsync(
            setup => ("Running", RunningRun.Record(setup.Running).Capture),
            setup => new Conditions("idle", 88, null, setup.Said, SyncKind, SyncOn(setup))
        );

    /// <summary>Records its gas: the pressure in a cylinder, or pick-ups.</summary>
    public Task<IActionResult> OnPostGasAsync() =>
        RecordAsync(
            setup =>
                (setup.Measured is { } cylinder ? $"Pressure in cylinder {cylinder}" : "Pulses", BreathingRun.Record(setup.Gas).Capture),
            GasConditions
        );

    /// <summary>Logs a drive.</summary>
    public Task<IActionResult> OnPostRoadAsync() =>
        RecordAsync(setup => ("Road test", DriveLog.Record(setup.Road)), setup => new Conditions("load", 88, null, setup.Said));

    /// <summary>A sheet of the crank sensor, the stand-in's meter at hand with its fault.</summary>
    public async Task<IActionResult> OnPostWiresAsync()
    {
        if (await JobAsync() is not var (job, engine))
        {
            await LoadAsync();
            return Page();
        }

        var pins = SheetPlan.Kinds["Sensor with a 5 V supply"].Select(t => new SheetPin(t));
        var sheet = new CircuitSheet([]) { Components = [new(SensorWire.Component, [.. pins])] };
        var fault = Setup(engine).Wire.Fault is { } given ? SheetModel.FaultWord(given) : "";
        return Redirect($"/sheets/{sheets.Create(job.Id, SensorWire.Component, sheet)}?fault={Uri.EscapeDataString(fault)}");
    }

    private async Task<IActionResult> RecordAsync(
        Func<RigSetup, (string Name, Capture Capture)> record,
        Func<RigSetup, Conditions> conditions
    )
    {
        if (await JobAsync() is not var (job, engine))
        {
            await LoadAsync();
            return Page();
        }

        var setup = Setup(engine);
        var (name, capture) = record(setup);
        return Keep(job, name, setup.Seen(capture), conditions(setup));
    }

    private static int? SyncOn(RigSetup setup) => setup.Sync ? setup.Engine.FiringOrder[0] : null;

    private static Conditions GasConditions(RigSetup setup) =>
        new(
            "idle",
            88,
            setup.Measured is { } cylinder ? $"plug lead {cylinder}" : null,
            setup.Said,
            "ignition",
            setup.Measured ?? setup.Engine.FiringOrder[0]
        );

    private string? SyncKind => Form.Sync ? "ignition" : null;

    private RedirectResult Keep(Job job, string name, Capture capture, Conditions conditions) =>
        Redirect($"/bench/{intake.Take(StoredCapture.Of(job.Id, name, conditions), capture)}");

    /// <summary>Records a stand-in other than the engine.</summary>
    public async Task<IActionResult> OnPostOtherAsync(string? recording)
    {
        if (StandInRecordings.Find(recording) is not { } chosen)
            return BadRequest();
        if (await db.LiveJobs.FirstOrDefaultAsync(j => j.Id == Form.Job) is not { } job)
        {
            ModelState.AddModelError("Form.Job", "Choose the job to record into.");
            await LoadAsync();
            return Page();
        }

        var conditions = new Conditions(chosen.State, 85, null, $"Stand-in: {chosen.Said}");
        return Keep(job, chosen.Group, chosen.Record(Random.Shared.Next(1, 10_000)), conditions);
    }

    public async Task<IActionResult> OnPostLiveAsync()
    {
        try
        {
            if (await JobAsync() is var (job, engine))
                return Redirect($"/live/{Start(job, engine).Id}");
        }
        catch (ScopeException error)
        {
            ModelState.AddModelError("Form.Probes", error.Message);
        }

        await LoadAsync();
        return Page();
    }

    private LiveSession Start(Job job, Engine engine)
    {
        var setup = Setup(engine);
        var scope = new StandInScope(
            new StandInPlan(setup.Cranking.Engine)
            {
                Running = Form.Does == "running" ? setup.Running : null,
                Gas = Form.Does == "gas" ? setup.Gas : null,
                Faults = setup.Leaks,
                Starter = setup.Starter,
                Seed = setup.Seed,
            }
        );
        var settings = new ScopeSettings(Form.Rate, [.. scope.Abilities.Probes.Where(p => Form.Probes.Contains(p.Name))]);
        var sync = settings.Probes.Any(p => p.Role == "sync");
        var conditions =
            Form.Does == "gas" ? GasConditions(setup)
            : Form.Does == "running" ? new Conditions("idle", 85, null, setup.Said)
            : new Conditions("cranking", 20, "fuel", setup.Said);
        if (Form.Does != "gas" && sync)
            conditions = conditions with { SyncKind = "ignition", SyncCylinder = engine.FiringOrder[0] };
        return live.Start(job.Id, scope, settings, () => scope.HasCranked ? conditions : conditions with { State = "key on" });
    }

    private RigSetup Setup(Engine engine) =>
        new(engine)
        {
            Troubles = Form
                .Troubles.Select(t => (t.Key, Trouble: CylinderTrouble.Find(t.Value)))
                .Where(t => t.Trouble is not null && t.Key >= 1 && t.Key <= engine.Cylinders)
                .ToDictionary(t => t.Key, t => t.Trouble!),
            Battery = RigSetup.Batteries.Contains(Form.Battery) ? Form.Battery : RigSetup.Batteries[0],
            CamLate = Form.CamOffset,
            CrankSensor = RigSetup.CrankSensors.Contains(Form.CrankSensor) ? Form.CrankSensor : RigSetup.CrankSensors[0],
            ExhaustBlocked = Form.ExhaustBlocked,
            HoseSplit = Form.HoseSplit,
            Wire = SensorWire.Find(Form.Wire),
            SpeedRpm = Form.Speed,
            Seconds = Form.Seconds,
            Sync = Form.Sync,
            Measured = Form.Measured > 0 ? Form.Measured : null,
            Seed = Random.Shared.Next(1, int.MaxValue),
        };

    /// <summary>The job with its engine; null, with the reason beside the field, where the form makes no sense.</summary>
    private async Task<(Job Job, Engine Engine)?> JobAsync()
    {
        var job = await db.LiveJobs.Include(j => j.Engine).FirstOrDefaultAsync(j => j.Id == Form.Job);
        if (job is null)
            ModelState.AddModelError("Form.Job", "Choose the job to record into.");
        var engine = job?.Engine!.ToEngine();
        if (engine is not null && Form.Measured > engine.Cylinders)
            ModelState.AddModelError("Form.Measured", $"The {engine.Name} has {engine.Cylinders} cylinders.");
        return ModelState.IsValid ? (job!, engine!) : null;
    }

    private async Task LoadAsync()
    {
        var jobs = await db.RealJobs.Include(j => j.Engine).Where(j => j.ClosedAt == null).OrderByDescending(j => j.Id).ToListAsync();
        Jobs = [.. jobs.Select(j => new SelectListItem($"{j.Vehicle}: {j.Complaint}", j.Id.ToString(CultureInfo.InvariantCulture)))];
        if ((jobs.FirstOrDefault(j => j.Id == Form.Job) ?? jobs.FirstOrDefault()) is not { } chosen)
            return;
        (Form.Job, Engine) = (chosen.Id, chosen.Engine!.ToEngine());
        Form.Measured = Math.Min(Form.Measured, Engine.Cylinders);
    }
}
