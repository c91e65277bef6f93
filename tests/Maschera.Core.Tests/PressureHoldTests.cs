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
