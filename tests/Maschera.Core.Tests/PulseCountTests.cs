using Maschera.Core.Readings;
using Maschera.Core.Readings.PulseCount;
using Maschera.Core.Signals;
using Maschera.Rig.Road;

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
            var ring = new ToothedRing(seed) { IsSine = sine };
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
    public void Every_turn_is_told_by_itself_and_the_mean_tooth_is_theirs(int seed)
    {
        var ring = new ToothedRing(seed) { Eccentric = 0.06 };
        var result = Read(ring.Capture(), ("target", $"{ring.Places}"));
        Assert.Equal(Math.Min(24, (int)result.Revolutions!.Value), result.Turns.Count);
        for (var tooth = 0; tooth < ring.Places; tooth++)
        {
            var lengths = result.Turns.Select(t => t.LengthPercent[tooth]).OfType<double>().ToList();
            Assert.NotEmpty(lengths);
            if (result.Turns.Count == result.Revolutions)
                Assert.Equal(result.Ring[tooth].LengthPercent, lengths.Average(), 0.02);
        }
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Teeth_that_are_gone_stand_at_their_degrees_from_the_mark(int seed)
    {
        var ring = new ToothedRing(seed);
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
        var ring = new ToothedRing(seed);
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
        var ring = new ToothedRing(seed) { LostAt = { (1, 7), (3, 12) } };
        var result = Read(ring.Capture(), ("target", $"{ring.Places}"));
        Assert.True(result.Verdict == "drops-out", result.Sentence);
        Assert.Empty(result.Missing);
        Assert.Equal(2, result.Dropouts.Count);
        Assert.Equal(2, result.Turns.Sum(t => t.LostAt.Count));
        Assert.Equal(ring.Places * (int)result.Revolutions!.Value - 2, result.Pulses);
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void What_is_lost_besides_a_missing_tooth_is_said(int seed)
    {
        var ring = new ToothedRing(seed) { LostAt = { (1, 7), (3, 12) } };
        ring.Gone.Add(20);
        var result = Read(ring.Capture(), ("target", $"{ring.Places}"));
        Assert.Equal("short", result.Verdict);
        Assert.Contains("Besides, 2 pulses are lost", result.Sentence, StringComparison.Ordinal);
        ring = new ToothedRing(seed);
        ring.Gone.Add(20);
        Assert.DoesNotContain("lost", Read(ring.Capture(), ("target", $"{ring.Places}")).Sentence, StringComparison.Ordinal);
    }

    [Fact]
    public void A_loss_behind_the_last_mark_is_told_as_well()
    {
        foreach (var seed in Enumerable.Range(1, 40).Where(s => new ToothedRing(s).Places > 44))
        {
            var ring = new ToothedRing(seed) { LostAt = { (6, 11) } };
            ring.Gone.AddRange(seed % 2 == 0 ? [] : [20, 21]);
            var result = Read(ring.Capture(), ("target", $"{ring.Places}"));
            Assert.True(result.Verdict == (seed % 2 == 0 ? "drops-out" : "short"), result.Sentence);
            Assert.InRange(result.Dropouts.Single().From, result.Span.To, result.Span.To + 0.2);
            Assert.Equal((ring.Places - ring.Gone.Count) * (int)result.Revolutions!.Value, result.Pulses);
        }
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Few_samples_a_tooth_hide_no_ring_off_centre_and_make_none(int seed)
    {
        var target = ("target", $"{new ToothedRing(seed).Places}");
        var off = Read(new ToothedRing(seed) { Eccentric = 0.08, SamplesAPulse = 5 }.Capture(), target);
        Assert.True(off.Verdict == "irregular", off.Sentence);
        var sound = Read(new ToothedRing(seed) { SamplesAPulse = 5 }.Capture(), target);
        Assert.True(sound.Verdict == "matches", sound.Sentence);
        Assert.True(sound.RunoutPercent is < 4 || sound.Notes.Any(n => n.Code == "uneven-open"), $"{sound.RunoutPercent}");
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Turned_by_hand_with_stops_it_counts_and_accuses_nothing(int seed)
    {
        var ring = new ToothedRing(seed) { ByHand = 3, HasMark = false };
        var result = Read(ring.Capture(), ("target", $"{ring.Places}"), ("revolutions", "3"));
        Assert.True(result.Verdict == "matches", result.Sentence);
        Assert.Equal(3 * ring.Places, result.Pulses);
        var short1 = new ToothedRing(seed) { ByHand = 3, HasMark = false };
        short1.Gone.Add(4);
        result = Read(short1.Capture(), ("target", $"{short1.Places}"), ("revolutions", "3"));
        Assert.True(result.Verdict == "short", result.Sentence);
        Assert.Equal(3 * (short1.Places - 1), result.Pulses);
        Assert.All(result.Missing, m => Assert.Null(m.Degrees));
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Pulled_by_hand_once_a_revolution_the_ring_is_not_called_uneven(int seed)
    {
        var ring = new ToothedRing(seed)
        {
            ByHand = 4,
            HasMark = false,
            PulledAlike = true,
        };
        var result = Read(ring.Capture(), ("target", $"{ring.Places}"), ("revolutions", "4"));
        Assert.True(result.Verdict == "matches", result.Sentence);
        Assert.Null(result.RunoutPercent);
        Assert.Contains(result.Notes, n => n.Code == "by-hand");
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void A_ring_off_centre_is_irregular_and_a_true_one_is_not(int seed)
    {
        var result = Read(new ToothedRing(seed) { Eccentric = 0.08 }.Capture(), ("target", $"{new ToothedRing(seed).Places}"));
        Assert.True(result.Verdict == "irregular", result.Sentence);
        Assert.InRange(result.RunoutPercent!.Value, 6.5, 10.2);
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Without_a_mark_the_pattern_tells_the_revolution_or_nothing_does(int seed)
    {
        var ring = new ToothedRing(seed) { HasMark = false };
        ring.Gone.Add(5);
        var result = Read(ring.Capture(), ("target", $"{ring.Places}"));
        Assert.True(result.Verdict == "short", result.Sentence);
        Assert.Equal(ring.Places - 1, result.PerRevolution);
        Assert.Contains(result.Notes, n => n.Code == "turns-by-pattern");
        var even = Read(new ToothedRing(seed) { HasMark = false }.Capture(), ("target", $"{ring.Places}"));
        Assert.True(even.IsUnusable && even.Pulses is null, even.Sentence);
        // A gap that belongs there is none.
        Assert.Equal("matches", Read(ring.Capture(), ("target", $"{ring.Places - 1}")).Verdict);
    }

    [Fact]
    public void Levels_outside_of_their_window_are_noted_and_too_few_samples_refused()
    {
        var ring = new ToothedRing(3);
        var result = Read(ring.Capture(), ("target", $"{ring.Places}"), ("low", "0..0.1"), ("high", "4..5.5"));
        Assert.Equal((false, true), (result.Levels!.LowFits, result.Levels.HighFits));
        Assert.Equal("matches", result.Verdict);
        Assert.Contains(result.Notes, n => n.Code == "low-level");
        Assert.Contains(Read(new ToothedRing(3) { SamplesAPulse = 1.7 }.Capture(), ("target", "48")).Notes, n => n.Code == "undersampled");
        Assert.Throws<ReadingException>(() => Read(ring.Capture(), ("low", "0.8..0.2")));
        Assert.Throws<ReadingException>(() => Read(ring.Capture(), ("revolutions", "2.5")));
        Assert.Throws<ReadingException>(() => Read(ring.Capture(), ("target", "0")));
    }

    private static PulseCountResult Read(Capture capture, params (string Name, string Value)[] options) =>
        (PulseCountResult)
            new PulseCountReading().Read(new ReadingRequest(capture) { Options = options.ToDictionary(o => o.Name, o => o.Value) });
}
