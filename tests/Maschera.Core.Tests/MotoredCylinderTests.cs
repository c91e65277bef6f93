using Maschera.Core.Engines;

namespace Maschera.Core.Tests;

/// <summary>The computed cylinder against what physics says of it.</summary>
public class MotoredCylinderTests
{
    private static readonly SliderCrank s_crank = new(10.5, 3.3);
    private static readonly ValveTiming s_timing = new(134, 372, 348, 588);
    private static readonly CylinderState s_sound = new()
    {
        Intake = 0.4,
        Exhaust = 1,
        IntakeArea = 0.05,
        ExhaustArea = 0.05,
    };

    [Theory]
    [InlineData(1.3)]
    [InlineData(1.38)]
    public void A_tight_cylinder_without_heat_follows_p_times_v_to_the_exponent(double exponent)
    {
        var pressures = Cycle(s_sound with { Exponent = exponent });
        // Between intake closing and exhaust opening nothing comes or goes.
        double Law(int degrees) => pressures[At(degrees)] * Math.Pow(s_crank.Volume(degrees * Math.PI / 180), exponent);
        foreach (var degrees in (int[])[610, 640, 680, 700, 20, 60, 100, 125])
            Assert.Equal(1, Law(degrees) / Law(650), 0.01);
    }

    [Fact]
    public void The_peak_lies_at_tdc_and_levels_are_those_of_the_ports()
    {
        var pressures = Cycle(s_sound);
        var peak = Array.IndexOf(pressures, pressures.Max()) / (double)MotoredCylinder.PerDegree;
        Assert.Equal(0, Math.IEEERemainder(peak, 720), 1.5);
        Assert.Equal(1, Mean(pressures, 230, 330), 0.05);
        Assert.Equal(0.4, Mean(pressures, 440, 540), 0.04);
        Assert.InRange(pressures.Max(), 5, 12);
    }

    [Fact]
    public void More_air_makes_a_higher_tower_and_a_larger_leak_a_lower_one()
    {
        double Peak(CylinderState state) => Cycle(state).Max();
        var byAir = new[] { 0.3, 0.4, 0.6, 0.9 }.Select(intake => Peak(s_sound with { Intake = intake })).ToArray();
        Assert.Equal(byAir.Order(), byAir);
        var byLeak = new[] { 0, 1e-4, 3e-4, 1e-3, 3e-3 }.Select(leak => Peak(s_sound with { LeakArea = leak })).ToArray();
        Assert.Equal(byLeak.OrderDescending(), byLeak);
        Assert.True(byLeak[^1] < 0.8 * byLeak[0]);
    }

    [Fact]
    public void A_leak_and_heat_leave_less_on_the_way_down_than_on_the_way_up()
    {
        double Loss(CylinderState state)
        {
            var pressures = Cycle(state);
            return 1 - pressures[At(60)] / pressures[At(660)];
        }

        Assert.Equal(0, Loss(s_sound), 0.02);
        Assert.InRange(Loss(s_sound with { LeakArea = 1e-3 }), 0.05, 0.9);
        Assert.InRange(Loss(s_sound with { HeatLoss = 0.001 }), 0.01, 0.6);
    }

    /// <summary>Heat takes pressure, not charge: a leak of next to nothing loses next to nothing, whatever the walls take.</summary>
    [Theory]
    [InlineData(0)]
    [InlineData(0.001)]
    [InlineData(0.003)]
    public void What_leaks_is_told_from_what_the_walls_take(double heat)
    {
        var cylinder = new MotoredCylinder(s_crank, s_timing);
        double Lost(double leak) => cylinder.LostShare(s_sound with { HeatLoss = heat, LeakArea = leak });
        Assert.Equal(0, Lost(0), 1e-9);
        Assert.InRange(Lost(1e-7), 0, 1e-3);
        Assert.InRange(Lost(1e-3), 0.05, 0.6);
        Assert.True(Lost(2e-3) > Lost(1e-3));
        var inAll = cylinder.LostInAll(s_sound with { HeatLoss = heat });
        Assert.Equal(heat > 0, inAll > 0.03);
    }

    [Theory]
    [InlineData(-15)]
    [InlineData(15)]
    public void A_late_exhaust_lets_go_later_and_a_late_intake_traps_less_or_more(double shift)
    {
        var (usual, late) = (Cycle(s_sound), Cycle(s_sound with { ExhaustShift = shift }));
        // In the expansion to vacuum the opening lets the pressure rise.
        int Opens(double[] p) => Enumerable.Range(At(110), At(100)).First(i => p[i + 4] - p[i] > 0.02);
        Assert.InRange((Opens(late) - Opens(usual)) / (double)MotoredCylinder.PerDegree, shift - 6, shift + 6);
        var intake = Cycle(s_sound with { IntakeShift = shift });
        Assert.NotEqual(usual.Max(), intake.Max(), 0.05);
    }

    [Fact]
    public void A_valve_that_stays_shut_shows_in_its_stroke()
    {
        var noExhaust = new MotoredCylinder(s_crank, s_timing, ShutValve.Exhaust).Cycle(s_sound);
        // The exhaust stroke compresses again.
        Assert.True(noExhaust[At(330)] > 2 * Cycle(s_sound)[At(330)]);
        var noIntake = new MotoredCylinder(s_crank, s_timing, ShutValve.Intake).Cycle(s_sound);
        Assert.True(noIntake.Max() < 0.7 * Cycle(s_sound).Max());
        Assert.True(Mean(noIntake, 440, 540) < 0.3);
    }

    [Fact]
    public void The_cycle_closes_and_every_pressure_is_above_nothing()
    {
        foreach (
            var state in new[] { s_sound, s_sound with { LeakArea = 2e-3 }, s_sound with { Intake = 1 }, s_sound with { Exhaust = 2 } }
        )
        {
            var pressures = Cycle(state);
            Assert.Equal(720 * MotoredCylinder.PerDegree, pressures.Length);
            Assert.All(pressures, p => Assert.True(p > 0 && double.IsFinite(p)));
            Assert.Equal(pressures[0], pressures[^1], 0.05 * pressures.Max());
        }
    }

    [Theory]
    [InlineData(8)]
    [InlineData(10.5)]
    [InlineData(18)]
    public void Volume_runs_from_clearance_to_all_and_its_slope_is_its_derivative(double ratio)
    {
        var crank = new SliderCrank(ratio, 3.3);
        Assert.Equal(ratio, crank.Volume(Math.PI) / crank.Volume(0), 6);
        for (var angle = 0.1; angle < Math.Tau; angle += 0.3)
        {
            Assert.InRange(crank.Volume(angle), crank.Volume(0), crank.Volume(Math.PI));
            Assert.Equal((crank.Volume(angle + 1e-6) - crank.Volume(angle - 1e-6)) / 2e-6, crank.VolumeSlope(angle), 4);
        }
    }

    private static double[] Cycle(CylinderState state) => new MotoredCylinder(s_crank, s_timing).Cycle(state);

    private static int At(int degrees) => degrees * MotoredCylinder.PerDegree;

    private static double Mean(double[] pressures, int from, int to) => pressures[At(from)..At(to)].Average();
}
