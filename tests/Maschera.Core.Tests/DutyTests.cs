using System.Globalization;
using CsCheck;
using Maschera.Core.Readings;
using Maschera.Core.Readings.Duty;
using Maschera.Core.Signals;

namespace Maschera.Core.Tests;

/// <summary>Duty and frequency against trains of known truth.</summary>
public class DutyTests
{
    [Fact]
    public void Any_train_is_read_within_the_contract() =>
        Gen.Select(Gen.Double[5, 95], Gen.Double[5, 800], Gen.Double[60, 400], Gen.Double[0, 1], Gen.Int[0, 1000])
            .Sample(
                (duty, frequency, perPeriod, phase, seed) =>
                {
                    var result = Read(Train(duty, frequency, perPeriod, phase, seed));
                    Assert.Equal("steady", result.Verdict);
                    // Where the rate is a multiple of the frequency every edge falls alike: a quarter of a sample stays unknown.
                    var within = 0.1 + 25 / perPeriod;
                    Assert.InRange(result.DutyPercent!.Value - duty, -within, within);
                    Assert.InRange(result.FrequencyHz!.Value / frequency, 0.999, 1.001);
                    Assert.Empty(result.Dropouts);
                },
                iter: 100
            );

    [Fact]
    public void Scale_offset_and_direction_of_the_probe_don_t_matter() =>
        Gen.Select(Gen.Double[0.01, 50], Gen.Double[-20, 20])
            .Sample(
                (scale, offset) =>
                {
                    var train = Train(37, 90, 120, 0.3, 4);
                    var changed = train with { Samples = Array.ConvertAll(train.Samples, v => (float)(scale * v + offset)) };
                    Assert.Equal(Read(train).DutyPercent!.Value, Read(changed).DutyPercent!.Value, 0.02);
                    var turned = train with { Samples = Array.ConvertAll(train.Samples, v => -v) };
                    Assert.Equal(100 - Read(train).DutyPercent!.Value, Read(turned).DutyPercent!.Value, 0.02);
                },
                iter: 40
            );

    [Fact]
    public void A_dropout_is_listed_and_left_out()
    {
        var train = Train(50, 100, 100, 0, 2);
        for (var i = 0; i < train.Samples.Length; i++)
            if (train.Time[i] is > 0.3 and < 0.42)
                train.Samples[i] = 0.2f;
        var result = Read(train);
        var dropout = Assert.Single(result.Dropouts);
        Assert.InRange(dropout.From, 0.29, 0.31);
        Assert.InRange(dropout.To, 0.41, 0.43);
        Assert.Equal("steady", result.Verdict);
        Assert.Equal(50, result.DutyPercent!.Value, 0.15);
    }

    [Theory]
    [InlineData(0.302, 0.4238)]
    [InlineData(0.3075, 0.4212)]
    public void Pulses_cut_by_a_dropout_do_not_make_the_duty_vary(double from, double to)
    {
        foreach (var level in (float[])[0.2f, 13.8f])
        {
            var train = Train(31, 100, 200, 0, 2);
            for (var i = 0; i < train.Samples.Length; i++)
                if (train.Time[i] > from && train.Time[i] < to)
                    train.Samples[i] = level;
            var result = Read(train);
            Assert.Single(result.Dropouts);
            Assert.Equal("steady", result.Verdict);
            Assert.Equal(31, result.DutyPercent!.Value, 0.25);
            Assert.Equal(100, result.FrequencyHz!.Value, 0.15);
        }
    }

    [Fact]
    public void One_sample_more_or_less_moves_nothing_and_a_duty_in_step_with_the_sampling_says_its_doubt()
    {
        var doubts = 0;
        for (var seed = 0; seed < 200; seed++)
        {
            var random = new Random(seed);
            var (perPeriod, duty) = (20 + (seed % 4 == 0 ? seed / 2 : 80 * random.NextDouble()), 15 + 70 * random.NextDouble());
            var (phase, count) = (random.NextDouble(), (int)(perPeriod * (12 + random.Next(60))));
            var samples = Enumerable.Range(0, count).Select(i => (i / perPeriod + phase) % 1 < duty / 100 ? 12f : 0.2f).ToArray();
            var result = Read(new Channel("Signal", "V", TimeAxis.Uniform(0, 1e-4, count), samples));
            Assert.True(result.Verdict == "steady", $"seed {seed}: {result.Sentence}");
            var note = result.Notes.FirstOrDefault(n => n.Code == "in-step");
            var doubt = note is null ? 0.25 : double.Parse(note.Text.Split('±')[1].Split(' ')[1], CultureInfo.InvariantCulture) + 0.06;
            Assert.InRange(result.DutyPercent!.Value - duty, -doubt - 8 / perPeriod, doubt + 8 / perPeriod);
            doubts += note is null ? 0 : 1;
        }

        Assert.InRange(doubts, 40, 190);
    }

    [Fact]
    public void A_moving_duty_varies()
    {
        var time = TimeAxis.Uniform(0, 1e-4, 20_000);
        var samples = Enumerable.Range(0, 20_000).Select(i => i % 100 < 20 + i / 400 ? 12f : 0f).ToArray();
        Assert.Equal("varies", Read(new Channel("Signal", "V", time, samples)).Verdict);
    }

    [Theory]
    [InlineData(0.0)]
    [InlineData(1.0)]
    public void Noise_and_standstill_are_unusable(double noise)
    {
        var random = new Random(1);
        var samples = Enumerable.Range(0, 5000).Select(_ => (float)(5 + noise * (random.NextDouble() - 0.5))).ToArray();
        var result = Read(new Channel("Signal", "V", TimeAxis.Uniform(0, 1e-4, 5000), samples));
        Assert.True(result.IsUnusable);
        Assert.Null(result.DutyPercent);
    }

    /// <summary>A coil that is switched off drives its wire far beyond the supply, for a few percent of the period.</summary>
    [Fact]
    public void The_kick_of_a_coil_is_no_level() =>
        Gen.Select(Gen.Double[8, 90], Gen.Double[15, 300], Gen.Double[60, 250], Gen.Double[16, 60], Gen.Bool)
            .Sample(
                (duty, frequency, perPeriod, volts, turned) =>
                {
                    var train = Train(duty, frequency, perPeriod, 0.2, 5);
                    var (kick, was) = (0.0, train.Samples[0]);
                    for (var i = 1; i < train.Samples.Length; i++)
                    {
                        kick = train.Samples[i] > 7 && was <= 7 ? volts : kick * Math.Exp(-60 / perPeriod);
                        was = train.Samples[i];
                        train.Samples[i] += (float)(train.Samples[i] > 7 ? kick : 0);
                    }

                    if (turned)
                        train = train with { Samples = Array.ConvertAll(train.Samples, v => 14 - v) };
                    var result = Read(train);
                    Assert.Equal("steady", result.Verdict);
                    var within = 0.15 + 50 / perPeriod;
                    Assert.InRange((turned ? 100 - result.DutyPercent!.Value : result.DutyPercent!.Value) - duty, -within, within);
                    Assert.InRange(result.HighVolts!.Value - result.LowVolts!.Value, 13, 15.6);
                    Assert.Contains(result.Notes, n => n.Code == "kick");
                },
                iter: 60
            );

    [Fact]
    public void Single_samples_off_are_no_pulses_and_pulses_of_one_sample_are()
    {
        var train = Train(40, 50, 100, 0.1, 6);
        var random = new Random(6);
        foreach (var period in Enumerable.Range(1, 12))
        {
            // In the middle of a level, every fourth period.
            var at = (int)((4 * period + (period % 2 == 0 ? 0.1 : 0.6)) * 100);
            train.Samples[at] += (train.Samples[at] > 7 ? -1 : 1) * (float)(9 + 4 * random.NextDouble());
        }

        var result = Read(train);
        Assert.Equal("steady", result.Verdict);
        Assert.Equal(40, result.DutyPercent!.Value, 0.3);
        Assert.Equal(50, result.FrequencyHz!.Value, 0.05);
        Assert.Contains(result.Notes, n => n.Code == "spikes" && n.Text.StartsWith("12 ", StringComparison.Ordinal));

        var thin = Read(Train(2, 50, 60, 0.1, 7));
        Assert.InRange(thin.DutyPercent!.Value, 1, 4);
        Assert.InRange(thin.Pulses, 55, 60);
        Assert.DoesNotContain(thin.Notes, n => n.Code == "spikes");
    }

    /// <summary>A train whose edges take a sixth of a sample, with noise, as a scope's filter leaves them.</summary>
    private static Channel Train(double duty, double frequency, double perPeriod, double phase, int seed)
    {
        var random = new Random(seed);
        var step = 1 / (frequency * perPeriod);
        var samples = new float[(int)(perPeriod * 60)];
        for (var i = 0; i < samples.Length; i++)
        {
            // The mean of the wave over one sample, taken at eleven places.
            var high = Enumerable
                .Range(0, 11)
                .Count(k => ((i + k / 11.0 - 0.5) / perPeriod + phase) % 1 is var p && (p + 1) % 1 < duty / 100);
            samples[i] = (float)(0.2 + 13.6 * high / 11 + 0.03 * (random.NextDouble() - 0.5));
        }

        return new Channel("Signal", "V", TimeAxis.Uniform(0, step, samples.Length), samples);
    }

    private static DutyResult Read(Channel channel) =>
        (DutyResult)new DutyReading().Read(new ReadingRequest(new Capture("t", [channel], [])));
}
