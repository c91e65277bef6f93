using Maschera.Core.Readings;
using Maschera.Core.Readings.WheelSpeeds;
using Maschera.Core.Signals;
using Maschera.Rig.Road;

namespace Maschera.Core.Tests;

/// <summary>Made-up drives with turns, a wheel that spins and one that locks, and sensors at fault.</summary>
public class WheelSpeedsTests
{
    public static TheoryData<int> Seeds => [.. Enumerable.Range(1, 10)];

    [Theory]
    [MemberData(nameof(Seeds))]
    public void A_healthy_drive_agrees_and_its_turns_slip_and_lock_are_the_roads(int seed)
    {
        var drive = new FourWheels(seed) { SlipAt = 62, LockAt = 100 };
        var result = Read(drive.Log(), ("driven", "rear"));
        Assert.True(result.Verdict == "agree", result.Sentence);
        Assert.All(result.Wheels, w => Assert.Equal("ok", w.State));
        for (var wheel = 0; wheel < 4; wheel++)
            Assert.InRange(result.Wheels[wheel].Ratio!.Value - drive.RatioAgainstOthers(wheel), -0.003, 0.003);
        Assert.Contains(result.Events, e => e.Kind == "slip" && e.Wheels.Contains("rear-right") && e.From < 64 && e.To > 62);
        Assert.Contains(result.Events, e => e.Kind == "lock" && e.Wheels.Contains("front-left") && e.From < 101 && e.To > 100);
        foreach (var turn in drive.Turns)
            Assert.Contains(result.Events, e => e.Kind == "turn" && e.From < turn.To && e.To > turn.From);
        Assert.Equal(2, result.Events.Where(e => e.Kind != "turn" && Math.Abs(e.WorstPercent) > 12).Count());
    }

    [Theory]
    [InlineData(0)]
    [InlineData(3)]
    public void A_wheel_that_reads_nothing_is_dead_and_makes_no_endless_slide(int wheel)
    {
        var log = new FourWheels(5).Log();
        var still = log with
        {
            Channels =
            [
                .. log.Channels.Select(c =>
                    c.Name.StartsWith(FourWheels.Names[wheel].Replace('-', ' '), StringComparison.Ordinal)
                        ? c with
                        {
                            Samples = new float[c.Samples.Length],
                        }
                        : c
                ),
            ],
        };
        var result = Read(still);
        Assert.Equal("sensor-fault", result.Verdict);
        Assert.Equal(WheelNames.All[wheel], Assert.Single(result.Faults).Wheel);
        Assert.All(result.Events, e => Assert.True(double.IsFinite(e.WorstPercent), e.Kind));
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void One_faulty_sensor_is_named_and_nobody_else(int seed)
    {
        foreach (var fault in (string[])["dead", "drops-out", "erratic", "late"])
        {
            var wheel = seed % 4;
            var result = Read(new FourWheels(seed) { Fault = fault, FaultyWheel = wheel }.Log());
            Assert.True(result.Verdict == "sensor-fault", $"{fault}: {result.Sentence}");
            Assert.Equal(fault != "late", result.Faults.Count > 0);
            Assert.All(result.Faults, f => Assert.Equal(WheelNames.All[wheel], f.Wheel));
            Assert.Equal(result.Faults.Count, result.Marks.Count(m => m.Odd && m.From >= result.Span.From && m.To <= result.Span.To));
            for (var other = 0; other < 4; other++)
                Assert.True(
                    result.Wheels[other].State == (other == wheel ? fault : "ok"),
                    $"{fault} at {FourWheels.Names[wheel]}: {result.Sentence}"
                );
            if (fault == "late")
                Assert.InRange(result.Wheels[wheel].LeastSpeed!.Value, 11, 17);
        }
    }

    /// <summary>A contact that opens for good takes the speed away at once: no wheel stops so, and no road makes it.</summary>
    [Theory]
    [MemberData(nameof(Seeds))]
    public void A_sensor_that_dies_shortly_before_the_end_is_dead(int seed)
    {
        var log = new FourWheels(seed).Log();
        // Before the brake at 98 s, under which one steep fall may be a lock.
        var last = Rolling(log).Select(i => log.Channels[0].Time[i]).Last(t => t < 96);
        var cut = log with { Channels = [.. log.Channels.Select(c => c.Between(0, last))] };
        var result = Read(Changed(cut, 1, (i, speed) => cut.Channels[0].Time[i] > cut.Channels[0].Time.End - 4 ? 0 : speed));
        Assert.True(result.Verdict == "sensor-fault", result.Sentence);
        Assert.Equal(("front-right", "dead"), Assert.Single(result.Wheels.Where(w => w.State != "ok").Select(w => (w.Wheel, w.State))));
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Jumps_that_are_seldom_are_said_and_accuse_nobody_yet(int seed)
    {
        var log = new FourWheels(seed).Log();
        var moves = Rolling(log);
        HashSet<int> at = [moves[moves.Count / 4], moves[moves.Count / 2]];
        var result = Read(Changed(log, 2, (i, speed) => at.Contains(i) ? 1.7f * speed + 30 : speed));
        Assert.Equal("ok", result.Wheels[2].State);
        Assert.Contains(result.Notes, n => n.Code == "seldom-jumps" && n.Text.StartsWith("Rear left", StringComparison.Ordinal));
        Assert.DoesNotContain(Read(log).Notes, n => n.Code == "seldom-jumps");
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Jumps_up_as_well_as_down_are_no_contact_that_opens(int seed)
    {
        var log = new FourWheels(seed).Log();
        var moves = Rolling(log);
        var at = Enumerable.Range(1, 24).ToDictionary(k => moves[k * (moves.Count - 1) / 25], k => k % 3 == 0 ? 1.8f : 0.3f);
        var result = Read(Changed(log, 3, (i, speed) => speed * at.GetValueOrDefault(i, 1)));
        Assert.True(result.Wheels[3].State == "erratic", result.Sentence);
    }

    /// <summary>Where all wheels are faster than 40 km/h.</summary>
    private static List<int> Rolling(Capture log) =>
        [
            .. Enumerable
                .Range(0, log.Channels[0].Time.Count)
                .Where(i => log.Channels.Where(c => c.Unit == log.Channels[0].Unit).All(c => c.Samples[i] > 40)),
        ];

    private static Capture Changed(Capture log, int wheel, Func<int, float, float> change) =>
        log with
        {
            Channels =
            [
                .. log.Channels.Select(c =>
                    c.Name.StartsWith(FourWheels.Names[wheel].Replace('-', ' '), StringComparison.Ordinal)
                        ? c with
                        {
                            Samples = [.. c.Samples.Select((v, i) => change(i, v))],
                        }
                        : c
                ),
            ],
        };

    [Theory]
    [MemberData(nameof(Seeds))]
    public void A_wheel_of_another_size_is_off_size_whatever_the_unit(int seed)
    {
        var size = seed % 2 == 0 ? 1.035 : 0.965;
        var drive = new FourWheels(seed) { FaultyWheel = seed % 4, Size = size };
        foreach (var (unit, factor) in (ReadOnlySpan<(string, float)>)[("km/h", 1), ("mph", 0.6214f), ("rad/s", 0.896f), ("Hz", 6.6f)])
        {
            var log = drive.Log();
            var result = Read(
                log with
                {
                    Channels = [.. log.Channels.Select((c, i) => i < 4 ? c.Scaled(factor) with { Unit = unit } : c)],
                }
            );
            Assert.True(result.Verdict == "off-size", $"{unit}: {result.Sentence}");
            Assert.Equal(FourWheels.Names[seed % 4], Assert.Single(result.Wheels, w => w.State == "off-size").Wheel);
            Assert.InRange(result.Wheels[seed % 4].Ratio!.Value - drive.RatioAgainstOthers(seed % 4), -0.003, 0.003);
            Assert.Equal(unit == "Hz", result.Wheels[0].LeastSpeed is null);
        }
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void A_tight_turn_is_no_slip_and_a_wheel_that_spins_in_it_is(int seed)
    {
        var tight = new FourWheels(seed) { Tightness = 0.11 };
        var result = Read(tight.Log());
        Assert.Equal("agree", result.Verdict);
        Assert.DoesNotContain(result.Events, e => e.Kind != "turn");
        Assert.All(tight.Turns, turn => Assert.Contains(result.Events, e => e.Kind == "turn" && e.From < turn.To && e.To > turn.From));
        // The inner wheel of the turn to the right.
        var spinning = Read(new FourWheels(seed) { Tightness = 0.11, SlipAt = 84.8 }.Log(), ("driven", "rear"));
        var slip = Assert.Single(spinning.Events, e => e.Kind != "turn");
        Assert.Equal(("slip", "rear-right"), (slip.Kind, Assert.Single(slip.Wheels)));
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void A_late_sensor_at_the_speed_from_which_it_reads_is_not_erratic(int seed)
    {
        // Between 103 and 114 s the vehicle rolls at 30 km/h.
        var result = Read(
            new FourWheels(seed)
            {
                Fault = "late",
                FaultyWheel = 1,
                ReadsFrom = 30,
            }.Log()
        );
        Assert.Equal("late", result.Wheels[1].State);
        Assert.InRange(result.Wheels[1].LeastSpeed!.Value, 27, 33);
    }

    [Fact]
    public void Two_of_one_axle_may_be_either_axle()
    {
        var result = Read(new FourWheels(2) { AxleSize = 1.05 }.Log());
        Assert.Equal("off-size", result.Verdict);
        Assert.Contains(result.Notes, n => n.Code == "either-pair");
    }

    [Fact]
    public void Two_wheels_tell_nothing_and_neither_does_standing()
    {
        var log = new FourWheels(1).Log();
        Assert.Contains(Read(log with { Channels = [.. log.Channels.Take(2)] }).Notes, n => n.Code == "few-wheels");
        var still = log with { Channels = [.. log.Channels.Select(c => c with { Samples = new float[c.Samples.Length] })] };
        Assert.Contains(Read(still).Notes, n => n.Code == "not-rolling");
    }

    [Fact]
    public void Names_in_other_words_are_understood()
    {
        var log = new FourWheels(3).Log();
        foreach (
            var names in (string[][])
                [
                    ["Wheel speed FL", "Wheel speed FR", "Wheel speed RL", "Wheel speed RR"],
                    ["Left front wheel", "Right front wheel", "Left rear wheel", "Right rear wheel"],
                    ["Raddrehzahl VL", "Raddrehzahl VR", "Raddrehzahl HL", "Raddrehzahl HR"],
                ]
        )
        {
            var renamed = log with { Channels = [.. log.Channels.Select((c, i) => i < 4 ? c with { Name = names[i] } : c)] };
            var result = (WheelSpeedsResult)new WheelSpeedsReading().Read(new ReadingRequest(renamed));
            Assert.Equal(4, result.Wheels.Count);
            Assert.Equal(names[3], result.Channels["rear-right"]);
        }
    }

    private static WheelSpeedsResult Read(Capture capture, params (string Name, string Value)[] options) =>
        (WheelSpeedsResult)
            new WheelSpeedsReading().Read(new ReadingRequest(capture) { Options = options.ToDictionary(o => o.Name, o => o.Value) });
}
