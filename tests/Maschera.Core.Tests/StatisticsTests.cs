using CsCheck;
using Maschera.Core.Signals;

namespace Maschera.Core.Tests;

/// <summary>What every reading counts with, against plain definitions.</summary>
public class StatisticsTests
{
    private static readonly Gen<double[]> s_values = Gen.Double[-1e3, 1e3].Array[1, 60];

    [Fact]
    public void A_quantile_lies_between_the_values_and_grows_with_its_share() =>
        s_values
            .Select(Gen.Double[0, 1], Gen.Double[0, 1])
            .Sample(
                (values, one, two) =>
                {
                    var sorted = Statistics.Sorted(values);
                    var (low, high) = (Statistics.Quantile(sorted, Math.Min(one, two)), Statistics.Quantile(sorted, Math.Max(one, two)));
                    Assert.InRange(low, values.Min(), high);
                    Assert.InRange(high, low, values.Max());
                    Assert.Equal(values.Min(), Statistics.Quantile(sorted, 0));
                    Assert.Equal(values.Max(), Statistics.Quantile(sorted, 1));
                }
            );

    [Fact]
    public void Half_of_the_values_lie_on_each_side_of_the_median() =>
        s_values.Sample(values =>
        {
            var median = Statistics.Median(values);
            Assert.True(2 * values.Count(v => v < median - 1e-9) <= values.Length);
            Assert.True(2 * values.Count(v => v > median + 1e-9) <= values.Length);
        });

    [Fact]
    public void Moving_and_stretching_values_moves_and_stretches_their_figures() =>
        s_values
            .Select(Gen.Double[0.1, 10], Gen.Double[-50, 50])
            .Sample(
                (values, by, off) =>
                {
                    var changed = Array.ConvertAll(values, v => by * v + off);
                    Assert.Equal(by * Statistics.Median(values) + off, Statistics.Median(changed), 6);
                    Assert.Equal(by * Statistics.Mean(values) + off, Statistics.Mean(changed), 6);
                    Assert.Equal(by * Statistics.StandardDeviation(values), Statistics.StandardDeviation(changed), 6);
                }
            );

    [Fact]
    public void What_is_no_number_is_left_out()
    {
        Assert.Equal([1, 2, 3], Statistics.Sorted([3, double.NaN, 1, double.PositiveInfinity, 2]));
        Assert.Equal(2, Statistics.Median([double.NaN, 1, 2, 3]));
        Assert.Equal(2, Statistics.Quantile((float[])[3, float.NaN, 1, 2], 0.5));
        Assert.True(double.IsNaN(Statistics.Median([])));
        Assert.True(double.IsNaN(Statistics.Quantile((float[])[float.NaN], 0.5)));
        Assert.Equal(0, Statistics.StandardDeviation([7.0]));
    }

    [Fact]
    public void A_quantile_of_many_samples_is_near_that_of_all()
    {
        var random = new Random(4);
        float[] samples = [.. Enumerable.Range(0, 300_000).Select(_ => (float)random.NextDouble())];
        foreach (var share in (double[])[0.02, 0.25, 0.5, 0.98])
            Assert.Equal(share, Statistics.Quantile(samples, share), 0.02);
    }

    [Theory]
    [InlineData(720, new[] { 710.0, 5, 15, 720 }, 2.5)]
    [InlineData(720, new[] { 100.0, 110, 120 }, 110)]
    [InlineData(360, new[] { 350.0, 370, 730 }, 3.33)]
    public void Angles_are_averaged_round_the_turn(double turn, double[] degrees, double mean)
    {
        var (found, spread) = Statistics.Circular(degrees, turn);
        Assert.Equal(0, Math.IEEERemainder(found - mean, turn), 0.5);
        Assert.InRange(spread, 1, 15);
    }

    [Fact]
    public void Opposite_angles_have_a_wide_spread() => Assert.True(Statistics.Circular([0, 90, 180, 270], 360).Spread > 80);

    [Fact]
    public void Smoothing_keeps_a_straight_line_and_its_mean()
    {
        float[] line = [.. Enumerable.Range(0, 200).Select(i => 3f * i)];
        var smooth = Resampling.Smooth(line, 9);
        Assert.Equal(line.Length, smooth.Length);
        for (var i = 10; i < 190; i++)
            Assert.Equal(line[i], smooth[i], 0.01);
        var random = new Random(2);
        float[] noise = [.. Enumerable.Range(0, 2_000).Select(_ => (float)(random.NextDouble() - 0.5))];
        double Power(float[] of) => of.Sum(v => v * v);
        Assert.InRange(Power(Resampling.Smooth(noise, 9)) / Power(noise), 0.02, 0.3);
    }

    [Fact]
    public void Gaps_are_bridged_by_the_line_between_their_ends()
    {
        float[] samples = [1, float.NaN, float.NaN, 4, float.NaN, 6];
        Resampling.BridgeGaps(samples);
        Assert.Equal([1, 2, 3, 4, 5, 6], samples);
        float[] open = [float.NaN, 2, float.NaN];
        Resampling.BridgeGaps(open);
        Assert.All(open, v => Assert.True(float.IsFinite(v)));
    }

    [Theory]
    [InlineData(1e-4, 1e-3)]
    [InlineData(1e-4, 2.5e-4)]
    [InlineData(1e-3, 2e-4)]
    public void A_slow_sine_stays_itself_at_another_step(double step, double wanted)
    {
        var time = TimeAxis.Uniform(0, step, (int)(2 / step));
        var channel = new Channel(
            "A",
            "V",
            time,
            [.. Enumerable.Range(0, time.Count).Select(i => (float)Math.Sin(Math.Tau * 2 * time[i]))]
        );
        var other = Resampling.ToStep(channel, wanted);
        Assert.Equal(wanted, other.Time.Step, 12);
        for (var i = 5; i < other.Samples.Length - 5; i++)
            Assert.Equal(Math.Sin(Math.Tau * 2 * other.Time[i]), other.Samples[i], 0.02);
    }

    [Fact]
    public void A_value_holds_until_the_next_one_comes()
    {
        var channel = new Channel("gear", "", TimeAxis.FromStamps([0, 1, 2.5, 4]), [1, 2, 3, 4]);
        Assert.Equal([1, 1, 2, 2, 3, 4], new[] { 0, 0.9, 1, 2.4, 3.9, 9 }.Select(t => Resampling.Held(channel, t)));
    }

    [Theory]
    [InlineData(0)]
    [InlineData(1)]
    [InlineData(7)]
    [InlineData(24)]
    [InlineData(300)]
    [InlineData(5_000)]
    public void Numbers_of_any_size_and_sign_are_sorted_as_the_base_library_sorts_them(int count)
    {
        for (var seed = 0; seed < 5; seed++)
        {
            var random = new Random(seed);
            double[] odd = [0.0, -0.0, double.MaxValue, -double.MaxValue, double.Epsilon, double.PositiveInfinity, double.NegativeInfinity];
            double[] values =
            [
                .. Enumerable.Range(0, count).Select(_ => (random.NextDouble() - 0.5) * Math.Pow(10, random.Next(-30, 30))),
                .. count > 20 ? odd : [],
            ];
            double[] expected = [.. values];
            Array.Sort(expected);
            Sorting.Sort(values);
            Assert.Equal(expected, values);
        }
    }
}
