// The provider's design services have no public name.
#pragma warning disable EF1001
using Maschera.Store;
using Maschera.Store.People;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Design;
using Microsoft.EntityFrameworkCore.Migrations.Design;
using Microsoft.EntityFrameworkCore.Sqlite.Design.Internal;
using Microsoft.Extensions.DependencyInjection;

// Writes the migration from the last one to the model as it is: dotnet run --project tools/Maschera.Migrations NAME
// People are a model of their own: dotnet run --project tools/Maschera.Migrations people NAME
// The same as `dotnet ef migrations add NAME`, for that tool is not to be had from every registry.
var ofPeople = args is ["people", _];
if (args.Length != (ofPeople ? 2 : 1))
{
    Console.Error.WriteLine("Give the migration a name.");
    return 2;
}

var name = args[^1];
using DbContext db = ofPeople ? new PeopleDb(PeopleDb.ForFile("design.db")) : new MascheraDb(MascheraDb.ForFile("design.db"));
var services = new ServiceCollection().AddEntityFrameworkDesignTimeServices().AddDbContextDesignTimeServices(db);
new SqliteDesignTimeServices().ConfigureDesignTimeServices(services);
using var provider = services.BuildServiceProvider();
var scaffolder = provider.GetRequiredService<IMigrationsScaffolder>();
var migration = scaffolder.ScaffoldMigration(name, ofPeople ? "Maschera.Store.People" : "Maschera.Store", language: "C#");
var folder = ofPeople ? Path.Combine("src", "Maschera.Store", "People") : Path.Combine("src", "Maschera.Store");
var files = scaffolder.Save(folder, migration, Path.Combine(folder, "Migrations"), dryRun: false);
Console.WriteLine(files.MigrationFile);
return 0;
