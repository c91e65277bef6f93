using Maschera.App.Live;
using Maschera.Instruments;
using Maschera.Rig.Instruments;
using Maschera.Store;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Rig;

/// <summary>A running instrument: rolling lanes, hold, look back, trigger, keep.</summary>
public sealed class LiveModel(LiveService live, MascheraDb db) : PageModel
{
    [BindProperty(SupportsGet = true)]
    public string Id { get; set; } = "";

    public LiveSession? Session { get; private set; }
    public Job Job { get; private set; } = null!;

    public bool Keyed => Session!.Scope is StandInScope { Keyed: true };

    /// <summary>The probe that most likely tells the cycles: the sync, else the last.</summary>
    public int SyncProbe
    {
        get
        {
            var probes = Session!.Settings.Probes;
            var sync = probes.ToList().FindIndex(p => p.Role == "sync");
            return sync < 0 ? probes.Count - 1 : sync;
        }
    }

    /// <summary>What the page's script needs.</summary>
    public object ForDrawing =>
        new
        {
            id = Session!.Id,
            rate = Session.Settings.Rate,
            held = Session.HeldSeconds,
            channels = Session.Settings.Probes.Select(p => new
            {
                name = p.Name,
                unit = p.Unit,
                range = p.Range,
            }),
        };

    public async Task<IActionResult> OnGetAsync()
    {
        Session = live.Find(Id);
        if (Session is null)
            return Page();
        Job = await db.Jobs.AsNoTracking().Include(j => j.Engine).FirstAsync(j => j.Id == Session.JobId);
        return Page();
    }

    /// <summary>The readings of what is held now.</summary>
    public async Task<IActionResult> OnGetReadingsAsync(CancellationToken cancel)
    {
        if (live.Find(Id) is not { } session)
            return NotFound();
        session.SeenAt = DateTime.UtcNow;
        var job = await db.Jobs.AsNoTracking().Include(j => j.Engine).FirstAsync(j => j.Id == session.JobId, cancel);
        var engine = job.Engine!.ToEngine();
        return Partial("_LiveReadings", (await Task.Run(() => LiveReadings.Of(session, engine, cancel), cancel), engine));
    }

    public async Task<IActionResult> OnPostStopAsync()
    {
        if (live.Find(Id) is not { } session)
            return Redirect("/rig");
        await live.StopAsync(session);
        return Redirect($"/jobs/{session.JobId}#captures");
    }
}
