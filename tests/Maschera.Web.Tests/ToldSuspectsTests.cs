using System.Text.Json;
using Maschera.App;
using Maschera.Core.Diagnosis;

namespace Maschera.Web.Tests;

/// <summary>Suspects as a page tells them.</summary>
public class ToldSuspectsTests
{
    [Fact]
    public void Where_nothing_names_a_cylinder_a_fault_of_one_is_told_once()
    {
        var told = Told("");
        Assert.Null(told.Single(s => s.Fault == "ignition-coil").Cylinder);
        Assert.Equal(1, told.Sum(s => s.Probability), 6);
        Assert.Equal(told.OrderByDescending(s => s.Probability), told);
    }

    [Fact]
    public void Where_a_code_names_one_it_stands_by_itself()
    {
        var coils = Told("\"P0303\"").Where(s => s.Fault == "ignition-coil").ToList();
        Assert.Equal(3, coils[0].Cylinder);
        Assert.All(coils, s => Assert.NotNull(s.Cylinder));
    }

    private static IReadOnlyList<Suspect> Told(string code) =>
        ToldSuspects.Of(
            Decision.Of(
                JsonDocument.Parse($$"""{"engine":{"cylinders":4},"complaints":["misfire"],"codes":[{{code}}],"evidence":[]}""").RootElement
            ),
            4
        );
}
