using Maschera.App;
using Maschera.Store;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Maschera.Web.Pages.Vehicles;

/// <summary>A vehicle with all its jobs, and its figures over them.</summary>
public sealed class VehicleModel(MascheraDb db) : PageModel
{
    public VehicleVisits Visits { get; private set; } = null!;

    public async Task<IActionResult> OnGetAsync(string plate)
    {
        if (await App.Visits.OfAsync(db, plate) is not { } visits)
            return NotFound();
        Visits = visits;
        return Page();
    }
}
