using System.Globalization;
using Maschera.Core.Engines;
using Maschera.Core.Readings.CylinderPressure;
using Maschera.Core.Signals;
using Maschera.Rig;
using static Maschera.Core.Tests.PressureBench;

namespace Maschera.Core.Tests;

/// <summary>
/// A transducer on a hose whose gas rings: what the hose adds is found from the trace and taken away. The hose of these tests is stepped
/// through time and shares nothing with the reading's.
/// </summary>
public class RingingHoseTests
{
    /// <summary>At which the note says that it rings, Hz; null without one.</summary>
    private static double? RingsAt(CylinderPressureResult result) =>
        result.Notes.FirstOrDefault(n => n.Code == "hose-rings") is { } note
            ? double.Parse(note.Text.Split("rings at ")[1].Split(' ')[0], CultureInfo.InvariantCulture)
            : null;

    private static BreathingPlan Running(Engine engine, double rpm) =>
        new(engine)
        {
            SpeedRpm = rpm,
            IntakeBar = 0.42,
            Seed = 5,
        };

    private static Engine Engine(int cylinders) => cylinders == 3 ? EngineCatalogue.Ghiro : Of(cylinders);

    [Theory]
    [InlineData(4, 1700, 250, 0.15, "normal", 0, 0)]
    [InlineData(4, 1700, 250, 0.15, "intake-timing", 14, 0)]
    [InlineData(6, 1900, 300, 0.1, "exhaust-timing", 0, -12)]
    [InlineData(4, 880, 190, 0.2, "intake-timing", -13, 0)]
    [InlineData(3, 2100, 360, 0.2, "exhaust-timing", 0, 12)]
    [InlineData(4, 1500, 210, 0.08, "valve-timing", 15, 15)]
    public void Cams_are_told_through_a_hose_that_rings(
        int cylinders,
        double rpm,
        double hertz,
        double damping,
        string verdict,
        double intake,
        double exhaust
    )
    {
        var plan = Running(Engine(cylinders), rpm);
        var (capture, truth) = BreathingRun.Record(plan with { IntakeShift = intake, ExhaustShift = exhaust });
        var good = BreathingRun.Record(plan with { SpeedRpm = 0.93 * rpm, Seed = 2 }).Capture;
        var result = Read(ThroughHose(capture, hertz, damping), plan.Engine, ThroughHose(good, hertz, damping));
        Assert.True(verdict == result.Verdict, result.Sentence + string.Join(" ", result.Notes));
        Assert.InRange(RingsAt(result) / hertz ?? 0, 0.95, 1.05);
        Assert.InRange(result.IntakeShiftDegrees!.Value - intake, -4, 4);
        Assert.InRange(result.ExhaustShiftDegrees!.Value - exhaust, -3, 3);
        // The peak and the levels are the cylinder's, not what the transducer felt.
        Levels(result, truth!);
    }

    [Fact]
    public void A_leak_is_told_through_it_and_a_sound_cylinder_is_not_called_leaking()
    {
        var plan = Running(Four, 1600);
        var good = ThroughHose(BreathingRun.Record(plan with { SpeedRpm = 1450, Seed = 2 }).Capture, 230, 0.12);
        CylinderPressureResult Through(double leak) =>
            Read(ThroughHose(BreathingRun.Record(plan with { Faults = [new(1) { LeakMm2 = leak }] }).Capture, 230, 0.12), Four, good);
        Assert.Equal("normal", Through(0).Verdict);
        Assert.Equal("leaks", Through(4).Verdict);
    }

    [Theory]
    [InlineData(true, false)]
    [InlineData(false, true)]
    public void A_hose_on_one_of_the_two_captures_shifts_no_cam(bool own, bool known)
    {
        var plan = Running(Four, 1500);
        Capture On(bool hose, Capture capture) => hose ? ThroughHose(capture, 220, 0.15) : capture;
        var good = On(known, BreathingRun.Record(plan with { SpeedRpm = 1400, Seed = 2 }).Capture);
        var result = Read(On(own, BreathingRun.Record(plan).Capture), Four, good);
        Assert.Equal("normal", result.Verdict);
        Assert.Equal(own, RingsAt(result) is not null);
        Assert.InRange(result.IntakeShiftDegrees!.Value, -4, 4);
        Assert.InRange(result.ExhaustShiftDegrees!.Value, -3, 3);
    }

    [Fact]
    public void Without_a_known_good_the_hose_is_found_as_well()
    {
        var (capture, truth) = BreathingRun.Record(Running(Four, 1700));
        var result = Read(ThroughHose(capture, 240, 0.12), Four, null);
        Assert.Equal("normal", result.Verdict);
        Assert.InRange(RingsAt(result)!.Value, 228, 252);
        Levels(result, truth!);
    }

    [Theory]
    [InlineData(700)]
    [InlineData(1300)]
    [InlineData(2000)]
    public void Where_there_is_no_hose_none_is_heard(double rpm)
    {
        var plan = Running(Four, rpm);
        var good = BreathingRun.Record(plan with { SpeedRpm = 0.9 * rpm, Seed = 2 }).Capture;
        Assert.Null(RingsAt(Read(BreathingRun.Record(plan).Capture, Four, good)));
    }

    [Fact]
    public void What_the_hose_delays_is_no_part_of_the_wheels_place()
    {
        var plan = Running(Four, 1700) with { CrankSensor = true };
        var result = Read(ThroughHose(BreathingRun.Record(plan).Capture, 200, 0.2), Four, null, ("crank", "Crank sensor"));
        // The hose delays the tower by several degrees at this speed.
        Assert.InRange(Math.IEEERemainder(result.GapToTdcDegrees!.Value - Four.CrankWheel!.GapToTdc!.Value, 360), -1, 1);
        Assert.DoesNotContain(result.Notes, n => n.Code == "gap-to-tdc");
        Assert.InRange(result.PeakBeforeTdcDegrees!.Value, 0.2, 3);
    }
}
