using Maschera.App;
using Maschera.Store.Upkeep;
using Microsoft.AspNetCore.Authorization;
using Microsoft.AspNetCore.Diagnostics;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Maschera.Web.Pages;

/// <summary>What a person sees where something is not there or broke.</summary>
[IgnoreAntiforgeryToken, AllowAnonymous]
public sealed class ErrorModel : PageModel
{
    [BindProperty(SupportsGet = true)]
    public int Code { get; set; } = 500;

    public void OnGet() => Count();

    public void OnPost() => Count();

    private void Count()
    {
        if (HttpContext.Features.Get<IExceptionHandlerFeature>() is not null)
            Counters.Errors.Add(1);
    }

    public string Heading =>
        Code switch
        {
            404 => "There is nothing at this address",
            401 => "You are not in any more",
            403 => "That is not for you to do",
            429 => "Too often in a minute",
            _ => "That did not work",
        };

    public string Advice =>
        HttpContext.Features.Get<IExceptionHandlerFeature>()?.Error switch
        {
            DamagedDataException damaged => damaged.Message,
            { } error when StartFaults.IsFull(error) => Gate.FullDisk,
            _ => Usual,
        };

    private string Usual =>
        Code switch
        {
            404 => "The job, capture or engine may have been deleted.",
            401 => "The session has ended. Enter again; nothing was changed.",
            403 => "You may look, or work, and this takes more. Ask who runs the workshop.",
            429 => "Wait a minute and try again.",
            413 => "That is more than is taken at once.",
            400 => "The page was open for too long or its form was incomplete. Go back, reload and try again.",
            _ => "Nothing was half saved. Try again; if it happens again, the server's console says what broke.",
        };
}
