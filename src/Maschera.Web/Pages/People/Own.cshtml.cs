using Maschera.Store.People;
using Maschera.Web.People;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Maschera.Web.Pages.People;

/// <summary>A person's own password and passkeys, and the way out.</summary>
public sealed class OwnModel(IServiceProvider services) : PageModel
{
    private const int MostPasskeys = 20;

    public string? Problem { get; private set; }

    /// <summary>The person's passkeys, the oldest first.</summary>
    public IReadOnlyList<UserPasskeyInfo> Passkeys { get; private set; } = [];

    private SignInManager<Person>? Door => services.GetService<SignInManager<Person>>();

    public async Task<IActionResult> OnGetAsync() =>
        Door is { } door && await door.UserManager.GetUserAsync(User) is { } person ? await ShowAsync(door, person) : Redirect("/");

    public async Task<IActionResult> OnPostAsync(string? now, string? next)
    {
        if (Door is not { } door || await door.UserManager.GetUserAsync(User) is not { } person)
            return Redirect("/");
        var changed = await door.UserManager.ChangePasswordAsync(person, now ?? "", next ?? "");
        if (!changed.Succeeded)
        {
            Problem = PeopleSetup.Said(changed);
            return await ShowAsync(door, person);
        }

        // Sessions elsewhere end; this one goes on.
        await door.RefreshSignInAsync(person);
        TempData["Said"] = "The password is changed. You are out wherever else you had entered.";
        return Redirect("/people/own");
    }

    /// <summary>What the browser makes a passkey from (W3C Web Authentication, PublicKeyCredentialCreationOptions), JSON.</summary>
    public async Task<IActionResult> OnPostPasskeyOptionsAsync()
    {
        if (Door is not { } door || await door.UserManager.GetUserAsync(User) is not { UserName: { } name } person)
            return NotFound();
        var options = await door.MakePasskeyCreationOptionsAsync(
            new()
            {
                Id = person.Id,
                Name = name,
                DisplayName = name,
            }
        );
        return Content(options, "application/json");
    }

    /// <summary>Keeps the passkey that the browser made.</summary>
    /// <param name="credential">What it answered, JSON.</param>
    /// <param name="called">What the person calls it.</param>
    public async Task<IActionResult> OnPostPasskeyAsync(string? credential, string? called)
    {
        if (Door is not { } door || await door.UserManager.GetUserAsync(User) is not { } person)
            return Redirect("/");
        var made = await MadeAsync(door, credential);
        if (made is null || (await door.UserManager.GetPasskeysAsync(person)).Count >= MostPasskeys)
        {
            Problem = made is null ? "That passkey was not taken. Try it again." : "Delete a passkey first: these are enough.";
            return await ShowAsync(door, person);
        }

        made.Name = PeopleSetup.NameIn(called) ?? "Passkey";
        await door.UserManager.AddOrUpdatePasskeyAsync(person, made);
        TempData["Said"] = "You can enter with it now, without the password.";
        return Redirect("/people/own");
    }

    /// <summary>Takes a passkey away.</summary>
    public async Task<IActionResult> OnPostDropAsync(string? passkey)
    {
        if (Door is not { } door || await door.UserManager.GetUserAsync(User) is not { } person)
            return Redirect("/");
        foreach (var kept in await door.UserManager.GetPasskeysAsync(person))
            if (Convert.ToHexString(kept.CredentialId) == passkey)
                await door.UserManager.RemovePasskeyAsync(person, kept.CredentialId);
        return Redirect("/people/own");
    }

    private static async Task<UserPasskeyInfo?> MadeAsync(SignInManager<Person> door, string? credential)
    {
        try
        {
            return (await door.PerformPasskeyAttestationAsync(credential ?? "")).Passkey;
        }
        catch (InvalidOperationException)
        {
            // Nobody asked for one, or too long ago.
            return null;
        }
    }

    private async Task<PageResult> ShowAsync(SignInManager<Person> door, Person person)
    {
        Passkeys = [.. (await door.UserManager.GetPasskeysAsync(person)).OrderBy(p => p.CreatedAt)];
        return Page();
    }

    public async Task<IActionResult> OnPostLeaveAsync()
    {
        if (Door is { } door)
            await door.SignOutAsync();
        return Redirect("/people/enter");
    }
}
