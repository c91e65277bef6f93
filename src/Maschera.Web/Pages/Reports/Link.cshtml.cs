using Maschera.Store;
using Maschera.Web.People;
using Microsoft.AspNetCore.Authorization;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.AspNetCore.RateLimiting;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Reports;

/// <summary>One report for a customer, by the word of its link; nothing else of the workshop is to be reached from it.</summary>
[AllowAnonymous, EnableRateLimiting(PeopleSetup.Slowly)]
public sealed class LinkModel(MascheraDb db, ReportSheet sheet) : PageModel
{
    public async Task<IActionResult> OnGetAsync(string word)
    {
        var sum = ReportLinks.SumOf(word);
        var link = await db.ReportLinks.FirstOrDefaultAsync(l => l.Sum == sum && l.EndsAt > DateTime.UtcNow);
        if (link is null || !await sheet.LoadAsync(link.JobId))
            return NotFound();
        link.OpenedAt = DateTime.UtcNow;
        await db.SaveChangesAsync();
        Response.Headers.CacheControl = "no-store";
        Response.Headers["X-Robots-Tag"] = "noindex";
        return File(await sheet.RenderedAsync(this), "text/html; charset=utf-8");
    }
}
