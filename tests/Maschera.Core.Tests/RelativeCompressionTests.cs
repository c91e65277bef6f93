using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Readings.RelativeCompression;
using Maschera.Core.Signals;
using Maschera.Rig;
using static Maschera.Core.Tests.CrankingBench;

namespace Maschera.Core.Tests;

/// <summary>Relative compression against the stand-in engine's own truth.</summary>
public class RelativeCompressionTests(ITestOutputHelper output)
{
    /// <summary>Points a figure may be off the true work, see the accuracy table of the contract.</summary>
    private const double Points = 5;

    /// <summary>And of a cylinder that does less than half.</summary>
    private const double RoughPoints = 7;

    public static TheoryData<string, int, double> Engines =>
        new()
        {
            { "Orsa 1.4", 0, 0 },
            { "Orsa 1.4", 2, 4 },
            { "Tasso V6", 0, 0 },
            { "Tasso V6", 5, 6 },
            { "Ghiro 1.0", 3, 3 },
            { "Ghiro 1.0", 0, 0 },
            { "Camoscio 2.0 D", 0, 0 },
            { "Camoscio 2.0 D", 4, 5 },
            { "Twin, 360°", 2, 6 },
            { "V-twin, 90° odd-fire", 1, 6 },
            { "Five in line", 4, 4 },
            { "V6, 90° odd-fire", 5, 5 },
            { "V6, 90° odd-fire", 0, 0 },
            { "V8, cross-plane", 3, 5 },
            { "V10, 72°", 7, 5 },
            { "V12", 0, 0 },
            { "V12", 9, 8 },
        };

    [Theory]
    [MemberData(nameof(Engines))]
    public void Finds_the_weak_cylinder_and_only_it_from_current(string name, int weak, double leak)
    {
        var (capture, truth) = Crank(name, weak, leak);
        Check(Read(capture, Find(name), "current=Starter current", "sync=Ignition"), truth, weak);
    }

    [Theory]
    [InlineData("Orsa 1.4", 3, 5)]
    [InlineData("Tasso V6", 2, 6)]
    [InlineData("Ghiro 1.0", 0, 0)]
    public void Finds_it_from_the_battery_voltage_too(string name, int weak, double leak)
    {
        var (capture, truth) = Crank(name, weak, leak);
        Check(Read(capture, Find(name), "battery=Battery voltage", "sync=Ignition"), truth, weak);
    }

    [Theory]
    [InlineData("Orsa 1.4", 3, 5)]
    [InlineData("Tasso V6", 2, 6)]
    [InlineData("Ghiro 1.0", 0, 0)]
    public void Finds_it_from_the_crank_wheel_too(string name, int weak, double leak)
    {
        var (capture, truth) = Crank(name, weak, leak);
        Check(Read(capture, Find(name), "crank=Crank sensor", "sync=Ignition"), truth, weak);
    }

    /// <summary>
    /// A light flywheel: the speed halves within some teeth, also while the wheel's gap passes, and nobody said what wheel it is.
    /// </summary>
    [Theory]
    [InlineData("Orsa 1.4", 3, 4)]
    [InlineData("Ghiro 1.0", 2, 4)]
    [InlineData("Five in line", 4, 4)]
    [InlineData("Tasso V6", 0, 0)]
    public void A_gap_that_passes_while_the_speed_swings_is_no_fault(string name, int weak, double leak)
    {
        foreach (var teeth in (int[])[60, 36])
        foreach (var seed in (int[])[1, 2, 3])
        {
            var plan = Plan(Find(name) with { CrankWheel = new CrankWheel(teeth, [2]) { GapToTdc = 90 + 50 * seed } }, weak, leak);
            var (capture, truth) = CrankingRun.Record(
                plan with
                {
                    Starter = plan.Starter with { Inertia = 0.45 * plan.Starter.Inertia },
                    Seed = seed,
                }
            );
            var result = Read(capture, Find(name) with { CrankWheel = null }, "crank=Crank sensor", "sync=Ignition");
            // A gap of thirty degrees may be taken for wider; then it says so, and accuses nobody.
            if (teeth == 60 || !result.IsUnusable)
                Check(result, truth, weak);
            else
                Assert.Contains(result.Notes, n => n.Code == "wheel-unsure");
        }
    }

    /// <summary>A heavy flywheel runs up slowly and runs on after the key is let go: neither is cranking.</summary>
    [Theory]
    [InlineData("Orsa 1.4", 3, 4)]
    [InlineData("Ghiro 1.0", 2, 4)]
    [InlineData("V8, cross-plane", 3, 5)]
    public void Running_up_and_down_is_no_cranking(string name, int weak, double leak)
    {
        var plan = Plan(Find(name) with { CrankWheel = new CrankWheel(60, [2]) { GapToTdc = 90 } }, weak, leak);
        var starter = plan.Starter with { Inertia = 3 * plan.Starter.Inertia };
        var (capture, truth) = CrankingRun.Record(
            plan with
            {
                Starter = starter with { FrictionNm = 0.4 * starter.FrictionNm, DampingNms = 0.1 },
                RestAfter = 3,
            }
        );
        var result = Read(capture, Find(name), "crank=Crank sensor", "sync=Ignition");
        Assert.False(result.IsUnusable, result.Sentence);
        // So heavy a wheel hardly swings: the figure is rougher, the cylinder and the speed are not.
        var low = Assert.Single(result.Low);
        Assert.Equal(weak, low.Cylinder);
        Assert.Equal(truth.WorkPercent[weak], low.Percent, RoughPoints);
        Assert.InRange(result.CrankingSpeedRpm!.Value / truth.SpeedRpm, 0.95, 1.05);
    }

    /// <summary>
    /// Engines nobody has seen: cylinders, geometry, starter, noise, converter, rate and faults drawn at random.
    /// </summary>
    [Theory]
    [MemberData(nameof(Seeds))]
    public void Reads_engines_it_has_never_seen(int seed)
    {
        var random = new Random(seed);
        double Between(double low, double high) => low + (high - low) * random.NextDouble();
        var layouts = EngineCatalogue.Layouts.Where(l => l.Cylinders <= 8).ToList();
        var layout = layouts[random.Next(layouts.Count)];
        var n = layout.Cylinders;
        var stroke = Between(68, 95);
        var engine = layout with
        {
            Geometry = new EngineGeometry(Between(70, 92), stroke, stroke * Between(1.55, 1.8), Between(8.8, 12.5)),
            ValveTiming = new ValveTiming(Between(125, 145), Between(365, 380), Between(340, 355), Between(575, 600)),
        };
        var first = random.Next(n);
        var weak = Enumerable
            .Range(0, random.Next(n > 3 ? 3 : 2))
            .Select(k => engine.FiringOrder[(first + k * (1 + random.Next(2))) % n])
            .Distinct()
            .ToList();
        var plan = new CrankingPlan(engine)
        {
            Faults = [.. weak.Select(c => new CylinderFault(c, Between(1.2, 6)))],
            Starter = new StarterCircuit
            {
                VoltSeconds = Between(0.2, 0.24) + 0.02 * n,
                Inertia = (0.08 + 0.03 * n) * Between(0.7, 1.4),
                FrictionNm = 12 + 4 * n,
                BatteryVolts = Between(11.8, 12.8),
                BatteryOhms = Between(0.004, 0.008),
                MotorOhms = Between(0.008, 0.014),
            },
            Cranking = Between(4, 6.5),
            Rate = (double[])[2_000, 5_000, 12_500] is var rates ? rates[random.Next(3)] : 0,
            Bits = random.Next(8, 13) is var bits && bits < 10 ? 10 : bits,
            ClampNoise = Between(1, 6),
            ClampOffset = Between(-8, 8),
            SyncCylinder = random.Next(1, n + 1),
            Seed = seed,
        };
        var (capture, truth) = CrankingRun.Record(plan);
        var cut = Between(1.2, 3.5);
        if (seed > Cut)
            capture = capture with
            {
                Channels = [.. capture.Channels.Select(c => seed % 2 == 0 ? c.Between(1.5, 1.5 + cut) : c.Between(0, 0.6 + cut))],
            };
        output.WriteLine(
            $"{layout.Name} ratio {engine.Geometry.CompressionRatio:0.0} weak {string.Join(",", weak)} rate {plan.Rate} bits {plan.Bits}"
        );
        var bare = engine with { Geometry = null, ValveTiming = null };
        var result = (RelativeCompressionResult)
            new RelativeCompressionReading().Read(
                new ReadingRequest(capture)
                {
                    Engine = bare,
                    Channels = new Dictionary<string, string> { ["current"] = "Starter current", ["sync"] = "Ignition" },
                    Options = new Dictionary<string, string> { ["sync-cylinder"] = $"{plan.SyncCylinder}" },
                }
            );
        foreach (var p in result.Positions)
            output.WriteLine(
                $"  {p.Cylinder}: {p.Percent} ±{p.SpreadPercent} true {truth.WorkPercent.GetValueOrDefault(p.Cylinder ?? 0):0.0}"
            );
        output.WriteLine(result.Sentence);
        if (seed > Cut && result.IsUnusable)
            return;
        Assert.False(result.IsUnusable, result.Sentence);
        Assert.Equal(
            truth.WorkPercent.Where(w => w.Value <= 90).Select(w => w.Key).Order(),
            result.Low.Select(l => l.Cylinder!.Value).Where(c => truth.WorkPercent[c] <= 90).Order()
        );
        Assert.All(result.Low, l => Assert.True(truth.WorkPercent[l.Cylinder!.Value] < 94, $"cylinder {l.Cylinder} is sound"));
        Assert.All(
            result.Positions.Where(p => truth.WorkPercent[p.Cylinder!.Value] > 45),
            p => Assert.InRange(p.Percent - truth.WorkPercent[p.Cylinder!.Value], -Points, Points)
        );
    }

    public static TheoryData<int> Seeds => [.. Enumerable.Range(1, 24), .. Enumerable.Range(Cut + 1, 12)];

    /// <summary>Seeds above this are cut short, some in the middle of cranking: they may be refused, but not misread.</summary>
    private const int Cut = 1000;

    /// <summary>Leaks through narrow gaps and through holes lose gas by different laws; the work is read off either.</summary>
    [Theory]
    [InlineData("Orsa 1.4", 3, 2)]
    [InlineData("Tasso V6", 5, 4)]
    [InlineData("V8, cross-plane", 3, 2)]
    [InlineData("Twin, 360°", 2, 3)]
    public void A_hole_loses_gas_otherwise_than_a_gap(string name, int weak, double hole)
    {
        var plan = Plan(Find(name), 0, 0) with { Faults = [new CylinderFault(weak, 0) { HoleMm2 = hole }] };
        var (capture, truth) = CrankingRun.Record(plan);
        Check(Read(capture, Find(name), "current=Starter current", "sync=Ignition"), truth, weak);
    }

    [Theory]
    [InlineData(1.6)]
    [InlineData(1.2)]
    public void Of_two_cylinders_one_is_measured_by_the_other(double leak)
    {
        var (capture, truth) = Crank("Twin, 360°", 2, leak);
        Assert.InRange(truth.WorkPercent[2], 80, 91);
        Check(Read(capture, Find("Twin, 360°"), "current=Starter current", "sync=Ignition"), truth, 2);
    }

    [Fact]
    public void Without_a_sync_no_cylinder_is_named()
    {
        var (capture, _) = CrankingRun.Record(Plan(EngineCatalogue.Orsa, 2, 5) with { SyncCylinder = null });
        var result = Read(capture, EngineCatalogue.Orsa, "current=Starter current");
        Assert.Equal("uneven", result.Verdict);
        Assert.All(result.Positions, p => Assert.Null(p.Cylinder));
        Assert.Contains(result.Notes, n => n.Code == "no-sync");
        Assert.Empty(result.Ledger);
    }

    [Fact]
    public void A_short_capture_is_refused_without_a_number()
    {
        var (capture, _) = CrankingRun.Record(new CrankingPlan(EngineCatalogue.Orsa) { Cranking = 0.7 });
        var result = Read(capture, EngineCatalogue.Orsa, "current=Starter current");
        Assert.True(result.IsUnusable);
        Assert.Null(result.CrankingSpeedRpm);
        Assert.Empty(result.Positions);
    }

    [Fact]
    public void Noise_is_not_an_engine()
    {
        var random = new Random(3);
        var samples = Enumerable.Range(0, 40_000).Select(_ => (float)(random.NextDouble() * 2 - 1)).ToArray();
        var capture = new Capture("noise", [new Channel("Starter current", "A", TimeAxis.Uniform(0, 2e-4, samples.Length), samples)], []);
        Assert.True(Read(capture, EngineCatalogue.Orsa).IsUnusable);
    }

    [Fact]
    public void The_wrong_number_of_cylinders_is_not_believed()
    {
        var (capture, _) = Crank("Ghiro 1.0", 0, 0);
        var result = Read(capture, Find("Five in line"), "current=Starter current");
        Assert.True(result.IsUnusable || result.Notes.Any(n => n.Code == "rough-fit"), result.Sentence);
    }

    [Fact]
    public void A_sagging_battery_is_a_doubt()
    {
        var (capture, _) = CrankingRun.Record(
            new CrankingPlan(EngineCatalogue.Camoscio)
            {
                Starter = new StarterCircuit { BatteryVolts = 11.9, BatteryOhms = 0.012 },
                SyncCylinder = 1,
                Rate = 5000,
            }
        );
        var result = Read(capture, EngineCatalogue.Camoscio, "current=Starter current", "battery=Battery voltage");
        Assert.Contains(result.Notes, n => n.Code == "battery-sag");
    }

    [Theory]
    [InlineData(-1, 0)]
    [InlineData(1, 25)]
    [InlineData(0.5, 0)]
    public void Clamp_direction_zero_and_scale_don_t_change_the_answer(double factor, double offset)
    {
        var (capture, truth) = Crank("Orsa 1.4", 4, 5);
        var current = capture.Find("Starter current")!;
        var changed = current with { Samples = Array.ConvertAll(current.Samples, v => (float)(factor * v + offset)) };
        var result = Read(
            capture with
            {
                Channels = [changed, capture.Find("Ignition")!],
            },
            EngineCatalogue.Orsa,
            "current=Starter current",
            "sync=Ignition"
        );
        Check(result, truth, 4);
        Assert.Equal(offset != 0, result.Notes.Any(n => n.Code == "clamp-offset"));
    }

    [Fact]
    public void A_sync_on_every_revolution_names_nobody()
    {
        var (capture, _) = Crank("Orsa 1.4", 4, 5);
        var (second, _) = CrankingRun.Record(Plan(EngineCatalogue.Orsa, 4, 5) with { SyncCylinder = 4 });
        var both = capture
            .Find("Ignition")!
            .Samples.Zip(second.Find("Ignition")!.Samples, (a, b) => Math.Abs(a - 12) > Math.Abs(b - 12) ? a : b)
            .ToArray();
        var result = Read(
            capture with
            {
                Channels = [capture.Channels[0], capture.Find("Ignition")! with { Samples = both }],
            },
            EngineCatalogue.Orsa,
            "current=Starter current",
            "sync=Ignition"
        );
        Assert.Contains(result.Notes, n => n.Code == "wasted-spark");
        Assert.All(result.Positions, p => Assert.Null(p.Cylinder));
    }

    /// <summary>The spark's mark taken for another kind: near TDC it names the same, a petrol injector is 360° away.</summary>
    [Theory]
    [InlineData("ignition", 3)]
    [InlineData("pressure", 3)]
    [InlineData("cam", 3)]
    [InlineData("injector", 2)]
    public void The_kind_of_sync_decides_which_compression_its_mark_belongs_to(string kind, int named)
    {
        var (capture, _) = Crank("Orsa 1.4", 3, 5);
        var result = (RelativeCompressionResult)
            new RelativeCompressionReading().Read(
                new ReadingRequest(capture)
                {
                    Engine = EngineCatalogue.Orsa,
                    Channels = new Dictionary<string, string> { ["current"] = "Starter current", ["sync"] = "Ignition" },
                    Options = new Dictionary<string, string> { ["sync-kind"] = kind },
                }
            );
        Assert.Equal(named, Assert.Single(result.Low).Cylinder);
        Assert.Equal(kind is "injector" or "cam", result.Notes.Any(n => n.Code == "sync-" + kind));
    }

    [Fact]
    public void Wrong_words_are_refused()
    {
        var (capture, _) = Crank("Orsa 1.4", 0, 0);
        ReadingResult With(string option, string value) =>
            new RelativeCompressionReading().Read(
                new ReadingRequest(capture)
                {
                    Engine = EngineCatalogue.Orsa,
                    Options = new Dictionary<string, string> { [option] = value },
                }
            );
        Assert.Throws<ReadingException>(() => With("sync-kind", "moon"));
        Assert.Throws<ReadingException>(() => With("sync-cylinder", "9"));
        Assert.Throws<ReadingException>(() => With("sync-cylinder", "one"));
        Assert.Throws<ReadingException>(() => Read(capture, EngineCatalogue.Orsa, "current=Nothing"));
        Assert.Throws<ReadingException>(() => Read(capture, EngineCatalogue.Orsa, "moon=Starter current"));
        Assert.Throws<ReadingException>(() => new RelativeCompressionReading().Read(new ReadingRequest(capture)));
    }

    [Fact]
    public void A_clamp_at_its_end_stop_during_cranking_is_a_doubt()
    {
        var (capture, _) = CrankingRun.Record(Plan(EngineCatalogue.Orsa, 0, 0) with { ClampRange = 220 });
        Assert.Contains(
            Read(capture, EngineCatalogue.Orsa, "current=Starter current").Notes,
            n => n.Code is "clipped" or "no-compressions"
        );
    }

    [Fact]
    public void A_starter_that_runs_on_after_the_engine_caught_is_a_doubt()
    {
        var (capture, _) = CrankingRun.Record(Plan(EngineCatalogue.Orsa, 0, 0) with { Cranking = 8 });
        var current = capture.Find("Starter current")!;
        // The engine fires: the starter, overrun, takes a steady small current until the key is let go.
        for (var i = 0; i < current.Samples.Length; i++)
            if (current.Time[i] is > 4.5 and < 8.6)
                current.Samples[i] = 60 + i % 3;
        var result = Read(capture, EngineCatalogue.Orsa, "current=Starter current");
        Assert.Equal("even", result.Verdict);
        Assert.Contains(result.Notes, n => n.Code == "engine-fired");
    }

    [Theory]
    [InlineData(1)]
    [InlineData(2)]
    [InlineData(3)]
    public void Cylinders_that_meet_by_chance_agree_no_better_than_their_spread(int seed)
    {
        var (capture, _) = CrankingRun.Record(Plan(EngineCatalogue.Orsa, 0, 0) with { Seed = seed, ClampNoise = 6 });
        var result = Read(capture, EngineCatalogue.Orsa, "current=Starter current");
        Assert.Equal("even", result.Verdict);
        var said = System.Text.RegularExpressions.Regex.Match(result.Sentence, @"agree within ([\d.]+) %").Groups[1].Value;
        var within = double.Parse(said, System.Globalization.CultureInfo.InvariantCulture);
        Assert.InRange(within, Math.Max(0.1, result.Positions.Max(p => p.SpreadPercent) - 0.05), 20);
    }

    [Fact]
    public void A_log_too_slow_to_see_compressions_and_a_flat_load_are_refused()
    {
        var even = TimeAxis.Uniform(0, 0.1, 400);
        var slow = new Channel("Starter current", "A", even, [.. Enumerable.Range(0, 400).Select(i => 150f + 20 * (i % 3))]);
        var result = Refuse(slow);
        Assert.Equal("too-slow", result.Notes[0].Code);
        Assert.Contains("10 samples a second", result.Sentence, StringComparison.Ordinal);
        var flat = new Channel("Starter current", "A", TimeAxis.Uniform(0, 1e-3, 8_000), [.. Enumerable.Repeat(159.7f, 8_000)]);
        Assert.Equal("no-cranking", Refuse(flat).Notes[0].Code);

        static ReadingResult Refuse(Channel current)
        {
            var asked = new ReadingRequest(new Capture("c", [current], [])) { Engine = EngineCatalogue.Orsa };
            var refused = ReadingRegistry.Find("relative-compression")!.Read(asked);
            Assert.True(refused.IsUnusable, refused.Sentence);
            return refused;
        }
    }

    [Fact]
    public void One_cylinder_has_no_other()
    {
        var (capture, _) = Crank("Twin, 360°", 0, 0);
        Assert.True(Read(capture, new Engine { Cylinders = 1, FiringOrder = [1] }).IsUnusable);
    }

    private static (Capture Capture, CrankingTruth Truth) Crank(string name, int weak, double leak) =>
        CrankingRun.Record(Plan(Find(name), weak, leak));

    private void Check(RelativeCompressionResult result, CrankingTruth truth, int weak)
    {
        output.WriteLine(
            $"{result.Verdict} {result.CrankingSpeedRpm} (true {truth.SpeedRpm:0.0}) misfit-notes "
                + $"[{string.Join(",", result.Notes.Select(n => n.Code))}]"
        );
        foreach (var p in result.Positions)
            output.WriteLine(
                $"  {p.Cylinder}: {p.Percent} ±{p.SpreadPercent} true {truth.WorkPercent.GetValueOrDefault(p.Cylinder ?? 0):0.0}"
            );
        Assert.False(result.IsUnusable, result.Sentence);
        Assert.Equal(weak > 0 ? [weak] : [], result.Low.Select(l => l.Cylinder!.Value));
        Assert.InRange(result.CrankingSpeedRpm!.Value / truth.SpeedRpm, 0.95, 1.05);
        Assert.All(
            result.Positions,
            p =>
            {
                var work = truth.WorkPercent[p.Cylinder!.Value];
                Assert.Equal(work, p.Percent, work < 50 ? RoughPoints : Points);
            }
        );
    }
}
