using System.Text.Encodings.Web;
using Maschera.App;
using Maschera.Formats;
using Maschera.Store;
using Maschera.Web.People;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Captures;

/// <summary>Takes an upload and leads to its preview; a file that can't be read is refused and thrown away at once.</summary>
[HeavyWork]
public sealed class UploadModel(MascheraDb db, ImportService imports) : PageModel
{
    public IActionResult OnGet(int id) => Redirect($"/jobs/{id}#captures");

    public async Task<IActionResult> OnPostAsync(int id, IFormFile? file, IFormFile? description, CancellationToken cancel)
    {
        if (!await db.LiveJobs.AnyAsync(j => j.Id == id, cancel))
            return NotFound();
        if (file is null)
            return Refuse(id, "Choose a file first.");
        await using var content = file.OpenReadStream();
        var incoming = await imports.KeepAsync(id, file.FileName, content, cancel);
        try
        {
            if (description is { Length: > 0 })
            {
                await using var words = description.OpenReadStream();
                await imports.KeepDescriptionAsync(incoming, description.FileName, words, cancel);
            }

            imports.Inspect(incoming);
        }
        catch (CaptureFormatException error)
        {
            imports.Forget(incoming.Token);
            return Refuse(id, error.Message);
        }

        return Go($"/imports/{incoming.Token}");
    }

    private bool FromHtmx => Request.Headers.ContainsKey("HX-Request");

    private IActionResult Refuse(int id, string why) =>
        FromHtmx ? Content(HtmlEncoder.Default.Encode(why), "text/html") : Redirect($"/jobs/{id}?uploadError={Uri.EscapeDataString(why)}");

    private IActionResult Go(string address)
    {
        if (!FromHtmx)
            return Redirect(address);
        Response.Headers["HX-Redirect"] = address;
        return new EmptyResult();
    }
}
