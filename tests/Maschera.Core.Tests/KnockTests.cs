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

    private static KnockResult Read(Capture capture) => (KnockResult)new KnockReading().Read(new ReadingRequest(capture));
}
