using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Readings.CamTiming;
using Maschera.Core.Readings.Misfire;
using Maschera.Core.Readings.RelativeCompression;
using Maschera.Core.Signals;
using Maschera.Core.Timing;
using Maschera.Rig;

namespace Maschera.Core.Tests;

/// <summary>Wheels of unusual kinds, wheels in bad order, stops, and captures without a wheel.</summary>
public class AngleClockTests
{
    private static readonly Engine s_engine = EngineCatalogue.Orsa;

    [Theory]
    [InlineData(12, false, true)]
    [InlineData(36, false, false)]
    [InlineData(24, true, false)]
    public void A_wheel_marked_by_an_extra_tooth_is_understood(int teeth, bool inductive, bool told)
    {
        var engine = s_engine with { CrankWheel = new CrankWheel(teeth, [], 90, Extra: 1) };
        var plan = new RunningPlan(engine) { InductiveCrank = inductive, Seconds = 4 };
        var asked = told ? engine : engine with { CrankWheel = null };
        var result = CamTiming(
            Run(plan with { CamOffsetDegrees = 8.2, SpeedRpm = 720, Seed = 4 }),
            [Run(plan with { SpeedRpm = 1100 })],
            asked
        );
        Assert.Equal((teeth, 0, 1), (result.Wheel!.Teeth, result.Wheel.Missing.Count, result.Wheel.Extra));
        Assert.Equal(8.2, result.OffsetDegrees!.Value, 0.3);
        Assert.DoesNotContain(result.Notes, n => n.Code is "extra-edges" or "plain-wheel");
        var misfires = (MisfireResult)
            new MisfireReading().Read(new ReadingRequest(Run(plan with { Misfires = [new(3, 0.3)], Seconds = 10 })) { Engine = engine });
        Assert.Equal("single", misfires.Verdict);
        Assert.True(misfires.Cylinders.Single(c => c.Cylinder == 3).Misfires > 5);
    }

    [Theory]
    [InlineData(3, 2, true)]
    [InlineData(1, 4, true)]
    [InlineData(1, 3, false)]
    public void Where_every_second_firing_gives_nothing_the_engine_itself_is_asked_about(int one, int other, bool asked)
    {
        var plan = new RunningPlan(s_engine)
        {
            SpeedRpm = 2400,
            Misfires = [new(one, 1), new(other, 1)],
            Seconds = 8,
        };
        var result = new MisfireReading().Read(new ReadingRequest(Run(plan)) { Engine = s_engine });
        Assert.Equal(asked, result.Notes.Any(n => n.Code == "which-engine"));
    }

    [Theory]
    [InlineData(17, 1.6)]
    [InlineData(40, -1.2)]
    public void A_tooth_off_its_place_is_named(int tooth, double degrees)
    {
        var note = Assert.Single(
            Clock(new RunningPlan(s_engine) { BentTooth = (tooth, degrees), Seconds = 3 }).Notes,
            n => n.Code == "tooth-off"
        );
        Assert.Contains($"Tooth {tooth} ", note.Text, StringComparison.Ordinal);
        Assert.Contains(degrees > 0 ? "late" : "early", note.Text, StringComparison.Ordinal);
        Assert.DoesNotContain(Clock(new RunningPlan(s_engine) { Seconds = 3, Seed = 3 }).Notes, n => n.Code == "tooth-off");
    }

    [Fact]
    public void An_engine_that_stops_and_rocks_back_has_angles_up_to_there()
    {
        // 250 rpm for three seconds, then to rest within half a second, and two swings against compression.
        static double Degrees(double t) =>
            t < 3 ? 1500 * t
            : t < 3.5 ? 4500 + 1500 * (t - 3) * (1 - (t - 3))
            : 4875 + 40 * Math.Exp(-3 * (t - 3.5)) * Math.Sin(9 * (t - 3.5));
        var (clock, problem) = AngleClock.Make(Sensor(Degrees, 6), s_engine);
        Assert.Null(problem);
        Assert.Contains(clock!.Notes, n => n.Code == "stopped");
        Assert.InRange(clock.Seconds[^1], 3.1, 3.6);
        foreach (var at in (double[])[0.7, 1.9, 2.9])
            Assert.Equal(Degrees(at) - Degrees(0.5), clock.At(at) - clock.At(0.5), 0.3);
    }

    [Theory]
    [InlineData(50)]
    [InlineData(12_000)]
    public void Speeds_from_a_slow_starter_to_a_racing_engine_are_followed(double rpm)
    {
        double Degrees(double t) => 6 * rpm * t + 2 * Math.Sin(6 * rpm * t * Math.PI / 180 * 2);
        var (clock, _) = AngleClock.Make(Sensor(Degrees, 6 * 250 / rpm + 1, rpm > 1000 ? 200_000 : 20_000), s_engine);
        Assert.Equal(rpm, clock!.SpeedRpm, 0.01 * rpm);
        for (var share = 0.1; share < 0.9; share += 0.1)
        {
            var at = share * clock.Seconds[^1];
            Assert.Equal(Degrees(at) - Degrees(clock.Seconds[^1] / 2), clock.At(at) - clock.At(clock.Seconds[^1] / 2), 0.4);
        }
    }

    [Fact]
    public void Sparks_alone_give_degrees_with_the_doubt_they_deserve()
    {
        var capture = Run(
            new RunningPlan(s_engine)
            {
                SyncCylinder = 3,
                SpeedRpm = 800,
                EndRpm = 1500,
                Seconds = 8,
            }
        );
        var truth = Clock(capture);
        var (clock, problem) = MarkClock.FromSync(capture.Find("Ignition")!, "ignition", 3, s_engine);
        Assert.Null(problem);
        Assert.Contains(clock!.Notes, n => n.Code == "no-wheel-clock");
        Assert.InRange(clock.StandardErrorDegrees, 0.3, 4);
        var phase = CyclePhase.Find(truth, s_engine, capture.Find("Ignition"), "ignition", 3).Tdc!.Value;
        for (var at = 1.0; at < 7; at += 0.37)
            Assert.Equal(0, Math.IEEERemainder(truth.At(at) - phase - clock.At(at), 720), 3 * clock.StandardErrorDegrees + 4);
    }

    [Fact]
    public void Compressions_alone_give_degrees_while_cranking()
    {
        var (capture, _) = CrankingRun.Record(
            new CrankingPlan(s_engine)
            {
                SyncCylinder = 1,
                CrankSensor = true,
                Rate = 20_000,
                Seed = 6,
            }
        );
        var reading = (RelativeCompressionResult)
            new RelativeCompressionReading().Read(
                new ReadingRequest(capture)
                {
                    Engine = s_engine,
                    Channels = new Dictionary<string, string> { ["current"] = "Starter current", ["sync"] = "Ignition" },
                }
            );
        var (clock, _) = MarkClock.FromCompressions(reading.Humps, s_engine);
        var truth = Clock(capture);
        var (from, to) = (clock!.Seconds[2], clock.Seconds[^3]);
        for (var at = from; at < to; at += 0.05)
            Assert.Equal(truth.At(at) - truth.At(from), clock.At(at) - clock.At(from), 3 * clock.StandardErrorDegrees);
        Assert.Equal(s_engine.CrankWheel!.GapToTdc!.Value, ((truth.At(clock.TimeAt(1440)) % 360) + 360) % 360, 15.0);
    }

    [Fact]
    public void Several_known_good_captures_give_a_mean_to_be_judged_against()
    {
        var engine = s_engine with { CamDrive = new CamDrive("belt", 24) };
        var plan = new RunningPlan(engine) { Seconds = 4 };
        List<Capture> good =
        [
            .. ((double[])[0.6, -0.6, 0.3, -0.3]).Select(
                (off, i) => Run(plan with { CamOffsetDegrees = off, Seed = 20 + i, SpeedRpm = 800 + 60 * i })
            ),
        ];
        var off = CamTiming(Run(plan with { CamOffsetDegrees = 2.5, Seed = 9 }), good, engine);
        Assert.Equal(2.5, off.OffsetDegrees!.Value, 0.25);
        Assert.Equal(4, off.Cams[0].ReferenceCaptures);
        Assert.Equal(0.55, off.Cams[0].ReferenceSpreadDegrees!.Value, 0.2);
        Assert.Equal("ok", off.Verdict);
        Assert.Contains(off.Notes, n => n.Code == "outside-spread");
        Assert.DoesNotContain(
            CamTiming(Run(plan with { CamOffsetDegrees = 0.8, Seed = 9 }), good, engine).Notes,
            n => n.Code == "outside-spread"
        );
        Assert.Contains(
            "one tooth late",
            CamTiming(Run(plan with { CamOffsetDegrees = 15, Seed = 9 }), good, engine).Sentence,
            StringComparison.Ordinal
        );
        Assert.Contains(
            "no whole tooth",
            CamTiming(Run(plan with { CamOffsetDegrees = -8, Seed = 9 }), good, engine).Sentence,
            StringComparison.Ordinal
        );
        var withOther = CamTiming(
            good[0],
            [good[1], Run(plan with { Engine = engine with { CrankWheel = new CrankWheel(36, [1], 90) } })],
            engine
        );
        Assert.Contains(withOther.Notes, n => n.Code == "reference-left-out");
        Assert.Equal(1.2, withOther.OffsetDegrees!.Value, 0.3);
    }

    private static Channel Sensor(Func<double, double> degrees, double seconds, double rate = 50_000)
    {
        var count = (int)(seconds * rate);
        return new Channel(
            "Crank sensor",
            "V",
            TimeAxis.Uniform(0, 1 / rate, count),
            [.. Enumerable.Range(0, count).Select(i => High(degrees(i / rate)) ? 5f : 0.2f)]
        );

        static bool High(double at)
        {
            var into = (at % 360 + 360) % 360;
            return into < 348 && into % 6 < 3;
        }
    }

    private static Capture Run(RunningPlan plan) => RunningRun.Record(plan).Capture;

    private static AngleClock Clock(RunningPlan plan) => Clock(Run(plan));

    private static AngleClock Clock(Capture capture) => AngleClock.Make(capture.Find("Crank sensor")!, s_engine).Clock!;

    private static CamTimingResult CamTiming(Capture capture, List<Capture> good, Engine engine) =>
        (CamTimingResult)
            new CamTimingReading().Read(
                new ReadingRequest(capture)
                {
                    Engine = engine,
                    Reference = good[0],
                    MoreReferences = [.. good.Skip(1).Select(g => new KnownGood(g, new Dictionary<string, string>()))],
                }
            );
}
