using Maschera.Core.Engines;
using Maschera.Core.Expressions;
using Maschera.Core.Readings;
using Maschera.Core.Readings.Pulses;
using Maschera.Core.Signals;
using Maschera.Rig;
using static Maschera.Core.Tests.PulseBench;

namespace Maschera.Core.Tests;

/// <summary>Pulses at the stand-in engine's pick-ups: the right cylinder named, sound engines left alone.</summary>
public class PulsesTests
{
    [Theory]
    [InlineData(3)]
    [InlineData(4)]
    [InlineData(6)]
    public void A_sound_engine_is_left_alone_at_every_place(int cylinders)
    {
        var engine = Of(cylinders);
        var capture = Record(engine);
        foreach (var at in new[] { "intake", "exhaust", "crankcase" })
        {
            var result = Read(capture, engine, at);
            // A sound crankcase may pulse so little that nothing comes again.
            if (at == "crankcase" && result.IsUnusable)
            {
                Assert.Contains(result.Notes, n => n.Code == "no-pulses");
                continue;
            }

            Assert.True(result.Verdict == "even", $"{at}: {result.Sentence}");
            Assert.Equal(cylinders, result.Cylinders.Count);
        }
    }

    public static TheoryData<int, int, string, string> Faults =>
        new()
        {
            { 4, 3, "misfires", "exhaust" },
            { 3, 2, "misfires", "exhaust" },
            { 6, 5, "misfires", "exhaust" },
            { 4, 2, "weak", "exhaust" },
            { 6, 4, "weak", "exhaust" },
            { 4, 1, "leaks", "exhaust" },
            { 3, 3, "leaks", "exhaust" },
            { 4, 4, "leaks-case", "crankcase" },
            { 6, 2, "leaks-case", "crankcase" },
            { 4, 3, "leaks-coolant", "coolant" },
            { 6, 6, "leaks-coolant", "coolant" },
            { 6, 1, "half-exhaust", "exhaust" },
            { 6, 3, "leaks", "exhaust" },
        };

    [Theory]
    [MemberData(nameof(Faults))]
    public void The_cylinder_at_fault_is_named(int cylinders, int cylinder, string fault, string at)
    {
        var engine = Of(cylinders);
        var result = Read(
            Record(
                engine,
                fault switch
                {
                    "misfires" => new BreathingFault(cylinder) { Misfires = 1 },
                    "weak" => new BreathingFault(cylinder) { Heat = 0.5 },
                    "leaks" => new BreathingFault(cylinder) { LeakMm2 = 5 },
                    "leaks-case" => new BreathingFault(cylinder) { LeakMm2 = 6, LeakTo = LeakTo.Crankcase },
                    "leaks-coolant" => new BreathingFault(cylinder) { LeakMm2 = 1, LeakTo = LeakTo.Coolant },
                    _ => new BreathingFault(cylinder) { ExhaustOpens = 0.5 },
                }
            ),
            engine,
            at
        );
        Assert.True(result.Cylinders.MaxBy(c => c.Oddness)!.Cylinder == cylinder, result.Sentence);
        Assert.True(result.Verdict is "one-odd", result.Sentence);
        Assert.Contains($"Cylinder {cylinder} ", result.Sentence, StringComparison.Ordinal);
        Assert.Equal([cylinder], result.Ledger.Where(l => l.Odd).Select(l => l.Cylinder));
    }

    [Theory]
    [InlineData(3)]
    [InlineData(4)]
    [InlineData(6)]
    [InlineData(8)]
    public void At_the_intake_missing_suction_and_a_leaking_valve_are_laid_on_their_own_cylinder(int cylinders)
    {
        var engine = Of(cylinders);
        foreach (var (fault, seed) in new[] { "half", "leak" }.SelectMany(f => new[] { 3, 8 }.Select(s => (f, s))))
        foreach (var rpm in (double[])[780, 1_500])
        {
            var cylinder = 1 + seed % cylinders;
            var result = Read(
                Record(
                    engine,
                    rpm,
                    seed,
                    fault == "half"
                        ? new BreathingFault(cylinder) { IntakeOpens = 0.45 }
                        : new BreathingFault(cylinder) { LeakMm2 = 6, LeakTo = LeakTo.Intake }
                ),
                engine,
                "intake"
            );
            var odd = result.Cylinders.Where(c => c.IsOdd).Select(c => c.Cylinder).ToList();
            // Passed over, or its own, or said to be one of two: never another's in silence.
            var isEither = result.Notes.Any(n => n.Code == "either" && n.Text.Contains($"cylinder {cylinder}", StringComparison.Ordinal));
            Assert.True(odd.Count == 0 || odd.SequenceEqual([cylinder]) || isEither, $"{fault} {cylinder} at {rpm}: {result.Sentence}");
        }
    }

    [Theory]
    [InlineData(3)]
    [InlineData(4)]
    [InlineData(6)]
    [InlineData(8)]
    public void A_cylinder_that_its_exhaust_valve_does_not_empty_is_not_laid_on_the_one_that_fires_opposite(int cylinders)
    {
        var engine = Of(cylinders);
        foreach (var (cylinder, rpm) in new[] { (1, 780.0), (cylinders, 780.0), (2, 1_500.0) })
        {
            var result = Read(Record(engine, rpm, 5, new BreathingFault(cylinder) { ExhaustOpens = 0 }), engine, "intake");
            Assert.True(result.Verdict == "one-odd", result.Sentence);
            var isEither = result.Notes.Any(n =>
                n.Code == "either" && n.Text.Contains($"cylinder {cylinder} is not", StringComparison.Ordinal)
            );
            var isNamed = result.Sentence.Contains($"Cylinder {cylinder} differs at the intake: it blows back", StringComparison.Ordinal);
            Assert.True(isNamed || isEither, $"{cylinder} at {rpm}: {result.Sentence}");
        }
    }

    [Theory]
    [InlineData(3, 2_000)]
    [InlineData(4, 1_500)]
    [InlineData(6, 1_500)]
    public void A_cylinder_that_its_exhaust_valve_does_not_empty_is_named_at_the_exhaust(int cylinders, double rpm)
    {
        var engine = Of(cylinders);
        foreach (var cylinder in new[] { 1, cylinders })
        {
            var result = Read(Record(engine, rpm, 2, new BreathingFault(cylinder) { ExhaustOpens = 0 }), engine, "exhaust");
            Assert.True(result.Verdict == "one-odd" && IsOwnOrEither(result, cylinder), $"{cylinder}: {result.Sentence}");
        }
    }

    [Theory]
    [InlineData(4)]
    [InlineData(6)]
    [InlineData(8)]
    public void A_misfire_is_laid_on_nobody_else_at_the_intake_in_silence(int cylinders)
    {
        var engine = Of(cylinders);
        foreach (var (cylinder, rpm) in new[] { (2, 780.0), (cylinders, 1_500.0), (3, 2_000.0) })
        {
            var result = Read(Record(engine, rpm, 3, new BreathingFault(cylinder) { Misfires = 1 }), engine, "intake");
            Assert.True(result.Verdict == "even" || IsOwnOrEither(result, cylinder), $"{cylinder} at {rpm}: {result.Sentence}");
        }
    }

    /// <summary>True where the cylinder is the one named, or said to be one of two.</summary>
    private static bool IsOwnOrEither(PulsesResult result, int cylinder) =>
        result.Cylinders.Where(c => c.IsOdd).Select(c => c.Cylinder).SequenceEqual([cylinder])
        || result.Notes.Any(n => n.Code == "either" && n.Text.Contains($"cylinder {cylinder} ", StringComparison.Ordinal));

    [Theory]
    [InlineData(4)]
    [InlineData(6)]
    public void A_cylinder_that_draws_nothing_is_named_though_another_fires_opposite(int cylinders)
    {
        var engine = Of(cylinders);
        foreach (var rpm in (double[])[780, 2_000])
        {
            var result = Read(Record(engine, rpm, 7, new BreathingFault(2) { IntakeOpens = 0 }), engine, "intake");
            Assert.Equal([2], result.Cylinders.Where(c => c.IsOdd).Select(c => c.Cylinder));
        }
    }

    [Fact]
    public void A_valve_that_opens_less_is_told_by_its_own_stroke_whatever_the_course()
    {
        var engine = EngineCatalogue.Tasso;
        foreach (var (place, cylinder) in engine.FiringOrder.Index())
        {
            // It draws less at first and makes up for it at the end: no course that any table knows.
            double Gas(double degrees) => Bump(degrees - 400) - 0.7 * Bump(degrees - 520);
            double Bump(double off) => Math.Exp(-Math.Pow(Math.IEEERemainder(off, 720) / 22, 2));
            var result = Read(Made(degrees => Math.Sin(degrees * Math.PI / 60) + 0.8 * Gas(degrees - 120 * place)), engine, "intake");
            Assert.Equal([cylinder], result.Cylinders.Where(c => c.IsOdd).Select(c => c.Cylinder));
        }
    }

    [Theory]
    [InlineData(0.5, "even")]
    [InlineData(2.5, "unusable")]
    public void What_nobodys_valves_explain_is_laid_on_nobody_and_not_called_alike(double size, string verdict)
    {
        // A swing of its own that comes once a cycle and a half-order of the firing: no stroke begins or ends with it.
        double Odd(double degrees) => Math.Sin(degrees * Math.PI / 360) + Math.Sin(degrees * Math.PI * 5 / 360 + 1);
        var result = Read(Made(degrees => Math.Sin(degrees * Math.PI / 60) + size * 0.3 * Odd(degrees)), EngineCatalogue.Tasso, "intake");
        Assert.True(result.Verdict == verdict, result.Sentence);
        Assert.Contains(result.Notes, n => n.Code == "unexplained");
        Assert.DoesNotContain("alike", result.Sentence, StringComparison.Ordinal);
    }

    [Fact]
    public void A_cylinder_that_draws_nothing_is_said_to_push()
    {
        var engine = Of(4);
        var result = Read(Record(engine, 780, 5, new BreathingFault(3) { IntakeOpens = 0 }), engine, "intake");
        Assert.Contains("Cylinder 3 differs at the intake: its pulse is turned round", result.Sentence, StringComparison.Ordinal);
        Assert.DoesNotContain("-", result.Sentence, StringComparison.Ordinal);
    }

    [Fact]
    public void A_sync_sampled_too_slowly_names_no_cylinder_and_no_speed()
    {
        var engine = Of(6);
        var capture = Record(engine, 2_200, 3, new BreathingFault(2) { Misfires = 1 });
        var random = new Random(1);
        var sync = capture.Find("Ignition")!;
        // Most sparks fall between two samples.
        var lost = new float[sync.Samples.Length];
        foreach (var mark in Maschera.Core.Timing.SyncEvents.Find(sync, 0.02).Where(_ => random.NextDouble() < 0.35))
            for (var i = sync.Time.IndexAtOrAfter(mark.Start); i <= sync.Time.IndexAtOrAfter(mark.Start) + 3; i++)
                lost[i] = 5;
        var result = Read(
            capture with
            {
                Channels = [.. capture.Channels.Select(c => c == sync ? c with { Samples = lost } : c)],
            },
            engine,
            "exhaust"
        );
        Assert.True(result.IsUnusable, result.Sentence);
        Assert.Empty(result.Cylinders);
        Assert.Null(result.SpeedRpm);
    }

    [Theory]
    [InlineData(0.0)]
    [InlineData(0.02)]
    public void A_channel_without_pulses_is_unusable(double hum)
    {
        var engine = Of(4);
        var capture = Record(engine);
        var random = new Random(5);
        var flat = capture
            .Find("Exhaust pulse")!
            .Samples.Select((_, i) => (float)(1 + 0.01 * random.NextDouble() + hum * Math.Sin(i * 2 * Math.PI * 53.7 / 20_000)))
            .ToArray();
        var result = Read(
            capture with
            {
                Channels = [.. capture.Channels.Select(c => c.Name == "Exhaust pulse" ? c with { Samples = flat } : c)],
            },
            engine,
            "exhaust"
        );
        Assert.True(result.IsUnusable, result.Sentence);
        Assert.Empty(result.Cylinders);
        Assert.Contains(result.Notes, n => n.Code == "no-pulses");
    }

    [Fact]
    public void A_misfire_is_told_from_a_mechanical_cause_by_the_intake()
    {
        var engine = Of(4);
        PulsesResult Both(BreathingFault fault) => Read(Record(engine, fault), engine, "exhaust", ("intake", "Intake pulse"));
        Assert.Equal("combustion", Both(new BreathingFault(3) { Misfires = 1 }).Cause);
        Assert.Equal("mechanical", Both(new BreathingFault(3) { LeakMm2 = 6 }).Cause);
    }

    [Fact]
    public void Scale_and_level_of_the_pick_up_change_nothing()
    {
        var engine = Of(4);
        var capture = Record(engine, new BreathingFault(2) { Misfires = 1 });
        var first = Read(capture, engine, "exhaust");
        var changed = capture with
        {
            Channels =
            [
                .. capture.Channels.Select(c =>
                    c.Name == "Exhaust pulse" ? c with { Samples = Array.ConvertAll(c.Samples, v => 40 * v + 3) } : c
                ),
            ],
        };
        var second = Read(changed, engine, "exhaust");
        Assert.Equal(first.Verdict, second.Verdict);
        foreach (var (one, two) in first.Cylinders.Zip(second.Cylinders))
            Assert.Equal(one.DepthPercent, two.DepthPercent, 1);
    }

    [Fact]
    public void The_transit_can_be_said_and_moves_the_shares()
    {
        var engine = Of(4);
        var capture = Record(engine);
        var (usual, said) = (Read(capture, engine, "exhaust"), Read(capture, engine, "exhaust", options: ("transit", "12")));
        Assert.Equal(12, said.TransitMs!.Value, 6);
        Assert.InRange(Math.IEEERemainder(said.Starts[0] - usual.Starts[0], 720), 15, 40);
    }

    [Fact]
    public void Back_pressure_is_given_against_a_persons_limit_beside_the_vehicles_sensor()
    {
        var engine = Of(4);
        var capture = BreathingRun
            .Record(
                new BreathingPlan(engine)
                {
                    Measured = null,
                    PickUps = true,
                    ExhaustBlocked = 0.97,
                    Seconds = 4,
                }
            )
            .Capture;
        var pressure = capture.Find("Exhaust back pressure")!;
        var sensor = pressure with { Name = "Own sensor", Unit = "V", Samples = Array.ConvertAll(pressure.Samples, v => 0.5f + 1.25f * v) };
        var result = Read(
            capture with
            {
                Channels = [.. capture.Channels, sensor],
            },
            engine,
            "exhaust",
            [("back-pressure", "Exhaust back pressure"), ("sensor", "Own sensor")],
            ("limit-idle", "0.1")
        );
        var idle = Assert.Single(result.BackPressure);
        Assert.Equal("idle", idle.Condition);
        Assert.True(idle.Exceeds && idle.Peak > idle.Mean && idle.Ripple > 0, $"{idle}");
        Assert.InRange(result.Sensor!.VoltsPerUnit, 1.24, 1.26);
        Assert.InRange(result.Sensor.OffsetVolts, 0.49, 0.51);
    }

    [Fact]
    public void What_can_not_answer_is_refused_with_its_reason()
    {
        var engine = Of(4);
        var capture = Record(engine);
        Refused("no-sync", capture with { Channels = [capture.Find("Exhaust pulse")!] }, engine);
        Refused("no-pulse", capture with { Channels = [capture.Find("Ignition")!] }, engine);
        Refused("few-cylinders", capture, engine with { Cylinders = 2, FiringOrder = [1, 2] });
        Refused(
            "no-pulses",
            capture with
            {
                Channels =
                [
                    .. capture.Channels.Select(c => c.Name == "Exhaust pulse" ? c with { Samples = new float[c.Samples.Length] } : c),
                ],
            },
            engine
        );
        Assert.Throws<ReadingException>(() => Read(capture, engine, "gearbox"));
        Assert.Throws<ReadingException>(() => Read(capture, engine, "exhaust", options: ("sync-cylinder", "9")));
    }

    private static void Refused(string code, Capture capture, Engine engine)
    {
        var result = (PulsesResult)
            new PulsesReading().Read(
                new ReadingRequest(capture)
                {
                    Engine = engine,
                    Channels = capture.Find("Exhaust pulse") is null
                        ? new Dictionary<string, string>()
                        : new() { ["pulse"] = "Exhaust pulse" },
                }
            );
        Assert.True(result.IsUnusable, $"{code}: {result.Sentence}");
        Assert.Contains(result.Notes, n => n.Code == code);
        Assert.Empty(result.Cylinders);
    }
}
