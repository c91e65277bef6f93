using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Readings.StartConditions;
using Maschera.Core.Signals;
using Maschera.Rig.Fuel;

namespace Maschera.Core.Tests;

/// <summary>Made-up logs of cranking, with one gate shut after the other.</summary>
public class StartConditionsTests
{
    public static TheoryData<int> Seeds => [.. Enumerable.Range(1, 8)];

    [Theory]
    [MemberData(nameof(Seeds))]
    public void The_first_gate_that_is_shut_is_named_and_what_follows_is_not_accused(int seed)
    {
        (string First, NoStart Log)[] cases =
        [
            (
                "battery",
                new(seed)
                {
                    Battery = 8.6,
                    Rpm = 70,
                    SyncAt = null,
                }
            ),
            ("speed", new(seed) { Rpm = 95 }),
            ("speed", new(seed) { Rpm = 0, SyncAt = null }),
            ("rail-pressure", new(seed) { Rail = 90 }),
            ("sync", new(seed) { SyncAt = null }),
            ("sync", new(seed) { SyncAt = 4.1 }),
            ("fuel-command", new(seed) { Quantity = 0 }),
            (
                "immobiliser",
                new(seed)
                {
                    Immobiliser = "locked",
                    SyncAt = null,
                    Quantity = 0,
                }
            ),
        ];
        foreach (var (first, log) in cases)
        {
            var result = Read(log.Log());
            Assert.True(result.Verdict == "missing" && result.First == first, $"{first}: {result.First} {result.Sentence}");
            Assert.Equal(first, Assert.Single(result.Conditions, c => c.IsMissing).Condition);
        }
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Nothing_missing_rules_out_what_was_logged_and_a_start_is_a_start(int seed)
    {
        var met = Read(new NoStart(seed).Log());
        Assert.True(met.Verdict == "all-met", met.Sentence);
        Assert.Null(met.First);
        Assert.Equal(6, met.Conditions.Count);
        Assert.All(met.Conditions, c => Assert.Equal("met", c.State));
        var starts = Read(new NoStart(seed) { Starts = true, Battery = 9.2 }.Log());
        Assert.Equal("starts", starts.Verdict);
        Assert.Null(starts.First);
        Assert.Contains(starts.Notes, n => n.Code == "missing-on-the-way");
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void What_was_not_logged_is_neither_met_nor_missing(int seed)
    {
        var log = new NoStart(seed).Log();
        foreach (
            var (channel, condition) in (ReadOnlySpan<(string, string)>)
                [("Sync", "sync"), ("Rail pressure", "rail-pressure"), ("Immobiliser", "immobiliser")]
        )
        {
            var result = Read(log with { Channels = [.. log.Channels.Where(c => c.Name != channel)] });
            Assert.Equal("all-met", result.Verdict);
            Assert.Equal("not-logged", result.Conditions.Single(c => c.Condition == condition).State);
            Assert.Contains(result.Notes, n => n.Code == "not-logged");
        }
    }

    [Fact]
    public void A_petrol_engine_needs_less_speed_and_what_it_is_told()
    {
        var log = new NoStart(2) { Rpm = 135, Rail = 30 }.Log();
        Assert.Equal("speed", Read(log).First);
        var petrol = new Engine
        {
            Cylinders = 4,
            FiringOrder = [1, 3, 4, 2],
            Fuel = "petrol",
        };
        Assert.Equal("all-met", Read(log, petrol).Verdict);
        Assert.Equal("rail-pressure", Read(log, petrol, "rail-pressure=50").First);
        Assert.Equal("speed", Read(log, petrol, "speed=160 rail-pressure=20").First);
        foreach (var need in (string[])["rail=50", "speed", "speed=fast", "speed=-1"])
            Assert.Throws<ReadingException>(() => Read(log, petrol, need));
    }

    [Fact]
    public void An_engine_that_is_hardly_turned_tells_nothing()
    {
        Assert.Contains(Read(new NoStart(3) { Seconds = 0.6 }.Log()).Notes, n => n.Code == "not-cranked");
        Assert.True(Read(new NoStart(3) { Seconds = 0 }.Log()).IsUnusable);
    }

    [Fact]
    public void Turned_too_briefly_for_cam_and_crank_to_come_into_step_rules_nothing_else_out()
    {
        var brief = Read(new NoStart(4) { Seconds = 2.2, SyncAt = null }.Log());
        Assert.Equal("all-met", brief.Verdict);
        Assert.Contains(brief.Notes, n => n.Code == "turned-briefly");
        Assert.DoesNotContain("what is left", brief.Sentence, StringComparison.Ordinal);
        Assert.Contains("may have needed longer", brief.Sentence, StringComparison.Ordinal);
    }

    private static StartConditionsResult Read(Capture capture, Engine? engine = null, string? need = null) =>
        (StartConditionsResult)
            new StartConditionsReading().Read(
                new ReadingRequest(capture)
                {
                    Engine =
                        engine
                        ?? new Engine
                        {
                            Cylinders = 4,
                            FiringOrder = [1, 3, 4, 2],
                            Fuel = "diesel",
                        },
                    Options = need is null ? new Dictionary<string, string>() : new() { ["need"] = need },
                }
            );
}
