using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Maschera.Web.Pages;

/// <summary>What was done is said on the next page, with a way to take it back.</summary>
internal static class Undoing
{
    private const int MostSaid = 200;

    /// <summary>Says what was done, and where a post takes it back.</summary>
    public static void Offer(this PageModel page, string said, string undo)
    {
        // It travels in a cookie, which a browser takes only up to some thousand characters.
        page.TempData["Said"] = said.Length <= MostSaid ? said : said[..MostSaid] + "…";
        page.TempData["Undo"] = undo;
    }
}
