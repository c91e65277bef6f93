using System.Globalization;
using Maschera.Core.Engines;
using Maschera.Core.Expressions;
using Maschera.Core.Readings;
using Maschera.Core.Readings.RelativeCompression;
using Maschera.Core.Signals;
using Maschera.Rig;

namespace Maschera.Core.Tests;

/// <summary>Relative compression by ear: the stand-in's whine in yards and rooms, and sounds that are no cranking.</summary>
public class CrankingSoundTests(ITestOutputHelper output)
{
    /// <summary>Points a figure by ear may be off, see the contract.</summary>
    private const double Points = 14;

    public static TheoryData<int> Seeds => [.. Enumerable.Range(1, 16)];

    /// <summary>Engines, starters, rooms and hands drawn at random; a third of them sound.</summary>
    [Theory]
    [MemberData(nameof(Seeds))]
    public void Hears_which_position_is_low(int seed)
    {
        var random = new Random(1_000 + seed);
        double Between(double low, double high) => low + (high - low) * random.NextDouble();
        var engine = Engines[seed % Engines.Length];
        var n = engine.Cylinders;
        var weak = seed % 3 == 0 ? 0 : engine.FiringOrder[random.Next(n)];
        var plan = new CrankingPlan(engine)
        {
            Faults = weak > 0 ? [new(weak, Between(4, 7))] : [],
            Cranking = Between(4, 6),
            Phone = new PhoneSound
            {
                Rate = random.Next(2) == 0 ? 12_500 : 25_000,
                PeriodsPerTurn = Between(80, 150),
                Whine = [Between(0.1, 0.3), Between(0.02, 0.12), Between(0.01, 0.08)],
                Hiss = Between(0.005, 0.05),
                Breath = Between(0, 0.08),
                Echo = Between(0, 0.25),
                EchoSeconds = Between(0.03, 0.15),
                Hand = Between(0, 0.5),
            },
            Seed = seed,
        };
        var (capture, truth) = CrankingRun.Record(plan);
        var result = Read(capture.Find("Sound")!, engine);

        Assert.False(result.IsUnusable, $"{engine.Name} {truth.SpeedRpm:0} rpm, {plan.Phone}: {result.Sentence}");
        Assert.InRange(result.CrankingSpeedRpm!.Value / truth.SpeedRpm, 0.95, 1.05);
        Assert.All(result.Positions, p => Assert.Null(p.Cylinder));
        Assert.Equal(n, result.Positions.Count);
        var percent = engine.FiringOrder.Select(c => truth.WorkPercent[c]).ToArray();
        // Without a sync any place may be the first.
        var worst = Enumerable
            .Range(0, n)
            .Min(turn => Enumerable.Range(0, n).Max(i => Math.Abs(result.Positions[(i + turn) % n].Percent - percent[i])));
        output.WriteLine($"{engine.Name}: {worst:0.0} points off; {string.Join(" ", percent.Select(p => $"{p:0}"))}");
        Assert.InRange(worst, 0, Points);
        Assert.Equal(percent.Count(p => p < 80), result.Low.Count(l => l.Percent < 90));
        if (weak == 0)
            Assert.Equal("even", result.Verdict);
    }

    [Theory]
    [InlineData(8)]
    [InlineData(16)]
    [InlineData(0)]
    public void A_recording_may_be_as_loud_as_it_likes_and_start_anywhere(int quieter)
    {
        var sound = Crank(3, 5).Find("Sound")!;
        var other = sound with
        {
            Time = TimeAxis.Uniform(1_000, sound.Time.Step, sound.Time.Count),
            Samples = Array.ConvertAll(sound.Samples, s => s / (1 << quieter) + 0.001f),
        };
        var (usual, moved) = (Read(sound, EngineCatalogue.Orsa), Read(other, EngineCatalogue.Orsa));
        Assert.Equal(usual.Low.Select(l => l.Position), moved.Low.Select(l => l.Position));
        Assert.All(usual.Positions.Zip(moved.Positions), p => Assert.Equal(p.First.Percent, p.Second.Percent, 1.0));
    }

    public static TheoryData<string, double> Rumbles
    {
        get
        {
            TheoryData<string, double> rumbles = [];
            foreach (var engine in Engines)
            foreach (var loud in (double[])[0.1, 0.2])
                rumbles.Add(engine.Name, loud);
            return rumbles;
        }
    }

    /// <summary>
    /// Whoever records presses the button before the key is turned, and again when all is quiet but for the yard's rumble: what is
    /// heard there is no speed.
    /// </summary>
    [Theory]
    [MemberData(nameof(Rumbles))]
    public void A_rumble_before_and_behind_the_cranking_costs_nothing(string name, double loud)
    {
        var engine = Engines.First(e => e.Name == name);
        CrankingPlan plan = new(engine)
        {
            Faults = [new(2, 5)],
            RestBefore = 1.5,
            RestAfter = 1.5,
            Phone = new PhoneSound(),
            Seed = 7,
        };
        var (capture, truth) = CrankingRun.Record(plan);
        var result = Read(UnderRumble(capture.Find("Sound")!, 3 * loud, 3), engine);
        Assert.Equal(Math.Round(truth.WorkPercent[2]), Assert.Single(result.Low).Percent, Points);
        Assert.InRange(result.CrankingSpeedRpm!.Value / truth.SpeedRpm, 0.95, 1.05);
    }

    /// <summary>
    /// A whine that drowns, its lowest line weak and all of it under a yard's rumble: told by everything that sings along. Where that
    /// leaves the figure rough, it is said.
    /// </summary>
    [Theory]
    [MemberData(nameof(Rumbles))]
    public void A_whine_that_drowns_in_rumble_is_told_by_its_overtones(string name, double loud)
    {
        var engine = Engines.First(e => e.Name == name);
        for (var seed = 1; seed <= 3; seed++)
        {
            CrankingPlan plan = new(engine)
            {
                Faults = [new(2, 5)],
                Phone = new PhoneSound { Whine = [0.04, 0.08, 0.12, 0.05, 0.08], Rate = 12_500 },
                Seed = seed,
            };
            var (capture, truth) = CrankingRun.Record(plan);
            var result = Read(UnderRumble(capture.Find("Sound")!, 10 * loud, seed), engine);
            output.WriteLine($"{seed} {result.CrankingSpeedRpm:0} of {truth.SpeedRpm:0} rpm: {result.Sentence}");
            var isRough = result.Notes.Any(n => n.Code == "rough-fit");
            Assert.False(isRough && loud < 0.2, result.Sentence);
            Assert.Equal(Math.Round(truth.WorkPercent[2]), Assert.Single(result.Low).Percent, isRough ? 2 * Points : Points);
            Assert.InRange(result.CrankingSpeedRpm!.Value / truth.SpeedRpm, 0.95, 1.05);
        }
    }

    /// <summary>
    /// An engine whose every second cylinder is low sounds like an even one that turns half as fast. Where a starter can turn it so,
    /// they are named; where none can, it is the even one, or left open.
    /// </summary>
    [Theory]
    [InlineData(6, false)]
    [InlineData(8, false)]
    [InlineData(6, true)]
    [InlineData(8, true)]
    public void Every_second_cylinder_low_is_believed_at_a_starters_speed_only(int cylinders, bool fast)
    {
        var engine = Engines.First(e => e.Cylinders == cylinders);
        CrankingPlan plan = new(engine)
        {
            Faults = [.. engine.FiringOrder.Where((_, i) => i % 2 == 0).Select(c => new CylinderFault(c, 5))],
            Starter = fast ? StarterCircuit.For(cylinders) with { BatteryVolts = 22 } : StarterCircuit.For(cylinders),
            Phone = new PhoneSound(),
            Seed = 4,
        };
        var (capture, truth) = CrankingRun.Record(plan);
        output.WriteLine($"{truth.SpeedRpm:0} rpm");
        var result = Read(capture.Find("Sound")!, engine);
        output.WriteLine(result.Sentence);
        if (fast)
            Assert.NotEqual("uneven", result.Verdict);
        else
            Assert.Equal(cylinders / 2, result.Low.Count);
    }

    private static double Noise(Random random) => 2 * random.NextDouble() - 1;

    /// <summary>The same with the low rumble of a yard from end to end.</summary>
    private static Channel UnderRumble(Channel sound, double loud, int seed)
    {
        var (random, rumble) = (new Random(seed), 0.0);
        return sound with { Samples = Array.ConvertAll(sound.Samples, s => s + (float)(rumble += 0.08 * (loud * Noise(random) - rumble))) };
    }

    [Fact]
    public void The_figure_by_ear_agrees_with_the_clamp()
    {
        var capture = Crank(4, 6);
        var ear = Read(capture.Find("Sound")!, EngineCatalogue.Orsa);
        var clamp = (RelativeCompressionResult)
            ReadingRegistry
                .Find("relative-compression")!
                .Read(
                    new ReadingRequest(capture)
                    {
                        Engine = EngineCatalogue.Orsa,
                        Channels = new Dictionary<string, string> { ["current"] = "Starter current" },
                    }
                );
        Assert.Equal(clamp.CrankingSpeedRpm!.Value, ear.CrankingSpeedRpm!.Value, 0.03 * clamp.CrankingSpeedRpm.Value);
        Assert.Equal(clamp.Low.Min(l => l.Percent), ear.Low.Min(l => l.Percent), Points);
    }

    public static TheoryData<string> NoCranking => ["silence", "hiss", "machine", "speech", "falling", "short", "clicks", "nothing", "NaN"];

    /// <summary>What is no starter turning an engine is refused, with what to record instead.</summary>
    [Theory]
    [MemberData(nameof(NoCranking))]
    public void What_is_no_cranking_gives_no_figure(string what)
    {
        const int rate = 12_500;
        var random = new Random(5);
        var phase = 0.0;
        double Sung(double hz) => Math.Sin(phase += Math.Tau * hz / rate);
        double Hiss() => 0.02 * (random.NextDouble() - 0.5);
        Func<double, double> sound = what switch
        {
            "silence" => _ => 0,
            "hiss" => _ => 10 * Hiss(),
            "machine" => _ => 0.3 * Sung(523) + Hiss(),
            // Words: a voice that glides for a third of a second, then a pause.
            "speech" => t => (t % 0.5 < 0.33 ? 0.3 * Sung(180 + 90 * Math.Sin(9 * t) + 40 * Math.Sin(23.7 * t)) : 0) + Hiss(),
            "falling" => t => 0.3 * Sung(900 - 100 * t) + Hiss(),
            "clicks" => t => (t % 0.13 < 0.002 ? 0.5 : 0) + Hiss(),
            "NaN" => _ => double.NaN,
            _ => t => 0.3 * Sung(500 + 60 * Math.Sin(60 * t)) + Hiss(),
        };
        var seconds = what switch
        {
            "short" => 0.7,
            "nothing" => 0,
            _ => 5.0,
        };
        var channel = new Channel(
            "Sound",
            "",
            TimeAxis.Uniform(0, 1.0 / rate, (int)(seconds * rate)),
            [.. Enumerable.Range(0, (int)(seconds * rate)).Select(i => (float)sound((double)i / rate))]
        );
        var result = Read(channel, EngineCatalogue.Orsa);
        Assert.Equal("unusable", result.Verdict);
        Assert.Empty(result.Positions);
        Assert.NotEmpty(result.Notes);
        output.WriteLine(result.Notes[^1].Text);
    }

    /// <summary>A motor whose tone rises and falls about once a second, as an engine's cycle would, but with no compression in it.</summary>
    [Theory]
    [InlineData(0.82)]
    [InlineData(0.95)]
    [InlineData(1.07)]
    public void A_wiper_to_and_fro_is_no_engine(double rhythm)
    {
        const int rate = 12_500;
        foreach (var engine in Engines.Where(e => e.Cylinders is > 3 and < 8))
        {
            var (random, phase) = (new Random(5), 0.0);
            double Sung(double t)
            {
                var fro = 0.5 + 0.5 * Math.Sin(Math.Tau * rhythm * t);
                return (0.4 + fro) * 0.3 * Math.Sin(phase += Math.Tau * 380 * (0.9 + 0.15 * fro) / rate);
            }

            var samples = Enumerable.Range(0, 8 * rate).Select(i => (float)(Sung((double)i / rate) + 0.005 * Noise(random)));
            var result = Read(new Channel("Sound", "", TimeAxis.Uniform(0, 1.0 / rate, 8 * rate), [.. samples]), engine);
            Assert.True(result.Verdict == "unusable", $"{engine.Name}: {result.Sentence}");
        }
    }

    /// <summary>A bell trembles twenty times a second, as the compressions of an engine at 480 rpm would.</summary>
    [Fact]
    public void A_bell_is_no_engine()
    {
        const int rate = 12_500;
        foreach (var engine in Engines)
        {
            var (random, phase) = (new Random(5), 0.0);
            double Rung(double t) => 0.3 * Math.Sin(phase += Math.Tau * 640 * (1 + 0.05 * Math.Sign(Math.Sin(Math.Tau * 20 * t))) / rate);
            var samples = Enumerable.Range(0, 4 * rate).Select(i => (float)(Rung((double)i / rate) + 0.005 * Noise(random)));
            var result = Read(new Channel("Sound", "", TimeAxis.Uniform(0, 1.0 / rate, 4 * rate), [.. samples]), engine);
            Assert.True(result.Verdict == "unusable", $"{engine.Name}: {result.Sentence}");
        }
    }

    /// <summary>A voice over the cranking may cost the figure, but never makes a wrong one.</summary>
    [Theory]
    [InlineData(0.02)]
    [InlineData(0.1)]
    [InlineData(0.4)]
    public void Somebody_talks_while_it_cranks(double loud)
    {
        var sound = Crank(2, 6).Find("Sound")!;
        var phase = 0.0;
        var spoken = sound with
        {
            Samples =
            [
                .. sound.Samples.Select(
                    (s, i) =>
                    {
                        var t = i * sound.Time.Step;
                        phase += Math.Tau * (160 + 50 * Math.Sin(7 * t)) * sound.Time.Step;
                        var voice = t % 0.8 < 0.5 ? Enumerable.Range(1, 12).Sum(k => Math.Sin(k * phase) / k) : 0;
                        return (float)Math.Clamp(s + loud * voice, -1, 1);
                    }
                ),
            ],
        };
        var result = Read(spoken, EngineCatalogue.Orsa);
        output.WriteLine($"{result.Verdict} {string.Join(" ", result.Positions.Select(p => $"{p.Percent:0}"))}");
        if (result.Verdict != "unusable")
            Assert.Single(result.Low);
    }

    [Theory]
    [InlineData(3)]
    [InlineData(9)]
    public void Its_speed_as_a_channel_goes_with_the_crank_sensor(int seed)
    {
        var plan = new CrankingPlan(EngineCatalogue.Orsa)
        {
            Rate = 12_500,
            CrankSensor = true,
            Phone = new PhoneSound(),
            Seed = seed,
        };
        var (capture, truth) = CrankingRun.Record(plan);
        var told = string.Create(CultureInfo.InvariantCulture, $"whine(Sound, {truth.SpeedRpm:0.0})");
        var (heard, seen) = (
            Evaluate(told, capture.Find("Sound")!),
            Evaluate("speed(\"Crank sensor\", 60)", capture.Find("Crank sensor")!)
        );
        var pairs = heard.Zip(seen).Where(p => float.IsFinite(p.First) && float.IsFinite(p.Second)).ToList();
        Assert.True(pairs.Count > 3 * 12_500, $"{pairs.Count}");
        var (a, b) = (pairs.Average(p => p.First), pairs.Average(p => p.Second));
        Assert.InRange(a / b, 0.95, 1.05);
        var both = pairs.Sum(p => (p.First - a) * (p.Second - b));
        var own = Math.Sqrt(pairs.Sum(p => (p.First - a) * (p.First - a)) * pairs.Sum(p => (p.Second - b) * (p.Second - b)));
        Assert.True(both / own > 0.9, $"{both / own:0.000}");
    }

    [Fact]
    public void A_sound_too_short_or_silent_makes_no_speed()
    {
        foreach (var (seconds, level) in new[] { (0.3, 1.0), (3, 0) })
        {
            var random = new Random(4);
            var axis = TimeAxis.Uniform(0, 1 / 12_500.0, (int)(seconds * 12_500));
            var hiss = new Channel(
                "Hiss",
                "",
                axis,
                [.. Enumerable.Range(0, axis.Count).Select(_ => (float)(level * random.NextDouble()))]
            );
            Assert.Contains("No starter sings", Assert.Throws<ExpressionException>(() => Evaluate("whine(Hiss, 200)", hiss)).Message);
            Assert.Throws<ExpressionException>(() => Evaluate("whine(Hiss, 0)", hiss));
        }
    }

    private static float[] Evaluate(string text, Channel channel)
    {
        List<float> values = [];
        Expression.Read(text, [new MemoryReader(channel)]).Evaluate((_, piece) => values.AddRange(piece.Span));
        return [.. values];
    }

    /// <summary>A phone's recording says nothing of what it is, and has one channel that swings about zero.</summary>
    [Fact]
    public void A_recording_needs_no_name()
    {
        var sound = Crank(3, 5).Find("Sound")! with { Name = "1", Unit = "" };
        var result = Unnamed(sound);
        Assert.Equal("sound", result.LoadRole);
        Assert.Equal(Read(sound, EngineCatalogue.Orsa).Low, result.Low);
    }

    /// <summary>A clamp's current without a name stays on one side of zero, and is no sound.</summary>
    [Fact]
    public void A_current_without_a_name_is_no_recording()
    {
        var (capture, _) = CrankingRun.Record(CrankingBench.Plan(EngineCatalogue.Orsa, 3, 5));
        var result = Unnamed(capture.Find("Starter current")! with { Name = "1", Unit = "" });
        Assert.Equal("current", result.LoadRole);
        Assert.Single(result.Low);
    }

    private static RelativeCompressionResult Unnamed(Channel channel) =>
        (RelativeCompressionResult)
            new RelativeCompressionReading().Read(
                new ReadingRequest(new Capture("phone", [channel], [])) { Engine = EngineCatalogue.Orsa }
            );

    private static Capture Crank(int weak, double leak) =>
        CrankingRun
            .Record(
                new CrankingPlan(EngineCatalogue.Orsa)
                {
                    Faults = [new(weak, leak)],
                    Phone = new PhoneSound(),
                    Seed = 12,
                }
            )
            .Capture;

    private static Engine[] Engines { get; } =
    [
        EngineCatalogue.Orsa,
        EngineCatalogue.Tasso,
        EngineCatalogue.Ghiro,
        EngineCatalogue.Camoscio,
        .. EngineCatalogue
            .Layouts.Where(l => l.Name is "Five in line" or "V8, cross-plane")
            .Select(l => l with { Geometry = EngineCatalogue.Orsa.Geometry, ValveTiming = EngineCatalogue.Orsa.ValveTiming }),
    ];

    private static RelativeCompressionResult Read(Channel sound, Engine engine) =>
        (RelativeCompressionResult)
            ReadingRegistry
                .Find("relative-compression")!
                .Read(
                    new ReadingRequest(new Capture("phone", [sound], []))
                    {
                        Engine = engine,
                        Channels = new Dictionary<string, string> { ["sound"] = sound.Name },
                    }
                );
}
