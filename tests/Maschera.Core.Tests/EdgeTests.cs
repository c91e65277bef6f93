using CsCheck;
using Maschera.Core.Signals;

namespace Maschera.Core.Tests;

/// <summary>Rails and edges of a switching signal, at any level, with noise, in one go or piece by piece.</summary>
public class EdgeTests
{
    [Fact]
    public void Rails_are_where_the_signal_rests_whatever_its_duty() =>
        Gen.Double[0.1, 0.9]
            .Select(Gen.Double[-20, 20], Gen.Double[0.5, 40], Gen.Int[1, 1_000])
            .Sample(
                (duty, low, swing, seed) =>
                {
                    var random = new Random(seed);
                    var samples = Train(20_000, 200, duty)
                        .Select(high => (float)(low + (high ? swing : 0) + 0.02 * swing * (random.NextDouble() - 0.5)))
                        .ToArray();
                    var rails = PulseTrain.FindRails(samples);
                    Assert.Equal(low, rails.Low, 0.05 * swing);
                    Assert.Equal(low + swing, rails.High, 0.05 * swing);
                    Assert.Equal(low + swing / 2, rails.Mid, 0.05 * swing);
                }
            );

    [Fact]
    public void Every_change_is_one_edge_and_they_rise_and_fall_in_turn() =>
        Gen.Double[0.1, 0.9]
            .Select(Gen.Int[50, 400], Gen.Int[1, 1_000])
            .Sample(
                (duty, period, seed) =>
                {
                    var random = new Random(seed);
                    var highs = Train(20_000, period, duty);
                    var samples = highs.Select(high => (float)((high ? 5 : 0) + 0.8 * (random.NextDouble() - 0.5))).ToArray();
                    var channel = new Channel("A", "V", TimeAxis.Uniform(0, 1e-4, samples.Length), samples);
                    var edges = PulseTrain.FindEdges(channel, new Rails(0, 5));
                    Assert.Equal(highs.Zip(highs.Skip(1)).Count(p => p.First != p.Second), edges.Count);
                    Assert.All(
                        edges.Zip(edges.Skip(1)),
                        p => Assert.True(p.First.Rising != p.Second.Rising && p.First.Seconds < p.Second.Seconds)
                    );
                }
            );

    [Fact]
    public void Piece_by_piece_gives_the_same_edges()
    {
        var samples = Train(30_000, 137, 0.4).Select((high, i) => high ? 5f : 0.01f * (i % 7)).ToArray();
        var channel = new Channel("A", "V", TimeAxis.Uniform(2, 1e-4, samples.Length), samples);
        var whole = PulseTrain.FindEdges(channel, new Rails(0, 5));
        var finder = new EdgeFinder(new Rails(0, 5));
        foreach (var piece in new MemoryReader(channel).Read(0, samples.Length))
            finder.Add(piece);
        Assert.Equal(whole.Select(e => e.Rising), finder.Edges.Select(e => e.Rising));
        Assert.All(whole.Zip(finder.Edges), p => Assert.Equal(p.First.Seconds, p.Second.Seconds, 1e-9));
    }

    [Theory]
    [InlineData(0)]
    [InlineData(5)]
    public void A_wire_that_stands_has_no_edges(float level)
    {
        float[] samples = [.. Enumerable.Repeat(level, 1_000)];
        Assert.False(PulseTrain.FindRails(samples).Swing > 0);
        Assert.Empty(PulseTrain.FindEdges(new Channel("A", "V", TimeAxis.Uniform(0, 1e-3, 1_000), samples), new Rails(0, 5)));
    }

    private static bool[] Train(int count, int period, double duty) =>
        [.. Enumerable.Range(0, count).Select(i => i % period < duty * period)];
}
