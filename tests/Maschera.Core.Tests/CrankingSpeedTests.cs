using Maschera.Core.Engines;
using Maschera.Core.Readings.RelativeCompression;
using Maschera.Rig;
using static Maschera.Core.Tests.CrankingBench;

namespace Maschera.Core.Tests;

/// <summary>A wheel that is known tells how fast the crank turns, so that a cycle is never taken for half or twice as long.</summary>
public class CrankingSpeedTests(ITestOutputHelper output)
{
    private const string Crank = "crank=Crank sensor";

    /// <summary>What the current leaves open, because a slower even engine looks the same, the wheel settles.</summary>
    [Theory]
    [InlineData("Orsa 1.4")]
    [InlineData("Tasso V6")]
    public void Every_second_cylinder_shut_needs_no_sync_where_the_wheel_tells_the_speed(string name)
    {
        var engine = Find(name);
        var shut = engine.FiringOrder.Where((_, i) => i % 2 == 0).Select(c => new CylinderFault(c, 0) { IntakeLift = 0.002 });
        var (capture, _) = CrankingRun.Record(Plan(engine, 0, 0) with { SyncCylinder = null, Faults = [.. shut] });
        var result = Read(capture, engine, Crank);
        Say(result);
        Assert.Equal("uneven", result.Verdict);
        Assert.Equal(engine.Cylinders / 2, result.Low.Count);
        Assert.All(result.Low.Zip(result.Low.Skip(1)), pair => Assert.Equal(2, pair.Second.Position - pair.First.Position));

        var unknown = Read(capture, engine with { CrankWheel = null }, Crank);
        Say(unknown);
        Assert.NotEqual("even", unknown.Verdict);
    }

    /// <summary>Slow cranking, where a compression and its neighbours blur: the speed is the wheel's, not half or twice that.</summary>
    [Theory]
    [InlineData("Orsa 1.4", 1, 8)]
    [InlineData("Tasso V6", 2, 8)]
    [InlineData("V8, cross-plane", 3, 8)]
    [InlineData("V8, cross-plane", 4, 4.5)]
    public void A_slow_even_engine_is_even_at_its_own_speed_or_too_short(string name, int seed, double seconds)
    {
        var plan = Plan(Find(name) with { CrankWheel = new CrankWheel(60, [2]) }, 0, 0);
        plan = plan with { Cranking = seconds, SyncCylinder = null, Rate = 10_000, Seed = seed, Starter = Slow(plan.Starter) };
        var (capture, truth) = CrankingRun.Record(plan);
        var result = Read(capture, plan.Engine, Crank);
        Say(result);
        output.WriteLine($"true {truth.SpeedRpm:0.0} rpm");
        if (result.IsUnusable)
        {
            Assert.Equal(4.5, seconds);
            Assert.Contains(result.Notes, n => n.Code == "too-short");
            return;
        }

        Assert.Equal("even", result.Verdict);
        Assert.Equal(1, result.CrankingSpeedRpm!.Value / truth.SpeedRpm, 0.03);
    }

    /// <summary>A wheel that is not the engine's still reads, and it is said.</summary>
    [Fact]
    public void A_wheel_that_differs_from_the_engines_is_said()
    {
        var (capture, _) = CrankingRun.Record(Plan(EngineCatalogue.Orsa, 2, 5));
        var engine = EngineCatalogue.Orsa with { CrankWheel = new CrankWheel(24, [1]) };
        var result = Read(capture, engine, Crank, "sync=Ignition");
        Assert.Contains(result.Notes, n => n.Code == "wheel-differs");
        Assert.Equal([2], result.Low.Select(l => l.Cylinder!.Value));
    }

    private static StarterCircuit Slow(StarterCircuit starter) =>
        starter with
        {
            BatteryVolts = 9.5,
            VoltSeconds = 1.9 * starter.VoltSeconds,
        };

    private void Say(RelativeCompressionResult result) =>
        output.WriteLine($"{result.CrankingSpeedRpm} {result.Sentence} {string.Join(",", result.Notes.Select(n => n.Code))}");
}
