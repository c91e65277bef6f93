using CsCheck;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Tests;

/// <summary>Axes, edges, resampling, least squares and sync events.</summary>
public class SignalTests
{
    [Fact]
    public void An_axis_finds_the_sample_at_or_after_a_time()
    {
        var even = TimeAxis.Uniform(1, 0.5, 5);
        var uneven = TimeAxis.FromStamps([1, 1.5, 1.5, 2.25, 3]);
        Assert.Equal((0, 0, 1, 5), (even.IndexAtOrAfter(0), even.IndexAtOrAfter(1), even.IndexAtOrAfter(1.2), even.IndexAtOrAfter(9)));
        Assert.Equal(
            (0, 1, 3, 5),
            (uneven.IndexAtOrAfter(0), uneven.IndexAtOrAfter(1.5), uneven.IndexAtOrAfter(2), uneven.IndexAtOrAfter(9))
        );
        Assert.Equal((3, 0.5), (even.End, uneven.Step));
        Assert.Throws<ArgumentOutOfRangeException>(() => TimeAxis.Uniform(0, 0, 3));
    }

    [Fact]
    public void A_stretch_keeps_both_its_ends()
    {
        var channel = new Channel("A", "V", TimeAxis.Uniform(0, 1, 6), [0, 1, 2, 3, 4, 5]);
        Assert.Equal([2f, 3f, 4f], channel.Between(2, 4).Samples);
        Assert.Equal(2, channel.Between(1.5, 4).Time.Start);
        Assert.Empty(channel.Between(7, 9).Samples);
    }

    [Fact]
    public void Collected_times_are_even_where_their_writing_allows_it_and_kept_where_not()
    {
        static TimeAxis Collect(IEnumerable<double> times, double quantum)
        {
            var collector = new TimeCollector(quantum);
            collector.Append([.. times]);
            return collector.ToAxis();
        }

        var rounded = Enumerable.Range(0, 20_000).Select(i => Math.Round(i / 30_000.0, 4)).ToArray();
        var even = Collect(rounded, 1e-4);
        Assert.True(even.IsUniform);
        Assert.Equal(1 / 30_000.0, even.Step, 8);
        var jump = rounded.Select((t, i) => i < 10_000 ? t : t + 0.5).ToArray();
        var kept = Collect(jump, 1e-4);
        Assert.False(kept.IsUniform);
        Assert.All(Enumerable.Range(0, jump.Length), i => Assert.Equal(jump[i], kept[i], 2e-4));
    }

    [Fact]
    public void Rails_stand_against_spikes_and_uneven_duty()
    {
        var random = new Random(2);
        var samples = Enumerable.Range(0, 50_000).Select(i => (i % 100 < 4 ? 12f : 0.3f) + 0.05f * (random.NextSingle() - 0.5f)).ToArray();
        samples[700] = 90;
        samples[9000] = -40;
        var rails = PulseTrain.FindRails(samples);
        Assert.Equal(12, rails.High, 0.05);
        Assert.Equal(0.3, rails.Low, 0.05);
    }

    [Fact]
    public void Edges_are_dated_between_samples_and_noise_makes_none()
    {
        var channel = new Channel("A", "V", TimeAxis.Uniform(0, 1, 9), [0, 0, 10, 10, 4.9f, 10, 2.5f, 0, 0]);
        var edges = PulseTrain.FindEdges(channel, new Rails(0, 10));
        Assert.Equal([true, false], edges.Select(e => e.Rising));
        Assert.Equal(1.5, edges[0].Seconds, 9);
        Assert.Equal(5 + 5 / 7.5, edges[1].Seconds, 6);
    }

    [Fact]
    public void Gaps_are_bridged_in_a_straight_line()
    {
        float[] samples = [float.NaN, 1, float.NaN, float.NaN, 4, float.NaN];
        Resampling.BridgeGaps(samples);
        Assert.Equal([1f, 1f, 2f, 3f, 4f, 4f], samples);
    }

    [Fact]
    public void Resampling_keeps_the_mean_and_the_place()
    {
        var time = TimeAxis.Uniform(0.5, 1e-4, 50_000);
        var channel = new Channel("A", "V", time, [.. Enumerable.Range(0, 50_000).Select(i => (float)Math.Sin(i * 1e-4 * 20))]);
        var coarse = Resampling.ToStep(channel, 1e-3);
        for (var i = 0; i < coarse.Time.Count - 1; i++)
            Assert.Equal(Math.Sin((coarse.Time[i] - 0.5) * 20), coarse.Samples[i], 0.003);
    }

    [Fact]
    public void Linear_least_squares_finds_what_made_the_data() =>
        Gen.Select(Gen.Double[-5, 5], Gen.Double[-5, 5], Gen.Double[-5, 5])
            .Sample(
                (a, b, c) =>
                {
                    var x = Enumerable.Range(0, 40).Select(i => i / 10.0).ToArray();
                    double[][] columns = [x, [.. x.Select(Math.Sin)], [.. x.Select(_ => 1.0)]];
                    var solved = LeastSquares.Linear(columns, [.. x.Select(v => a * v + b * Math.Sin(v) + c)]);
                    Assert.Equal(a, solved[0], 1e-5);
                    Assert.Equal(b, solved[1], 1e-5);
                    Assert.Equal(c, solved[2], 1e-5);
                },
                iter: 50
            );

    [Fact]
    public void Non_linear_least_squares_stays_in_bounds_and_gets_there()
    {
        var x = Enumerable.Range(0, 60).Select(i => i / 20.0).ToArray();
        double[] Residuals(double[] q) => [.. x.Select(v => q[0] * Math.Exp(-q[1] * v) - 3 * Math.Exp(-1.7 * v))];
        var (free, cost) = LeastSquares.NonLinear(Residuals, [1, 0.2], [new(1e-5, 1), new(1e-5, 0.5)], new(60));
        Assert.Equal(3, free[0], 1e-4);
        Assert.Equal(1.7, free[1], 1e-4);
        Assert.InRange(cost, 0, 1e-8);
        var (bound, _) = LeastSquares.NonLinear(Residuals, [1, 0.2], [new(1e-5, 1), new(1e-5, 0.5, 0, 1)], new(60));
        Assert.Equal(1, bound[1], 9);
    }

    [Theory]
    [InlineData(1)]
    [InlineData(-1)]
    public void Sync_events_are_found_in_either_direction_with_their_peak(int sign)
    {
        var random = new Random(4);
        var samples = Enumerable
            .Range(0, 20_000)
            .Select(i => sign * (i % 4000 is > 1000 and < 1040 ? (i % 4000 == 1038 ? 60f : 12f) : 0f) + 0.1f * random.NextSingle())
            .ToArray();
        var events = SyncEvents.Find(new Channel("S", "V", TimeAxis.Uniform(0, 1e-4, samples.Length), samples));
        Assert.Equal(5, events.Count);
        Assert.All(events.Select((e, k) => e.Peak - k * 0.4), peak => Assert.Equal(0.1038, peak, 1e-6));
    }

    [Fact]
    public void Noise_has_no_sync_events()
    {
        var random = new Random(4);
        var samples = Enumerable.Range(0, 20_000).Select(_ => random.NextSingle()).ToArray();
        Assert.Empty(SyncEvents.Find(new Channel("S", "V", TimeAxis.Uniform(0, 1e-4, samples.Length), samples)));
    }

    [Fact]
    public void Edges_are_the_same_whether_samples_come_one_by_one_or_all_at_once() =>
        Gen.Select(
                Gen.Frequency(
                    (8, Gen.Float[-6, 6]),
                    (1, Gen.Const(float.NaN)),
                    (4, Gen.Float[4.5f, 5.5f]),
                    (4, Gen.Float[-5.5f, -4.5f])
                ).Array[0, 400],
                Gen.Bool
            )
            .Sample(
                (samples, even) =>
                {
                    var axis = even
                        ? TimeAxis.Uniform(0.5, 0.01, samples.Length)
                        : TimeAxis.FromStamps([.. Enumerable.Range(0, samples.Length).Select(i => i * 0.01 + i % 3 * 1e-3)]);
                    var channel = new Channel("A", "V", axis, samples);
                    var together = PulseTrain.FindEdges(channel, new Rails(-5, 5), 0.2);
                    var single = new EdgeFinder(new Rails(-5, 5), 0.2);
                    for (var i = 0; i < samples.Length; i++)
                        single.Add(new SamplePiece(i, samples.AsMemory(i, 1), axis[i], 0.01));
                    Assert.Equal(single.Edges.Count, together.Count);
                    foreach (var (a, b) in single.Edges.Zip(together))
                        Assert.Equal((a.Rising, Math.Round(a.Seconds, 9)), (b.Rising, Math.Round(b.Seconds, 9)));
                },
                iter: 3_000
            );
}
