using System.Text.Json;
using Maschera.Core.Engines;
using Maschera.Core.Quantities;
using Maschera.Core.Readings;
using Maschera.Core.Signals;
using Maschera.Rig;
using Maschera.Rig.Fuel;
using Maschera.Rig.Road;

namespace Maschera.Core.Tests;

/// <summary>
/// The same fault told in another way is the same fault: later in the day, in other units, with the channels in another order or
/// with other names around them, logged twice as fast. What a reading says of it must stay.
/// </summary>
public class RetoldTests
{
    /// <summary>A capture with what is asked of it, and the words of the answer that must not change.</summary>
    private sealed record Case(string Kind, Capture Capture, Dictionary<string, string> Options, params string[] Words)
    {
        public Capture? Reference { get; init; }
    }

    private static readonly Engine s_engine = new()
    {
        Cylinders = 4,
        FiringOrder = [1, 3, 4, 2],
        Fuel = "diesel",
    };

    private static readonly Dictionary<string, Func<Case>> s_cases = new()
    {
        ["hold-leaks"] = () => new("pressure-hold", new HeldRail(3) { LossAMinute = 0.6 }.Log(true), [], "verdict"),
        ["hold-holds"] = () => new("pressure-hold", new HeldRail(4) { LossAMinute = 0.05 }.Log(true), [], "verdict"),
        ["hold-shut"] = () =>
            new("pressure-hold", new HeldRail(5) { HalfLife = 120 }.Log(true), new() { ["shut"] = "supply" }, "verdict", "with")
            {
                Reference = new HeldRail(25) { HalfLife = 4_000 }.Log(true),
            },
        ["injector-low"] = () => new("injector-balance", new FiredRail(6) { Odd = 3, OddFlow = 0.78 }.Log(), [], "verdict", "mode"),
        ["injector-even"] = () => new("injector-balance", new FiredRail(7).Log(), [], "verdict", "mode"),
        ["injector-all"] = () =>
            new("injector-balance", new FiredRail(8) { All = 0.8 }.Log(), [], "verdict") { Reference = new FiredRail(58).Log() },
        ["knock-real"] = () => new("knock", new KnockingDrive(2) { Real = true, Coolant = 109 }.Log(), [], "verdict"),
        ["knock-false"] = () => new("knock", new KnockingDrive(3) { Noise = true, Coolant = 88 }.Log(), [], "verdict"),
        ["knock-none"] = () => new("knock", new KnockingDrive(4) { Coolant = 90 }.Log(), [], "verdict"),
        ["start-battery"] = () =>
            new(
                "start-conditions",
                new NoStart(2)
                {
                    Battery = 8.6,
                    Rpm = 70,
                    SyncAt = null,
                }.Log(),
                [],
                "verdict",
                "first"
            ),
        ["start-rail"] = () => new("start-conditions", new NoStart(3) { Rail = 90 }.Log(), [], "verdict", "first"),
        ["start-met"] = () => new("start-conditions", new NoStart(4).Log(), [], "verdict", "first"),
        ["response-dead"] = () =>
            new(
                "response",
                new CommandedValve(3) { Change = 0 }.Log(),
                new() { ["command"] = "Bypass valve", ["response"] = "Oil pressure" },
                "verdict"
            ),
        ["response-works"] = () =>
            new(
                "response",
                new CommandedValve(4) { Change = 1.2 }.Log(),
                new() { ["command"] = "Bypass valve", ["response"] = "Oil pressure" },
                "verdict"
            ),
        ["wheel-dead"] = () => new("wheel-speeds", new FourWheels(3) { Fault = "dead", FaultyWheel = 2 }.Log(), [], "verdict"),
        ["wheel-size"] = () => new("wheel-speeds", new FourWheels(5) { Size = 1.05, FaultyWheel = 1 }.Log(), [], "verdict"),
        ["wheel-sound"] = () => new("wheel-speeds", new FourWheels(6).Log(), [], "verdict"),
        ["boost-slow"] = () => new("tracking", LogMaker.Follow(2, new LogMaker.Follower(1.1, 0.9)), [], "verdict"),
        ["boost-below"] = () => new("tracking", LogMaker.Follow(3, new LogMaker.Follower(6, 0.8) { Gain = 0.6 }), [], "verdict"),
        ["boost-follows"] = () => new("tracking", LogMaker.Follow(4, new LogMaker.Follower(6, 0.8)), [], "verdict"),
        ["compression-low"] = () =>
            new(
                "relative-compression",
                CrankingRun.Record(new CrankingPlan(EngineCatalogue.Orsa) { Faults = [new(3, 5)], SyncCylinder = 1 }).Capture,
                [],
                "verdict"
            ),
        ["cam-late"] = () =>
            new("cam-timing", Running(new RunningPlan(EngineCatalogue.Orsa) { CamOffsetDegrees = 16, Seconds = 3 }), [], "verdict")
            {
                Reference = Running(
                    new RunningPlan(EngineCatalogue.Orsa)
                    {
                        SpeedRpm = 1_000,
                        Seconds = 3,
                        Seed = 9,
                    }
                ),
            },
        ["cam-in-time"] = () =>
            new("cam-timing", Running(new RunningPlan(EngineCatalogue.Orsa) { Seconds = 3, InductiveCrank = true }), [], "verdict")
            {
                Reference = Running(
                    new RunningPlan(EngineCatalogue.Orsa)
                    {
                        SpeedRpm = 1_000,
                        Seconds = 3,
                        Seed = 9,
                        InductiveCrank = true,
                    }
                ),
            },
        ["misfire-one"] = () =>
            new(
                "misfire",
                Running(new RunningPlan(EngineCatalogue.Orsa) { Misfires = [new(2, 0.4)], Seconds = 5 }),
                new() { ["sync"] = "Ignition" },
                "verdict"
            ),
        ["misfire-none"] = () =>
            new("misfire", Running(new RunningPlan(EngineCatalogue.Orsa) { Seconds = 5 }), new() { ["sync"] = "Ignition" }, "verdict"),
        ["pressure-fine"] = () =>
            new("cylinder-pressure", Breathing(new BreathingPlan(EngineCatalogue.Orsa) { CrankSensor = true }), [], "verdict"),
        ["ring-short"] = () =>
        {
            var ring = new ToothedRing(3);
            ring.Gone.Add(5);
            return new("pulse-count", ring.Capture(), new() { ["target"] = $"{ring.Places}" }, "verdict", "perRevolution");
        },
        ["ring-whole"] = () =>
            new(
                "pulse-count",
                new ToothedRing(4).Capture(),
                new() { ["target"] = $"{new ToothedRing(4).Places}" },
                "verdict",
                "perRevolution"
            ),
    };

    private static readonly HashSet<string> s_geometric = ["relative-compression", "cam-timing", "misfire", "cylinder-pressure"];

    private static Capture Running(RunningPlan plan) => RunningRun.Record(plan).Capture;

    private static Capture Breathing(BreathingPlan plan) => BreathingRun.Record(plan).Capture;

    private static readonly Dictionary<string, Func<Capture, Capture>> s_tellings = new()
    {
        ["later in the day"] = c => Each(c, ch => ch with { Time = Moved(ch.Time, 3_600) }),
        ["before the trigger"] = c => Each(c, ch => ch with { Time = Moved(ch.Time, -2) }),
        ["in other units"] = c => Each(c, ch => InUnit(ch, 1)),
        ["in units larger still"] = c => Each(c, ch => InUnit(ch, 2)),
        ["the other way round"] = c => c with { Channels = [.. c.Channels.Reverse()] },
        ["twice as fast"] = c => Each(c, Doubled),
        ["in capitals"] = c => Each(c, ch => ch with { Name = ch.Name.ToUpperInvariant() }),
        ["with a stranger beside it"] = c =>
            c with
            {
                Channels = [.. c.Channels, new Channel("Ambient light", "lx", c.Channels[0].Time, new float[c.Channels[0].Time.Count])],
            },
    };

    public static TheoryData<string> Cases => [.. s_cases.Keys];

    [Theory]
    [MemberData(nameof(Cases))]
    public void Another_telling_of_a_fault_is_the_same_fault(string name)
    {
        var plain = s_cases[name]();
        var said = Said(plain);
        Assert.DoesNotContain("unusable", said, StringComparison.Ordinal);
        Assert.Multiple([
            .. s_tellings.Select(telling =>
                (Action)(
                    () =>
                    {
                        var retold = plain with
                        {
                            Capture = telling.Value(plain.Capture),
                            Reference = plain.Reference is { } good ? telling.Value(good) : null,
                            Options =
                                telling.Key == "in capitals"
                                    ? plain.Options.ToDictionary(
                                        o => o.Key,
                                        o => o.Key is "command" or "response" or "sync" ? o.Value.ToUpperInvariant() : o.Value
                                    )
                                    : plain.Options,
                        };
                        var answer = Said(retold);
                        Assert.True(answer == said, $"{name}, {telling.Key}: {answer}, plainly {said}");
                    }
                )
            ),
        ]);
    }

    private static string Said(Case asked)
    {
        var reading = ReadingRegistry.Find(asked.Kind)!;
        // What is asked of a channel by name is a role; what else is asked is an option.
        var roles = asked.Options.Where(o => reading.Roles.Any(r => r.Name == o.Key)).ToDictionary();
        var result = reading.Read(
            new ReadingRequest(asked.Capture)
            {
                Engine = s_geometric.Contains(asked.Kind) ? EngineCatalogue.Orsa : s_engine,
                Channels = roles,
                Reference = asked.Reference,
                Options = asked.Options.Where(o => !roles.ContainsKey(o.Key)).ToDictionary(),
            }
        );
        var json = JsonSerializer.SerializeToElement(result, reading.ResultJson);
        var odd = result.Ledger.Where(l => l.Odd).Select(l => $"{l.Cylinder}");
        return string.Join(" ", [.. asked.Words.Select(w => json.GetProperty(w).ToString()), .. odd]);
    }

    private static Capture Each(Capture capture, Func<Channel, Channel> changed) =>
        capture with
        {
            Channels = [.. capture.Channels.Select(changed)],
        };

    private static TimeAxis Moved(TimeAxis time, double by) =>
        time.IsUniform
            ? TimeAxis.Uniform(time.Start + by, time.Step, time.Count)
            : TimeAxis.FromStamps([.. time.Stamps!.Select(s => s + by)]);

    private static Channel InUnit(Channel channel, int place)
    {
        // A share of revolutions a second is no unit in which anybody logs an engine's speed.
        var choices = UnitConversion.For(channel.Unit).Where(u => channel.Unit != "rpm" || u.Unit == "rpm").ToList();
        var choice = choices[Math.Min(place, choices.Count - 1)];
        return channel with
        {
            Unit = choice.Unit,
            Samples = Array.ConvertAll(channel.Samples, v => (float)(v * choice.Factor + choice.Offset)),
        };
    }

    /// <summary>A value on the line between every two; words keep theirs until the next.</summary>
    private static Channel Doubled(Channel channel)
    {
        var count = Math.Max(0, 2 * channel.Time.Count - 1);
        double Between(int i, Func<int, double> of, bool held) => i % 2 == 0 || held ? of(i / 2) : (of(i / 2) + of(i / 2 + 1)) / 2;
        var time = channel.Time.IsUniform
            ? TimeAxis.Uniform(channel.Time.Start, channel.Time.Step / 2, count)
            : TimeAxis.FromStamps([.. Enumerable.Range(0, count).Select(i => Between(i, k => channel.Time[k], false))]);
        var isStep = channel.Words is not null || channel.Samples.Distinct().Take(9).Count() < 9;
        return channel with
        {
            Time = time,
            Samples = [.. Enumerable.Range(0, count).Select(i => (float)Between(i, k => channel.Samples[k], isStep))],
        };
    }
}
