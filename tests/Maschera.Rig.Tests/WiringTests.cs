using Maschera.Core.Readings;
using Maschera.Core.Readings.Circuit;
using Maschera.Core.Signals;
using Maschera.Core.Vehicle;
using Maschera.Instruments;
using Maschera.Rig.Wiring;

namespace Maschera.Rig.Tests;

/// <summary>Components with damaged wires, probed step by step as the sheet proposes.</summary>
public class WiringTests
{
    /// <summary>Nobody holds leads more often than that.</summary>
    private const int MostSteps = 20;

    public static TheoryData<string> Kinds => [.. SheetPlan.Kinds.Keys];

    [Theory]
    [MemberData(nameof(Kinds))]
    public async Task Of_a_sound_component_every_wire_is_proved(string kind)
    {
        var (result, steps) = await ProbeAsync([Component(kind)], []);
        Assert.Equal("sound", result.Verdict);
        Assert.All(result.Wires, w => Assert.True(w.State == WireState.Sound, $"{w.Wire}: {w.Text}"));
        Assert.Empty(result.Missing);
        Assert.InRange(steps.Count, 1, MostSteps - 1);
    }

    [Theory]
    [InlineData("Sensor with a 5 V supply", "supply 5v", WireDamage.Broken, "open")]
    [InlineData("Sensor with a 5 V supply", "supply 5v", WireDamage.Resistive, "high-resistance")]
    [InlineData("Sensor with a 5 V supply", "supply 5v", WireDamage.OnGround, "short-to-ground")]
    [InlineData("Sensor with a 5 V supply", "supply 5v", WireDamage.OnBattery, "short-to-supply")]
    [InlineData("Sensor with a 5 V supply", "ground", WireDamage.Broken, "open")]
    [InlineData("Sensor with a 5 V supply", "ground", WireDamage.Resistive, "high-resistance")]
    [InlineData("Sensor with a 5 V supply", "signal", WireDamage.Broken, "open")]
    [InlineData("Sensor with a 5 V supply", "signal", WireDamage.Resistive, "high-resistance")]
    [InlineData("Sensor with a 5 V supply", "signal", WireDamage.OnGround, "short-to-ground")]
    [InlineData("Sensor with a 5 V supply", "signal", WireDamage.OnSupply, "short-to-supply")]
    [InlineData("Sensor fed by the battery", "supply", WireDamage.Broken, "open")]
    [InlineData("Sensor fed by the battery", "supply", WireDamage.Resistive, "high-resistance")]
    [InlineData("Sensor fed by the battery", "ground", WireDamage.Resistive, "high-resistance")]
    [InlineData("Pump, lamp or motor", "supply", WireDamage.Resistive, "high-resistance")]
    [InlineData("Pump, lamp or motor", "supply", WireDamage.Broken, "open")]
    [InlineData("Pump, lamp or motor", "ground", WireDamage.Resistive, "high-resistance")]
    [InlineData("Pump, lamp or motor", "ground", WireDamage.Broken, "open")]
    [InlineData("Valve or injector switched by its module", "signal", WireDamage.Broken, "open")]
    [InlineData("Valve or injector switched by its module", "signal", WireDamage.Resistive, "high-resistance")]
    [InlineData("Valve or injector switched by its module", "supply", WireDamage.Broken, "open")]
    [InlineData("Sensor of two wires", "signal", WireDamage.Resistive, "high-resistance")]
    [InlineData("Sensor of two wires", "signal 2", WireDamage.Broken, "open")]
    public async Task The_damaged_wire_is_found_and_no_other_is_accused(string kind, string wire, WireDamage damage, string state)
    {
        var component = Component(kind);
        var (result, _) = await ProbeAsync([component], [new(component.Name, wire, damage)]);
        Assert.Equal("fault", result.Verdict);
        var accused = Assert.Single(result.Wires, w => w.IsFaulty);
        Assert.Equal((wire, state), (accused.Wire, accused.State));
    }

    [Fact]
    public async Task Two_signals_that_touch_are_both_named()
    {
        var (result, _) = await ProbeAsync([Component("Sensor of two wires")], [new("Part", "signal", WireDamage.OnSignal)]);
        Assert.Equal(2, result.Wires.Count(w => w.State == "short-to-signal"));
    }

    [Theory]
    [InlineData("ground", WireDamage.Resistive)]
    [InlineData("supply 5v", WireDamage.Resistive)]
    [InlineData("supply 5v", WireDamage.Broken)]
    public async Task What_two_components_share_is_told_from_a_branch_of_one(string wire, WireDamage damage)
    {
        SheetComponent[] components =
        [
            Component("Sensor with a 5 V supply", "Boost sensor"),
            Component("Sensor with a 5 V supply", "Rail sensor"),
        ];
        var (shared, _) = await ProbeAsync(components, [new("", wire, damage)]);
        Assert.Contains(shared.Notes, n => n.Code == "shared-wire" && n.Text.Contains(Terminals.Spoken(wire), StringComparison.Ordinal));
        var (branch, _) = await ProbeAsync(components, [new("Rail sensor", wire, damage)]);
        Assert.Contains(branch.Notes, n => n.Code == "own-branch" && n.Text.Contains("Rail sensor behind", StringComparison.Ordinal));
        Assert.All(branch.Wires.Where(w => w.IsFaulty), w => Assert.Equal("Rail sensor", w.Component));
    }

    [Fact]
    public void A_bad_earth_strap_is_not_blamed_on_the_wire_and_the_next_step_needs_no_plug_taken_off()
    {
        var component = Component("Pump, lamp or motor");
        var sheet = new CircuitSheet([
            new("battery +", "battery -", SheetQuantity.Voltage, 12.4, "key on, loaded"),
            new("ground", "battery -", SheetQuantity.Voltage, 0.6, "key on, loaded", Component: component.Name),
            new("supply", "battery -", SheetQuantity.Voltage, 12.3, "key on, loaded", Component: component.Name),
        ])
        {
            Components = [component],
        };
        var next = SheetPlan.Next(sheet, component);
        Assert.Equal(("chassis", "battery -", false), (next!.From, next.To, next.Unplugged));
        var strap = new SheetRow("chassis", "battery -", SheetQuantity.Voltage, 0.55, "key on, loaded", Component: component.Name);
        Assert.Contains(Read(sheet with { Rows = [.. sheet.Rows, strap] }).Notes, n => n.Code == "before-the-wire");
        Assert.Contains(Read(sheet with { Rows = [.. sheet.Rows, strap with { Value = 0.01 }] }).Notes, n => n.Code == "in-the-wire");
    }

    [Fact]
    public async Task A_live_circuit_spoils_ohms_and_what_is_not_there_can_not_be_probed()
    {
        var component = Component("Sensor with a 5 V supply");
        var meter = new StandInMeter(new([component]));
        var asked = new SheetRow("ground", "battery -", SheetQuantity.Resistance, double.NaN, "key on", Component: component.Name);
        Assert.InRange(await meter.MeasureAsync(asked with { Condition = "key off" }, default), 0, 0.5);
        Assert.True(await meter.MeasureAsync(asked with { From = "supply 5v" }, default) > 1_000);
        await Assert.ThrowsAsync<MeterException>(() => meter.MeasureAsync(asked with { From = "signal 3" }, default));
        await Assert.ThrowsAsync<MeterException>(() => meter.MeasureAsync(asked with { Quantity = SheetQuantity.Current }, default));
    }

    private static SheetComponent Component(string kind, string name = "Part") =>
        new(name, [.. SheetPlan.Kinds[kind].Select(t => new SheetPin(t))]);

    /// <summary>Measures whatever is proposed next until nothing is.</summary>
    private static async Task<(CircuitResult Result, List<PlannedMeasure> Steps)> ProbeAsync(
        SheetComponent[] components,
        WireFault[] faults
    )
    {
        var meter = new StandInMeter(new(components) { Faults = faults });
        List<SheetRow> rows = [];
        List<PlannedMeasure> steps = [];
        foreach (var component in components)
            while (SheetPlan.Next(new CircuitSheet(rows) { Components = components }, component) is { } next && steps.Count < MostSteps * 2)
            {
                var condition = next.Unplugged ? PlannedMeasure.Off : "key on, loaded";
                var asked = new SheetRow(next.From, next.To, next.Quantity, double.NaN, condition, 0, next.ForAll ? "" : component.Name);
                rows.Add(asked with { Value = await meter.MeasureAsync(asked, default) });
                steps.Add(next);
            }

        return (Read(new CircuitSheet(rows) { Components = components }), steps);
    }

    private static CircuitResult Read(CircuitSheet sheet) =>
        (CircuitResult)new CircuitReading().Read(new ReadingRequest(new Capture("sheet", [], [])) { Sheet = sheet });
}
