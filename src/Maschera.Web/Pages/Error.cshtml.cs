using Maschera.Store.Upkeep;
using Microsoft.AspNetCore.Diagnostics;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Maschera.Web.Pages;

/// <summary>What a person sees where something is not there or broke.</summary>
[IgnoreAntiforgeryToken]
public sealed class ErrorModel : PageModel
{
    [BindProperty(SupportsGet = true)]
    public int Code { get; set; } = 500;

    public string Heading => Code == 404 ? "There is nothing at this address" : "That did not work";

    public string Advice =>
        HttpContext.Features.Get<IExceptionHandlerFeature>()?.Error is DamagedDataException damaged ? damaged.Message : Usual;

    private string Usual =>
        Code switch
        {
            404 => "The job, capture or engine may have been deleted.",
            400 => "The page was open for too long or its form was incomplete. Go back, reload and try again.",
            _ => "Nothing was half saved. Try again; if it happens again, the server's console says what broke.",
        };
}
