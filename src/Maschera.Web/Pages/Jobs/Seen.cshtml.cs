using Maschera.App;
using Maschera.Core.Diagnosis;
using Maschera.Core.Engines;
using Maschera.Core.Readings.WheelSpeeds;
using Maschera.Store;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Jobs;

/// <summary>What was seen by eye and hand, what a swap showed, and what was renewed before: evidence without an instrument.</summary>
public sealed class SeenModel(MascheraDb db) : PageModel
{
    private const int MostNoted = 200;

    [BindProperty(SupportsGet = true)]
    public int Id { get; set; }

    public Job Job { get; private set; } = null!;
    public Engine Engine { get; private set; } = null!;
    public IReadOnlyList<StoredObservation> Noted { get; private set; } = [];
    public string? Problem { get; private set; }

    public IReadOnlyDictionary<string, string> Parts => Likelihoods.Usual.Parts;
    public IEnumerable<StoredObservation> Swaps => Noted.Where(o => o.Part is not null);
    public IEnumerable<StoredObservation> Replaced => Noted.Where(o => o.IsReplacedPart);

    /// <summary>What can be seen, by the check that shows it.</summary>
    public IEnumerable<(string Title, IReadOnlyList<string> Words)> Groups
    {
        get
        {
            var known = Likelihoods.Usual;
            List<string> Of(string check) =>
                [.. known.Seen.Where(w => known.Checks.First(c => c.Name == check).Readings.Contains($"seen/{w}"))];
            List<string> look = Of("look");
            List<string> leakDown = [.. Of("leak-down").Except(look)];
            List<string> borescope = [.. Of("borescope").Except(look)];
            yield return ("Round the vehicle", look);
            yield return ("With compressed air in the cylinder", leakDown);
            yield return ("With the borescope", borescope);
            yield return ("With the plugs out, and else", [.. known.Seen.Except(look).Except(leakDown).Except(borescope)]);
        }
    }

    public async Task<IActionResult> OnGetAsync() => await LoadAsync() ? Page() : NotFound();

    public Task<IActionResult> OnPostAddAsync(string? word, string? place, bool present) =>
        NoteAsync(place, Likelihoods.Usual.Seen.Contains(word), o => (o.Word, o.Present) = (word!, present));

    public Task<IActionResult> OnPostSwapAsync(string? part, string? place, bool moved) =>
        NoteAsync(place, Parts.ContainsKey(part ?? ""), o => (o.Word, o.Part) = (moved ? "swap-moved" : "swap-stayed", part));

    public Task<IActionResult> OnPostRenewedAsync(string? part, string? place) =>
        NoteAsync(place, Parts.ContainsKey(part ?? ""), o => (o.Word, o.IsReplacedPart) = (part!, true));

    public async Task<IActionResult> OnPostDeleteAsync(int observation)
    {
        if (await db.Observations.FirstOrDefaultAsync(o => o.Id == observation && o.JobId == Id) is not { } row)
            return NotFound();
        row.DeletedAt = DateTime.UtcNow;
        await db.SaveChangesAsync();
        this.Offer($"{Spoken.Capital(row.Part ?? row.Word)} is taken back.", $"/jobs/{Id}/seen?handler=Undelete&observation={observation}");
        return Redirect($"/jobs/{Id}/seen");
    }

    public async Task<IActionResult> OnPostUndeleteAsync(int observation)
    {
        await db
            .Observations.Where(o => o.Id == observation && o.JobId == Id)
            .ExecuteUpdateAsync(set => set.SetProperty(o => o.DeletedAt, (DateTime?)null));
        return Redirect($"/jobs/{Id}/seen");
    }

    /// <summary>The places something can be at: cylinders with their seats, wheels.</summary>
    public IEnumerable<(string Value, string Said)> Places(bool withWheels)
    {
        for (var cylinder = 1; cylinder <= Engine.Cylinders; cylinder++)
            yield return ($"{cylinder}", $"cylinder {cylinder}");
        foreach (var wheel in withWheels ? WheelNames.All : [])
            yield return (wheel, wheel.Replace('-', ' '));
    }

    /// <summary>The places at which something can be seen: those of the faults it speaks for.</summary>
    public IEnumerable<(string Value, string Said)> PlacesOf(string word)
    {
        var known = Likelihoods.Usual;
        var places = known.Verdicts($"seen/{word}")!["present"].Keys.Select(f => known.Find(f)!.Place).ToHashSet();
        return Places(true).Where(p => places.Contains(WheelNames.All.Contains(p.Value) ? FaultPlace.Wheel : FaultPlace.Cylinder));
    }

    public string PartName(string fault) => Spoken.Capital(Parts.GetValueOrDefault(fault, fault));

    public string SwapSaid(StoredObservation swap) =>
        $"{PartName(swap.Part!)}{Spoken.Where(swap.Cylinder, swap.Wheel)}: "
        + (swap.Word == "swap-moved" ? "the fault went with it" : "it stayed");

    private async Task<IActionResult> NoteAsync(string? place, bool known, Action<StoredObservation> tell)
    {
        if (!await LoadAsync())
            return NotFound();
        if (!known || !string.IsNullOrEmpty(place) && Places(true).All(p => p.Value != place))
            return BadRequest();
        if (Noted.Count >= MostNoted)
        {
            Problem = $"{MostNoted} things are noted; take back what no longer counts first.";
            return Page();
        }

        var row = new StoredObservation { JobId = Id, SeenAt = DateTime.UtcNow };
        if (int.TryParse(place, out var cylinder))
            row.Cylinder = cylinder;
        else if (!string.IsNullOrEmpty(place))
            row.Wheel = place;
        tell(row);
        // The same said twice would weigh twice: the newest stands.
        foreach (var earlier in await SameAsync(row))
            earlier.DeletedAt = DateTime.UtcNow;
        db.Observations.Add(row);
        await db.SaveChangesAsync();
        return Redirect($"/jobs/{Id}/seen");
    }

    private async Task<List<StoredObservation>> SameAsync(StoredObservation row) =>
        [
            .. (await db.Observations.Where(o => o.JobId == Id && o.DeletedAt == null).ToListAsync()).Where(o =>
                (o.Part ?? o.Word, o.IsReplacedPart, o.Part is null, o.Cylinder, o.Wheel)
                == (row.Part ?? row.Word, row.IsReplacedPart, row.Part is null, row.Cylinder, row.Wheel)
            ),
        ];

    private async Task<bool> LoadAsync()
    {
        var job = await db.LiveJobs.AsNoTracking().Include(j => j.Engine).FirstOrDefaultAsync(j => j.Id == Id);
        if (job is null)
            return false;
        (Job, Engine) = (job, job.Engine!.ToEngine());
        Noted = await db.Observations.AsNoTracking().Where(o => o.JobId == Id && o.DeletedAt == null).OrderBy(o => o.Id).ToListAsync();
        return true;
    }
}
