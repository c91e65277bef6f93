using Maschera.Core.Engines;
using Maschera.Core.Expressions;
using Maschera.Core.Readings;
using Maschera.Core.Readings.Pulses;
using Maschera.Core.Signals;
using Maschera.Rig;

namespace Maschera.Core.Tests;

/// <summary>Pulses at the stand-in engine's pick-ups: the right cylinder named, sound engines left alone.</summary>
public class PulsesTests
{
    private static readonly Engine s_six = EngineCatalogue.Tasso;

    [Theory]
    [InlineData(3)]
    [InlineData(4)]
    [InlineData(6)]
    public void A_sound_engine_is_left_alone_at_every_place(int cylinders)
    {
        var engine = Of(cylinders);
        var capture = Record(engine);
        foreach (var at in new[] { "intake", "exhaust", "crankcase" })
        {
            var result = Read(capture, engine, at);
            Assert.True(result.Verdict == "even", $"{at}: {result.Sentence}");
            Assert.Equal(cylinders, result.Cylinders.Count);
        }
    }

    public static TheoryData<int, int, string, string> Faults =>
        new()
        {
            { 4, 3, "misfires", "exhaust" },
            { 3, 2, "misfires", "exhaust" },
            { 6, 5, "misfires", "exhaust" },
            { 4, 2, "weak", "exhaust" },
            { 6, 4, "weak", "exhaust" },
            { 4, 1, "leaks", "exhaust" },
            { 3, 3, "leaks", "exhaust" },
            { 4, 4, "leaks-case", "crankcase" },
            { 6, 2, "leaks-case", "crankcase" },
            { 4, 3, "leaks-coolant", "coolant" },
            { 6, 6, "leaks-coolant", "coolant" },
            { 6, 1, "half-exhaust", "exhaust" },
        };

    [Theory]
    [MemberData(nameof(Faults))]
    public void The_cylinder_at_fault_is_named(int cylinders, int cylinder, string fault, string at)
    {
        var engine = Of(cylinders);
        var result = Read(
            Record(
                engine,
                fault switch
                {
                    "misfires" => new BreathingFault(cylinder) { Misfires = 1 },
                    "weak" => new BreathingFault(cylinder) { Heat = 0.5 },
                    "leaks" => new BreathingFault(cylinder) { LeakMm2 = 5 },
                    "leaks-case" => new BreathingFault(cylinder) { LeakMm2 = 6, LeakTo = LeakTo.Crankcase },
                    "leaks-coolant" => new BreathingFault(cylinder) { LeakMm2 = 1, LeakTo = LeakTo.Coolant },
                    _ => new BreathingFault(cylinder) { ExhaustOpens = 0.5 },
                }
            ),
            engine,
            at
        );
        Assert.True(result.Cylinders.MaxBy(c => c.Oddness)!.Cylinder == cylinder, result.Sentence);
        Assert.True(result.Verdict is "one-odd", result.Sentence);
        Assert.Contains($"Cylinder {cylinder} ", result.Sentence, StringComparison.Ordinal);
        Assert.Equal([cylinder], result.Ledger.Where(l => l.Odd).Select(l => l.Cylinder));
    }

    [Fact]
    public void A_misfire_is_told_from_a_mechanical_cause_by_the_intake()
    {
        var engine = Of(4);
        PulsesResult Both(BreathingFault fault) => Read(Record(engine, fault), engine, "exhaust", ("intake", "Intake pulse"));
        Assert.Equal("combustion", Both(new BreathingFault(3) { Misfires = 1 }).Cause);
        Assert.Equal("mechanical", Both(new BreathingFault(3) { LeakMm2 = 6 }).Cause);
    }

    [Fact]
    public void Scale_and_level_of_the_pick_up_change_nothing()
    {
        var engine = Of(4);
        var capture = Record(engine, new BreathingFault(2) { Misfires = 1 });
        var first = Read(capture, engine, "exhaust");
        var changed = capture with
        {
            Channels =
            [
                .. capture.Channels.Select(c =>
                    c.Name == "Exhaust pulse" ? c with { Samples = Array.ConvertAll(c.Samples, v => 40 * v + 3) } : c
                ),
            ],
        };
        var second = Read(changed, engine, "exhaust");
        Assert.Equal(first.Verdict, second.Verdict);
        foreach (var (one, two) in first.Cylinders.Zip(second.Cylinders))
            Assert.Equal(one.DepthPercent, two.DepthPercent, 1);
    }

    [Fact]
    public void The_transit_can_be_said_and_moves_the_shares()
    {
        var engine = Of(4);
        var capture = Record(engine);
        var (usual, said) = (Read(capture, engine, "exhaust"), Read(capture, engine, "exhaust", options: ("transit", "12")));
        Assert.Equal(12, said.TransitMs!.Value, 6);
        Assert.InRange(Math.IEEERemainder(said.Starts[0] - usual.Starts[0], 720), 15, 40);
    }

    [Fact]
    public void Back_pressure_is_given_against_a_persons_limit_beside_the_vehicles_sensor()
    {
        var engine = Of(4);
        var capture = BreathingRun
            .Record(
                new BreathingPlan(engine)
                {
                    Measured = null,
                    PickUps = true,
                    ExhaustBlocked = 0.97,
                    Seconds = 4,
                }
            )
            .Capture;
        var pressure = capture.Find("Exhaust back pressure")!;
        var sensor = pressure with { Name = "Own sensor", Unit = "V", Samples = Array.ConvertAll(pressure.Samples, v => 0.5f + 1.25f * v) };
        var result = Read(
            capture with
            {
                Channels = [.. capture.Channels, sensor],
            },
            engine,
            "exhaust",
            [("back-pressure", "Exhaust back pressure"), ("sensor", "Own sensor")],
            ("limit-idle", "0.1")
        );
        var idle = Assert.Single(result.BackPressure);
        Assert.Equal("idle", idle.Condition);
        Assert.True(idle.Exceeds && idle.Peak > idle.Mean && idle.Ripple > 0, $"{idle}");
        Assert.InRange(result.Sensor!.VoltsPerUnit, 1.24, 1.26);
        Assert.InRange(result.Sensor.OffsetVolts, 0.49, 0.51);
    }

    [Fact]
    public void What_can_not_answer_is_refused_with_its_reason()
    {
        var engine = Of(4);
        var capture = Record(engine);
        Refused("no-sync", capture with { Channels = [capture.Find("Exhaust pulse")!] }, engine);
        Refused("no-pulse", capture with { Channels = [capture.Find("Ignition")!] }, engine);
        Refused("few-cylinders", capture, engine with { Cylinders = 2, FiringOrder = [1, 2] });
        Refused(
            "no-pulses",
            capture with
            {
                Channels =
                [
                    .. capture.Channels.Select(c => c.Name == "Exhaust pulse" ? c with { Samples = new float[c.Samples.Length] } : c),
                ],
            },
            engine
        );
        Assert.Throws<ReadingException>(() => Read(capture, engine, "gearbox"));
        Assert.Throws<ReadingException>(() => Read(capture, engine, "exhaust", options: ("sync-cylinder", "9")));
    }

    private static void Refused(string code, Capture capture, Engine engine)
    {
        var result = (PulsesResult)
            new PulsesReading().Read(
                new ReadingRequest(capture)
                {
                    Engine = engine,
                    Channels = capture.Find("Exhaust pulse") is null
                        ? new Dictionary<string, string>()
                        : new() { ["pulse"] = "Exhaust pulse" },
                }
            );
        Assert.True(result.IsUnusable, $"{code}: {result.Sentence}");
        Assert.Contains(result.Notes, n => n.Code == code);
        Assert.Empty(result.Cylinders);
    }

    private static Engine Of(int cylinders) =>
        cylinders switch
        {
            3 => EngineCatalogue.Ghiro,
            4 => EngineCatalogue.Orsa,
            _ => s_six,
        };

    private static Capture Record(Engine engine, params BreathingFault[] faults) =>
        BreathingRun
            .Record(
                new BreathingPlan(engine)
                {
                    Measured = null,
                    PickUps = true,
                    SpeedRpm = 850,
                    Seconds = 4,
                    Faults = faults,
                    Seed = 6,
                }
            )
            .Capture;

    private static PulsesResult Read(
        Capture capture,
        Engine engine,
        string at,
        (string Role, string Column) more = default,
        (string Name, string Value) options = default
    ) => Read(capture, engine, at, more.Role is null ? [] : [more], options);

    private static PulsesResult Read(
        Capture capture,
        Engine engine,
        string at,
        (string Role, string Column)[] more,
        (string Name, string Value) options
    )
    {
        var roles = more.ToDictionary(m => m.Role, m => m.Column);
        roles["pulse"] = $"{char.ToUpperInvariant(at[0])}{at[1..]} pulse";
        if (capture.Find(roles["pulse"]) is null)
            roles["pulse"] = "Exhaust pulse";
        roles["sync"] = "Ignition";
        var said = new Dictionary<string, string> { ["at"] = at };
        if (options.Name is not null)
            said[options.Name] = options.Value;
        return (PulsesResult)
            new PulsesReading().Read(
                new ReadingRequest(capture)
                {
                    Engine = engine,
                    Channels = roles,
                    Options = said,
                }
            );
    }
}
