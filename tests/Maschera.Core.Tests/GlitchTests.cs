using Maschera.Core.Readings;
using Maschera.Core.Readings.Plausibility;
using Maschera.Core.Signals;

namespace Maschera.Core.Tests;

/// <summary>Glitches on a quiet wire and the wire whose events make them, at every rate; and values that freeze on the road.</summary>
public class GlitchTests
{
    public static TheoryData<double, int> Rates
    {
        get
        {
            var data = new TheoryData<double, int>();
            foreach (var rate in (double[])[2_000, 5_000, 10_000, 50_000, 100_000])
            foreach (var length in (int[])[1, 2, 3])
                data.Add(rate, length);
            return data;
        }
    }

    [Theory]
    [MemberData(nameof(Rates))]
    public void A_reference_that_glitches_with_another_wire_is_found_and_the_wire_named(double rate, int length)
    {
        for (var seed = 0; seed < 4; seed++)
        {
            var result = Read(Scope(seed, rate, length));
            var finding = Assert.Single(result.Findings, f => f.Channel == "5 V reference");
            Assert.Equal("spikes", finding.Kind);
            Assert.True(finding.CoincidesWith?.Channel == "Injector 2", $"seed {seed}: {finding.Text}");
            Assert.InRange(finding.CoincidesWith!.Fraction, 0.6, 1);
            Assert.InRange(finding.Count, 15, 45);
        }
    }

    [Theory]
    [MemberData(nameof(Rates))]
    public void Without_glitches_nothing_is_said(double rate, int length)
    {
        for (var seed = 0; seed < 4; seed++)
            Assert.Equal("plausible", Read(Scope(seed, rate, length, height: 0)).Verdict);
    }

    [Theory]
    [InlineData("Air mass flow", 20)]
    [InlineData("Manifold pressure", 15)]
    [InlineData("Throttle sensor signal", 20)]
    public void A_value_that_freezes_while_pedal_and_speed_move_is_found(string channel, double seconds)
    {
        for (var seed = 0; seed < 12; seed++)
        {
            double? held = null;
            var from = 30 + 3.0 * seed;
            // What stands still can only be told where its driver moves.
            var pedal = LogMaker.Drive(seed).Find("Accelerator pedal")!.Between(from, from + seconds).Samples;
            if (pedal.Max() - pedal.Min() < 40)
                continue;
            var log = LogMaker.Drive(
                seed,
                (name, t, value) =>
                {
                    if (name != channel || t < from || t > from + seconds)
                        return value;
                    held ??= value;
                    return held.Value;
                }
            );
            var result = Read(log);
            var finding = result.Findings.FirstOrDefault(f => f.Channel == channel && f.Kind == "flat");
            Assert.True(finding is not null, $"seed {seed}, from {from}: {result.Sentence}");
            Assert.InRange(finding!.From, from - 1, from + 1);
            Assert.InRange(finding.To, from + seconds - 1, from + seconds + 1);
            Assert.All(result.Findings, f => Assert.Equal(channel, f.Channel));
        }
    }

    [Fact]
    public void Healthy_drives_have_no_frozen_value()
    {
        for (var seed = 100; seed < 140; seed++)
            Assert.True(Read(LogMaker.Drive(seed)).Verdict == "plausible", $"seed {seed}");
    }

    private static PlausibilityResult Read(Capture capture) =>
        (PlausibilityResult)new PlausibilityReading().Read(new ReadingRequest(capture));

    /// <summary>
    /// Two seconds of a reference, two injectors and a ripple of the battery; the second injector feeds into the reference.
    /// </summary>
    private static Capture Scope(int seed, double rate, int length, double height = 0.6)
    {
        var random = new Random(seed);
        var time = TimeAxis.Uniform(0, 1 / rate, (int)(2 * rate));
        float[] Noise(double level, double noise) =>
            [.. Enumerable.Range(0, time.Count).Select(_ => (float)(level + noise * (random.NextDouble() - 0.5)))];
        var (reference, first, second, battery) = (Noise(5, 0.02), Noise(14, 0.2), Noise(14, 0.2), Noise(14, 0.1));
        var period = 0.07 + 0.02 * random.NextDouble();
        for (var n = 0; n < 2 / period - 1; n++)
        {
            Pulse(first, 0.01 + n * period);
            Pulse(second, 0.01 + (n + 0.37) * period);
            var at = (int)Math.Ceiling((0.01 + (n + 0.37) * period) * rate);
            for (var i = at; i < Math.Min(time.Count, at + length); i++)
                reference[i] -= (float)height;
        }

        return new Capture(
            "wires.csv",
            [
                new("5 V reference", "V", time, reference),
                new("Injector 1", "V", time, first),
                new("Injector 2", "V", time, second),
                new("Battery", "V", time, battery),
            ],
            []
        );

        void Pulse(float[] wire, double start)
        {
            for (var i = (int)Math.Ceiling(start * rate); i < Math.Min(time.Count, (start + 0.004) * rate); i++)
                wire[i] = 0.3f;
        }
    }
}
