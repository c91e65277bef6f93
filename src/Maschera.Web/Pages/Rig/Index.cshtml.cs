using System.ComponentModel.DataAnnotations;
using System.Globalization;
using Maschera.App;
using Maschera.App.Live;
using Maschera.Core.Engines;
using Maschera.Instruments;
using Maschera.Rig;
using Maschera.Rig.Instruments;
using Maschera.Store;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.AspNetCore.Mvc.Rendering;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Rig;

/// <summary>Records the stand-in engine into a job.</summary>
public sealed class IndexModel(MascheraDb db, CaptureIntake intake, LiveService live) : PageModel
{
    private static readonly ScopeAbilities s_standIn = new StandInScope(new StandInPlan(EngineCatalogue.Orsa)).Abilities;

    /// <summary>What the stand-in is asked to do.</summary>
    public sealed class Fields
    {
        public int Job { get; set; }

        [Range(0, Engine.MostCylinders, ErrorMessage = "A cylinder's number, or 0 for none.")]
        public int Cylinder { get; set; }

        public double Leak { get; set; } = 2.5;
        public string Battery { get; set; } = "good";

        /// <summary>"cranking" on the starter, or "running" on its own fuel.</summary>
        public string Does { get; set; } = "cranking";

        [Range(500, 6000, ErrorMessage = "From 500 to 6,000 rpm.")]
        public int Speed { get; set; } = 800;

        [Range(0, Engine.MostCylinders, ErrorMessage = "A cylinder's number, or 0 for none.")]
        public int Misfires { get; set; }

        [Range(-40, 40, ErrorMessage = "From −40 to 40 degrees.")]
        public double CamOffset { get; set; }

        [Range(2, 30, ErrorMessage = "From 2 to 30 seconds.")]
        public int Seconds { get; set; } = 5;

        public bool Sync { get; set; } = true;

        /// <summary>Names of the probes that run live.</summary>
        public List<string> Probes { get; set; } = ["Starter current", "Battery voltage", "Ignition", "Crank sensor", "Cam sensor"];

        public double Rate { get; set; } = 100_000;
    }

    [BindProperty]
    public Fields Form { get; set; } = new();

    public IReadOnlyList<SelectListItem> Jobs { get; private set; } = [];

    /// <summary>Probes of the stand-in scope; the crank sensor only runs on engines whose wheel is known.</summary>
    public IReadOnlyList<string> Probes { get; } = [.. s_standIn.Probes.Select(p => p.Name), "Cam sensor"];

    public IReadOnlyList<SelectListItem> Rates { get; } =
    [.. s_standIn.Rates.Select(r => new SelectListItem($"{r:#,0}", r.ToString(CultureInfo.InvariantCulture)))];

    public async Task OnGetAsync(int? job)
    {
        Form.Job = job ?? 0;
        await LoadAsync();
    }

    public async Task<IActionResult> OnPostAsync()
    {
        if (await JobAsync() is not var (job, engine))
        {
            await LoadAsync();
            return Page();
        }

        var conditions = new Conditions(
            "cranking",
            20,
            "fuel",
            null,
            Form.Sync ? "ignition" : null,
            Form.Sync ? engine.FiringOrder[0] : null
        );
        var (capture, _) = CrankingRun.Record(Plan(Whole(engine)));
        var id = intake.Take(StoredCapture.Of(job.Id, $"Cranking, {Fault}", conditions), capture);
        return Redirect($"/bench/{id}");
    }

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
        return Redirect(
            $"/bench/{intake.Take(StoredCapture.Of(job.Id, chosen.Group, conditions), chosen.Record(Random.Shared.Next(1, 10_000)))}"
        );
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

    private string Fault => Form.Cylinder > 0 ? $"stand-in, cylinder {Form.Cylinder} leaking" : "stand-in, sound";

    private LiveSession Start(Job job, Engine engine)
    {
        var scope = new StandInScope(
            new StandInPlan(Whole(engine))
            {
                Running = Form.Does == "running" ? Running(Whole(engine)) : null,
                Faults = Faults,
                Starter = StarterFor(engine, Form.Battery == "weak"),
                Seed = Random.Shared.Next(1, int.MaxValue),
            }
        );
        var settings = new ScopeSettings(Form.Rate, [.. scope.Abilities.Probes.Where(p => Form.Probes.Contains(p.Name))]);
        var (remark, sync, running) = (
            Form.Does == "running" ? RunningFault : Fault,
            settings.Probes.Any(p => p.Role == "sync"),
            Form.Does == "running"
        );
        return live.Start(
            job.Id,
            scope,
            settings,
            () =>
                new Conditions(
                    !scope.HasCranked ? "key on"
                        : running ? "idle"
                        : "cranking",
                    running ? 85 : 20,
                    running ? null : "fuel",
                    remark,
                    sync ? "ignition" : null,
                    sync ? engine.FiringOrder[0] : null
                )
        );
    }

    /// <summary>The job with its engine; null, with the reason beside the field, where the form makes no sense.</summary>
    private async Task<(Job Job, Engine Engine)?> JobAsync()
    {
        var job = await db.LiveJobs.Include(j => j.Engine).FirstOrDefaultAsync(j => j.Id == Form.Job);
        if (job is null)
            ModelState.AddModelError("Form.Job", "Choose the job to record into.");
        var engine = job?.Engine!.ToEngine();
        if (engine is not null && Form.Misfires > engine.Cylinders)
            ModelState.AddModelError("Form.Misfires", $"The {engine.Name} has {engine.Cylinders} cylinders.");
        if (engine is not null && Form.Cylinder > engine.Cylinders)
            ModelState.AddModelError("Form.Cylinder", $"The {engine.Name} has {engine.Cylinders} cylinders.");
        return ModelState.IsValid ? (job!, engine!) : null;
    }

    private string RunningFault =>
        string.Join(
            ", ",
            (string[])
                [
                    "stand-in",
                    .. Form.Misfires > 0 ? [$"cylinder {Form.Misfires} misfiring"] : (string[])[],
                    .. Form.CamOffset != 0
                        ? [$"cam {Math.Abs(Form.CamOffset):0.#}° {(Form.CamOffset > 0 ? "late" : "early")}"]
                        : (string[])[],
                ]
        );

    private RunningPlan Running(Engine engine) =>
        new(engine)
        {
            SpeedRpm = Form.Speed,
            Misfires = Form.Misfires > 0 ? [new MisfireSchedule(Form.Misfires, 0.3)] : [],
            CamOffsetDegrees = Form.CamOffset,
            Seed = Random.Shared.Next(),
        };

    private CylinderFault[] Faults => Form.Cylinder > 0 ? [new CylinderFault(Form.Cylinder, Form.Leak)] : [];

    private CrankingPlan Plan(Engine engine) =>
        new(engine)
        {
            Faults = Faults,
            Starter = StarterFor(engine, Form.Battery == "weak"),
            Cranking = Form.Seconds,
            Rate = 10_000,
            SyncCylinder = Form.Sync ? engine.FiringOrder[0] : null,
            CrankSensor = true,
            Seed = Random.Shared.Next(),
        };

    /// <summary>A starter that suits the engine, a stronger one for a diesel.</summary>
    private static StarterCircuit StarterFor(Engine engine, bool weakBattery)
    {
        var usual = StarterCircuit.For(engine.Cylinders);
        return usual with
        {
            VoltSeconds = usual.VoltSeconds + (engine.IsDiesel ? 0.06 : 0),
            BatteryVolts = weakBattery ? 11.8 : 12.6,
            BatteryOhms = weakBattery ? 0.012 : 0.006,
        };
    }

    /// <summary>An engine whose geometry is not known turns with that of a common one.</summary>
    private static Engine Whole(Engine engine) =>
        engine with
        {
            CrankWheel = engine.CrankWheel ?? EngineCatalogue.Orsa.CrankWheel,
            Geometry = engine.Geometry ?? EngineCatalogue.Orsa.Geometry,
            ValveTiming = engine.ValveTiming ?? EngineCatalogue.Orsa.ValveTiming,
        };

    private async Task LoadAsync() =>
        Jobs = [
            .. (await db.LiveJobs.Include(j => j.Engine).Where(j => j.ClosedAt == null).OrderByDescending(j => j.Id).ToListAsync()).Select(
                j => new SelectListItem($"{j.Vehicle}: {j.Complaint}", j.Id.ToString(CultureInfo.InvariantCulture))
            ),
        ];
}
