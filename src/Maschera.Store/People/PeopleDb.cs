using Microsoft.AspNetCore.Identity.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Store.People;

/// <summary>The people of a workshop, in the same file as its jobs. Made only where Maschera is reached over a network.</summary>
public sealed class PeopleDb(DbContextOptions<PeopleDb> options) : IdentityUserContext<Person>(options)
{
    private const string History = "__PeopleMigrations";

    /// <summary>Options for a database file.</summary>
    public static void Use(DbContextOptionsBuilder options, string path) =>
        options.UseSqlite($"Data Source={path}", sqlite => sqlite.MigrationsHistoryTable(History));

    /// <summary>The same for a context made by hand.</summary>
    public static DbContextOptions<PeopleDb> ForFile(string path)
    {
        var options = new DbContextOptionsBuilder<PeopleDb>();
        Use(options, path);
        return options.Options;
    }

    /// <summary>Creates what is missing.</summary>
    public void Prepare() => Database.Migrate();
}
