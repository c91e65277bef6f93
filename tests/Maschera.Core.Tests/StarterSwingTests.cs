using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Readings.CamTiming;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Tests;

/// <summary>Wheels and cams on the starter, whose speed swings so much that a single gap tells nothing by its time.</summary>
public class StarterSwingTests
{
    public static TheoryData<int, int[], int> Wheels =>
        new()
        {
            { 12, [1], 6 },
            { 24, [1], 4 },
            { 24, [2], 4 },
            { 24, [4], 8 },
            { 30, [2], 3 },
            { 36, [1], 8 },
            { 36, [2], 4 },
            { 36, [2], 5 },
            { 36, [2, 2, 2], 4 },
            { 48, [3], 6 },
            { 60, [2], 2 },
            { 60, [2, 2], 4 },
        };

    [Theory]
    [MemberData(nameof(Wheels))]
    public void A_wheel_nobody_told_is_found_over_all_its_turns(int teeth, int[] missing, int cylinders)
    {
        var engine = Of(cylinders);
        for (var seed = 1; seed <= 4; seed++)
        {
            var bench = Bench(teeth, missing, cylinders, seed);
            var (good, swing) = bench.Crank();
            Assert.InRange(swing, 0, 0.8);
            var result = Read((bench with { Seed = seed + 20, Offset = -8.5 }).Crank().Capture, good, engine);
            Assert.False(result.IsUnusable, $"seed {seed}: {result.Sentence}");
            Assert.Equal((teeth, missing.Sum()), (result.Wheel!.Teeth, result.Wheel.Missing.Sum()));
            Assert.Equal(-8.5, result.OffsetDegrees!.Value, 0.4);
        }
    }

    [Theory]
    [MemberData(nameof(Wheels))]
    public void A_wheel_that_is_told_is_laid_on_all_edges_also_where_a_cylinder_is_low(int teeth, int[] missing, int cylinders)
    {
        var engine = Of(cylinders) with { CrankWheel = new CrankWheel(teeth, missing) };
        foreach (var inductive in (bool[])[false, true])
        {
            var bench = Bench(teeth, missing, cylinders, 3) with { IsInductive = inductive, Inertia = 0.1 };
            var result = Read((bench with { Seed = 31, Offset = 6.2, Lost = 0.4 }).Crank().Capture, bench.Crank().Capture, engine);
            Assert.False(result.IsUnusable, $"inductive {inductive}: {result.Sentence}");
            Assert.DoesNotContain(result.Notes, n => n.Code is "wheel-differs" or "lost-edges" or "half-tooth");
            Assert.Equal(6.2, result.OffsetDegrees!.Value, 0.4);
        }
    }

    /// <summary>An edge lost or one too many now and then moves no angle: the wheel is laid on through them, and it is said.</summary>
    [Fact]
    public void Lost_edges_and_spikes_under_the_swing_are_gone_round()
    {
        var bench = Bench(36, [2], 4, 2);
        var good = bench.Crank().Capture;
        var capture = (bench with { Seed = 9, Offset = 4 }).Crank().Capture;
        var crank = capture.Channels[0].Samples;
        var step = (int)(0.9 / (1 / 20_000.0));
        for (var at = step / 2; at + 400 < crank.Length; at += step)
        {
            Array.Fill(crank, 0.2f, at, 60);
            Array.Fill(crank, 5f, at + 300, 2);
        }

        var result = Read(capture, good, Of(4) with { CrankWheel = new CrankWheel(36, [2]) });
        Assert.Equal(4, result.OffsetDegrees!.Value, 0.5);
        Assert.Contains(result.Notes, n => n.Code == "lost-edges");
    }

    /// <summary>Half a tooth lies between a hall sensor's two edges: which one ends the gap is no question of standing before.</summary>
    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public void The_edge_behind_the_gap_is_told_also_where_the_engine_stands_first(bool inverted)
    {
        var bench = Bench(30, [1], 3, 5) with { IsInverted = inverted };
        var result = Read((bench with { Seed = 6, Stands = 0.9, Offset = 12 }).Crank().Capture, bench.Crank().Capture, Of(3));
        Assert.Equal(12, result.OffsetDegrees!.Value, 0.4);
    }

    /// <summary>What an inductive sensor picks up at a standstill are no teeth.</summary>
    [Fact]
    public void Noise_before_the_key_is_no_wheel()
    {
        var bench = Bench(24, [2], 4, 4) with { IsInductive = true, Noise = 0.035 };
        var standing = (bench with { Seed = 8, Stands = 1.2, Offset = 7 }).Crank().Capture;
        var result = Read(standing, bench.Crank().Capture, Of(4));
        Assert.Equal(24, result.Wheel!.Teeth);
        Assert.Equal(7, result.OffsetDegrees!.Value, 0.4);
        Assert.True(AngleClock.Make(standing.Channels[0], Of(4)).Clock!.Seconds[0] > 1.1);
    }

    /// <summary>On twelve teeth a compression may look like a gap: then the wheel is said to be a guess, or is not guessed.</summary>
    [Theory]
    [InlineData(2, 0.12, 0.6)]
    [InlineData(4, 0.07, 0.5)]
    [InlineData(4, 0.06, 0)]
    [InlineData(3, 0.1, 0.3)]
    public void A_compression_that_passes_for_a_gap_on_a_coarse_wheel_is_said(int cylinders, double inertia, double lost)
    {
        for (var seed = 1; seed <= 4; seed++)
        {
            var bench = Bench(12, [1], cylinders, seed) with { Inertia = inertia, Lost = lost };
            var clock = AngleClock.Make(bench.Crank().Capture.Channels[0], Of(cylinders)).Clock;
            Assert.True(clock is null or { Wheel: { Teeth: 12, Missing.Count: 1 } } || clock.Notes.Any(n => n.Code == "wheel-guessed"));
        }
    }

    /// <summary>Compressions are no gaps on a wheel that has none, or it is said to be a guess.</summary>
    [Theory]
    [InlineData(12, 4, 0.1)]
    [InlineData(12, 2, 0.2)]
    [InlineData(12, 6, 0.1)]
    [InlineData(24, 4, 0.1)]
    [InlineData(24, 2, 0.15)]
    [InlineData(36, 3, 0.15)]
    public void A_wheel_without_gaps_gets_none_from_compressions(int teeth, int cylinders, double inertia)
    {
        foreach (var lost in (double[])[0, 0.5])
        {
            var bench = Bench(teeth, [], cylinders, 2) with { Inertia = inertia, Lost = lost };
            var (clock, problem) = AngleClock.Make(bench.Crank().Capture.Channels[0], Of(cylinders));
            Assert.True(clock is null || clock.Notes.Any(n => n.Code == "wheel-guessed"), clock?.Said);
            Assert.True(clock is not null || problem!.Code is "plain-wheel" or "no-wheel", problem?.Text);
        }
    }

    private static StarterBench Bench(int teeth, int[] missing, int cylinders, int seed) =>
        new(cylinders, new CrankWheel(teeth, missing)) { Seed = seed, Inertia = cylinders < 4 ? 0.25 : 0.14 };

    private static Engine Of(int cylinders) =>
        new()
        {
            Name = "on the starter",
            Cylinders = cylinders,
            FiringOrder = [.. Enumerable.Range(1, cylinders)],
        };

    private static CamTimingResult Read(Capture capture, Capture reference, Engine engine) =>
        (CamTimingResult)new CamTimingReading().Read(new ReadingRequest(capture) { Engine = engine, Reference = reference });
}
