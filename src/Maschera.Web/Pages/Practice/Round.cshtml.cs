using Maschera.App;
using Maschera.Core.Diagnosis;
using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Store;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Maschera.Web.Pages.Practice;

/// <summary>One round: checks are chosen and read, then the fault is named.</summary>
public sealed class RoundModel(PracticeService practice) : PageModel
{
    [BindProperty(SupportsGet = true)]
    public int Id { get; set; }

    public StoredPractice Round { get; private set; } = null!;
    public Engine Engine { get; private set; } = null!;
    public IReadOnlyList<PracticeStep> Steps { get; private set; } = [];

    /// <summary>What the checks so far say together.</summary>
    public DecisionResult Weighed => PracticeService.Weighed(Round);

    public string? Problem { get; private set; }

    /// <summary>The decisions' own way, once the round is over.</summary>
    public SearchResult? Shortest { get; private set; }

    /// <summary>Checks with their minutes, the cheapest first.</summary>
    public IEnumerable<(string Check, double Minutes)> Checks => PracticeService.Checks.OrderBy(c => c.Minutes);

    /// <summary>Faults that can be named.</summary>
    public IEnumerable<Fault> Faults => Likelihoods.Usual.Faults.OrderBy(f => f.Name, StringComparer.Ordinal);

    public IActionResult OnGet() => Load() ? Page() : NotFound();

    public IActionResult OnPostCheck(string? check, int? cylinder, string? part)
    {
        if (!Load())
            return NotFound();
        try
        {
            practice.Make(Round, check ?? "", cylinder, part);
        }
        catch (ReadingException error)
        {
            Problem = error.Message;
            return Page();
        }

        return Redirect($"/practice/{Id}");
    }

    public IActionResult OnPostAnswer(string? fault, int? cylinder)
    {
        if (!Load())
            return NotFound();
        if (Likelihoods.Usual.Find(fault ?? "") is not { } named)
            Problem = "Choose what you say it is.";
        else if (named.Place == FaultPlace.Cylinder && (cylinder is null || cylinder < 1 || cylinder > Engine.Cylinders))
            Problem = $"{Spoken.Capital(named.Name)}: of which cylinder?";
        if (Problem is not null)
            return Page();
        practice.Answer(Round, fault!, cylinder);
        return Redirect($"/practice/{Id}");
    }

    private bool Load()
    {
        if (practice.Find(Id) is not { } round)
            return false;
        Round = round;
        Engine = round.Job!.Engine!.ToEngine();
        Steps = PracticeService.StepsOf(round);
        Shortest = round.EndedAt is null ? null : PracticeService.Shortest(round);
        return true;
    }
}
