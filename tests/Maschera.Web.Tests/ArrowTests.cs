using Maschera.Core.Readings.OnBoardTests;
using Maschera.Core.Readings.Plausibility;
using System.Reflection;
using ArchUnitNET.Domain;
using ArchUnitNET.Loader;
using Maschera.Core.Readings;
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
    public void Core_references_the_base_library_alone() =>
        Assert.All(s_core.GetReferencedAssemblies(), name => Assert.StartsWith("System.", name.Name, StringComparison.Ordinal));

    [Fact]
    public void Core_touches_no_files_and_no_network()
    {
        var forbidden = (string[])["System.IO.File", "System.IO.Directory", "System.IO.FileStream", "System.Net.Http.HttpClient"];
        foreach (var type in s_house.Types.Where(t => t.Assembly.Name == s_core.GetName().FullName))
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
        Assert.All([s_core, s_formats, s_rig, s_store], assembly => Assert.DoesNotContain(assembly.GetReferencedAssemblies(), Names("Maschera.Web", "Maschera.Cli")));

    [Fact]
    public void Every_reading_is_found_and_complete()
    {
        Assert.Equal(["cam-timing", "contribution", "cylinder-pressure", "duty", "misfire", "on-board-tests", "plausibility", "pulses", "relative-compression", "tracking"], ReadingRegistry.All.Select(r => r.Kind));
        Assert.All(ReadingRegistry.All, r =>
        {
            Assert.True(typeof(ReadingResult).IsAssignableFrom(r.ResultType));
            // What looks at every channel, or at messages, has no roles to fill.
            if (r is not (PlausibilityReading or OnBoardTestsReading)) Assert.NotEmpty(r.Roles);
            Assert.NotEmpty(r.Title);
        });
    }

    private static Predicate<AssemblyName> Names(params string[] names) => assembly => names.Contains(assembly.Name);
}
