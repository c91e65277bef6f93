using Maschera.Core.Readings.RelativeCompression;
using Maschera.Rig;
using static Maschera.Core.Tests.CrankingBench;

namespace Maschera.Core.Tests;

/// <summary>Relative compression of cylinders that seal and do not fill, against the stand-in engine's own truth.</summary>
public class CylinderFillTests(ITestOutputHelper output)
{
    /// <summary>Points a figure may be off the true work, and of a cylinder that does less than half.</summary>
    private const double Points = 5,
        RoughPoints = 7;

    /// <summary>An intake valve that hardly opens: the cylinder seals, gives back what it took, and still does less.</summary>
    [Theory]
    [InlineData("Orsa 1.4", 3, 0.02)]
    [InlineData("Tasso V6", 5, 0.02)]
    [InlineData("V8, cross-plane", 3, 0.01)]
    [InlineData("Five in line", 2, 0.015)]
    public void A_cylinder_that_seals_but_does_not_fill_is_low_and_told_from_a_leak(string name, int weak, double lift)
    {
        var (result, truth) = Fill(name, "current=Starter current", (weak, 0, lift));
        Check(result, truth, weak);
        Assert.Contains(result.Notes, n => n.Code == "short-of-air" && n.Text.Contains($"Cylinder {weak} ", StringComparison.Ordinal));
        var (leaking, _) = CrankingRun.Record(Plan(Find(name), weak, 5));
        Assert.DoesNotContain(Read(leaking, Find(name), "current=Starter current", "sync=Ignition").Notes, n => n.Code == "short-of-air");
    }

    /// <summary>The wheel tells it too; over its gap only the mean of the speed is known.</summary>
    [Theory]
    [InlineData("Orsa 1.4", 3, 0.02)]
    [InlineData("Orsa 1.4", 2, 0.008)]
    [InlineData("Tasso V6", 5, 0.02)]
    [InlineData("Ghiro 1.0", 1, 0.015)]
    public void The_wheel_tells_it_as_well(string name, int weak, double lift)
    {
        var (result, truth) = Fill(name, "crank=Crank sensor", (weak, 0, lift));
        Check(result, truth, weak);
        Assert.Contains(result.Notes, n => n.Code == "short-of-air");
    }

    /// <summary>Two at once, and one beside a leak: each is named for what it is.</summary>
    [Theory]
    [InlineData("Orsa 1.4", 3, 0, 0.015, 4, 0, 0.02)]
    [InlineData("Tasso V6", 5, 0, 0.01, 2, 0, 0.02)]
    [InlineData("Five in line", 2, 0, 0.015, 4, 4, 1)]
    [InlineData("V8, cross-plane", 3, 0, 0.01, 6, 5, 1)]
    public void Two_faults_at_once_are_told_apart(
        string name,
        int one,
        double leak,
        double lift,
        int two,
        double otherLeak,
        double otherLift
    )
    {
        var (result, truth) = Fill(name, "current=Starter current", (one, leak, lift), (two, otherLeak, otherLift));
        Check(result, truth, one, two);
        var starved = result.Notes.Where(n => n.Code == "short-of-air").Select(n => n.Text).ToList();
        Assert.Equal(otherLift < 1 ? 2 : 1, starved.Count);
        Assert.Contains(starved, text => text.StartsWith($"Cylinder {one} ", StringComparison.Ordinal));
    }

    /// <summary>Every second cylinder shut looks like an even engine that turns half as fast: neither is said without a sync.</summary>
    [Theory]
    [InlineData("current=Starter current")]
    [InlineData("battery=Battery voltage")]
    public void Every_second_cylinder_shut_is_not_called_even(string load)
    {
        var plan = Plan(EngineCatalogue.Orsa, 0, 0) with { SyncCylinder = null, Faults = [Shut(1, 0, 0), Shut(4, 0, 0)] };
        var (capture, _) = CrankingRun.Record(plan);
        var result = Read(capture, EngineCatalogue.Orsa, load);
        output.WriteLine(result.Sentence);
        Assert.NotEqual("even", result.Verdict);
        Assert.True(!result.IsUnusable || result.Notes.Any(n => n.Code == "ambiguous"), result.Sentence);
    }

    /// <summary>Two shut ones side by side look like no other engine.</summary>
    [Fact]
    public void Two_shut_neighbours_need_no_sync()
    {
        var plan = Plan(EngineCatalogue.Orsa, 0, 0) with { SyncCylinder = null, Faults = [Shut(3, 0, 0.002), Shut(4, 0, 0.002)] };
        var (capture, _) = CrankingRun.Record(plan);
        var result = Read(capture, EngineCatalogue.Orsa, "current=Starter current");
        Assert.Equal("uneven", result.Verdict);
        Assert.Equal(2, result.Low.Count);
    }

    /// <summary>A starter strong for its engine: the inrush is ten times what turning draws, which is load all the same.</summary>
    [Theory]
    [InlineData(1_500, 0.1)]
    [InlineData(2_500, 0.08)]
    public void A_large_inrush_does_not_hide_the_cranking(double amperes, double seconds)
    {
        var plan = Plan(Find("Ghiro 1.0"), 0, 0) with { Faults = [Shut(2, 0, 0)] };
        plan = plan with { Starter = plan.Starter with { VoltSeconds = 2.4 * plan.Starter.VoltSeconds, FrictionNm = 4 } };
        var (capture, truth) = CrankingRun.Record(plan);
        var current = capture.Channels.First(c => c.Name == "Starter current");
        var first = Array.FindIndex(current.Samples, value => value > 100);
        for (var i = first; i < current.Samples.Length; i++)
            current.Samples[i] += (float)(amperes * Math.Exp(-(i - first) * current.Time.Step / seconds));
        Check(Read(capture, plan.Engine, "current=Starter current", "sync=Ignition"), truth, 2);
    }

    private static CylinderFault Shut(int cylinder, double leak, double lift) => new(cylinder, leak) { IntakeLift = lift };

    private static (RelativeCompressionResult Result, CrankingTruth Truth) Fill(
        string name,
        string load,
        params (int Cylinder, double Leak, double Lift)[] faults
    )
    {
        var plan = Plan(Find(name), 0, 0) with { Faults = [.. faults.Select(f => Shut(f.Cylinder, f.Leak, f.Lift))] };
        var (capture, truth) = CrankingRun.Record(plan);
        return (Read(capture, Find(name), load, "sync=Ignition"), truth);
    }

    private void Check(RelativeCompressionResult result, CrankingTruth truth, params int[] weak)
    {
        output.WriteLine(result.Sentence);
        foreach (var p in result.Positions)
            output.WriteLine($"  {p.Cylinder}: {p.Percent} ±{p.SpreadPercent} true {truth.WorkPercent[p.Cylinder!.Value]:0.0}");
        Assert.Equal(weak.Order(), result.Low.Select(l => l.Cylinder!.Value).Order());
        Assert.All(
            result.Positions,
            p =>
            {
                var work = truth.WorkPercent[p.Cylinder!.Value];
                Assert.Equal(work, p.Percent, work < 50 ? RoughPoints : Points);
            }
        );
    }
}
