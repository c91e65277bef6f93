using Maschera.Core.Engines;
using Maschera.Core.Signals;
using Maschera.Core.Timing;
using Maschera.Rig;

namespace Maschera.Core.Tests;

/// <summary>Marks of one cylinder, and degrees that come from them: lost, doubled, noisy, from every kind of signal.</summary>
public class MarkTests
{
    private const double Step = 1e-4;
    private static readonly Engine s_engine = EngineCatalogue.Orsa;

    [Theory]
    [InlineData(1, 0.0005)]
    [InlineData(1, 0.003)]
    [InlineData(-1, 0.0005)]
    [InlineData(12, 0.012)]
    public void Marks_are_found_once_each_whichever_way_they_point(double height, double width)
    {
        var at = Enumerable.Range(0, 20).Select(i => 0.05 + i * 0.15).ToArray();
        var events = SyncEvents.Find(Marks(at, width, height, 0.01 * Math.Abs(height)));
        Assert.Equal(at.Length, events.Count);
        Assert.All(at.Zip(events), p => Assert.Equal(p.First, p.Second.Start, 3));
        Assert.All(events, e => Assert.True(e.Start <= e.Peak && e.Peak <= e.End));
    }

    [Fact]
    public void Ringing_is_one_mark_and_a_multi_spark_is_told_by_its_distance()
    {
        var at = Enumerable.Range(0, 10).SelectMany(i => new[] { 0.05 + i * 0.15, 0.0515 + i * 0.15, 0.053 + i * 0.15 }).ToArray();
        var channel = Marks(at, 0.0005, 1, 0.01);
        Assert.Equal(10, SyncEvents.Find(channel, 0.02).Count);
        Assert.Equal(30, SyncEvents.Find(channel, 0.0005).Count);
    }

    [Theory]
    [InlineData(0)]
    [InlineData(1)]
    public void Noise_alone_has_no_marks(float level)
    {
        var random = new Random(3);
        var samples = Enumerable.Range(0, 20_000).Select(_ => level + (float)random.NextDouble()).ToArray();
        Assert.Empty(SyncEvents.Find(new Channel("sync", "V", TimeAxis.Uniform(0, Step, samples.Length), samples)));
        Assert.Empty(SyncEvents.Find(new Channel("sync", "V", TimeAxis.Uniform(0, Step, 100), new float[100])));
    }

    [Theory]
    [InlineData("ignition", 1, 700)]
    [InlineData("ignition", 3, 2_500)]
    [InlineData("injector", 4, 900)]
    [InlineData("cam", 2, 1_400)]
    public void A_clock_from_marks_alone_knows_speed_and_degrees(string kind, int cylinder, double rpm)
    {
        var at = Beats(rpm, 30);
        var (clock, problem) = MarkClock.FromSync(Marks(at, 0.001, 5, 0.05), kind, cylinder, s_engine);
        Assert.Null(problem);
        Assert.Equal(rpm, clock!.SpeedRpm, rpm * 0.005);
        Assert.Contains(clock.Notes, n => n.Code == "no-wheel-clock");
        // Marks are whole cycles apart, and the cylinder's own TDC lies where its kind of mark says.
        var first = clock.At(at[3]);
        Assert.Equal(720, clock.At(at[4]) - first, 2.0);
        var tdc = s_engine.Angles()[s_engine.FiringOrder.ToList().IndexOf(cylinder)];
        var before = kind switch
        {
            "ignition" => 18,
            "injector" => 360,
            _ => 0,
        };
        Assert.Equal(0, Math.IEEERemainder(first - (tdc - before), 720), 3.0);
    }

    [Fact]
    public void A_lost_mark_leaves_a_longer_step_and_no_other_speed()
    {
        var all = Beats(1_200, 40);
        var (whole, _) = MarkClock.FromSync(Marks(all, 0.001, 5, 0.05), "ignition", 1, s_engine);
        var (lost, _) = MarkClock.FromSync(Marks([.. all.Where((_, i) => i % 7 != 3)], 0.001, 5, 0.05), "ignition", 1, s_engine);
        Assert.Equal(whole!.SpeedRpm, lost!.SpeedRpm, 2.0);
        Assert.Equal(whole.At(all[20]) - whole.At(all[0]), lost.At(all[20]) - lost.At(all[0]), 3.0);
    }

    [Fact]
    public void An_engine_that_speeds_up_keeps_whole_cycles()
    {
        var at = new List<double> { 0.05 };
        while (at.Count < 30)
            at.Add(at[^1] + 120 / (700 + 40.0 * at.Count));
        var (clock, _) = MarkClock.FromSync(Marks([.. at], 0.001, 5, 0.05), "ignition", 1, s_engine);
        for (var i = 1; i < at.Count; i++)
            Assert.Equal(720, clock!.At(at[i]) - clock.At(at[i - 1]), 4.0);
    }

    [Fact]
    public void Too_few_marks_are_said()
    {
        var (clock, problem) = MarkClock.FromSync(Marks(Beats(900, 3), 0.001, 5, 0.05), "ignition", 1, s_engine);
        Assert.Null(clock);
        Assert.Equal("sync-silent", problem!.Code);
    }

    [Fact]
    public void Scattered_marks_make_the_doubt_large()
    {
        var random = new Random(7);
        Channel Scattered(double by) => Marks([.. Beats(900, 30).Select(t => t + by * (random.NextDouble() - 0.5))], 0.001, 5, 0.05);
        double Doubt(double by) => MarkClock.FromSync(Scattered(by), "ignition", 1, s_engine).Clock!.StandardErrorDegrees;
        Assert.True(Doubt(0.03) > 3 * Doubt(0.0001));
    }

    [Fact]
    public void A_wasted_spark_names_a_pair_and_says_so()
    {
        var run = RunningRun.Record(
            new RunningPlan(s_engine)
            {
                SpeedRpm = 900,
                Seconds = 4,
                Rate = 25_000,
            }
        );
        var crank = run.Capture.Channels.First(c => c.Name.Contains("Crank", StringComparison.OrdinalIgnoreCase));
        var (clock, _) = AngleClock.Make(crank, s_engine);
        Assert.NotNull(clock);
        Channel Every(double degrees)
        {
            var from = clock.Degrees[0] + 100;
            var count = (int)((clock.Degrees[^1] - from) / degrees);
            return Marks([.. Enumerable.Range(0, count).Select(i => clock.TimeAt(from + i * degrees))], 0.001, 5, 0.05, crank.Time.End);
        }

        Assert.Equal("wasted-spark", CyclePhase.Find(clock, s_engine, Every(360), "ignition", 1).Doubt!.Code);
        Assert.Equal("sync-scattered", CyclePhase.Find(clock, s_engine, Every(270), "ignition", 1).Doubt!.Code);
        Assert.NotNull(CyclePhase.Find(clock, s_engine, Every(720), "ignition", 1).Tdc);
        Assert.Equal("no-sync", CyclePhase.Find(clock, s_engine, null, "ignition", 1).Doubt!.Code);
    }

    [Fact]
    public void Folding_lays_cycles_on_each_other_and_names_the_odd_one()
    {
        var at = Beats(1_000, 26);
        var (clock, _) = MarkClock.FromSync(Marks(at, 0.001, 5, 0.05), "cam", s_engine.FiringOrder[0], s_engine);
        var time = TimeAxis.Uniform(0, Step, (int)((at[^1] + 0.05) / Step));
        float Value(double seconds)
        {
            var degrees = clock!.At(seconds);
            var cycle = (int)Math.Floor(degrees / 720);
            var course = Math.Sin(Math.Tau * degrees / 720) + 0.5 * Math.Cos(Math.Tau * 3 * degrees / 720);
            return (float)(cycle == 12 ? course + 2 : course);
        }

        var channel = new Channel("A", "V", time, [.. Enumerable.Range(0, time.Count).Select(i => Value(time[i]))]);
        var fold = CycleFold.Of(channel, clock!, 0)!;
        Assert.InRange(fold.Cycles, 22, 26);
        var odd = Assert.Single(fold.Odd);
        Assert.Equal(12, Math.Floor((clock!.At(odd.Seconds) + 1) / 720));
        Assert.Equal(2, odd.Distance, 0.15);
        for (var degree = 0; degree < 720; degree += 30)
            Assert.Equal(
                Math.Sin(Math.Tau * degree / 720) + 0.5 * Math.Cos(Math.Tau * 3 * degree / 720),
                fold.Mean[degree] - 2.0 / fold.Cycles,
                0.05
            );
    }

    private static double[] Beats(double rpm, int count) => [.. Enumerable.Range(0, count).Select(i => 0.05 + i * 120 / rpm)];

    /// <summary>A rest with excursions that begin at those times.</summary>
    private static Channel Marks(double[] at, double width, double height, double noise, double? until = null)
    {
        var random = new Random(11);
        var count = (int)(((until ?? at[^1]) + 0.1) / Step);
        var samples = Enumerable.Range(0, count).Select(_ => (float)(noise * (random.NextDouble() - 0.5))).ToArray();
        foreach (var start in at)
            for (var i = (int)Math.Ceiling(start / Step - 1e-9); i < Math.Min(count, (start + width) / Step); i++)
                samples[i] += (float)height;
        return new Channel("sync", "V", TimeAxis.Uniform(0, Step, count), samples);
    }
}
