using Maschera.Store.People;
using Maschera.Web.People;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Maschera.Web.Pages.People;

/// <summary>A person's own password, and the way out.</summary>
public sealed class OwnModel(IServiceProvider services) : PageModel
{
    public string? Problem { get; private set; }

    private SignInManager<Person>? Door => services.GetService<SignInManager<Person>>();

    public IActionResult OnGet() => Door is null ? Redirect("/") : Page();

    public async Task<IActionResult> OnPostAsync(string? now, string? next)
    {
        if (Door is not { } door || await door.UserManager.GetUserAsync(User) is not { } person)
            return Redirect("/");
        var changed = await door.UserManager.ChangePasswordAsync(person, now ?? "", next ?? "");
        if (!changed.Succeeded)
        {
            Problem = PeopleSetup.Said(changed);
            return Page();
        }

        // Sessions elsewhere end; this one goes on.
        await door.RefreshSignInAsync(person);
        TempData["Said"] = "The password is changed. You are out wherever else you had entered.";
        return Redirect("/people/own");
    }

    public async Task<IActionResult> OnPostLeaveAsync()
    {
        if (Door is { } door)
            await door.SignOutAsync();
        return Redirect("/people/enter");
    }
}
