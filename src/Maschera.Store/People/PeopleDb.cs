using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Identity.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;

namespace Maschera.Store.People;

/// <summary>The people of a workshop, in the same file as its jobs. Made only where Maschera is reached over a network.</summary>
public sealed class PeopleDb(DbContextOptions<PeopleDb> options) : IdentityUserContext<Person>(options)
{
    private static readonly IServiceProvider s_services = new ServiceCollection().Configure<IdentityOptions>(Schema).BuildServiceProvider();

    private const string History = "__PeopleMigrations";

    /// <summary>The first tables of the framework that hold passkeys.</summary>
    public static void Schema(IdentityOptions options) => options.Stores.SchemaVersion = IdentitySchemaVersions.Version3;

    /// <summary>Options for a database file.</summary>
    public static void Use(DbContextOptionsBuilder options, string path) =>
        options.UseSqlite($"Data Source={path}", sqlite => sqlite.MigrationsHistoryTable(History));

    /// <summary>The same for a context made by hand.</summary>
    public static DbContextOptions<PeopleDb> ForFile(string path)
    {
        var options = new DbContextOptionsBuilder<PeopleDb>();
        Use(options, path);
        // The framework asks the application's services for its schema; a context made by hand has none of its own.
        return options.UseApplicationServiceProvider(s_services).Options;
    }

    /// <summary>Creates what is missing.</summary>
    public void Prepare() => Database.Migrate();
}
