using System.Security.Cryptography.X509Certificates;
using Maschera.Store.People;
using Maschera.Web.People;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.People;

/// <summary>The people of the workshop, for who runs it.</summary>
public sealed class IndexModel(IServiceProvider services) : PageModel
{
    [BindProperty]
    public string? Name { get; set; }

    [BindProperty]
    public string? Role { get; set; }

    public IReadOnlyList<Person> All { get; private set; } = [];
    public string? Problem { get; private set; }

    /// <summary>Where others find this server.</summary>
    public string Place =>
        Uri.TryCreate($"https://{Request.Host}", UriKind.Absolute, out var here) && here.IsLoopback
            ? services.GetRequiredService<Reach>().Place
            : $"{Request.Scheme}://{Request.Host}";

    /// <summary>What they compare when their browser asks whether to trust it; null where a certificate was given.</summary>
    public string? Fingerprint => services.GetService<X509Certificate2>() is { } own ? ServerCertificate.Fingerprint(own) : null;

    private UserManager<Person> People => services.GetRequiredService<UserManager<Person>>();

    public async Task<IActionResult> OnGetAsync()
    {
        if (services.GetService<PeopleDb>() is null)
            return Redirect("/");
        await ListAsync();
        return Page();
    }

    public async Task<IActionResult> OnPostAsync(string? password)
    {
        if (services.GetService<PeopleDb>() is null)
            return NotFound();
        if (PeopleSetup.NameIn(Name) is not { } name)
            return await AgainAsync("Give a name, up to 80 letters.");
        if (Role is null || !Roles.All.Contains(Role))
            return await AgainAsync("Say what the person may do.");
        var person = new Person
        {
            UserName = name,
            Role = Role,
            AddedAt = DateTime.UtcNow,
        };
        var added = await People.CreateAsync(person, password ?? "");
        if (!added.Succeeded)
            return await AgainAsync(PeopleSetup.Said(added));
        TempData["Said"] = $"{name} can enter now. Tell them the password, and to change it.";
        return Redirect("/people");
    }

    /// <summary>Changes what a person may do; their sessions end.</summary>
    public async Task<IActionResult> OnPostRoleAsync(string? id, string? role)
    {
        if (await FindAsync(id) is not { } person || role is null || !Roles.All.Contains(role))
            return NotFound();
        if (role != Roles.Run && await IsLastAsync(person))
            return await AgainAsync("Somebody has to run the workshop.");
        person.Role = role;
        await People.UpdateAsync(person);
        await People.UpdateSecurityStampAsync(person);
        return Redirect("/people");
    }

    /// <summary>Gives a person another password, and an end to their sessions, their passkeys and their lockout.</summary>
    public async Task<IActionResult> OnPostPasswordAsync(string? id, string? password)
    {
        if (await FindAsync(id) is not { } person)
            return NotFound();
        foreach (var check in People.PasswordValidators)
            if (await check.ValidateAsync(People, person, password) is { Succeeded: false } refused)
                return await AgainAsync(PeopleSetup.Said(refused));
        await People.RemovePasswordAsync(person);
        await People.AddPasswordAsync(person, password!);
        foreach (var passkey in await People.GetPasskeysAsync(person))
            await People.RemovePasskeyAsync(person, passkey.CredentialId);
        await People.SetLockoutEndDateAsync(person, null);
        TempData["Said"] = $"{person.UserName} has another password.";
        return Redirect("/people");
    }

    /// <summary>Takes a person out; what they did keeps their name.</summary>
    public async Task<IActionResult> OnPostRemoveAsync(string? id)
    {
        if (await FindAsync(id) is not { } person)
            return NotFound();
        if (await IsLastAsync(person))
            return await AgainAsync("Somebody has to run the workshop.");
        await People.DeleteAsync(person);
        TempData["Said"] = $"{person.UserName} can't enter any more. What they did keeps their name.";
        return Redirect("/people");
    }

    private async Task<Person?> FindAsync(string? id) =>
        services.GetService<PeopleDb>() is null ? null : await People.FindByIdAsync(id ?? "");

    private async Task<bool> IsLastAsync(Person person) =>
        person.Role == Roles.Run && await People.Users.CountAsync(p => p.Role == Roles.Run) == 1;

    private async Task<IActionResult> AgainAsync(string problem)
    {
        Problem = problem;
        await ListAsync();
        return Page();
    }

    private async Task ListAsync() => All = await People.Users.AsNoTracking().OrderBy(p => p.UserName).ToListAsync();
}
