using Maschera.App;
using Maschera.Store;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Practice;

/// <summary>The practice room's door: begin a round, or look at earlier ones.</summary>
public sealed class IndexModel(MascheraDb db, PracticeService practice) : PageModel
{
    private const int MostShown = 30;

    public IReadOnlyList<StoredPractice> Rounds { get; private set; } = [];

    public async Task OnGetAsync() =>
        Rounds = await db
            .Practice.AsNoTracking()
            .Include(p => p.Job)
            .Where(p => p.Job!.DeletedAt == null)
            .OrderByDescending(p => p.Id)
            .Take(MostShown)
            .ToListAsync();

    public IActionResult OnPost(int level)
    {
        if (level is < 1 or > PracticeService.MostLevel)
            return BadRequest($"Levels go from 1 to {PracticeService.MostLevel}.");
        return Redirect($"/practice/{practice.Start(level, Random.Shared.Next(1, int.MaxValue)).Id}");
    }
}
