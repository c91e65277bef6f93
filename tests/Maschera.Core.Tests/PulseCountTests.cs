using Maschera.Core.Readings;
using Maschera.Core.Readings.PulseCount;
using Maschera.Core.Signals;

namespace Maschera.Core.Tests;

/// <summary>Made-up rings before hall and coil sensors, turned by a machine or by hand.</summary>
public class PulseCountTests
{
    public static TheoryData<int> Seeds => [.. Enumerable.Range(1, 12)];

    [Theory]
    [MemberData(nameof(Seeds))]
    public void A_sound_ring_is_counted_exactly(int seed)
    {
        foreach (var sine in (bool[])[false, true])
        {
            var ring = new Ring(seed) { IsSine = sine };
            var result = Read(ring.Capture(), ("target", $"{ring.Places}"));
            Assert.True(result.Verdict == "matches", $"{ring.Places}: {result.Sentence}");
            Assert.Equal((sine ? "sine" : "square", (double)ring.Places), (result.Signal, result.PerRevolution));
            Assert.Equal(result.Pulses, ring.Places * (int)result.Revolutions!.Value);
            Assert.Empty(result.Missing);
            Assert.Empty(result.Dropouts);
        }
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Teeth_that_are_gone_stand_at_their_degrees_from_the_mark(int seed)
    {
        var ring = new Ring(seed);
        ring.Gone.Add(seed % ring.Places);
        var result = Read(ring.Capture(), ("target", $"{ring.Places}"));
        Assert.True(result.Verdict == "short", result.Sentence);
        var missing = Assert.Single(result.Missing);
        Assert.True(missing.EveryRevolution);
        Assert.Equal(1, missing.Pulses);
        var wanted = (seed % ring.Places + 0.5 - ring.MarkAt) * 360 / ring.Places;
        Assert.InRange(Math.Abs(Math.IEEERemainder(missing.Degrees!.Value - wanted, 360)), 0, 180.0 / ring.Places);
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Two_side_by_side_and_one_opposite_are_two_places(int seed)
    {
        var ring = new Ring(seed);
        var first = 2 + seed % 5;
        ring.Gone.AddRange([first, first + 1, (first + ring.Places / 2) % ring.Places]);
        var result = Read(ring.Capture(), ("target", $"{ring.Places}"));
        Assert.Equal([1, 2], result.Missing.Select(m => m.Pulses).Order());
        Assert.Equal(ring.Places - 3, result.PerRevolution);
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Lost_now_and_then_is_no_missing_tooth(int seed)
    {
        var ring = new Ring(seed) { LostAt = { (1, 7), (3, 12) } };
        var result = Read(ring.Capture(), ("target", $"{ring.Places}"));
        Assert.True(result.Verdict == "drops-out", result.Sentence);
        Assert.Empty(result.Missing);
        Assert.Equal(2, result.Dropouts.Count);
        Assert.Equal(ring.Places * (int)result.Revolutions!.Value - 2, result.Pulses);
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Turned_by_hand_with_stops_it_counts_and_accuses_nothing(int seed)
    {
        var ring = new Ring(seed) { ByHand = 3, HasMark = false };
        var result = Read(ring.Capture(), ("target", $"{ring.Places}"), ("revolutions", "3"));
        Assert.True(result.Verdict == "matches", result.Sentence);
        Assert.Equal(3 * ring.Places, result.Pulses);
        var short1 = new Ring(seed) { ByHand = 3, HasMark = false };
        short1.Gone.Add(4);
        result = Read(short1.Capture(), ("target", $"{short1.Places}"), ("revolutions", "3"));
        Assert.True(result.Verdict == "short", result.Sentence);
        Assert.Equal(3 * (short1.Places - 1), result.Pulses);
        Assert.All(result.Missing, m => Assert.Null(m.Degrees));
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void A_ring_off_centre_is_irregular_and_a_true_one_is_not(int seed)
    {
        var result = Read(new Ring(seed) { Eccentric = 0.08 }.Capture(), ("target", $"{new Ring(seed).Places}"));
        Assert.True(result.Verdict == "irregular", result.Sentence);
        Assert.InRange(result.RunoutPercent!.Value, 6.5, 10.2);
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Without_a_mark_the_pattern_tells_the_revolution_or_nothing_does(int seed)
    {
        var ring = new Ring(seed) { HasMark = false };
        ring.Gone.Add(5);
        var result = Read(ring.Capture(), ("target", $"{ring.Places}"));
        Assert.True(result.Verdict == "short", result.Sentence);
        Assert.Equal(ring.Places - 1, result.PerRevolution);
        Assert.Contains(result.Notes, n => n.Code == "turns-by-pattern");
        var even = Read(new Ring(seed) { HasMark = false }.Capture(), ("target", $"{ring.Places}"));
        Assert.True(even.IsUnusable && even.Pulses is null, even.Sentence);
        // A gap that belongs there is none.
        Assert.Equal("matches", Read(ring.Capture(), ("target", $"{ring.Places - 1}")).Verdict);
    }

    [Fact]
    public void Levels_outside_of_their_window_are_noted_and_too_few_samples_refused()
    {
        var ring = new Ring(3);
        var result = Read(ring.Capture(), ("target", $"{ring.Places}"), ("low", "0..0.1"), ("high", "4..5.5"));
        Assert.Equal((false, true), (result.Levels!.LowFits, result.Levels.HighFits));
        Assert.Equal("matches", result.Verdict);
        Assert.Contains(result.Notes, n => n.Code == "low-level");
        Assert.Contains(Read(new Ring(3) { SamplesAPulse = 1.7 }.Capture(), ("target", "48")).Notes, n => n.Code == "undersampled");
        Assert.Throws<ReadingException>(() => Read(ring.Capture(), ("low", "0.8..0.2")));
        Assert.Throws<ReadingException>(() => Read(ring.Capture(), ("revolutions", "2.5")));
        Assert.Throws<ReadingException>(() => Read(ring.Capture(), ("target", "0")));
    }

    private static PulseCountResult Read(Capture capture, params (string Name, string Value)[] options) =>
        (PulseCountResult)
            new PulseCountReading().Read(new ReadingRequest(capture) { Options = options.ToDictionary(o => o.Name, o => o.Value) });

    /// <summary>A ring of 24 to 96 places at a few revolutions a second, or turned by hand with stops.</summary>
    internal sealed class Ring
    {
        private readonly Random _random;

        public Ring(int seed)
        {
            _random = new Random(seed);
            Places = 24 + _random.Next(73);
            MarkAt = 0.3 + 5 * _random.NextDouble();
        }

        public int Places { get; }

        /// <summary>Where the mark stands, in places.</summary>
        public double MarkAt { get; }
        public List<int> Gone { get; } = [];
        public HashSet<(int Turn, int Tooth)> LostAt { get; init; } = [];
        public bool IsSine { get; init; }
        public bool HasMark { get; init; } = true;
        public int ByHand { get; init; }
        public double Eccentric { get; init; }
        public double SamplesAPulse { get; init; } = 18;

        public Capture Capture()
        {
            var turns = ByHand > 0 ? ByHand : 6.4;
            var step = ByHand > 0 ? 0.0008 : 1 / (2.0 * Places * SamplesAPulse);
            List<float> signal = [];
            List<float> mark = [];
            var (place, speed, hold) = (ByHand > 0 ? 0.75 : 0.0, 2.0, 0.4);
            for (var t = 0.0; place < turns * Places + (ByHand > 0 ? 0.75 : 0); t += step)
            {
                if (ByHand > 0)
                    (speed, hold) = Hand(t, step, hold);
                else
                    speed = 2 + 0.25 * Math.Sin(0.9 * t);
                place += speed * Places * step;
                signal.Add((float)(Sensor(place, speed) + 0.02 * (_random.NextDouble() - 0.5)));
                var sinceMark = (place - MarkAt + Places) % Places;
                mark.Add(sinceMark < 0.5 ? 4.6f : 0.1f);
            }

            if (ByHand > 0)
                signal.AddRange(Enumerable.Repeat(signal[^1], 300));
            var axis = TimeAxis.Uniform(0, step, signal.Count);
            List<Channel> channels = [new("Wheel sensor", "V", axis, [.. signal])];
            if (HasMark)
                channels.Add(new("Mark", "V", axis, [.. mark]));
            return new Capture("ring.csv", channels, []);
        }

        /// <summary>Pulls of a quarter to half a second with pauses between.</summary>
        private (double Speed, double Hold) Hand(double t, double step, double hold)
        {
            hold -= step;
            if (hold < -0.6 - 0.2 * Math.Sin(t))
                hold = 0.3 + 0.3 * _random.NextDouble();
            return (hold > 0 ? 0.25 + 0.15 * Math.Sin(3 * t) : 0, hold);
        }

        private double Sensor(double place, double speed)
        {
            var bent = place + Eccentric * Places / Math.Tau * Math.Sin(Math.Tau * place / Places);
            var (turn, tooth) = ((int)(bent / Places), (int)(bent % Places));
            var there = !Gone.Contains(tooth) && !LostAt.Contains((turn, tooth));
            var phase = bent % 1;
            if (IsSine)
                return there ? 0.4 * speed * Math.Sin(Math.Tau * phase) : 0;
            // The tooth stands in the middle of its place.
            return there && phase is > 0.25 and < 0.75 ? 4.8 : 0.4;
        }
    }
}
