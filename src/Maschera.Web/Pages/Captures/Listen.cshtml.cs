using Maschera.App;
using Maschera.Formats;
using Maschera.Store;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Captures;

/// <summary>Cranking by ear: a recording of the sound alone, from this page's microphone or a phone's file, goes into the job.</summary>
public sealed class ListenModel(MascheraDb db, ImportService imports) : PageModel
{
    [BindProperty(SupportsGet = true)]
    public int Id { get; set; }

    [BindProperty]
    public string Disabled { get; set; } = "fuel";

    public Job Job { get; private set; } = null!;
    public string? Problem { get; private set; }

    public async Task<IActionResult> OnGetAsync() => await LoadAsync() ? Page() : NotFound();

    public async Task<IActionResult> OnPostAsync(IFormFile? sound, CancellationToken cancel)
    {
        if (!await LoadAsync())
            return NotFound();
        if (sound is null)
        {
            Problem = "There is no recording yet: press Listen, or choose a WAV file.";
            return Page();
        }

        await using var content = sound.OpenReadStream();
        var incoming = await imports.KeepAsync(Id, sound.FileName, content, cancel);
        try
        {
            var overview = imports.Inspect(incoming);
            if (overview.Kind != "WAV")
                throw new CaptureFormatException(
                    sound.FileName,
                    "is no sound. Choose a WAV file, or bring other captures in from the job."
                );
            var capture = StoredCapture.Of(
                Id,
                "Cranking, by ear",
                new("cranking", null, Disabled, "Sound of the starter alone", null, null)
            );
            imports.Start(
                incoming,
                capture,
                [
                    .. overview.Channels.Select(
                        (_, n) => new ChannelChoice(n == 0 ? "Sound" : $"Sound {n + 1}", "", 1, n == 0 ? "sound" : null)
                    ),
                ]
            );
            return Redirect($"/imports/{incoming.Token}");
        }
        catch (CaptureFormatException error)
        {
            imports.Forget(incoming.Token);
            Problem = error.Message;
            return Page();
        }
    }

    private async Task<bool> LoadAsync() => (Job = (await db.LiveJobs.AsNoTracking().FirstOrDefaultAsync(j => j.Id == Id))!) is not null;
}
