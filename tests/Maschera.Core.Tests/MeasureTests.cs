using CsCheck;
using Maschera.Core.Quantities;
using Maschera.Core.Signals;

namespace Maschera.Core.Tests;

/// <summary>Calipers measure all samples between the jaws, and jaws find what a person means.</summary>
public class MeasureTests
{
    private const double Step = 1e-4;

    [Fact]
    public void Levels_are_those_of_the_samples_between_the_jaws() =>
        Gen.Select(Gen.Float[-1e3f, 1e3f].Array[2, 3000], Gen.Double[0, 1], Gen.Double[0, 1])
            .Sample(
                (samples, a, b) =>
                {
                    var reader = Reader(samples);
                    // Jaws between samples, so that no rounding decides which are inside.
                    var (from, to) = (Math.Floor(Math.Min(a, b) * samples.Length) + 0.5, Math.Floor(Math.Max(a, b) * samples.Length) + 0.5);
                    var measure = SpanMeasure.Of(reader, from * Step, to * Step);
                    var inside = samples.Where((_, i) => i > from && i < to).Select(v => (double)v).ToArray();
                    Assert.Equal(inside.Length, measure.Samples);
                    if (inside.Length == 0)
                        return;
                    Assert.Equal(inside.Min(), measure.Minimum);
                    Assert.Equal(inside.Max(), measure.Maximum);
                    Assert.Equal(inside.Average(), measure.Mean!.Value, 1e-9 * 1e3);
                    Assert.Equal(Math.Sqrt(inside.Average(v => v * v)), measure.Rms!.Value, 1e-9 * 1e3);
                    Assert.Equal(inside.Max() - inside.Min(), measure.PeakToPeak);
                }
            );

    [Fact]
    public void Turning_the_jaws_round_changes_nothing()
    {
        var reader = Reader([.. Enumerable.Range(0, 5000).Select(i => MathF.Sin(i * 0.05f))]);
        Assert.Equal(SpanMeasure.Of(reader, 0.1, 0.3), SpanMeasure.Of(reader, 0.3, 0.1));
    }

    [Fact]
    public void Levels_at_the_jaws_lie_on_the_line_between_samples()
    {
        var measure = SpanMeasure.Of(Reader([0, 10, 20, 20]), 0.5 * Step, 1.25 * Step);
        Assert.Equal(5, measure.FromLevel!.Value, 9);
        Assert.Equal(12.5, measure.ToLevel!.Value, 9);
        Assert.Equal(7.5 / (0.75 * Step), measure.Slope!.Value, 6);
    }

    [Theory]
    [InlineData(100, 0.25)]
    [InlineData(33.3, 0.612)]
    [InlineData(400, 0.9)]
    public void A_pulse_train_is_counted_and_timed(double hertz, double duty)
    {
        var samples = Enumerable.Range(0, 20_000).Select(i => i * Step * hertz % 1 < duty ? 12.5f : 0.1f).ToArray();
        var pulses = SpanMeasure.Of(Reader(samples), 0, 2).Pulses!;
        Assert.Equal(hertz, pulses.FrequencyHz, 0.01 * hertz);
        Assert.Equal(100 * duty, pulses.DutyPercent, 100 * Step * hertz);
        Assert.Equal(duty / hertz, pulses.WidthSeconds, Step);
        Assert.InRange(pulses.Count, (int)(hertz * 2) - 2, (int)(hertz * 2));
        Assert.Equal((0.1, 12.5), (Math.Round(pulses.Low, 3), Math.Round(pulses.High, 3)));
    }

    [Fact]
    public void Noise_is_no_pulse_train()
    {
        var random = new Random(3);
        Assert.Null(SpanMeasure.Of(Reader([.. Enumerable.Range(0, 20_000).Select(_ => random.NextSingle())]), 0, 2).Pulses);
    }

    [Fact]
    public void Missing_samples_are_counted_and_left_out()
    {
        var measure = SpanMeasure.Of(Reader([1, float.NaN, 3, float.PositiveInfinity]), 0, 1);
        Assert.Equal((2, 2), (measure.Samples, measure.Missing));
        Assert.Equal(2, measure.Mean);
    }

    [Fact]
    public void A_stretch_beyond_the_ends_measures_nothing_and_says_so()
    {
        var measure = SpanMeasure.Of(Reader([1, 2, 3]), 5, 6);
        Assert.Equal(0, measure.Samples);
        Assert.Null(measure.Mean);
        Assert.Null(measure.FromLevel);
    }

    [Fact]
    public void Jaws_snap_to_the_middle_of_an_edge_wherever_they_were_dropped_near_it()
    {
        var samples = Enumerable.Range(0, 4000).Select(i => (float)Math.Clamp((i - 1000) * 0.5, 0, 5)).ToArray();
        foreach (var at in (double[])[0.0985, 0.1, 0.1005, 0.102])
        {
            var snap = Snapping.Find(Reader(samples), at, 0.004, SnapTo.Nearest)!.Value;
            Assert.Equal("rising edge", snap.What);
            Assert.Equal(1005 * Step, snap.Seconds, 1e-9);
        }
    }

    [Fact]
    public void Jaws_snap_to_peaks_troughs_and_levels()
    {
        var wave = Reader([.. Enumerable.Range(0, 4000).Select(i => MathF.Sin(i * MathF.PI / 1000))]);
        foreach (var (near, at, what) in ((double, double, string)[])[(0.051, 0.05, "peak"), (0.149, 0.15, "trough")])
        {
            var snap = Snapping.Find(wave, near, 0.02, SnapTo.Peak)!.Value;
            Assert.Equal((at, what), (Math.Round(snap.Seconds, 6), snap.What));
        }

        Assert.Null(Snapping.Find(wave, 0.02, 0.01, SnapTo.Peak));
        var zero = Snapping.Find(wave, 0.104, 0.02, SnapTo.Level)!.Value;
        Assert.Equal((0.1, "falling crossing"), (Math.Round(zero.Seconds, 4), zero.What));
        var half = Snapping.Find(wave, 0.02, 0.02, SnapTo.Level, 0.5)!.Value;
        Assert.Equal(1 / 6.0 * 1000 * Step, half.Seconds, 1e-6);
        Assert.Null(Snapping.Find(wave, 0.05, 0.01, SnapTo.Level, 5));
    }

    [Theory]
    [InlineData(0.5, SnapTo.Nearest)]
    [InlineData(0.5, SnapTo.Peak)]
    [InlineData(4, SnapTo.Nearest)]
    [InlineData(4, SnapTo.Peak)]
    public void A_jaw_dropped_near_the_top_of_a_noisy_hump_goes_to_its_top(double noise, SnapTo to)
    {
        // Humps of 92 ms as in a cranking current, tops at 46, 138, … ms; the reach is that of 14 pixels of a 2 s view.
        var random = new Random(7);
        var humps = Reader([
            .. Enumerable
                .Range(0, 20_000)
                .Select(i => (float)(200 - 60 * Math.Cos(2 * Math.PI * i * Step / 0.092) + noise * (random.NextDouble() - 0.5))),
        ]);
        foreach (var dropped in (double[])[0.041, 0.044, 0.046, 0.049, 0.052])
        {
            var snap = Snapping.Find(humps, dropped, 0.017, to)!.Value;
            Assert.Equal("peak", snap.What);
            Assert.Equal(0.046, snap.Seconds, 0.0015);
        }

        var next = Snapping.Next(humps, 0.046, 0.017, SnapTo.Peak, 0, back: false)!.Value;
        Assert.Equal(("trough", 0.092), (next.What, Math.Round(next.Seconds, 2) == 0.09 ? 0.092 : next.Seconds));
        var after = Snapping.Next(humps, next.Seconds, 0.017, SnapTo.Peak, 0, back: false)!.Value;
        Assert.Equal(0.092, after.Seconds - 0.046, 0.002);
        var back = Snapping.Next(humps, after.Seconds, 0.017, SnapTo.Peak, 0, back: true)!.Value;
        Assert.Equal(next.Seconds, back.Seconds, 0.0015);
    }

    [Fact]
    public void A_spark_between_its_neighbours_is_a_peak_at_its_own_sample_and_there_is_no_next_one()
    {
        var samples = Enumerable.Range(0, 4000).Select(i => i == 1500 ? 40f : 12f + 0.01f * (i % 3)).ToArray();
        var snap = Snapping.Find(Reader(samples), 1507 * Step, 40 * Step, SnapTo.Peak)!.Value;
        Assert.Equal(1500 * Step, snap.Seconds, 1e-9);
        Assert.Null(Snapping.Next(Reader(samples), 1500 * Step, 40 * Step, SnapTo.Level, 30, back: false));
    }

    [Fact]
    public void Where_nothing_stands_out_nothing_is_snapped_to()
    {
        Assert.Null(Snapping.Find(Reader(new float[100]), 0.005, 0.001, SnapTo.Nearest));
        Assert.Null(Snapping.Find(Reader([.. Enumerable.Range(0, 100).Select(i => (float)i)]), 0.005, 0.001, SnapTo.Level, -3));
    }

    [Theory]
    [InlineData("bar", "kPa", 2, 200)]
    [InlineData("°C", "°F", 100, 212)]
    [InlineData("°F", "°C", 32, 0)]
    [InlineData("mph", "km/h", 50, 80.4672)]
    [InlineData("kPa", "inHg", 101.325, 29.9213)]
    [InlineData("psi", "bar", 14.5037738, 1)]
    public void Units_of_one_quantity_go_over_into_each_other(string from, string to, double value, double expected)
    {
        var choice = UnitConversion.For(from).Single(u => u.Unit == to);
        Assert.Equal(expected, value * choice.Factor + choice.Offset, 3);
    }

    [Fact]
    public void A_unit_nobody_knows_stays_alone() => Assert.Equal([new UnitChoice("furlong", 1, 0)], UnitConversion.For("furlong"));

    private static MemoryReader Reader(float[] samples) => new(new Channel("A", "V", TimeAxis.Uniform(0, Step, samples.Length), samples));
}
