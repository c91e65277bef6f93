using Maschera.Core.Readings;
using Maschera.Core.Readings.Knock;
using Maschera.Core.Signals;
using Maschera.Rig.Fuel;

namespace Maschera.Core.Tests;

/// <summary>Made-up drives with knock under load, and with noise that comes without it.</summary>
public class KnockTests
{
    public static TheoryData<int> Seeds => [.. Enumerable.Range(1, 10)];

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Retard_that_comes_with_load_and_heat_is_likely_real(int seed)
    {
        var drive = new KnockingDrive(seed) { Real = true, Coolant = 109 };
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
        var result = Read(new KnockingDrive(seed) { Noise = true, Coolant = 88 }.Log());
        Assert.True(result.Verdict == "likely-false", result.Sentence);
        Assert.Contains(result.Factors, f => f is { Factor: "load", SpeaksFor: "false" });
        Assert.Contains("mounts", result.Sentence, StringComparison.Ordinal);
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Retard_that_is_held_as_long_as_a_pull_lasts_does_not_speak_for_noise(int seed)
    {
        var result = Read(
            new KnockingDrive(seed)
            {
                Real = true,
                Held = true,
                Pull = 8,
                Coolant = 109,
            }.Log()
        );
        Assert.True(result.Verdict == "likely-real", result.Sentence);
        Assert.Contains(result.Factors, f => f is { Factor: "spark", SpeaksFor: "nothing" });
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void A_healthy_drive_and_blips_at_a_shift_are_none(int seed)
    {
        foreach (var blips in (bool[])[false, true])
        {
            var result = Read(new KnockingDrive(seed) { Coolant = 90, Blips = blips }.Log());
            Assert.Equal("none", result.Verdict);
            Assert.Empty(result.Episodes);
        }
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void What_was_not_logged_says_nothing_and_is_named(int seed)
    {
        var whole = new KnockingDrive(seed) { Real = true, Coolant = 109 }.Log();
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
            var log = new KnockingDrive(4) { Real = true, Coolant = 100 }.Log();
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
        var log = new KnockingDrive(1) { Real = true }.Log();
        var still = log with
        {
            Channels = [.. log.Channels.Select(c => c.Unit == "rpm" ? c with { Samples = new float[c.Samples.Length] } : c)],
        };
        Assert.Contains(Read(still).Notes, n => n.Code == "engine-off");
        Assert.Contains(Read(log with { Channels = [.. log.Channels.Skip(1)] }).Notes, n => n.Code == "no-retard");
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Retard_that_is_given_back_and_taken_again_all_through_a_long_pull_has_helped(int seed)
    {
        var held = new KnockingDrive(seed)
        {
            Real = true,
            Held = true,
            Pull = 22,
            Coolant = 109,
        }.Log();
        Assert.Contains(Read(held).Factors, f => f is { Factor: "spark", SpeaksFor: "false" });
        var sawn = Changed(held, "Knock retard", (t, retard) => retard > 8.5 ? 9 - 2 * (t % 1.5) : retard);
        var result = Read(sawn);
        Assert.True(result.Verdict == "likely-real", result.Sentence);
        Assert.DoesNotContain(result.Factors, f => f is { Factor: "spark", SpeaksFor: "false" });
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Noise_that_stays_is_told_though_the_retard_trembles(int seed)
    {
        var random = new Random(seed);
        var log = new KnockingDrive(seed) { Noise = true, Coolant = 88 }.Log();
        var result = Read(Changed(log, "Knock retard", (_, retard) => retard > 0 ? retard + 0.6 * (random.NextDouble() - 0.5) : 0));
        Assert.Equal("likely-false", result.Verdict);
        Assert.Contains(result.Factors, f => f is { Factor: "spark", SpeaksFor: "false" });
    }

    [Theory]
    [InlineData("Coolant temperature", 92, 101, "coolant")]
    [InlineData("Intake air temperature", 31, 48, "intake air")]
    public void Retard_that_comes_in_the_warmer_pulls_only_comes_with_heat(string name, double cooler, double warmer, string said)
    {
        var before = Changed(new KnockingDrive(1).Log(), name, (_, _) => cooler);
        var after = Changed(new KnockingDrive(2) { Real = true }.Log(), name, (_, _) => warmer);
        var result = Read(Joined(before, after));
        var heat = result.Factors.Single(f => f.Factor == "heat");
        Assert.Equal("real", heat.SpeaksFor);
        Assert.Contains($"{warmer} °C of {said}", heat.Text, StringComparison.Ordinal);
        Assert.Equal("likely-real", result.Verdict);
        // As warm without it as with it: heat tells nothing.
        var alike = Read(Joined(Changed(before, name, (_, _) => warmer), after));
        Assert.Equal("nothing", alike.Factors.Single(f => f.Factor == "heat").SpeaksFor);
    }

    [Theory]
    [InlineData(2, "none")]
    [InlineData(3, "cannot-tell")]
    public void What_two_rows_of_a_tenth_of_a_second_show_is_a_blip(int rows, string verdict)
    {
        // The second row comes a little late, as rows of a log do.
        var time = TimeAxis.FromStamps([.. Enumerable.Range(0, 400).Select(i => i * 0.1 + (i % 2 == 1 ? 0.015 : 0))]);
        var retard = new Channel("Knock retard", "°", time, [.. Enumerable.Range(0, 400).Select(i => i % 100 < rows ? 6f : 0)]);
        Assert.Equal(verdict, Read(new Capture("blips.csv", [retard], [])).Verdict);
    }

    private static Capture Changed(Capture log, string name, Func<double, double, double> value) =>
        log with
        {
            Channels =
            [
                .. log.Channels.Select(c =>
                    c.Name == name ? c with { Samples = [.. c.Samples.Select((v, i) => (float)value(c.Time[i], v))] } : c
                ),
            ],
        };

    /// <summary>One log behind the other.</summary>
    private static Capture Joined(Capture first, Capture second)
    {
        static double[] Times(Channel channel) => [.. Enumerable.Range(0, channel.Time.Count).Select(i => channel.Time[i])];
        var end = first.Channels[0].Time.End + 0.1;
        return first with
        {
            Channels =
            [
                .. first.Channels.Zip(
                    second.Channels,
                    (a, b) =>
                        new Channel(
                            a.Name,
                            a.Unit,
                            TimeAxis.FromStamps([.. Times(a), .. Times(b).Select(t => end + t)]),
                            [.. a.Samples, .. b.Samples]
                        )
                ),
            ],
        };
    }

    private static KnockResult Read(Capture capture) => (KnockResult)new KnockReading().Read(new ReadingRequest(capture));
}
