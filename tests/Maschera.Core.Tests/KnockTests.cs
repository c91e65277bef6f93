using Maschera.Core.Readings;
using Maschera.Core.Readings.Knock;
using Maschera.Core.Signals;

namespace Maschera.Core.Tests;

/// <summary>Made-up drives with knock under load, and with noise that comes without it.</summary>
public class KnockTests
{
    public static TheoryData<int> Seeds => [.. Enumerable.Range(1, 10)];

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Retard_that_comes_with_load_and_heat_is_likely_real(int seed)
    {
        var drive = new Drive(seed) { Real = true, Coolant = 109 };
        foreach (var sign in (int[])[1, -1])
        {
            var result = Read(drive.Log(sign));
            Assert.True(result.Verdict == "likely-real", result.Sentence);
            Assert.InRange(result.WorstDegrees!.Value, 8.5, 9.5);
            Assert.Equal(3, result.Episodes.Count);
            Assert.Contains(result.Factors, f => f is { Factor: "load", SpeaksFor: "real" });
            Assert.Contains(result.Factors, f => f is { Factor: "heat", SpeaksFor: "real" });
            Assert.Contains("cooling", result.Sentence, StringComparison.Ordinal);
        }
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Retard_at_light_throttle_in_a_cool_engine_is_likely_noise(int seed)
    {
        var result = Read(new Drive(seed) { Noise = true, Coolant = 88 }.Log());
        Assert.True(result.Verdict == "likely-false", result.Sentence);
        Assert.Contains(result.Factors, f => f is { Factor: "load", SpeaksFor: "false" });
        Assert.Contains("mounts", result.Sentence, StringComparison.Ordinal);
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void A_healthy_drive_and_blips_at_a_shift_are_none(int seed)
    {
        foreach (var blips in (bool[])[false, true])
        {
            var result = Read(new Drive(seed) { Coolant = 90, Blips = blips }.Log());
            Assert.Equal("none", result.Verdict);
            Assert.Empty(result.Episodes);
        }
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void What_was_not_logged_says_nothing_and_is_named(int seed)
    {
        var whole = new Drive(seed) { Real = true, Coolant = 109 }.Log();
        var alone = Read(whole with { Channels = [.. whole.Channels.Where(c => c.Name is "Knock retard" or "Engine load")] });
        Assert.Equal("cannot-tell", alone.Verdict);
        Assert.Equal(["load"], alone.Factors.Where(f => f.SpeaksFor != "nothing").Select(f => f.Factor));
        foreach (var code in (string[])["no-heat", "no-mixture", "no-spark", "no-speed"])
            Assert.Contains(alone.Notes, n => n.Code == code);
    }

    [Fact]
    public void Lean_under_load_speaks_for_knock_in_lambda_ratio_and_volts()
    {
        foreach (
            var (unit, lean, rich) in (ReadOnlySpan<(string, float, float)>)[("", 1.1f, 0.98f), ("", 16.2f, 14.5f), ("V", 0.08f, 0.7f)]
        )
        {
            var log = new Drive(4) { Real = true, Coolant = 100 }.Log();
            foreach (var (value, word) in (ReadOnlySpan<(float, string)>)[(lean, "real"), (rich, "false")])
            {
                var mixture = new Channel("Lambda", unit, log.Channels[0].Time, [.. log.Channels[0].Samples.Select(_ => value)]);
                var factor = Read(log with { Channels = [.. log.Channels, mixture] }).Factors.Single(f => f.Factor == "mixture");
                Assert.True(factor.SpeaksFor == word, $"{value} {unit}: {factor.Text}");
            }
        }
    }

    [Fact]
    public void An_engine_that_stands_can_not_knock()
    {
        var log = new Drive(1) { Real = true }.Log();
        var still = log with
        {
            Channels = [.. log.Channels.Select(c => c.Unit == "rpm" ? c with { Samples = new float[c.Samples.Length] } : c)],
        };
        Assert.Contains(Read(still).Notes, n => n.Code == "engine-off");
        Assert.Contains(Read(log with { Channels = [.. log.Channels.Skip(1)] }).Notes, n => n.Code == "no-retard");
    }

    private static KnockResult Read(Capture capture) => (KnockResult)new KnockReading().Read(new ReadingRequest(capture));

    /// <summary>A minute and a half: three pulls of six seconds at high load, cruising between.</summary>
    internal sealed class Drive(int seed)
    {
        private readonly Random _random = new(seed);

        public bool Real { get; init; }
        public bool Noise { get; init; }
        public bool Blips { get; init; }
        public double Coolant { get; init; } = 90;

        public Capture Log(int sign = 1)
        {
            var pulls = new[] { 14.0, 43, 71 }.Select(p => p + 3 * _random.NextDouble()).ToArray();
            List<double> times = [];
            for (var t = 0.0; t < 95; t += 0.06 + 0.03 * _random.NextDouble())
                times.Add(t);
            double Since(double t) => pulls.Where(p => t >= p).Select(p => t - p).DefaultIfEmpty(1e9).Min();
            bool Pulling(double t) => Since(t) < 6;
            var retards = times.Select(t => Retard(Since(t), Pulling(t)) + (Blips && (int)(t * 10) % 97 == 0 ? 5 : 0)).ToList();
            var axis = TimeAxis.FromStamps([.. times]);
            Channel Made(string name, string unit, Func<int, double> value) =>
                new(name, unit, axis, [.. Enumerable.Range(0, times.Count).Select(i => (float)value(i))]);
            return new Capture(
                "knock.csv",
                [
                    Made("Knock retard", "°", i => sign * Math.Round(Math.Max(0, retards[i]), 1)),
                    Made("Engine load", "%", i => (Pulling(times[i]) ? 88 : 28) + 2 * (_random.NextDouble() - 0.5)),
                    Made("Engine speed", "rpm", i => 1_900 + (Pulling(times[i]) ? 350 * Since(times[i]) : 0) + 10 * _random.NextDouble()),
                    Made("Coolant temperature", "°C", _ => Coolant),
                    Made("Intake air temperature", "°C", _ => 34),
                    Made("Spark advance", "°", i => (Pulling(times[i]) ? 18 : 31) - Math.Max(0, retards[i])),
                ],
                []
            );
        }

        private double Retard(double since, bool pulling)
        {
            if (Real)
                return since < 1.5 ? 0
                    : since < 2.5 ? 9 * (since - 1.5)
                    : Math.Max(0, 9 - 1.9 * (since - 2.5));
            return Noise && !pulling && since > 8 ? 7 : 0;
        }
    }
}
