using Maschera.Store.People;
using Maschera.Web.People;
using Microsoft.AspNetCore.Authorization;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.AspNetCore.RateLimiting;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.People;

/// <summary>Enters by name and password, or by a passkey.</summary>
[AllowAnonymous, EnableRateLimiting(PeopleSetup.Slowly)]
public sealed class EnterModel(IServiceProvider services) : PageModel
{
    [BindProperty]
    public string? Name { get; set; }

    /// <summary>Where to go then; only within Maschera.</summary>
    [BindProperty(SupportsGet = true)]
    public string? To { get; set; }

    public string? Problem { get; private set; }

    public async Task<IActionResult> OnGetAsync()
    {
        if (services.GetService<PeopleDb>() is not { } people)
            return Redirect("/");
        return await people.Users.AnyAsync() ? Page() : Redirect("/people/first");
    }

    public async Task<IActionResult> OnPostAsync(string? password)
    {
        if (services.GetService<SignInManager<Person>>() is not { } door)
            return Redirect("/");
        var person = await door.UserManager.FindByNameAsync(Name?.Trim() ?? "");
        // The same sentence, and about the same time, whether there is such a person or not.
        var result = person is null
            ? Unknown(door, password)
            : await door.CheckPasswordSignInAsync(person, password ?? "", lockoutOnFailure: true);
        if (!result.Succeeded)
        {
            Problem = result.IsLockedOut
                ? "Too many wrong passwords. Try again in ten minutes, or ask who runs the workshop."
                : "Name and password do not belong together.";
            return Page();
        }

        await door.SignInAsync(person!, isPersistent: false);
        return await InAsync(door, person!);
    }

    /// <summary>What the browser answers with a passkey (W3C Web Authentication, PublicKeyCredentialRequestOptions), JSON.</summary>
    public async Task<IActionResult> OnPostPasskeyOptionsAsync() =>
        services.GetService<SignInManager<Person>>() is { } door
            ? Content(await door.MakePasskeyRequestOptionsAsync(null), "application/json")
            : NotFound();

    /// <summary>Enters by the passkey the browser holds.</summary>
    /// <param name="credential">What it answered, JSON.</param>
    public async Task<IActionResult> OnPostPasskeyAsync(string? credential)
    {
        if (services.GetService<SignInManager<Person>>() is not { } door)
            return Redirect("/");
        if (await KnownAsync(door, credential) is not { } person)
        {
            Problem = "That passkey is not known here. Enter with name and password.";
            return Page();
        }

        return await InAsync(door, person);
    }

    private static async Task<Person?> KnownAsync(SignInManager<Person> door, string? credential)
    {
        try
        {
            var shown = await door.PerformPasskeyAssertionAsync(credential ?? "");
            if (!shown.Succeeded || await door.UserManager.IsLockedOutAsync(shown.User))
                return null;
            await door.UserManager.AddOrUpdatePasskeyAsync(shown.User, shown.Passkey);
            await door.SignInAsync(shown.User, isPersistent: false);
            return shown.User;
        }
        catch (InvalidOperationException)
        {
            // Nobody asked for one, or too long ago.
            return null;
        }
    }

    private async Task<IActionResult> InAsync(SignInManager<Person> door, Person person)
    {
        person.EnteredAt = DateTime.UtcNow;
        await door.UserManager.UpdateAsync(person);
        return Redirect(Url.IsLocalUrl(To) ? To! : "/");
    }

    private static Microsoft.AspNetCore.Identity.SignInResult Unknown(SignInManager<Person> door, string? password)
    {
        door.UserManager.PasswordHasher.HashPassword(new Person(), password ?? "");
        return Microsoft.AspNetCore.Identity.SignInResult.Failed;
    }
}
