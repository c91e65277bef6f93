using CsCheck;
using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Readings.CylinderPressure;
using Maschera.Core.Signals;
using Maschera.Rig;

namespace Maschera.Core.Tests;

/// <summary>
/// In-cylinder pressure against the stand-in engine's known truth, whose gas is computed by other laws than the reading's.
/// </summary>
public class CylinderPressureTests
{
    private static readonly Engine s_four = EngineCatalogue.Orsa;
    private static readonly BreathingPlan s_good = new(s_four) { SpeedRpm = 820, Seed = 3 };
    private static readonly BreathingPlan s_plan = s_good with { SpeedRpm = 740, IntakeBar = 0.4, Seed = 8 };
    private static readonly Capture s_reference = BreathingRun.Record(s_good).Capture;
    private static readonly Capture s_sound = BreathingRun.Record(s_plan).Capture;

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
        var good = s_good with { Engine = Of(cylinders) };
        var (capture, truth) = BreathingRun.Record(s_plan with { Engine = good.Engine, IntakeShift = intake, ExhaustShift = exhaust });
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
        var good = s_good with { Engine = EngineCatalogue.Ghiro, CrankSensor = true };
        var (capture, truth) = BreathingRun.Record(good with { SpeedRpm = 1500, IntakeShift = 11, Seed = 9 });
        var result = Read(capture, good.Engine, BreathingRun.Record(good).Capture, ("crank", "Crank sensor"));
        Assert.Equal("intake-timing", result.Verdict);
        Assert.InRange(result.IntakeShiftDegrees!.Value, 8, 14);
        Assert.InRange(result.ExhaustShiftDegrees!.Value, -3, 3);
        Assert.InRange(Math.IEEERemainder(result.GapToTdcDegrees!.Value - good.Engine.CrankWheel!.GapToTdc!.Value, 360), -2, 2);
        Levels(result, truth!);
    }

    [Fact]
    public void Without_a_crank_sensor_an_early_exhaust_makes_the_intakes_figure_less_sure()
    {
        CylinderPressureResult Of(bool crank)
        {
            var good = s_good with { CrankSensor = crank };
            return Read(BreathingRun.Record(good with { ExhaustShift = -14, Seed = 9 }).Capture, s_four, BreathingRun.Record(good).Capture);
        }

        var (sure, blind) = (Of(true), Of(false));
        Assert.Equal(("exhaust-timing", "exhaust-timing"), (sure.Verdict, blind.Verdict));
        Assert.True(blind.IntakeShiftErrorDegrees >= 0.2 * 12, blind.Sentence);
        Assert.True(sure.IntakeShiftErrorDegrees < blind.IntakeShiftErrorDegrees, sure.Sentence);
    }

    [Theory]
    [InlineData(3, LeakTo.Exhaust)]
    [InlineData(6, LeakTo.Exhaust)]
    [InlineData(5, LeakTo.Crankcase)]
    [InlineData(5, LeakTo.Coolant)]
    public void A_leak_is_told_and_cams_are_not_accused(double area, LeakTo to)
    {
        var (capture, truth) = BreathingRun.Record(s_plan with { Faults = [new BreathingFault(1) { LeakMm2 = area, LeakTo = to }] });
        var result = Read(capture, s_four, s_reference);
        Assert.Equal("leaks", result.Verdict);
        Assert.True(result.Leakage!.Percent > result.Leakage.ReferencePercent + 4, result.Sentence);
        Assert.True(result.PeakBar < result.ExpectedPeakBar, result.Sentence);
        Levels(result, truth!);
    }

    [Theory]
    [InlineData("normal", 0, 0)]
    [InlineData("intake-timing", 12, 0)]
    [InlineData("valve-timing", 15, 15)]
    public void Noise_of_a_fiftieth_of_the_tower_hides_no_cam(string verdict, double intake, double exhaust)
    {
        var capture = Noisy(BreathingRun.Record(s_plan with { IntakeShift = intake, ExhaustShift = exhaust }).Capture, 0.02);
        var result = Read(capture, s_four, Noisy(s_reference, 0.02));
        Assert.True(verdict == result.Verdict, result.Sentence);
        Assert.InRange(result.IntakeShiftDegrees!.Value - intake, -5, 5);
        Assert.InRange(result.ExhaustShiftDegrees!.Value - exhaust, -5, 5);
    }

    [Fact]
    public void What_noise_hides_is_not_said_to_be_in_order()
    {
        var capture = Noisy(BreathingRun.Record(s_plan with { IntakeShift = 12 }).Capture, 0.4);
        var result = Read(capture, s_four, Noisy(s_reference, 0.4));
        if (result.Verdict is not "normal")
            return;
        Assert.DoesNotContain("breathes as it should", result.Sentence, StringComparison.Ordinal);
        Assert.Contains(result.Notes, n => n.Code is "shift-unsure" or "shift-unknown" or "leak-unsure");
    }

    private static Capture Noisy(Capture capture, double share)
    {
        var random = new Random(17);
        return capture with
        {
            Channels =
            [
                .. capture.Channels.Select(c =>
                {
                    var reach = share * (c.Samples.Max() - c.Samples.Min());
                    return c with { Samples = Array.ConvertAll(c.Samples, v => v + (float)(reach * LogMaker.Gaussian(random))) };
                }),
            ],
        };
    }

    [Fact]
    public void A_larger_leak_loses_more()
    {
        var lost = new[] { 2.0, 4.0, 8.0 }
            .Select(area =>
                Read(
                    BreathingRun.Record(s_plan with { Faults = [new BreathingFault(1) { LeakMm2 = area }] }).Capture,
                    s_four,
                    s_reference
                ).Leakage!.Percent
            )
            .ToList();
        Assert.Equal(lost.Order(), lost);
        Assert.True(lost[2] > lost[0] + 6, string.Join(", ", lost));
    }

    [Fact]
    public void A_valve_that_stays_shut_is_named_with_and_without_a_reference()
    {
        var exhaust = BreathingRun.Record(s_plan with { Faults = [new BreathingFault(1) { ExhaustOpens = 0 }] }).Capture;
        var intake = BreathingRun.Record(s_plan with { Faults = [new BreathingFault(1) { IntakeOpens = 0 }] }).Capture;
        foreach (var reference in new[] { null, s_reference })
        {
            var (shutExhaust, shutIntake) = (Read(exhaust, s_four, reference), Read(intake, s_four, reference));
            Assert.Equal("exhaust-valve-stays-shut", shutExhaust.Verdict);
            Assert.Null(shutExhaust.ExhaustShiftDegrees);
            Assert.InRange(shutExhaust.SpeedRpm!.Value, 700, 760);
            Assert.Equal("intake-valve-stays-shut", shutIntake.Verdict);
            Assert.Null(shutIntake.IntakeShiftDegrees);
        }
    }

    /// <summary>
    /// Its tower comes back to where it was and the exhaust stroke is as high: half of the trace is one, half the other, and noise is
    /// a larger part of it than of a tower.
    /// </summary>
    [Theory]
    [InlineData(3, 870)]
    [InlineData(3, 1250)]
    [InlineData(4, 1140)]
    [InlineData(6, 760)]
    [InlineData(8, 740)]
    public void A_cylinder_that_draws_nothing_is_named_under_noise(int cylinders, double rpm)
    {
        var good = s_good with { Engine = cylinders == 3 ? EngineCatalogue.Ghiro : Of(cylinders) };
        var plan = s_plan with
        {
            Engine = good.Engine,
            SpeedRpm = rpm,
            Faults = [new BreathingFault(1) { IntakeOpens = 0 }],
            Seconds = 1.6,
        };
        var capture = BreathingRun.Record(plan).Capture;
        var noisy = Noisy(capture, 0.06);
        foreach (var reference in new[] { null, BreathingRun.Record(good).Capture })
        {
            var result = Read(noisy, good.Engine, reference);
            Assert.True(result.Verdict == "intake-valve-stays-shut", result.Sentence);
            Assert.InRange(result.SpeedRpm!.Value / rpm, 0.94, 1.06);
        }
    }

    [Fact]
    public void A_blocked_exhaust_is_told_from_late_cams()
    {
        var (capture, truth) = BreathingRun.Record(s_plan with { ExhaustBlocked = 0.97 });
        var result = Read(capture, s_four, s_reference);
        Assert.Equal("exhaust-restricted", result.Verdict);
        Assert.InRange(result.ExhaustBar!.Value - truth!.ExhaustBar, -0.03, 0.03);
    }

    [Fact]
    public void Cranking_is_told_from_running_and_judged_by_its_own_expectation()
    {
        var good = s_good with { Running = false, Seconds = 5, RangeBar = 40 };
        var reference = BreathingRun.Record(good).Capture;
        var (sound, truth) = BreathingRun.Record(good with { Seed = 21 });
        var result = Read(sound, s_four, reference);
        Assert.Equal(("normal", "cranking"), (result.Verdict, result.Mode));
        Levels(result, truth!);
        var running = Read(s_sound, s_four, s_reference);
        Assert.True(result.ExpectedPeakBar > 1.7 * running.ExpectedPeakBar, $"{result.ExpectedPeakBar} {running.ExpectedPeakBar}");
        Assert.Equal(
            "leaks",
            Read(BreathingRun.Record(good with { Faults = [new BreathingFault(1) { LeakMm2 = 5 }] }).Capture, s_four, reference).Verdict
        );
    }

    [Fact]
    public void Zero_scale_rate_and_start_change_neither_verdict_nor_shifts()
    {
        var late = BreathingRun.Record(s_plan with { IntakeShift = 13, ExhaustShift = 13, Rate = 40_000 }).Capture;
        var first = Read(late, s_four, s_reference);
        Gen.Select(Gen.Bool, Gen.Double[-0.4, 0.4], Gen.Double[0.6, 1.6], Gen.Int[0, 6_000], Gen.Int[1, 4])
            .Sample(
                (isZero, off, factor, start, every) =>
                {
                    // A zero and a scale wrong at once, on the capture alone, are like a blocked exhaust: one of them has to be right.
                    var (zero, scale) = isZero ? (off, 1.0) : (0, factor);
                    var result = Read(Changed(late, zero, scale, start, every), s_four, s_reference);
                    Assert.Equal(first.Verdict, result.Verdict);
                    Assert.InRange(result.IntakeShiftDegrees!.Value - first.IntakeShiftDegrees!.Value, -2.5, 2.5);
                    Assert.InRange(result.ExhaustShiftDegrees!.Value - first.ExhaustShiftDegrees!.Value, -2.5, 2.5);
                    Assert.InRange(
                        result.PeakBar!.Value,
                        (first.PeakBar!.Value * scale) + zero - 0.1,
                        (first.PeakBar.Value * scale) + zero + 0.1
                    );
                },
                iter: 8
            );
    }

    [Fact]
    public void Volts_and_other_units_of_pressure_read_alike()
    {
        var bar = Read(s_sound, s_four, s_reference);
        var channel = s_sound.Find("Cylinder pressure")!;
        var inKilopascal = Read(s_sound with { Channels = [channel.Scaled(100) with { Unit = "kPa" }] }, s_four, s_reference);
        Assert.Equal(bar.PeakBar!.Value, inKilopascal.PeakBar!.Value, 3);
        var inVolts = Read(s_sound with { Channels = [channel with { Unit = "V" }] }, s_four, s_reference);
        Assert.Equal(bar.Verdict, inVolts.Verdict);
        Assert.Contains(inVolts.Notes, n => n.Code == "no-unit");
    }

    [Fact]
    public void The_zero_is_set_by_hand_or_from_the_exhaust_stroke_and_said()
    {
        CylinderPressureResult With(string zero) =>
            (CylinderPressureResult)
                new CylinderPressureReading().Read(
                    new ReadingRequest(Changed(s_sound, 0.2, 1, 0, 1))
                    {
                        Engine = s_four,
                        Reference = s_reference,
                        Channels = Roles(),
                        Options = new Dictionary<string, string> { ["zero"] = zero },
                    }
                );
        var (truth, byHand, byExhaust) = (Read(s_sound, s_four, s_reference), With("0.2"), With("exhaust"));
        Assert.Equal(truth.PeakBar!.Value, byHand.PeakBar!.Value, 2);
        Assert.Equal(truth.ExhaustBar!.Value, byHand.ExhaustBar!.Value, 2);
        Assert.Equal(0, byExhaust.ExhaustBar!.Value, 3);
        Assert.Equal(("normal", "normal"), (byHand.Verdict, byExhaust.Verdict));
        Assert.Contains(byExhaust.Notes, n => n.Code == "zero-set" && n.Text.Contains("exhaust stroke", StringComparison.Ordinal));
        Assert.Throws<ReadingException>(() => With("half"));
    }

    [Fact]
    public void The_spark_is_dated_against_tdc()
    {
        var advance = Read(s_sound, s_four, s_reference).IgnitionAdvance!;
        // The stand-in's spark comes 14° before TDC.
        Assert.InRange(advance.Degrees, 12.5, 15.5);
        Assert.True(advance.Cycles.Count > 10);
    }

    [Fact]
    public void Several_references_give_a_mean_and_a_foreign_one_is_left_out()
    {
        var other = BreathingRun.Record(s_good with { SpeedRpm = 900, Seed = 30 }).Capture;
        var vacuum = new Capture(
            "hose",
            [
                s_reference.Channels[0] with
                {
                    Samples = [.. Enumerable.Range(0, 60_000).Select(i => (float)(-0.6 + 0.03 * Math.Sin(i * 0.01)))],
                },
            ],
            []
        );
        var request = new ReadingRequest(s_sound)
        {
            Engine = s_four,
            Reference = s_reference,
            MoreReferences = [new(other, Roles()), new(vacuum, Roles())],
        };
        var result = (CylinderPressureResult)new CylinderPressureReading().Read(request);
        Assert.Equal("normal", result.Verdict);
        Assert.Contains(result.Notes, n => n.Code == "reference-left-out");
    }

    [Fact]
    public void Without_a_reference_no_cam_is_accused_of_small_shifts()
    {
        var result = Read(s_sound, s_four, null);
        Assert.Equal("normal", result.Verdict);
        Assert.Contains(result.Notes, n => n.Code == "against-file");
        Assert.Equal(
            "leaks",
            Read(BreathingRun.Record(s_plan with { Faults = [new BreathingFault(1) { LeakMm2 = 6 }] }).Capture, s_four, null).Verdict
        );
    }

    [Fact]
    public void What_can_not_answer_is_refused_with_its_reason()
    {
        Refused("fires", BreathingRun.Record(s_plan with { Measured = 1, Rate = 20_000 }).Capture with { Channels = [Firing()] });
        Refused("clipped", BreathingRun.Record(s_plan with { RangeBar = 5 }).Capture);
        Refused("few-cycles", BreathingRun.Record(s_plan with { Seconds = 0.4 }).Capture);
        Refused("no-towers", With(i => (float)(-0.6 + 0.04 * Math.Sin(i * 0.03))));
        Refused("no-towers", With(_ => 0.01f));
        var random = new Random(7);
        Refused("no-towers", With(_ => (float)(0.008 * LogMaker.Gaussian(random))));
        Refused(
            "no-pressure",
            new Capture("empty", [new Channel("Starter current", "A", TimeAxis.Uniform(0, 1e-3, 10), new float[10])], []),
            named: false
        );
    }

    [Fact]
    public void Cylinders_of_one_job_are_compared_and_the_leaking_one_named()
    {
        CylinderPressureResult Measured(int cylinder, double intake) =>
            (CylinderPressureResult)
                new CylinderPressureReading().Read(
                    new ReadingRequest(
                        BreathingRun
                            .Record(
                                s_good with
                                {
                                    Measured = cylinder,
                                    IntakeBar = intake,
                                    Seed = cylinder,
                                    Faults = [new BreathingFault(3) { LeakMm2 = 5 }],
                                }
                            )
                            .Capture
                    )
                    {
                        Engine = s_four,
                        Reference = s_reference,
                        Channels = Roles(),
                        Options = new Dictionary<string, string> { ["cylinder"] = $"{cylinder}" },
                    }
                );
        var comparison = PressureComparison.Of([Measured(1, 0.36), Measured(3, 0.42), Measured(4, 0.4)])!;
        Assert.Equal(3, comparison.Odd);
        var sound = PressureComparison.Of([Measured(1, 0.36), Measured(4, 0.42)])!;
        Assert.Null(sound.Odd);
        Assert.Null(PressureComparison.Of([Measured(1, 0.36)]));
    }

    /// <summary>A cylinder that burns: the sound trace with far more pressure behind its towers.</summary>
    private static Channel Firing()
    {
        var channel = s_sound.Find("Cylinder pressure")!;
        var samples = (float[])channel.Samples.Clone();
        var perDegree = 1 / (6 * 738.0) / channel.Time.Step;
        for (var i = 1; i < samples.Length - 1; i++)
        {
            if (!(channel.Samples[i] > 6 && channel.Samples[i] >= channel.Samples[i - 1] && channel.Samples[i] > channel.Samples[i + 1]))
                continue;
            for (var d = 0.0; d < 150 && i + d * perDegree < samples.Length; d += 0.2)
            {
                var at = (int)(i + d * perDegree);
                samples[at] = Math.Max(samples[at], channel.Samples[at] + (float)(14 * Math.Min(1, d / 12) * Math.Exp(-d / 45)));
            }
        }

        return channel with
        {
            Samples = samples,
        };
    }

    private static Capture With(Func<int, float> value) =>
        s_sound with
        {
            Channels = [s_sound.Channels[0] with { Samples = [.. Enumerable.Range(0, s_sound.Channels[0].Samples.Length).Select(value)] }],
        };

    private static Capture Changed(Capture capture, double zero, double scale, int start, int every)
    {
        var channel = capture.Find("Cylinder pressure")!;
        float[] samples = [.. channel.Samples.Skip(start).Where((_, i) => i % every == 0).Select(v => (float)(v * scale + zero))];
        return capture with
        {
            Channels =
            [
                channel with
                {
                    Time = TimeAxis.Uniform(start * channel.Time.Step, every * channel.Time.Step, samples.Length),
                    Samples = samples,
                },
            ],
        };
    }

    private static void Refused(string code, Capture capture, bool named = true)
    {
        var request = new ReadingRequest(capture)
        {
            Engine = s_four,
            Reference = s_reference,
            Channels = named ? Roles() : new Dictionary<string, string>(),
        };
        var result = (CylinderPressureResult)new CylinderPressureReading().Read(request);
        Assert.True(result.IsUnusable, $"{code}: {result.Sentence}");
        Assert.Contains(result.Notes, n => n.Code == code);
        Assert.Null(result.PeakBar);
        Assert.Empty(result.Ledger);
    }

    private static void Levels(CylinderPressureResult result, BreathingTruth truth)
    {
        Assert.InRange(result.PeakBar!.Value / truth.PeakBar, 0.98, 1.02);
        Assert.InRange(result.ExhaustBar!.Value - truth.ExhaustBar, -0.03, 0.03);
        Assert.InRange(result.IntakeBar!.Value - truth.IntakeBar, -0.03, 0.03);
        Assert.InRange(result.SpeedRpm!.Value / truth.SpeedRpm, 0.98, 1.02);
    }

    private static Engine Of(int cylinders) =>
        cylinders == 4
            ? s_four
            : s_four with
            {
                Cylinders = cylinders,
                FiringOrder = cylinders == 6 ? [1, 5, 3, 6, 2, 4] : [1, 8, 4, 3, 6, 5, 7, 2],
                Banks = null,
            };

    private static Dictionary<string, string> Roles(params (string Role, string Column)[] more) =>
        new Dictionary<string, string>(more.ToDictionary(m => m.Role, m => m.Column)) { ["pressure"] = "Cylinder pressure" };

    private static CylinderPressureResult Read(Capture capture, Engine engine, Capture? reference, params (string, string)[] more) =>
        (CylinderPressureResult)
            new CylinderPressureReading().Read(
                new ReadingRequest(capture)
                {
                    Engine = engine,
                    Reference = reference,
                    Channels = Roles(more),
                    Options = new Dictionary<string, string> { ["cylinder"] = "1" },
                }
            );
}
