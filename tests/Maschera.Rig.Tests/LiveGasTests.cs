using Maschera.Instruments;
using Maschera.Rig.Instruments;
using Maschera.Rig.Wiring;

namespace Maschera.Rig.Tests;

/// <summary>The breathing engine on the stand-in scope.</summary>
public class LiveGasTests
{
    [Fact]
    public async Task It_stands_until_the_key_is_turned_and_then_breathes()
    {
        var setup = new RigSetup(EngineCatalogue.Orsa) { Measured = 1 };
        var scope = new StandInScope(new StandInPlan(EngineCatalogue.Orsa) { Gas = setup.Gas });
        var pressure = await RunAsync(scope, "Cylinder pressure");
        Assert.InRange(pressure.Standing.Max(), -0.2, 0.2);
        // Unfired compression at idle, a third of an atmosphere in the intake.
        Assert.InRange(pressure.Keyed.Max(), 3, 9);
        Assert.InRange(pressure.Keyed.Min(), -0.9, -0.3);
    }

    [Fact]
    public async Task Pick_ups_hear_every_firing_of_the_cycle()
    {
        var scope = new StandInScope(new StandInPlan(EngineCatalogue.Orsa) { Gas = new RigSetup(EngineCatalogue.Orsa).Gas });
        Assert.DoesNotContain("Cylinder pressure", scope.Abilities.Probes.Select(p => p.Name));
        var exhaust = await RunAsync(scope, "Exhaust pulse");
        Assert.InRange(exhaust.Standing.Max(), -0.1, 0.1);
        Assert.InRange(exhaust.Keyed.Max() - exhaust.Keyed.Min(), 0.1, 10);
    }

    [Fact]
    public void What_is_given_to_the_parts_is_said_and_reaches_the_plans()
    {
        var setup = new RigSetup(EngineCatalogue.Orsa)
        {
            Troubles = new Dictionary<int, CylinderTrouble> { [3] = CylinderTrouble.Find("burnt")!, [2] = CylinderTrouble.Find("weak")! },
            CamLate = -8,
            Battery = "cable",
            CrankSensor = "turned",
            ExhaustBlocked = true,
            HoseSplit = true,
            Wire = SensorWire.Find("signal-cut"),
        };
        Assert.Equal(
            "stand-in, cylinder 2: weak, cylinder 3: burnt valve, cam 8° early, bad starter cable, crank sensor's wires swapped, "
                + "exhaust blocked, charge hose split, crank sensor's wires: signal cut",
            setup.Said
        );
        Assert.Equal(3, Assert.Single(setup.Cranking.Faults).Cylinder);
        Assert.True(setup.Cranking.Starter.MotorOhms > new RigSetup(EngineCatalogue.Orsa).Starter.MotorOhms);
        Assert.Equal(0.7, setup.Running.Heat[2]);
        Assert.True(setup.Running is { TurnedRound: true, InductiveCrank: true, CamOffsetDegrees: -8 });
        Assert.Equal([2, 3], setup.Gas.Faults.Select(f => f.Cylinder).Order());
        Assert.Equal((-8, -8), (setup.Gas.IntakeShift, setup.Gas.ExhaustShift));
        Assert.True(setup.Road is { SplitHose: true, WeakCylinder: 2 or 3 });
        Assert.Equal("stand-in, sound", new RigSetup(EngineCatalogue.Orsa).Said);
    }

    [Theory]
    [InlineData("sound", -0.3, 0.3, 4.7, 5.3)]
    [InlineData("supply-cut", 4.9, 5, 5, 5.1)]
    [InlineData("signal-cut", 4.9, 5, 5, 5.1)]
    [InlineData("signal-ground", -0.1, 0, 0, 0.1)]
    [InlineData("ground-joint", 1.1, 1.5, 4.7, 5.3)]
    public void What_arrives_over_the_crank_sensor_s_wires_shows_their_fault(string word, double a, double b, double c, double d)
    {
        var setup = new RigSetup(EngineCatalogue.Orsa) { Wire = SensorWire.Find(word), Seconds = 2 };
        var capture = CrankingRun.Record(setup.Cranking).Capture;
        var seen = setup.Seen(capture);
        var crank = seen.Channels.Single(s => s.Name == SensorWire.Component).Samples;
        Assert.InRange(crank.Min(), a, b);
        Assert.InRange(crank.Max(), c, d);
        Assert.All(
            capture.Channels.Zip(seen.Channels).Where(p => p.First.Name != SensorWire.Component),
            p => Assert.Same(p.First.Samples, p.Second.Samples)
        );
    }

    [Theory]
    [InlineData("signal-cut", 0)]
    [InlineData("ground-joint", 0.8)]
    public void An_inductive_sensor_with_a_cut_wire_gives_nothing(string word, double atMost)
    {
        var setup = new RigSetup(EngineCatalogue.Orsa)
        {
            Wire = SensorWire.Find(word),
            CrankSensor = "inductive",
            Seconds = 2,
        };
        var capture = RunningRun.Record(setup.Running).Capture;
        double Swing(Maschera.Core.Signals.Capture of) =>
            of.Channels.Single(s => s.Name == SensorWire.Component).Samples is var s ? s.Max() - s.Min() : 0;
        Assert.True(Swing(setup.Seen(capture)) <= atMost * Swing(capture) + 0.2);
    }

    /// <summary>Half a second with the key off, then a second with it on.</summary>
    private static async Task<(List<double> Standing, List<double> Keyed)> RunAsync(StandInScope scope, string probe)
    {
        var settings = new ScopeSettings(10_000, [scope.Abilities.Probes.Single(p => p.Name == probe)]);
        List<double> standing = [],
            keyed = [];
        using var enough = new CancellationTokenSource();
        await foreach (var block in scope.RunAsync(settings, enough.Token))
        {
            var values = block.Counts[0].Select(c => settings.ValueOf(0, c));
            (scope.Keyed ? keyed : standing).AddRange(values);
            scope.Keyed = standing.Count >= 5_000;
            if (keyed.Count >= 10_000)
                await enough.CancelAsync();
        }

        return (standing, keyed);
    }
}
