using Maschera.Core.Expressions;
using Maschera.Core.Signals;

namespace Maschera.Core.Tests;

/// <summary>Triggers fire where they should, once, and nowhere else.</summary>
public class TriggerTests
{
    private const double Step = 1e-3;

    [Theory]
    [InlineData(true, 2.0)]
    [InlineData(false, 3.0)]
    public void An_edge_fires_where_the_level_is_passed(bool upwards, double at)
    {
        // High at the start, low from 1 s, high from 2 s, low from 3 s.
        var samples = Samples(5, t => t < 1 || t is >= 2 and < 3 ? 5 : 0);
        var first = upwards ? at : 1.0;
        Assert.Equal(first, Fire(new(TriggerKind.Edge, 2.5, upwards, 0, false), samples)!.Value, 3);
    }

    [Fact]
    public void A_level_fires_at_once_where_the_signal_lies_beyond_it()
    {
        Assert.Equal(0, Fire(new(TriggerKind.Level, 2.5, true, 0, false), Samples(1, _ => 5)));
        Assert.Null(Fire(new(TriggerKind.Level, 2.5, false, 0, false), Samples(1, _ => 5)));
    }

    [Theory]
    [InlineData(false, 0.015, 2.01)]
    [InlineData(true, 0.05, 3.051)]
    public void A_pulse_of_the_wrong_width_fires(bool longer, double width, double at)
    {
        // Pulses of 20 ms; one of 10 ms at 2 s, one of 80 ms at 3 s.
        var samples = Samples(
            5,
            t =>
                t % 0.1
                    < (
                        t is >= 2 and < 2.1 ? 0.01
                        : t is >= 3 and < 3.1 ? 0.08
                        : 0.02
                    ) - 1e-9
                && t > 0.1
                    ? 5
                    : 0
        );
        Assert.Equal(at, Fire(new(TriggerKind.PulseWidth, 2.5, true, width, longer), samples)!.Value, 2e-3);
    }

    [Theory]
    [InlineData("spike")]
    [InlineData("level")]
    [InlineData("pulses")]
    public void A_change_fires_only_once_there_is_one(string what)
    {
        var random = new Random(5);
        double Usual(double t) => 2 * Math.Sin(Math.Tau * 8 * t) + 0.1 * random.NextDouble();
        Assert.Null(Fire(new(TriggerKind.Changed, 0, true, 0, false), Samples(30, Usual)));
        var changed = Samples(
            30,
            t =>
                t < 10
                    ? Usual(t)
                    : what switch
                    {
                        "spike" => t < 10.002 ? 6 : Usual(t),
                        "level" => Usual(t) + 0.8,
                        _ => 2 * Math.Sin(Math.Tau * 16 * t),
                    }
        );
        Assert.InRange(Fire(new(TriggerKind.Changed, 0, true, 0, false), changed)!.Value, 10, 10.6);
    }

    [Fact]
    public void Noise_round_the_level_fires_once_and_blocks_of_any_size_give_the_same()
    {
        var random = new Random(2);
        var samples = Samples(4, t => (t > 2 ? 3 : 0) + 0.1 * random.NextDouble());
        var setting = new TriggerSetting(TriggerKind.Edge, 1.5, true, 0, false);
        foreach (var block in (int[])[1, 7, 512, 4000])
            Assert.Equal(Fire(setting, samples), Fire(setting, samples, block));
    }

    private static double? Fire(TriggerSetting setting, float[] samples, int block = 1000)
    {
        var trigger = new Trigger(setting, Step);
        for (var first = 0; first < samples.Length; first += block)
            if (trigger.Feed(samples.AsSpan(first, Math.Min(block, samples.Length - first)), first * Step) is { } at)
                return at;
        return null;
    }

    private static float[] Samples(double seconds, Func<double, double> value) =>
        [.. Enumerable.Range(0, (int)(seconds / Step)).Select(i => (float)value(i * Step))];
}
