using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Readings.CylinderPressure;
using Maschera.Core.Signals;
using Maschera.Rig;

namespace Maschera.Core.Tests;

/// <summary>In-cylinder pressure on the starter: with a crank sensor the cams are told; without one the doubt is said.</summary>
public class CrankingPressureTests
{
    /// <summary>Degrees a shift may be off, see the contract.</summary>
    private const double Degrees = 3;

    private static readonly Dictionary<string, Engine> s_engines = new()
    {
        ["four"] = EngineCatalogue.Orsa,
        ["three"] = EngineCatalogue.Ghiro,
        ["six"] = EngineCatalogue.Tasso,
    };

    [Theory]
    [InlineData("four", 0, 0, "normal")]
    [InlineData("four", 15, 15, "valve-timing")]
    [InlineData("four", -16, -16, "valve-timing")]
    [InlineData("four", 12, 0, "intake-timing")]
    [InlineData("four", 0, 15, "exhaust-timing")]
    [InlineData("three", 0, 0, "normal")]
    [InlineData("three", 18, 18, "valve-timing")]
    [InlineData("three", 12, 0, "intake-timing")]
    [InlineData("six", 15, 15, "valve-timing")]
    [InlineData("six", 0, 0, "normal")]
    public void With_a_crank_sensor_cams_are_told_while_cranking(string engine, double intake, double exhaust, string verdict)
    {
        var result = Read(engine, intake, exhaust, 0, crank: true);
        Assert.True(result.Verdict == verdict, result.Sentence);
        Assert.Equal("cranking", result.Mode);
        Assert.InRange(result.IntakeShiftDegrees!.Value - intake, -Degrees, Degrees);
        Assert.InRange(result.ExhaustShiftDegrees!.Value - exhaust, -Degrees, Degrees);
        Assert.DoesNotContain(result.Notes, n => n.Code is "cranking-swing" or "no-crank");
    }

    [Theory]
    [InlineData("four")]
    [InlineData("three")]
    [InlineData("six")]
    public void With_a_crank_sensor_a_leak_is_told_while_cranking(string engine)
    {
        var result = Read(engine, 0, 0, 1, crank: true);
        Assert.True(result.Verdict == "leaks", result.Sentence);
        Assert.InRange(result.IntakeShiftDegrees!.Value, -Degrees, Degrees);
    }

    [Theory]
    [InlineData("four", 0.5)]
    [InlineData("four", 1)]
    [InlineData("three", 0.5)]
    [InlineData("six", 0.5)]
    [InlineData("six", 2)]
    [InlineData("six", 0.5, 3)]
    [InlineData("six", 0.5, 4)]
    [InlineData("six", 0.8, 5)]
    [InlineData("six", 0.8, 6)]
    public void Without_a_crank_sensor_a_leak_is_told_by_the_flanks(string engine, double squareMillimetres, int seed = 1)
    {
        var result = Read(engine, 0, 0, squareMillimetres, crank: false, seed);
        Assert.True(result.Verdict == "leaks", result.Sentence);
        Assert.True(result.Leakage!.Percent > result.Leakage.ReferencePercent + 4);
    }

    [Theory]
    [InlineData("four", 4, true)]
    [InlineData("four", 4, false)]
    [InlineData("four", 8, true)]
    [InlineData("three", 4, true)]
    [InlineData("three", 4, false)]
    [InlineData("six", 4, true)]
    [InlineData("six", 6, false)]
    public void A_large_leak_makes_the_cams_degrees_unsure_and_that_is_said(string engine, double squareMillimetres, bool crank)
    {
        var result = Read(engine, 0, 0, squareMillimetres, crank);
        Assert.True(result.Verdict == "leaks", result.Sentence);
        if (result.IntakeShiftDegrees is { } intake)
            Assert.InRange(intake / result.IntakeShiftErrorDegrees!.Value, -2.5, 2.5);
        if (result.ExhaustShiftDegrees is { } exhaust)
            Assert.InRange(exhaust / result.ExhaustShiftErrorDegrees!.Value, -2.5, 2.5);
    }

    [Theory]
    [InlineData("four", 15, 15, "valve-timing")]
    [InlineData("four", -16, -16, "valve-timing")]
    [InlineData("four", 0, 0, "normal")]
    [InlineData("three", 12, 0, "intake-timing")]
    [InlineData("three", 0, 15, "exhaust-timing")]
    [InlineData("six", 15, 15, "valve-timing")]
    [InlineData("six", -16, -16, "valve-timing")]
    public void Without_a_crank_sensor_the_verdict_is_right_and_what_can_t_be_told_is_said(
        string engine,
        double intake,
        double exhaust,
        string verdict
    )
    {
        var result = Read(engine, intake, exhaust, 0, crank: false);
        Assert.True(result.Verdict == verdict, result.Sentence);
        Assert.Contains(result.Notes, n => n.Code == "cranking-swing" && n.Text.Contains("crank sensor", StringComparison.Ordinal));
        // Too small it may be, but never on the wrong side or made up.
        Assert.InRange(result.IntakeShiftDegrees!.Value, Math.Min(0, intake) - Degrees, Math.Max(0, intake) + Degrees);
    }

    private static CylinderPressureResult Read(string name, double intake, double exhaust, double leak, bool crank, int seed = 1)
    {
        var engine = s_engines[name];
        var plan = new BreathingPlan(engine)
        {
            Running = false,
            SpeedRpm = 240,
            IntakeBar = 0.95,
            RangeBar = 40,
            Seconds = 4,
            CrankSensor = crank,
            Seed = seed,
        };
        var reference = BreathingRun.Record(plan with { SpeedRpm = 260, Seed = seed + 100 }).Capture;
        var capture = BreathingRun
            .Record(
                plan with
                {
                    IntakeShift = intake,
                    ExhaustShift = exhaust,
                    Faults = leak > 0 ? [new BreathingFault(1) { LeakMm2 = leak }] : [],
                }
            )
            .Capture;
        return PressureBench.Read(capture, engine, reference);
    }
}
