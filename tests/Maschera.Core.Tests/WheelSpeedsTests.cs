using Maschera.Core.Readings;
using Maschera.Core.Readings.WheelSpeeds;
using Maschera.Core.Signals;

namespace Maschera.Core.Tests;

/// <summary>Made-up drives with turns, a wheel that spins and one that locks, and sensors at fault.</summary>
public class WheelSpeedsTests
{
    private static readonly string[] s_wheels = ["front-left", "front-right", "rear-left", "rear-right"];

    public static TheoryData<int> Seeds => [.. Enumerable.Range(1, 10)];

    [Theory]
    [MemberData(nameof(Seeds))]
    public void A_healthy_drive_agrees_and_its_turns_slip_and_lock_are_the_roads(int seed)
    {
        var drive = new Drive(seed) { SlipAt = 62, LockAt = 100 };
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
    [MemberData(nameof(Seeds))]
    public void One_faulty_sensor_is_named_and_nobody_else(int seed)
    {
        foreach (var fault in (string[])["dead", "drops-out", "erratic", "late"])
        {
            var wheel = seed % 4;
            var result = Read(new Drive(seed) { Fault = fault, FaultyWheel = wheel }.Log());
            Assert.True(result.Verdict == "sensor-fault", $"{fault}: {result.Sentence}");
            for (var other = 0; other < 4; other++)
                Assert.True(
                    result.Wheels[other].State == (other == wheel ? fault : "ok"),
                    $"{fault} at {s_wheels[wheel]}: {result.Sentence}"
                );
            if (fault == "late")
                Assert.InRange(result.Wheels[wheel].LeastSpeed!.Value, 11, 17);
        }
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void A_wheel_of_another_size_is_off_size_whatever_the_unit(int seed)
    {
        var size = seed % 2 == 0 ? 1.035 : 0.965;
        var drive = new Drive(seed) { FaultyWheel = seed % 4, Size = size };
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
            Assert.Equal(s_wheels[seed % 4], Assert.Single(result.Wheels, w => w.State == "off-size").Wheel);
            Assert.InRange(result.Wheels[seed % 4].Ratio!.Value - drive.RatioAgainstOthers(seed % 4), -0.003, 0.003);
            Assert.Equal(unit == "Hz", result.Wheels[0].LeastSpeed is null);
        }
    }

    [Fact]
    public void Two_of_one_axle_may_be_either_axle()
    {
        var result = Read(new Drive(2) { AxleSize = 1.05 }.Log());
        Assert.Equal("off-size", result.Verdict);
        Assert.Contains(result.Notes, n => n.Code == "either-pair");
    }

    [Fact]
    public void Two_wheels_tell_nothing_and_neither_does_standing()
    {
        var log = new Drive(1).Log();
        Assert.Contains(Read(log with { Channels = [.. log.Channels.Take(2)] }).Notes, n => n.Code == "few-wheels");
        var still = log with { Channels = [.. log.Channels.Select(c => c with { Samples = new float[c.Samples.Length] })] };
        Assert.Contains(Read(still).Notes, n => n.Code == "not-rolling");
    }

    [Fact]
    public void Names_in_other_words_are_understood()
    {
        var log = new Drive(3).Log();
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

    /// <summary>Two minutes: from standstill to 50, 80 and 30 km/h with stops, two turns, and what is asked for.</summary>
    internal sealed class Drive(int seed)
    {
        private readonly Random _random = new(seed);
        private readonly double[] _sizes = new double[4];

        public double? SlipAt { get; init; }
        public double? LockAt { get; init; }
        public string? Fault { get; init; }
        public int FaultyWheel { get; init; }
        public double Size { get; init; } = 1;
        public double AxleSize { get; init; } = 1;
        public List<(double From, double To, int Side)> Turns { get; } = [(40, 44, 1), (84, 87.5, -1)];

        public double RatioAgainstOthers(int wheel) =>
            _sizes[wheel] / Enumerable.Range(0, 4).Where(w => w != wheel).Select(w => _sizes[w]).Order().ElementAt(1);

        public Capture Log()
        {
            for (var wheel = 0; wheel < 4; wheel++)
                if (_sizes[wheel] == 0)
                    _sizes[wheel] = 1 + 0.006 * (_random.NextDouble() - 0.5);
            if (Size != 1 && Math.Abs(_sizes[FaultyWheel] - 1) < 0.01)
                _sizes[FaultyWheel] *= Size;
            if (AxleSize != 1)
                (_sizes[2], _sizes[3]) = (_sizes[2] * AxleSize, _sizes[3] * AxleSize);
            List<double> times = [];
            for (var t = 0.0; t < 125; t += 0.05 + 0.04 * _random.NextDouble())
                times.Add(t);
            var drops = Enumerable.Range(0, 6).Select(i => 14 + 15 * i + 4 * _random.NextDouble()).ToList();
            var axis = TimeAxis.FromStamps([.. times]);
            List<Channel> channels = [];
            for (var wheel = 0; wheel < 4; wheel++)
            {
                var own = wheel;
                channels.Add(new(WheelName(wheel), "km/h", axis, [.. times.Select(t => (float)Math.Round(Wheel(own, t, drops), 2))]));
            }

            channels.Add(new("Brake pedal", "", axis, [.. times.Select(t => IsBraking(t) ? 1f : 0f)]) { Words = ["released", "pressed"] });
            return new Capture("drive.csv", channels, []);
        }

        private static string WheelName(int wheel) => $"{s_wheels[wheel].Replace('-', ' ')} wheel speed";

        private static bool IsBraking(double t) => t is > 54 and < 58 or > 98 and < 103 or > 114 and < 120;

        private static double Vehicle(double t)
        {
            (double At, double Speed)[] plan =
            [
                (0, 0),
                (3, 0),
                (10, 50),
                (54, 50),
                (58, 0),
                (60, 0),
                (70, 80),
                (98, 80),
                (103, 30),
                (114, 30),
                (118, 0),
                (125, 0),
            ];
            var next = Math.Max(1, Array.FindIndex(plan, p => p.At > t));
            var (a, b) = (plan[next - 1], plan[next]);
            return a.Speed + (b.Speed - a.Speed) * (t - a.At) / (b.At - a.At);
        }

        private double Wheel(int wheel, double t, List<double> drops)
        {
            var speed = Vehicle(t) * _sizes[wheel];
            foreach (var (from, to, side) in Turns)
                if (t > from && t < to)
                    speed *= 1 + side * (wheel % 2 == 0 ? -1 : 1) * 0.04 * Math.Sin(Math.PI * (t - from) / (to - from));
            if (wheel == 3 && SlipAt is { } slip && t > slip && t < slip + 2)
                speed += 14 * Math.Sin(Math.PI * (t - slip) / 2);
            if (wheel == 0 && LockAt is { } locked && t > locked && t < locked + 0.8)
                speed *= 1 - 0.9 * Math.Sin(Math.PI * (t - locked) / 0.8);
            if (wheel == FaultyWheel)
                speed = Spoilt(speed, t, drops);
            var read = speed + (speed > 0 ? 0.06 * (_random.NextDouble() - 0.5) : 0);
            return read < (Fault == "late" && wheel == FaultyWheel ? 14 : 2.5) ? 0 : read;
        }

        private double Spoilt(double speed, double t, List<double> drops) =>
            Fault switch
            {
                "dead" => t > 30 ? 0 : speed,
                "drops-out" => drops.Any(d => t > d && t < d + 0.5) ? 0 : speed,
                "erratic" when speed > 8 && _random.NextDouble() < 0.12 => speed
                    + (_random.NextDouble() < 0.5 ? -1 : 1) * (9 + 12 * _random.NextDouble()),
                _ => speed,
            };
    }
}
