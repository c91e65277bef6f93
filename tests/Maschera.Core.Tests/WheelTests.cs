using Maschera.Core.Engines;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Tests;

/// <summary>Trigger wheels as scopes see them: any teeth, either sensor, either way round, with what wires do to them.</summary>
public class WheelTests
{
    private const double Rate = 50_000;

    [Theory]
    [InlineData(12, 1)]
    [InlineData(24, 2)]
    [InlineData(36, 1)]
    [InlineData(36, 2)]
    [InlineData(58, 1)]
    [InlineData(60, 2)]
    [InlineData(120, 3)]
    public void Any_wheel_is_counted_by_either_sensor_either_way_round(int teeth, int missing)
    {
        foreach (var inductive in (bool[])[false, true])
        foreach (var upside in (bool[])[false, true])
        {
            var (clock, problem) = AngleClock.Make(Wheel(teeth, missing, 900, 2, inductive, upside), null);
            Assert.True(clock is not null, $"{inductive}, {upside}: {problem?.Text}");
            Assert.Equal((teeth, missing), (clock.Wheel.Teeth, clock.Wheel.Missing.Sum()));
            Assert.Equal(900, clock.SpeedRpm, 2.0);
            Assert.Equal(360.0 / teeth, clock.Wheel.Pitch, 9);
            Assert.Null(clock.Source);
        }
    }

    [Theory]
    [InlineData(false, 300)]
    [InlineData(false, 5_500)]
    [InlineData(true, 300)]
    [InlineData(true, 4_000)]
    public void Degrees_are_those_of_the_crank_to_the_sample(bool inductive, double rpm)
    {
        var (clock, _) = AngleClock.Make(Wheel(60, 2, rpm, 2, inductive, false), null);
        var perSample = 6 * rpm / Rate;
        for (var t = 0.1; t < 1.8; t += 0.05)
        {
            Assert.Equal(6 * rpm * 0.05, clock!.At(t + 0.05) - clock.At(t), 1.5 * perSample + 0.05);
            Assert.Equal(t, clock.TimeAt(clock.At(t)), 1e-6);
        }
    }

    [Fact]
    public void Many_times_at_once_are_the_same_as_one_by_one()
    {
        var channel = Wheel(36, 1, 800, 1, inductive: false, upside: false);
        var (clock, _) = AngleClock.Make(channel, null);
        var all = new double[channel.Samples.Length];
        clock!.Fill(channel.Time, all);
        for (var i = 0; i < all.Length; i += 37)
            Assert.Equal(clock.At(channel.Time[i]), all[i], 1e-6);
        Assert.All(all.Zip(all.Skip(1)), p => Assert.True(p.Second >= p.First));
    }

    [Theory]
    [InlineData(0.2, 0)]
    [InlineData(1, 2.5)]
    [InlineData(12, -6)]
    public void Scale_and_standing_level_change_nothing(double scale, double level)
    {
        var channel = Wheel(60, 2, 1_000, 2, inductive: true, upside: false);
        var changed = channel with { Samples = Array.ConvertAll(channel.Samples, v => (float)(scale * v + level)) };
        var (first, second) = (AngleClock.Make(channel, null).Clock!, AngleClock.Make(changed, null).Clock!);
        Assert.Equal(first.Seconds.Length, second.Seconds.Length);
        for (var t = 0.1; t < 1.9; t += 0.1)
            Assert.Equal(first.At(t), second.At(t), 0.05);
    }

    [Fact]
    public void A_lost_tooth_now_and_then_does_not_lose_the_place()
    {
        var clean = AngleClock.Make(Wheel(60, 2, 900, 2, false, false), null).Clock!;
        var (clock, problem) = AngleClock.Make(Wheel(60, 2, 900, 2, false, false, lost: [130, 401, 402, 777]), null);
        Assert.True(clock is not null, problem?.Text);
        Assert.Equal(60, clock.Wheel.Teeth);
        Assert.Equal(clean.At(1.9) - clean.At(0.1), clock.At(1.9) - clock.At(0.1), 0.5);
    }

    [Fact]
    public void Interference_that_splits_teeth_is_left_out_and_said()
    {
        var channel = Wheel(60, 2, 900, 2, false, false);
        var samples = (float[])channel.Samples.Clone();
        var random = new Random(5);
        for (var n = 0; n < 15; n++)
        {
            var at = 2_000 + random.Next(samples.Length - 4_000);
            for (var i = at; i < at + 3; i++)
                samples[i] = samples[i] > 2.5f ? 0 : 5;
        }

        var (clock, problem) = AngleClock.Make(channel with { Samples = samples }, null);
        Assert.True(clock is not null, problem?.Text);
        Assert.Equal(60, clock.Wheel.Teeth);
        Assert.Contains(clock.Notes, n => n.Code == "extra-edges");
        Assert.Equal(900, clock.SpeedRpm, 5.0);
    }

    [Fact]
    public void A_wheel_that_is_not_the_engine_file_s_is_used_and_said()
    {
        var engine = new Engine
        {
            Name = "other wheel",
            Cylinders = 4,
            FiringOrder = [1, 3, 4, 2],
            CrankWheel = new CrankWheel(36, [1]),
        };
        var (clock, _) = AngleClock.Make(Wheel(60, 2, 900, 2, false, false), engine);
        Assert.Equal(60, clock!.Wheel.Teeth);
        Assert.Contains("36", clock.Notes.Single(n => n.Code == "wheel-differs").Text, StringComparison.Ordinal);
    }

    [Fact]
    public void A_crank_that_stands_or_a_wire_that_is_dead_is_said()
    {
        string Problem(float[] samples) =>
            AngleClock.Make(new Channel("Crank", "V", TimeAxis.Uniform(0, 1 / Rate, samples.Length), samples), null).Problem!.Code;
        var random = new Random(3);
        Assert.Equal("no-teeth", Problem(new float[10_000]));
        Assert.Equal("no-teeth", Problem([.. Enumerable.Range(0, 10_000).Select(i => i < 5_000 ? 0f : 5f)]));
        Assert.NotEmpty(Problem([.. Enumerable.Range(0, 100_000).Select(_ => (float)random.NextDouble())]));
        Assert.Equal("plain-wheel", Problem(Wheel(60, 0, 900, 2, false, false).Samples));
    }

    [Fact]
    public void A_stop_within_the_capture_ends_the_degrees_there()
    {
        var turning = Wheel(60, 2, 600, 2, false, false).Samples;
        float[] samples = [.. turning, .. Enumerable.Repeat(turning[^1], (int)Rate)];
        var (clock, _) = AngleClock.Make(new Channel("Crank", "V", TimeAxis.Uniform(0, 1 / Rate, samples.Length), samples), null);
        Assert.InRange(clock!.Seconds[^1], 1.9, 2.1);
        Assert.Equal(600, clock.SpeedRpm, 5.0);
    }

    [Theory]
    [InlineData(60, new[] { 2 }, "60 tooth places − 2")]
    [InlineData(36, new[] { 1, 1 }, "36 tooth places − 1 − 1")]
    [InlineData(24, new int[0], "24 tooth places")]
    public void A_wheel_says_itself(int teeth, int[] missing, string said)
    {
        var wheel = new WheelPattern(teeth, missing, [.. missing.Select((_, i) => i * teeth / Math.Max(1, missing.Length))]);
        Assert.Equal(said, wheel.Said);
        Assert.Equal(missing.Length > 0, wheel.HasMark);
        Assert.Equal(missing.Length == 0 ? teeth : missing.Length, missing.Length == 0 ? teeth : wheel.Symmetry);
        Assert.True(wheel.IsLike(wheel));
        Assert.False(wheel.IsLike(wheel with { Teeth = teeth + 1 }));
    }

    /// <summary>A wheel at steady speed: half of each pitch a tooth, the last ones of a turn missing.</summary>
    private static Channel Wheel(int teeth, int missing, double rpm, double seconds, bool inductive, bool upside, int[]? lost = null)
    {
        var count = (int)(seconds * Rate);
        var samples = new float[count];
        var random = new Random(1);
        for (var i = 0; i < count; i++)
        {
            var place = 6 * rpm * i / Rate / (360.0 / teeth);
            var (number, into) = ((int)place, place - (int)place);
            var isThere = number % teeth < teeth - missing && !(lost?.Contains(number) ?? false);
            var value = !inductive
                ? isThere && into < 0.5
                    ? 5
                    : 0.1
                : isThere && into < 0.5
                    ? 8 * Math.Sin(Math.Tau * into * 2)
                    : 0;
            samples[i] = (float)((upside ? -value : value) + 0.02 * (random.NextDouble() - 0.5));
        }

        return new Channel("Crank", "V", TimeAxis.Uniform(0, 1 / Rate, count), samples);
    }
}
