using CsCheck;
using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Readings.CamTiming;
using Maschera.Core.Readings.Misfire;
using Maschera.Core.Signals;
using Maschera.Core.Timing;
using Maschera.Rig;

namespace Maschera.Core.Tests;

/// <summary>Cam timing and misfire against the stand-in engine's truth, on wheels and engines of many kinds.</summary>
public class CrankDegreeTests
{
    public static TheoryData<int, int[], bool, double, bool> Wheels =>
        new()
        {
            { 12, [1], false, 800, true },
            { 24, [2], true, 1200, false },
            { 36, [1], false, 650, true },
            { 36, [2, 2], false, 900, false },
            { 36, [2, 2, 2], true, 1000, true },
            { 60, [2], false, 3000, false },
            { 60, [2], true, 750, false },
            { 120, [2], false, 900, false },
            { 58, [3, 1], false, 850, false },
        };

    [Theory]
    [MemberData(nameof(Wheels))]
    public void A_cam_s_offset_is_found_on_any_wheel(int teeth, int[] missing, bool inductive, double rpm, bool told)
    {
        var engine = Engine(4, [1, 3, 4, 2], new CrankWheel(teeth, missing, 90));
        foreach (var offset in (double[])[0, 7.3, -13.1])
        {
            var good = new RunningPlan(engine)
            {
                SpeedRpm = rpm * 1.25,
                InductiveCrank = inductive,
                Seconds = 4,
                Seed = 5,
            };
            var result = CamTiming(
                Run(good with { SpeedRpm = rpm, CamOffsetDegrees = offset, Seed = 8 }),
                Run(good),
                told ? engine : engine with { CrankWheel = null }
            );
            Assert.Equal(offset, result.OffsetDegrees!.Value, 0.3);
            Assert.Equal(teeth, result.Wheel!.Teeth);
            Assert.Equal(missing.Sum(), result.Wheel.Missing.Sum());
            Assert.Equal(rpm, result.SpeedRpm!.Value, 0.06 * rpm);
            Assert.Equal(
                Math.Abs(offset) < 6 ? "ok"
                    : Math.Abs(offset) < 10 ? "watch"
                    : "fault",
                result.Verdict
            );
            Assert.InRange(result.FlutterDegrees!.Value, 0, 0.6);
        }
    }

    [Fact]
    public void What_is_not_the_cam_does_not_change_the_offset() =>
        Gen.Select(Gen.Double[600, 2500], Gen.Double[25_000, 120_000], Gen.Bool, Gen.Double[0, 0.01], Gen.Int[1, 10_000], Gen.Double[0, 1])
            .Sample(
                (rpm, rate, turned, noise, seed, start) =>
                {
                    var engine = Engine(4, [1, 3, 4, 2], new CrankWheel(60, [2], 90));
                    var plan = new RunningPlan(engine)
                    {
                        CamOffsetDegrees = 4.2,
                        SpeedRpm = rpm,
                        Rate = rate,
                        TurnedRound = turned,
                        Noise = noise,
                        Seed = seed,
                        Seconds = 3,
                    };
                    var capture = Run(plan);
                    var late = capture with { Channels = [.. capture.Channels.Select(c => c.Between(start, 9))] };
                    Assert.Equal(4.2, CamTiming(late, s_good.Value, engine).OffsetDegrees!.Value, 0.25 + 0.5 * 6 * rpm / rate);
                },
                iter: 24,
                threads: 2
            );

    [Fact]
    public void A_phaser_is_seen_moving_and_lost_teeth_are_survived()
    {
        var engine = s_engine;
        var moving = CamTiming(Run(new RunningPlan(engine) { PhaserDegrees = 30, Seconds = 6 }), s_good.Value, engine);
        Assert.Contains(moving.Notes, n => n.Code == "moves");
        Assert.InRange(moving.Cams[0].Track.Max(t => t.Degrees) - moving.Cams[0].Track.Min(t => t.Degrees), 24, 34);
        var lossy = CamTiming(
            Run(
                new RunningPlan(engine)
                {
                    LostTeethPerMille = 1,
                    CamOffsetDegrees = -5,
                    Seconds = 6,
                }
            ),
            s_good.Value,
            engine
        );
        Assert.Equal(-5, lossy.OffsetDegrees!.Value, 0.4);
    }

    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public void An_inductive_cam_sensor_is_timed_at_its_sharp_crossings(bool told)
    {
        var plan = new RunningPlan(s_engine)
        {
            InductiveCam = true,
            InductiveCrank = true,
            Seconds = 4,
        };
        var result = CamTiming(
            Run(plan with { CamOffsetDegrees = -8.5, SpeedRpm = 700, Seed = 3 }),
            Run(plan with { SpeedRpm = 1100 }),
            told ? s_engine : s_engine with { CrankWheel = null }
        );
        Assert.Equal(-8.5, result.OffsetDegrees!.Value, 0.3);
        Assert.Equal("watch", result.Verdict);
        Assert.Equal(4, result.Edges.Count);
    }

    [Fact]
    public void A_plain_wheel_is_counted_by_the_cam()
    {
        var engine = Engine(4, [1, 3, 4, 2], new CrankWheel(30, [], 90));
        var result = CamTiming(
            Run(new RunningPlan(engine) { CamOffsetDegrees = 3, Seconds = 4 }),
            Run(new RunningPlan(engine) { Seconds = 4, Seed = 9 }),
            engine with
            {
                CrankWheel = null,
            }
        );
        Assert.Equal(30, result.Wheel!.Teeth);
        Assert.Equal(3, result.OffsetDegrees!.Value, 0.3);
        Assert.Contains(result.Notes, n => n.Code == "plain-wheel");
    }

    [Fact]
    public void What_can_t_be_timed_is_refused_with_the_reason()
    {
        var capture = s_good.Value;
        Capture Only(Func<float[], float[]> crank) =>
            capture with
            {
                Channels = [capture.Channels[0] with { Samples = crank(capture.Channels[0].Samples) }, .. capture.Channels.Skip(1)],
            };
        Refused(
            "swapped",
            new ReadingRequest(capture)
            {
                Reference = capture,
                Channels = new Dictionary<string, string> { ["crank"] = "Cam sensor", ["cam"] = "Crank sensor" },
            }
        );
        Refused("short", new ReadingRequest(capture) { Reference = capture, To = 0.2 });
        Refused("no-reference", new ReadingRequest(capture));
        var random = new Random(1);
        Refused(
            "no-wheel",
            new ReadingRequest(Only(s => [.. s.Select((_, i) => random.NextDouble() < 0.5 ? 5f : 0f)])) { Reference = capture }
        );
        Refused("no-teeth", new ReadingRequest(Only(s => new float[s.Length])) { Reference = capture });
        var other = Engine(4, [1, 3, 4, 2], new CrankWheel(36, [1], 90));
        Refused("other-wheel", new ReadingRequest(capture) { Reference = Run(new RunningPlan(other) { Seconds = 3 }) });

        static void Refused(string code, ReadingRequest request)
        {
            var result = (CamTimingResult)new CamTimingReading().Read(request);
            Assert.Equal((Verdict.UnusableWord, null), (result.Verdict, result.OffsetDegrees));
            Assert.Equal(code, result.Notes[0].Code);
        }
    }

    [Fact]
    public void The_clock_gives_every_sample_an_angle_that_goes_on_evenly()
    {
        var crank = s_good.Value.Channels[0];
        var (clock, _) = AngleClock.Make(crank, s_engine);
        var degrees = new double[crank.Samples.Length];
        clock!.Fill(crank.Time, degrees);
        for (var i = 1; i < degrees.Length; i++)
            Assert.True(degrees[i] > degrees[i - 1]);
        for (var i = 5_000; i < degrees.Length - 5_000; i += 777)
        {
            Assert.Equal(clock.At(crank.Time[i]), degrees[i], 1e-6);
            Assert.Equal(crank.Time[i], clock.TimeAt(degrees[i]), 1e-7);
        }

        Assert.InRange(clock.StandardErrorDegrees, 0.001, 0.2);
    }

    [Fact]
    public void Four_printed_times_give_the_same_answer_as_the_captures()
    {
        var (good, here) = (
            Run(
                new RunningPlan(s_engine)
                {
                    SpeedRpm = 1000,
                    Seconds = 4,
                    Seed = 21,
                }
            ),
            Run(
                new RunningPlan(s_engine)
                {
                    CamOffsetDegrees = 9.4,
                    Seconds = 4,
                    Seed = 22,
                }
            )
        );
        var (offset, doubt) = PrintedTimes.Compare(Print(good), Print(here));
        Assert.Equal(CamTiming(here, good, s_engine).OffsetDegrees!.Value, offset, 1.0);
        Assert.InRange(doubt, 0.01, 1);
        Assert.Equal(-12, PrintedTimes.Compare(new(100, 99, 0.1), new(100, 99 - 100 * 12 / 720.0, 0.1)).OffsetDegrees, 6);
        Assert.Equal(10, PrintedTimes.Compare(new(160, 159.5, 0.1), new(80, (159.5 / 160 * 720 + 10 - 720) / 9, 0.1)).OffsetDegrees, 6);
        Assert.NotNull(new PrintedTimes(0, 1, 0.1).Problem);
        Assert.NotNull(new PrintedTimes(10, 11, 0.1).Problem);

        // What a person would read off: from one gap, in the turn the cam's long pause ends in, two turns on, in 0.1 ms.
        static PrintedTimes Print(Capture capture)
        {
            var (clock, _) = AngleClock.Make(capture.Channels[0], s_engine);
            var rising = SensorEdges.Find(capture.Channels[1]).Times(rising: true);
            var gaps = Enumerable.Range(2, 20).Select(n => clock!.TimeAt(360 * n)).ToArray();
            var start = gaps.First(g =>
                rising.Count(e => e > g && e < g + 0.2 * 60 / clock!.SpeedRpm) == 1
                && rising.First(e => e > g) < g + 0.15 * 60 / clock!.SpeedRpm
            );
            var turns = clock!.TimeAt(clock.At(start) + 720) - start;
            return new PrintedTimes(Math.Round(turns * 1000, 1), Math.Round((rising.First(e => e > start) - start) * 1000, 1), 0.1);
        }
    }

    [Fact]
    public void Folded_cycles_give_the_mean_whatever_the_speed_and_point_out_the_odd_one()
    {
        var capture = Run(
            new RunningPlan(s_engine)
            {
                SpeedRpm = 700,
                EndRpm = 1600,
                Seconds = 6,
                SyncCylinder = 1,
            }
        );
        var (clock, _) = AngleClock.Make(capture.Channels[0], s_engine);
        var time = capture.Channels[0].Time;
        float Wave(double degrees) => (float)(3 + 2 * Math.Sin(Math.Tau * degrees / 720) + Math.Cos(Math.Tau * degrees / 240));
        var struck = clock!.TimeAt(clock.Degrees[0] + 9_000);
        var channel = new Channel(
            "Wave",
            "bar",
            time,
            [.. Enumerable.Range(0, time.Count).Select(i => Wave(clock.At(time[i])) + (Math.Abs(time[i] - struck) < 0.004 ? 2 : 0))]
        );
        var fold = CycleFold.Of(channel, clock, 0)!;
        Assert.InRange(fold.Cycles, 50, 70);
        for (var d = 0; d < CycleFold.Bins; d += 7)
            Assert.Equal(Wave(d + 0.5), fold.Mean[d], 0.1);
        var odd = Assert.Single(fold.Odd);
        Assert.InRange(struck, odd.Seconds, odd.Seconds + 0.2);
    }

    public static TheoryData<string, double, int, bool> Runs =>
        new()
        {
            { "2", 700, 60, false },
            { "3", 850, 36, true },
            { "4", 1500, 60, false },
            { "4", 3000, 60, true },
            { "5", 900, 58, false },
            { "6", 2000, 60, false },
            { "8", 1000, 36, true },
            { "8", 2500, 60, false },
            { "8", 3000, 120, true },
            { "6", 3000, 60, true },
        };

    [Theory]
    [MemberData(nameof(Runs))]
    public void Misfires_are_counted_in_the_right_cylinder(string cylinders, double rpm, int teeth, bool inductive)
    {
        var n = int.Parse(cylinders, System.Globalization.CultureInfo.InvariantCulture);
        var order = n switch
        {
            2 => (int[])[1, 2],
            3 => [1, 2, 3],
            4 => [1, 3, 4, 2],
            5 => [1, 2, 4, 5, 3],
            6 => [1, 5, 3, 6, 2, 4],
            _ => [1, 8, 4, 3, 6, 5, 7, 2],
        };
        var engine = Engine(n, order, new CrankWheel(teeth, [2], 120));
        var plan = new RunningPlan(engine)
        {
            SpeedRpm = rpm,
            InductiveCrank = inductive,
            Rate = 100_000,
            Seconds = 10,
            SyncCylinder = order[1],
            Seed = n,
        };
        foreach (
            var schedule in (MisfireSchedule[][])
                [
                    [],
                    [new(order[0], 0.12)],
                    [new(order[^1], n == 2 ? 0.3 : 1)],
                    [new(order[0], 0.08), new(order[n / 2], 0.1)],
                    [.. order.Select(c => new MisfireSchedule(c, 0.02))],
                ]
        )
        {
            var (capture, truth) = RunningRun.Record(plan with { Misfires = schedule });
            var result = Misfire(capture, engine, order[1]);
            Assert.Equal(truth.SpeedRpm, result.SpeedRpm!.Value, 0.03 * truth.SpeedRpm);
            var all = truth.Misfires.Values.Sum();
            // The firings at the very ends of the capture are not judged.
            var missed = result.Cylinders.Sum(c => Math.Max(0, truth.Misfires[c.Cylinder] - c.Misfires));
            var invented = result.Cylinders.Sum(c => Math.Max(0, c.Misfires - truth.Misfires[c.Cylinder]));
            Assert.True(
                missed <= Math.Max(2, 0.02 * all) && invented <= Math.Max(1, truth.Firings.Values.Sum() / 500.0),
                $"{schedule.Length} scheduled: missed {missed} of {all}, invented {invented}; {result.Sentence}"
            );
            if (schedule.Length == 0)
                Assert.Equal("none", result.Verdict);
        }
    }

    /// <summary>Any of three gaps alike may be the one the engine file counts from: the sync tells, and no neighbour is named.</summary>
    [Theory]
    [InlineData(20)]
    [InlineData(100)]
    public void On_a_wheel_that_looks_alike_three_times_a_turn_the_sync_tells_the_gap(double gap)
    {
        var engine = Engine(4, [1, 3, 4, 2], new CrankWheel(36, [2, 2, 2], gap));
        var plan = new RunningPlan(engine)
        {
            SpeedRpm = 900,
            Rate = 50_000,
            Seconds = 6,
            SyncCylinder = 3,
            Misfires = [new(4, 0.2)],
        };
        var (capture, truth) = RunningRun.Record(plan);
        foreach (var turned in (double[])[0, 120, 240])
        {
            var told = engine with { CrankWheel = new CrankWheel(36, [2, 2, 2], (gap + turned) % 360) };
            var result = Misfire(capture, told, 3);
            Assert.Equal("single", result.Verdict);
            Assert.Equal(truth.Misfires[4], result.Cylinders.Single(c => c.Cylinder == 4).Misfires, 2.0);
            Assert.DoesNotContain(result.Notes, n => n.Code == "sync-doubtful");
        }
    }

    [Theory]
    [InlineData(2000, 25_000)]
    [InlineData(3000, 25_000)]
    [InlineData(3000, 50_000)]
    public void Eight_cylinders_at_speed_are_told_apart_on_coarse_samples_of_an_inductive_sensor(double rpm, double rate)
    {
        var engine = Engine(8, [1, 8, 4, 3, 6, 5, 7, 2], new CrankWheel(60, [2], 120));
        var (capture, truth) = RunningRun.Record(
            new RunningPlan(engine)
            {
                SpeedRpm = rpm,
                Rate = rate,
                InductiveCrank = true,
                Seconds = 10,
                Misfires = [new(1, 0.1)],
                Seed = 3,
            }
        );
        var result = Misfire(capture, engine, 1);
        Assert.InRange(result.Cylinders.Single(c => c.Cylinder == 1).Misfires, truth.Misfires[1] - 1, truth.Misfires[1]);
        Assert.True(result.Cylinders.Where(c => c.Cylinder != 1).Sum(c => c.Misfires) <= truth.Firings.Values.Sum() / 500, result.Sentence);
    }

    [Fact]
    public void Speed_changes_noise_polarity_and_start_do_not_change_the_table()
    {
        var plan = new RunningPlan(s_engine)
        {
            Misfires = [new(3, 0.15)],
            Rate = 60_000,
            Seconds = 8,
            Seed = 4,
        };
        foreach (
            var other in (RunningPlan[])
                [
                    plan with
                    {
                        EndRpm = 1300,
                    },
                    plan with
                    {
                        SpeedRpm = 1400,
                        EndRpm = 800,
                    },
                    plan with
                    {
                        TurnedRound = true,
                    },
                    plan with
                    {
                        Noise = 0.012,
                    },
                    plan with
                    {
                        Rate = 25_000,
                        Bits = 8,
                    },
                    plan with
                    {
                        LostTeethPerMille = 0.5,
                    },
                ]
        )
        {
            var (capture, truth) = RunningRun.Record(other);
            var result = Misfire(capture, s_engine, 1);
            Assert.Equal("single", result.Verdict);
            Assert.InRange(result.Cylinders.Single(c => c.Cylinder == 3).Misfires, truth.Misfires[3] - 1, truth.Misfires[3]);
            Assert.True(result.Cylinders.Where(c => c.Cylinder != 3).All(c => c.Misfires == 0), result.Sentence);
            Assert.InRange(result.Cylinders.Single(c => c.Cylinder == 1).ContributionPercent!.Value, 90, 112);
        }
    }

    [Fact]
    public void Companions_banks_and_speed_are_named()
    {
        var engine = s_engine with
        {
            Banks =
            [
                [1, 2],
                [3, 4],
            ],
        };
        string Say(params MisfireSchedule[] schedule) =>
            Misfire(
                Run(
                    new RunningPlan(engine)
                    {
                        Misfires = schedule,
                        Seconds = 10,
                        SpeedRpm = 800,
                        EndRpm = schedule[0].AboveRpm > 0 ? 2200 : null,
                        Rate = 80_000,
                    }
                ),
                engine,
                1
            ).Sentence;
        Assert.Contains("companions", Say(new(1, 0.2), new(4, 0.2)), StringComparison.Ordinal);
        Assert.Contains("one whole bank", Say(new(1, 0.2), new(2, 0.2)), StringComparison.Ordinal);
        Assert.Contains("Only above", Say(new MisfireSchedule(2, 0.3, 1700)), StringComparison.Ordinal);
    }

    [Fact]
    public void What_can_t_show_misfires_is_refused_with_the_reason()
    {
        Refused("no-sync", Run(new RunningPlan(s_engine) { SyncCylinder = null }) is var c ? c with { Channels = [c.Channels[0]] } : null!);
        Refused("short", Run(new RunningPlan(s_engine) { Seconds = 0.4 }));
        Refused(
            "not-running",
            CrankingRun
                .Record(
                    new CrankingPlan(EngineCatalogue.Orsa)
                    {
                        CrankSensor = true,
                        SyncCylinder = 1,
                        Rate = 25_000,
                    }
                )
                .Capture
        );
        var silent = Run(new RunningPlan(s_engine));
        Refused(
            "sync-silent",
            silent with
            {
                Channels = [silent.Channels[0], silent.Channels[2] with { Samples = new float[silent.Channels[2].Samples.Length] }],
            }
        );

        static void Refused(string code, Capture capture)
        {
            var result = Misfire(capture, s_engine, 1);
            Assert.Equal((Verdict.UnusableWord, 0), (result.Verdict, result.Cylinders.Count));
            Assert.Equal(code, result.Notes[0].Code);
        }
    }

    private static readonly Engine s_engine = Engine(4, [1, 3, 4, 2], new CrankWheel(60, [2], 90));
    private static readonly Lazy<Capture> s_good = new(() => Run(new RunningPlan(s_engine) { Seconds = 4, Seed = 77 }));

    private static Engine Engine(int cylinders, int[] order, CrankWheel wheel) =>
        EngineCatalogue.Orsa with
        {
            Cylinders = cylinders,
            FiringOrder = order,
            FiringAngles = null,
            Banks = null,
            CrankWheel = wheel,
        };

    private static Capture Run(RunningPlan plan) => RunningRun.Record(plan).Capture;

    private static CamTimingResult CamTiming(Capture capture, Capture reference, Engine engine)
    {
        var result = (CamTimingResult)new CamTimingReading().Read(new ReadingRequest(capture) { Reference = reference, Engine = engine });
        Assert.False(result.IsUnusable, result.Sentence);
        return result;
    }

    private static MisfireResult Misfire(Capture capture, Engine engine, int sync) =>
        (MisfireResult)
            new MisfireReading().Read(
                new ReadingRequest(capture)
                {
                    Engine = engine,
                    Options = new Dictionary<string, string> { ["sync-cylinder"] = $"{sync}" },
                }
            );
}
