using Maschera.Core.Engines;
using Maschera.Core.Readings.CylinderPressure;
using Maschera.Core.Signals;
using Maschera.Rig;
using static Maschera.Core.Tests.PressureBench;

namespace Maschera.Core.Tests;

/// <summary>How late valves come, told by a cylinder's pressure, against the stand-in engine's known truth.</summary>
public class PressureCamTests
{
    public static TheoryData<int, string, double, double> Timings =>
        new()
        {
            { 4, "normal", 0, 0 },
            { 4, "intake-timing", 12, 0 },
            { 4, "exhaust-timing", 0, -12 },
            { 4, "valve-timing", 15, 15 },
            { 6, "normal", 0, 0 },
            { 6, "intake-timing", -12, 0 },
            { 8, "exhaust-timing", 0, 12 },
            { 8, "valve-timing", -15, -15 },
        };

    [Theory]
    [MemberData(nameof(Timings))]
    public void Cams_early_and_late_are_told_in_degrees(int cylinders, string verdict, double intake, double exhaust)
    {
        var good = Good with { Engine = Of(cylinders) };
        var (capture, truth) = BreathingRun.Record(Plan with { Engine = good.Engine, IntakeShift = intake, ExhaustShift = exhaust });
        var result = Read(capture, good.Engine, BreathingRun.Record(good).Capture);
        Assert.Equal(verdict, result.Verdict);
        Assert.InRange(result.IntakeShiftDegrees!.Value - intake, -4, 4);
        Assert.InRange(result.ExhaustShiftDegrees!.Value - exhaust, -3, 3);
        // The doubt said beside a figure holds it.
        Assert.InRange((result.IntakeShiftDegrees!.Value - intake) / result.IntakeShiftErrorDegrees!.Value, -2.5, 2.5);
        Assert.InRange((result.ExhaustShiftDegrees!.Value - exhaust) / result.ExhaustShiftErrorDegrees!.Value, -2.5, 2.5);
        Levels(result, truth!);
    }

    [Fact]
    public void With_a_crank_sensor_three_cylinders_at_twice_the_speed_are_as_sure()
    {
        var good = Good with { Engine = EngineCatalogue.Ghiro, CrankSensor = true };
        var (capture, truth) = BreathingRun.Record(good with { SpeedRpm = 1500, IntakeShift = 11, Seed = 9 });
        var result = Read(capture, good.Engine, BreathingRun.Record(good).Capture, ("crank", "Crank sensor"));
        Assert.Equal("intake-timing", result.Verdict);
        Assert.InRange(result.IntakeShiftDegrees!.Value, 8, 14);
        Assert.InRange(result.ExhaustShiftDegrees!.Value, -3, 3);
        Assert.InRange(Math.IEEERemainder(result.GapToTdcDegrees!.Value - good.Engine.CrankWheel!.GapToTdc!.Value, 360), -2, 2);
        Levels(result, truth!);
    }

    [Theory]
    [InlineData(3, 1050, 800, "normal", 0, 0)]
    [InlineData(3, 700, 950, "normal", 0, 0)]
    [InlineData(4, 700, 950, "normal", 0, 0)]
    [InlineData(3, 700, 950, "intake-timing", 12, 0)]
    [InlineData(3, 700, 950, "exhaust-timing", 0, -10)]
    [InlineData(4, 700, 950, "exhaust-timing", 0, -10)]
    public void Another_speed_than_the_known_goods_shifts_no_cam(
        int cylinders,
        double rpm,
        double known,
        string verdict,
        double intake,
        double exhaust
    )
    {
        var engine = cylinders == 3 ? EngineCatalogue.Ghiro : Four;
        var plan = new BreathingPlan(engine)
        {
            SpeedRpm = rpm,
            IntakeBar = 0.4,
            IntakeShift = intake,
            ExhaustShift = exhaust,
            Seed = 8,
        };
        var good = new BreathingPlan(engine) { SpeedRpm = known, Seed = 3 };
        var result = Read(BreathingRun.Record(plan).Capture, engine, BreathingRun.Record(good).Capture);
        Assert.True(verdict == result.Verdict, result.Sentence);
        Assert.InRange(result.IntakeShiftDegrees!.Value - intake, -5, 5);
        Assert.InRange(result.ExhaustShiftDegrees!.Value - exhaust, -2, 2);
        Assert.InRange((result.IntakeShiftDegrees!.Value - intake) / result.IntakeShiftErrorDegrees!.Value, -2.5, 2.5);
    }

    [Fact]
    public void Without_a_crank_sensor_an_early_exhaust_makes_the_intakes_figure_less_sure()
    {
        CylinderPressureResult Of(bool crank)
        {
            var good = Good with { CrankSensor = crank };
            return Read(BreathingRun.Record(good with { ExhaustShift = -14, Seed = 9 }).Capture, Four, BreathingRun.Record(good).Capture);
        }

        var (sure, blind) = (Of(true), Of(false));
        Assert.Equal(("exhaust-timing", "exhaust-timing"), (sure.Verdict, blind.Verdict));
        Assert.True(blind.IntakeShiftErrorDegrees >= 0.2 * 12, blind.Sentence);
        Assert.True(sure.IntakeShiftErrorDegrees < blind.IntakeShiftErrorDegrees, sure.Sentence);
    }

    [Theory]
    [InlineData("normal", 0, 0)]
    [InlineData("intake-timing", 12, 0)]
    [InlineData("valve-timing", 15, 15)]
    public void Noise_of_a_fiftieth_of_the_tower_hides_no_cam(string verdict, double intake, double exhaust)
    {
        var capture = Noisy(BreathingRun.Record(Plan with { IntakeShift = intake, ExhaustShift = exhaust }).Capture, 0.02);
        var result = Read(capture, Four, Noisy(Reference, 0.02));
        Assert.True(verdict == result.Verdict, result.Sentence);
        Assert.InRange(result.IntakeShiftDegrees!.Value - intake, -5, 5);
        Assert.InRange(result.ExhaustShiftDegrees!.Value - exhaust, -5, 5);
    }

    [Fact]
    public void What_noise_hides_is_not_said_to_be_in_order()
    {
        var capture = Noisy(BreathingRun.Record(Plan with { IntakeShift = 12 }).Capture, 0.4);
        var result = Read(capture, Four, Noisy(Reference, 0.4));
        if (result.Verdict is not "normal")
            return;
        Assert.DoesNotContain("breathes as it should", result.Sentence, StringComparison.Ordinal);
        Assert.Contains(result.Notes, n => n.Code is "shift-unsure" or "shift-unknown" or "leak-unsure");
    }

    [Theory]
    [InlineData(0, 0, null)]
    [InlineData(3, -3, null)]
    [InlineData(-17, 0, "exhaust valve")]
    [InlineData(17, 0, "exhaust valve")]
    [InlineData(0, 26, "intake valve")]
    public void A_known_good_and_an_engine_file_that_can_not_both_be_right_are_said(double exhaust, double intake, string? said)
    {
        var file = Four.ValveTiming!;
        var engine = Four with { ValveTiming = new(file.Evo + exhaust, file.Evc + exhaust, file.Ivo + intake, file.Ivc + intake) };
        var result = Read(BreathingRun.Record(Plan).Capture, engine, Reference);
        Assert.True(result.Verdict == "normal", result.Sentence);
        var note = result.Notes.SingleOrDefault(n => n.Code == "known-good-off-file");
        Assert.Equal(said is null, note is null);
        if (said is not null)
            Assert.Contains(said, note!.Text);
        if (exhaust < -10)
            Assert.Contains("later", note!.Text);
    }
}
