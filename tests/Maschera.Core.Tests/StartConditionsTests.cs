using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Readings.StartConditions;
using Maschera.Core.Signals;

namespace Maschera.Core.Tests;

/// <summary>Made-up logs of cranking, with one gate shut after the other.</summary>
public class StartConditionsTests
{
    public static TheoryData<int> Seeds => [.. Enumerable.Range(1, 8)];

    [Theory]
    [MemberData(nameof(Seeds))]
    public void The_first_gate_that_is_shut_is_named_and_what_follows_is_not_accused(int seed)
    {
        (string First, Cranking Log)[] cases =
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
        var met = Read(new Cranking(seed).Log());
        Assert.True(met.Verdict == "all-met", met.Sentence);
        Assert.Null(met.First);
        Assert.Equal(6, met.Conditions.Count);
        Assert.All(met.Conditions, c => Assert.Equal("met", c.State));
        var starts = Read(new Cranking(seed) { Starts = true, Battery = 9.2 }.Log());
        Assert.Equal("starts", starts.Verdict);
        Assert.Null(starts.First);
        Assert.Contains(starts.Notes, n => n.Code == "missing-on-the-way");
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void What_was_not_logged_is_neither_met_nor_missing(int seed)
    {
        var log = new Cranking(seed).Log();
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
        var log = new Cranking(2) { Rpm = 135, Rail = 30 }.Log();
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
        Assert.Contains(Read(new Cranking(3) { Seconds = 0.6 }.Log()).Notes, n => n.Code == "not-cranked");
        Assert.True(Read(new Cranking(3) { Seconds = 0 }.Log()).IsUnusable);
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

    /// <summary>Key on for two seconds, then cranking; everything as it should be unless told otherwise.</summary>
    internal sealed class Cranking(int seed)
    {
        private const double Begins = 2;

        private readonly Random _random = new(seed);

        public double Battery { get; init; } = 10.6;
        public double Rpm { get; init; } = 215;
        public double Rail { get; init; } = 290;
        public double? SyncAt { get; init; } = 0.7;
        public double Quantity { get; init; } = 22;
        public string Immobiliser { get; init; } = "released";
        public bool Starts { get; init; }
        public double Seconds { get; init; } = 6;

        public Capture Log()
        {
            List<double> times = [];
            for (var t = 0.0; t < Begins + Seconds + 2; t += 0.06 + 0.04 * _random.NextDouble())
                times.Add(t);
            var axis = TimeAxis.FromStamps([.. times]);
            bool Turned(double t) => t >= Begins && t < Begins + Seconds;
            bool Runs(double t) => Starts && t >= Begins + Seconds;
            double Wobble() => 1 + 0.02 * (_random.NextDouble() - 0.5);
            Channel Made(string name, string unit, Func<double, double> value) =>
                new(name, unit, axis, [.. times.Select(t => (float)value(t))]);
            return new Capture(
                "cranking.csv",
                [
                    Made(
                        "Engine speed",
                        "rpm",
                        t =>
                            Runs(t) ? 850
                            : Turned(t) ? Math.Round(Rpm * Math.Min(1, (t - Begins) / 0.3 + 0.15) * Wobble())
                            : 0
                    ),
                    Made(
                        "Battery voltage",
                        "V",
                        t =>
                            Runs(t) ? 14
                            : Turned(t) ? Battery * Wobble()
                            : 12.5
                    ),
                    Made("Rail pressure", "bar", t => Turned(t) || Runs(t) ? Rail * (1 - Math.Exp(-(t - Begins) / 0.5)) : 2),
                    Made("Injection quantity", "mg", t => SyncAt is { } s && (Turned(t) || Runs(t)) && t > Begins + s ? Quantity : 0),
                    Made("Sync", "", t => SyncAt is { } s && (Turned(t) || Runs(t)) && t >= Begins + s ? 1 : 0) with
                    {
                        Words = ["searching", "in step"],
                    },
                    Made("Immobiliser", "", _ => 0) with
                    {
                        Words = [Immobiliser],
                    },
                ],
                []
            );
        }
    }
}
