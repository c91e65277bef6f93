using Maschera.Store.People;
using Maschera.Web.People;
using Microsoft.AspNetCore.Authorization;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.AspNetCore.RateLimiting;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.People;

/// <summary>Adds the first person, who runs the workshop, by the word on the server's console.</summary>
[AllowAnonymous, EnableRateLimiting(PeopleSetup.Slowly)]
public sealed class FirstModel(IServiceProvider services) : PageModel
{
    [BindProperty]
    public string? Name { get; set; }

    public string? Problem { get; private set; }

    public async Task<IActionResult> OnGetAsync() => await IsOpenAsync() ? Page() : Redirect("/");

    public async Task<IActionResult> OnPostAsync(string? word, string? password)
    {
        if (!await IsOpenAsync())
            return Redirect("/");
        if (!services.GetRequiredService<FirstWord>().Is(word))
            return Again("That is not the word. It stands on the server's console, and is another after every start.");
        if (PeopleSetup.NameIn(Name) is not { } name)
            return Again("Give your name, up to 80 letters.");
        var people = services.GetRequiredService<UserManager<Person>>();
        var person = new Person
        {
            UserName = name,
            Role = Roles.Run,
            AddedAt = DateTime.UtcNow,
            EnteredAt = DateTime.UtcNow,
        };
        var added = await people.CreateAsync(person, password ?? "");
        if (!added.Succeeded)
            return Again(PeopleSetup.Said(added));
        await services.GetRequiredService<SignInManager<Person>>().SignInAsync(person, isPersistent: false);
        return Redirect("/people");
    }

    private PageResult Again(string problem)
    {
        Problem = problem;
        return Page();
    }

    private async Task<bool> IsOpenAsync() => services.GetService<PeopleDb>() is { } people && !await people.Users.AnyAsync();
}
