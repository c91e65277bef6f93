using Maschera.Core.Readings;
using Maschera.Core.Readings.PressureHold;
using Maschera.Core.Signals;
using Maschera.Rig.Fuel;

namespace Maschera.Core.Tests;

/// <summary>Made-up decays of a pressure behind a pump that stops.</summary>
public class PressureHoldTests
{
    public static TheoryData<int> Seeds => [.. Enumerable.Range(1, 10)];

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Stop_and_drops_are_found_with_and_without_the_pump(int seed)
    {
        foreach (var withPump in (bool[])[true, false])
        {
            var rail = new HeldRail(seed) { LossAMinute = 0.6 };
            var result = Read(rail.Log(withPump));
            Assert.True(result.Verdict == "leaks", result.Sentence);
            Assert.InRange(result.StopAt!.Value - rail.Stop, -0.8, 0.8);
            foreach (var drop in result.DropAfter)
                Assert.InRange(drop.Drop - 0.6 * (drop.Seconds - 0.5) / 60, -0.03, 0.03);
            Assert.InRange(result.RatePerMinute!.Value, 0.55, 0.65);
            Assert.Null(result.HalfLifeSeconds);
        }
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void A_tight_system_holds_and_heat_is_noted(int seed)
    {
        Assert.Equal("holds", Read(new HeldRail(seed) { LossAMinute = 0.08 }.Log(true)).Verdict);
        var heated = Read(new HeldRail(seed) { LossAMinute = -0.2 }.Log(true));
        Assert.Equal("holds", heated.Verdict);
        Assert.Contains(heated.Notes, n => n.Code == "rises");
        Assert.True(heated.RatePerMinute < 0);
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void An_exponential_fall_has_its_half_life(int seed)
    {
        var result = Read(new HeldRail(seed) { HalfLife = 45 }.Log(true));
        Assert.Equal("leaks", result.Verdict);
        Assert.InRange(result.HalfLifeSeconds!.Value, 40, 50);
    }

    /// <summary>Pressures that fall to where a valve closes again have no half-life, however bent they are.</summary>
    [Theory]
    [MemberData(nameof(Seeds))]
    public void A_fall_that_ends_at_a_level_is_found_whole_and_has_no_half_life(int seed)
    {
        var rail = new HeldRail(seed)
        {
            HalfLife = 5,
            EndsAt = 2.6,
            Beat = 0.2,
        };
        var result = Read(rail.Log(false));
        Assert.Equal("leaks", result.Verdict);
        Assert.InRange(result.StopAt!.Value - rail.Stop, -0.8, 0.8);
        Assert.InRange(result.DropAfter.Single(d => d.Seconds == 60).Drop, 1.05, 1.35);
        Assert.Null(result.HalfLifeSeconds);
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Pumps_told_in_words_stop_whichever_word_comes_first(int seed)
    {
        foreach (
            var words in (string[][])
                [
                    ["off", "on"],
                    ["Aus", "Ein"],
                    ["not running", "running"],
                    ["A", "B"],
                ]
        )
        foreach (var running in (bool[])[true, false])
        {
            var rail = new HeldRail(seed) { LossAMinute = 0.6, BeginsRunning = running };
            var log = rail.Log(true);
            var relay = log.Channels[1] with
            {
                Unit = "",
                Words = words,
                Samples = Array.ConvertAll(log.Channels[1].Samples, v => v > 6 ? 1f : 0f),
            };
            var result = Read(log with { Channels = [log.Channels[0], relay] });
            Assert.True(result.Verdict == "leaks", result.Sentence);
            Assert.InRange(result.StopAt!.Value - rail.Stop, -0.15, 0.15);
        }
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Single_samples_off_are_left_out_and_said(int seed)
    {
        foreach (var withPump in (bool[])[true, false])
        {
            var rail = new HeldRail(seed) { LossAMinute = 0.6, BeginsRunning = true };
            var log = rail.Log(withPump);
            var samples = (float[])log.Channels[0].Samples.Clone();
            for (var k = 1; k <= 6; k++)
                samples[k * samples.Length / 7] += k % 2 == 0 ? -2 : 3;
            var result = Read(log with { Channels = [log.Channels[0] with { Samples = samples }, .. log.Channels.Skip(1)] });
            Assert.InRange(result.StopAt!.Value - rail.Stop, -0.8, 0.8);
            Assert.All(result.DropAfter, drop => Assert.InRange(drop.Drop - 0.6 * (drop.Seconds - 0.5) / 60, -0.04, 0.04));
            Assert.Contains(result.Notes, n => n.Code == "spikes" && n.Text.Contains("6 single", StringComparison.Ordinal));
        }
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void A_pump_that_beats_on_never_stopped(int seed)
    {
        var rail = new HeldRail(seed)
        {
            BeginsRunning = true,
            BeatsOn = true,
            Beat = 0.03,
        };
        var result = Read(rail.Log(false));
        Assert.Equal("unusable", result.Verdict);
        Assert.Contains(result.Notes, n => n.Code == "never-off" && n.Text.Contains("command or current", StringComparison.Ordinal));
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Noise_on_a_falling_pressure_is_no_pump_and_no_start(int seed)
    {
        var rail = new HeldRail(seed)
        {
            HalfLife = 25,
            BeginsRunning = true,
            Noise = 0.05,
            Beat = 0.15,
        };
        var result = Read(rail.Log(false));
        Assert.Equal("leaks", result.Verdict);
        Assert.InRange(result.DropAfter.Single(d => d.Seconds == 60).Drop, 2.9, 3.35);
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Once_a_second_the_run_out_is_no_loss(int seed)
    {
        var rail = new HeldRail(seed) { LossAMinute = 0.1, Step = 1 };
        var result = Read(rail.Log(true));
        Assert.Equal("holds", result.Verdict);
        Assert.InRange(result.StopPressure!.Value, 3.87, 3.92);
    }

    [Fact]
    public void A_log_that_ends_with_the_pump_is_too_short_and_says_so()
    {
        var rail = new HeldRail(2);
        var log = rail.Log(true);
        var cut = log with { Channels = [.. log.Channels.Select(c => c.Between(c.Time.Start, rail.Stop + 0.1))] };
        var result = Read(cut);
        Assert.Equal("unusable", result.Verdict);
        Assert.NotEmpty(result.Notes);
    }

    [Theory]
    [InlineData(0.95)]
    [InlineData(0.5)]
    [InlineData(0)]
    public void What_is_gone_with_the_supply_shut_is_its_share(double share)
    {
        foreach (var seed in Enumerable.Range(1, 5))
        {
            var open = new HeldRail(seed) { HalfLife = 120 }.Log(true);
            var shut = new HeldRail(seed + 20) { HalfLife = 120 / Math.Max(0.001, 1 - share) }.Log(true);
            var result = Read(open, shut, ("shut", "supply"));
            Assert.Equal("supply-shut", result.With);
            Assert.InRange(result.Share!["supply"] - share, -0.1, 0.1);
            Assert.Equal(1, result.Share["supply"] + result.Share["rest"], 6);
        }
    }

    [Fact]
    public void The_longest_of_several_holds_counts_and_ends_where_the_pump_runs_again()
    {
        var first = new HeldRail(3) { LossAMinute = 0.6, Seconds = 20 }.Log(true);
        var second = new HeldRail(4) { LossAMinute = 0.6, Seconds = 60 }.Log(true);
        var result = Read(Behind(first, second));
        Assert.InRange(result.StopAt!.Value, first.Channels[0].Time.End + 4, first.Channels[0].Time.End + 9);
    }

    [Fact]
    public void Too_short_never_off_and_wrong_words_are_said()
    {
        Assert.Contains(Read(new HeldRail(1) { Seconds = 9 }.Log(true)).Notes, n => n.Code == "short");
        var never = new HeldRail(2) { LossAMinute = 0.2 }.Log(true);
        never = never with
        {
            Channels = [never.Channels[0], never.Channels[1] with { Samples = [.. never.Channels[1].Samples.Select(_ => 13.4f)] }],
        };
        Assert.Contains(Read(never).Notes, n => n.Code == "never-off");
        Assert.Equal("holds", Read(new HeldRail(5) { LossAMinute = 0.6 }.Log(true), null, ("limit", "1.5/120")).Verdict);
        foreach (var limit in (string[])["0.2", "a/60", "0.2/0", "-1/60"])
            Assert.Throws<ReadingException>(() => Read(new HeldRail(1).Log(true), null, ("limit", limit)));
    }

    private static Capture Behind(Capture first, Capture second) =>
        new(
            "two.csv",
            [
                .. first.Channels.Zip(
                    second.Channels,
                    (a, b) =>
                        new Channel(
                            a.Name,
                            a.Unit,
                            TimeAxis.Uniform(0, a.Time.Step, a.Samples.Length + b.Samples.Length),
                            [.. a.Samples, .. b.Samples]
                        )
                ),
            ],
            []
        );

    private static PressureHoldResult Read(Capture capture, Capture? reference = null, params (string Name, string Value)[] options) =>
        (PressureHoldResult)
            new PressureHoldReading().Read(
                new ReadingRequest(capture) { Reference = reference, Options = options.ToDictionary(o => o.Name, o => o.Value) }
            );
}
