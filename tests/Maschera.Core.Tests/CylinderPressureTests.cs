using CsCheck;
using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Readings.CylinderPressure;
using Maschera.Core.Signals;
using Maschera.Rig;
using static Maschera.Core.Tests.PressureBench;

namespace Maschera.Core.Tests;

/// <summary>
/// In-cylinder pressure against the stand-in engine's known truth, whose gas is computed by other laws than the reading's.
/// </summary>
public class CylinderPressureTests
{
    private static readonly Capture s_sound = BreathingRun.Record(Plan).Capture;

    [Theory]
    [InlineData(3, LeakTo.Exhaust)]
    [InlineData(6, LeakTo.Exhaust)]
    [InlineData(5, LeakTo.Crankcase)]
    [InlineData(5, LeakTo.Coolant)]
    public void A_leak_is_told_and_cams_are_not_accused(double area, LeakTo to)
    {
        var (capture, truth) = BreathingRun.Record(Plan with { Faults = [new BreathingFault(1) { LeakMm2 = area, LeakTo = to }] });
        var result = Read(capture, Four, Reference);
        Assert.Equal("leaks", result.Verdict);
        Assert.True(result.Leakage!.Percent > result.Leakage.ReferencePercent + 4, result.Sentence);
        Assert.True(result.PeakBar < result.ExpectedPeakBar, result.Sentence);
        Levels(result, truth!);
    }

    /// <summary>Beside a known-good at another speed; what heat takes is unsure alike in both, so that a small leak is not.</summary>
    [Theory]
    [InlineData(4, 820, 2)]
    [InlineData(4, 1_900, 3)]
    [InlineData(6, 820, 1.5)]
    [InlineData(6, 1_900, 3)]
    [InlineData(8, 820, 1.5)]
    public void A_small_leak_is_told_and_a_sound_cylinder_is_not_said_to_leak(int cylinders, double rpm, double area)
    {
        var plan = Good with { Engine = Of(cylinders), SpeedRpm = rpm };
        var reference = BreathingRun.Record(plan with { SpeedRpm = 1.1 * rpm, Seed = 31 }).Capture;
        var leaking = Read(
            BreathingRun.Record(plan with { Faults = [new BreathingFault(1) { LeakMm2 = area }] }).Capture,
            plan.Engine,
            reference
        );
        Assert.True(leaking.Verdict == "leaks", leaking.Sentence);
        var sound = Read(BreathingRun.Record(plan with { Seed = 32 }).Capture, plan.Engine, reference);
        Assert.Equal("normal", sound.Verdict);
        Assert.DoesNotContain(sound.Notes, n => n.Code == "leak-unsure");
    }

    [Fact]
    public void A_larger_leak_loses_more()
    {
        var lost = new[] { 2.0, 4.0, 8.0 }
            .Select(area =>
                Read(
                    BreathingRun.Record(Plan with { Faults = [new BreathingFault(1) { LeakMm2 = area }] }).Capture,
                    Four,
                    Reference
                ).Leakage!.Percent
            )
            .ToList();
        Assert.Equal(lost.Order(), lost);
        Assert.True(lost[2] > lost[0] + 6, string.Join(", ", lost));
    }

    [Fact]
    public void A_valve_that_stays_shut_is_named_with_and_without_a_reference()
    {
        var exhaust = BreathingRun.Record(Plan with { Faults = [new BreathingFault(1) { ExhaustOpens = 0 }] }).Capture;
        var intake = BreathingRun.Record(Plan with { Faults = [new BreathingFault(1) { IntakeOpens = 0 }] }).Capture;
        foreach (var reference in new[] { null, Reference })
        {
            var (shutExhaust, shutIntake) = (Read(exhaust, Four, reference), Read(intake, Four, reference));
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
        var good = Good with { Engine = cylinders == 3 ? EngineCatalogue.Ghiro : Of(cylinders) };
        var plan = Plan with { Engine = good.Engine, SpeedRpm = rpm, Faults = [new BreathingFault(1) { IntakeOpens = 0 }], Seconds = 1.6 };
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
        var (capture, truth) = BreathingRun.Record(Plan with { ExhaustBlocked = 0.97 });
        var result = Read(capture, Four, Reference);
        Assert.Equal("exhaust-restricted", result.Verdict);
        Assert.InRange(result.ExhaustBar!.Value - truth!.ExhaustBar, -0.03, 0.03);
    }

    [Fact]
    public void Cranking_is_told_from_running_and_judged_by_its_own_expectation()
    {
        var good = Good with { Running = false, Seconds = 5, RangeBar = 40 };
        var reference = BreathingRun.Record(good).Capture;
        var (sound, truth) = BreathingRun.Record(good with { Seed = 21 });
        var result = Read(sound, Four, reference);
        Assert.Equal(("normal", "cranking"), (result.Verdict, result.Mode));
        Levels(result, truth!);
        var running = Read(s_sound, Four, Reference);
        Assert.True(result.ExpectedPeakBar > 1.7 * running.ExpectedPeakBar, $"{result.ExpectedPeakBar} {running.ExpectedPeakBar}");
        Assert.Equal(
            "leaks",
            Read(BreathingRun.Record(good with { Faults = [new BreathingFault(1) { LeakMm2 = 5 }] }).Capture, Four, reference).Verdict
        );
    }

    [Fact]
    public void Zero_scale_rate_and_start_change_neither_verdict_nor_shifts()
    {
        var late = BreathingRun.Record(Plan with { IntakeShift = 13, ExhaustShift = 13, Rate = 40_000 }).Capture;
        var first = Read(late, Four, Reference);
        Gen.Select(Gen.Bool, Gen.Double[-0.4, 0.4], Gen.Double[0.6, 1.6], Gen.Int[0, 6_000], Gen.Int[1, 4])
            .Sample(
                (isZero, off, factor, start, every) =>
                {
                    // A zero and a scale wrong at once, on the capture alone, are like a blocked exhaust: one of them has to be right.
                    var (zero, scale) = isZero ? (off, 1.0) : (0, factor);
                    var result = Read(Changed(late, zero, scale, start, every), Four, Reference);
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
        var bar = Read(s_sound, Four, Reference);
        var channel = s_sound.Find("Cylinder pressure")!;
        var inKilopascal = Read(s_sound with { Channels = [channel.Scaled(100) with { Unit = "kPa" }] }, Four, Reference);
        Assert.Equal(bar.PeakBar!.Value, inKilopascal.PeakBar!.Value, 3);
        var inVolts = Read(s_sound with { Channels = [channel with { Unit = "V" }] }, Four, Reference);
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
                        Engine = Four,
                        Reference = PressureBench.Reference,
                        Channels = Roles(),
                        Options = new Dictionary<string, string> { ["zero"] = zero },
                    }
                );
        var (truth, byHand, byExhaust) = (Read(s_sound, Four, Reference), With("0.2"), With("exhaust"));
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
        var advance = Read(s_sound, Four, Reference).IgnitionAdvance!;
        // The stand-in's spark comes 14° before TDC.
        Assert.InRange(advance.Degrees, 12.5, 15.5);
        Assert.True(advance.Cycles.Count > 10);
    }

    [Fact]
    public void Several_references_give_a_mean_and_a_foreign_one_is_left_out()
    {
        var other = BreathingRun.Record(Good with { SpeedRpm = 900, Seed = 30 }).Capture;
        var vacuum = new Capture(
            "hose",
            [
                Reference.Channels[0] with
                {
                    Samples = [.. Enumerable.Range(0, 60_000).Select(i => (float)(-0.6 + 0.03 * Math.Sin(i * 0.01)))],
                },
            ],
            []
        );
        var request = new ReadingRequest(s_sound)
        {
            Engine = Four,
            Reference = PressureBench.Reference,
            MoreReferences = [new(other, Roles()), new(vacuum, Roles())],
        };
        var result = (CylinderPressureResult)new CylinderPressureReading().Read(request);
        Assert.Equal("normal", result.Verdict);
        Assert.Contains(result.Notes, n => n.Code == "reference-left-out");
    }

    [Fact]
    public void Without_a_reference_no_cam_is_accused_of_small_shifts()
    {
        var result = Read(s_sound, Four, null);
        Assert.Equal("normal", result.Verdict);
        Assert.Contains(result.Notes, n => n.Code == "against-file");
        Assert.Equal(
            "leaks",
            Read(BreathingRun.Record(Plan with { Faults = [new BreathingFault(1) { LeakMm2 = 6 }] }).Capture, Four, null).Verdict
        );
    }

    [Fact]
    public void What_can_not_answer_is_refused_with_its_reason()
    {
        Refused("fires", BreathingRun.Record(Plan with { Measured = 1, Rate = 20_000 }).Capture with { Channels = [Firing()] });
        Refused("clipped", BreathingRun.Record(Plan with { RangeBar = 5 }).Capture);
        Refused("few-cycles", BreathingRun.Record(Plan with { Seconds = 0.4 }).Capture);
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
                                Good with
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
                        Engine = Four,
                        Reference = PressureBench.Reference,
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
            Engine = Four,
            Reference = PressureBench.Reference,
            Channels = named ? Roles() : new Dictionary<string, string>(),
        };
        var result = (CylinderPressureResult)new CylinderPressureReading().Read(request);
        Assert.True(result.IsUnusable, $"{code}: {result.Sentence}");
        Assert.Contains(result.Notes, n => n.Code == code);
        Assert.Null(result.PeakBar);
        Assert.Empty(result.Ledger);
    }
}
