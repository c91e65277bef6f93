using System.Reflection;
using ArchUnitNET.Domain;
using ArchUnitNET.Loader;
using Maschera.Core.Readings;
using Maschera.Core.Readings.OnBoardTests;
using Maschera.Core.Readings.Plausibility;
using static ArchUnitNET.Fluent.ArchRuleDefinition;

namespace Maschera.Web.Tests;

/// <summary>References point one way.</summary>
public class ArrowTests
{
    private static readonly System.Reflection.Assembly s_core = typeof(ReadingRegistry).Assembly;
    private static readonly System.Reflection.Assembly s_formats = typeof(Formats.CaptureFile).Assembly;
    private static readonly System.Reflection.Assembly s_rig = typeof(Maschera.Rig.CrankingRun).Assembly;
    private static readonly System.Reflection.Assembly s_store = typeof(Store.MascheraDb).Assembly;

    private static readonly Architecture s_house = new ArchLoader().LoadAssemblies(s_core, s_formats, s_rig, s_store).Build();

    [Fact]
    public void Core_references_the_base_library_and_numerics_alone() =>
        Assert.All(
            s_core.GetReferencedAssemblies().Where(name => name.Name != "MathNet.Numerics"),
            name => Assert.StartsWith("System.", name.Name, StringComparison.Ordinal)
        );

    [Fact]
    public void Core_touches_no_files_and_no_network()
    {
        var forbidden = (string[])["System.IO.File", "System.IO.Directory", "System.IO.FileStream", "System.Net.Http.HttpClient"];
        var types = s_house.Types.Where(t => t.FullName.StartsWith("Maschera.Core.", StringComparison.Ordinal)).ToList();
        Assert.True(types.Count > 100);
        foreach (var type in types)
            Assert.All(type.Dependencies, d => Assert.DoesNotContain(d.Target.FullName, forbidden));
    }

    [Fact]
    public void Formats_rig_and_store_know_the_core_and_not_each_other()
    {
        System.Reflection.Assembly[] siblings = [s_formats, s_rig, s_store];
        foreach (var one in siblings)
        foreach (var other in siblings.Where(o => o != one))
        {
            Assert.DoesNotContain(one.GetReferencedAssemblies(), name => name.Name == other.GetName().Name);
            var rule = Types().That().ResideInAssembly(one).Should().NotDependOnAny(Types().That().ResideInAssembly(other));
            Assert.True(rule.HasNoViolations(s_house), rule.Description);
        }
    }

    [Fact]
    public void Nothing_below_knows_the_web() =>
        Assert.All(
            [s_core, s_formats, s_rig, s_store],
            assembly => Assert.DoesNotContain(assembly.GetReferencedAssemblies(), Names("Maschera.Web", "Maschera.Cli", "Maschera.Keeper"))
        );

    /// <summary>The rooms of the core from the ground up: each knows itself and those before it.</summary>
    private static readonly string[] s_rooms =
    [
        "Basics",
        "Signals",
        "Engines",
        "Timing",
        "Quantities",
        "Expressions",
        "Logs",
        "Vehicle",
        "Readings",
        "Diagnosis",
    ];

    [Fact]
    public void Rooms_of_the_core_know_only_those_above_them()
    {
        var arrows = Arrows();
        Assert.NotEmpty(arrows);
        Assert.Empty(arrows.Where(a => Array.IndexOf(s_rooms, Room(a.To)) > Array.IndexOf(s_rooms, Room(a.From))).Select(Said));
        Assert.Empty(arrows.Select(a => Room(a.From)).Distinct().Except(s_rooms));
    }

    [Fact]
    public void No_reading_knows_another() =>
        Assert.Empty(Arrows().Where(a => ReadingOf(a.From) is { } one && ReadingOf(a.To) is { } other && one != other).Select(Said));

    private static (string From, string To)[] Arrows() =>
        [
            .. s_house
                .Types.SelectMany(t => t.Dependencies.Select(d => (From: t.FullName, To: d.Target.FullName)))
                .Where(a => a.From.StartsWith("Maschera.Core.", StringComparison.Ordinal))
                .Where(a => a.To.StartsWith("Maschera.Core.", StringComparison.Ordinal))
                .Distinct(),
        ];

    private static string Said((string From, string To) arrow) => $"{arrow.From} -> {arrow.To}";

    private static string Room(string type) => type.Split('.')[2];

    /// <summary>The folder of a reading a type lies in; null for what all readings share.</summary>
    private static string? ReadingOf(string type) => Room(type) == "Readings" && type.Split('.') is { Length: > 4 } parts ? parts[3] : null;

    [Fact]
    public void Every_reading_is_found_and_complete()
    {
        const string rooms = "Maschera.Core.Readings.";
        var folders = typeof(IReading)
            .Assembly.GetExportedTypes()
            .Select(t => t.Namespace!)
            .Where(n => n.StartsWith(rooms, StringComparison.Ordinal))
            .Distinct()
            .Select(n =>
                string.Concat(n[rooms.Length..].Select((c, i) => char.IsUpper(c) ? (i > 0 ? "-" : "") + char.ToLowerInvariant(c) : $"{c}"))
            )
            .Order(StringComparer.Ordinal);
        Assert.Equal(folders, ReadingRegistry.All.Select(r => r.Kind));
        Assert.All(
            ReadingRegistry.All,
            r =>
            {
                Assert.True(typeof(ReadingResult).IsAssignableFrom(r.ResultJson.Type));
                // What looks at every channel, at messages or at a sheet has no roles to fill.
                if (r is not PlausibilityReading and { ReadsMessages: false, ReadsSheet: false })
                    Assert.NotEmpty(r.Roles);
                Assert.NotEmpty(r.Title);
            }
        );
    }

    private static Predicate<AssemblyName> Names(params string[] names) => assembly => names.Contains(assembly.Name);
}
