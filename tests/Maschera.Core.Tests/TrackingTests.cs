using Maschera.Core.Logs;
using Maschera.Core.Quantities;
using Maschera.Core.Readings;
using Maschera.Core.Readings.Tracking;
using Maschera.Core.Signals;

namespace Maschera.Core.Tests;

/// <summary>Desired against actual: verdicts and figures against a follower whose behaviour is known.</summary>
public class TrackingTests
{
    public static TheoryData<string, double, double, double> Followers =>
        new()
        {
            { "tracks", 6, 1, 0.05 },
            { "tracks", 4, 0.8, 0.1 },
            { "tracks", 3.5, 1, 0.2 },
            { "slow", 1, 1, 0.05 },
            { "slow", 0.9, 0.8, 0.2 },
            { "overshoots", 4, 0.3, 0.05 },
            { "overshoots", 2.5, 0.25, 0.1 },
            { "overshoots", 5, 0.35, 0.12 },
        };

    [Theory]
    [MemberData(nameof(Followers))]
    public void Verdict_rise_and_overshoot_are_those_of_the_follower(string verdict, double natural, double damping, double interval)
    {
        var (rise, delay, overshoot) = StepOf(natural, damping);
        for (var seed = 1; seed <= 6; seed++)
        {
            var result = Read(LogMaker.Follow(seed, new(natural, damping), interval: interval));
            Assert.Equal(verdict, result.Verdict);
            Assert.Equal(7, result.Steps.Count);
            Assert.Equal(rise, result.RiseSeconds!.Value, Math.Max(0.05 * rise, 1.1 * interval));
            Assert.Equal(delay + 0.15, result.DelaySeconds!.Value, Math.Max(0.05 * delay, 1.1 * interval));
            Assert.Equal(overshoot, result.OvershootPercent!.Value, 5.0);
        }
    }

    [Theory]
    [InlineData(18, 0)]
    [InlineData(18, 8)]
    [InlineData(18, -8)]
    [InlineData(30, 10)]
    [InlineData(13, 3)]
    public void A_swing_that_does_not_die_down_oscillates_also_when_it_leaves_the_band_on_one_side_alone(double swing, double offset)
    {
        for (var seed = 1; seed <= 6; seed++)
        {
            var result = Read(LogMaker.Follow(seed, new(5, 1) { Swing = swing, Offset = offset }, interval: 0.04 + 0.02 * (seed % 3)));
            Assert.True(result.Verdict == "oscillates", $"seed {seed}: {result.Sentence}");
        }
    }

    [Theory]
    [InlineData(4, 0.12)]
    [InlineData(6, 0.2)]
    [InlineData(9, 0.15)]
    public void A_ringing_that_dies_down_overshoots(double natural, double damping)
    {
        for (var seed = 1; seed <= 6; seed++)
        {
            var result = Read(LogMaker.Follow(seed, new(natural, damping), interval: 0.05));
            Assert.True(result.Verdict == "overshoots", $"seed {seed}: {result.Verdict}, {result.Sentence}");
        }
    }

    [Theory]
    [InlineData("below", 0.7, 0, 0, false)]
    [InlineData("above", 1, 15, 0, false)]
    [InlineData("below", 1, -16, 0, false)]
    [InlineData("oscillates", 1, 0, 18, false)]
    [InlineData("stuck", 1, 0, 0, true)]
    public void A_value_that_stays_away_swings_or_sticks_is_told_apart(string verdict, double gain, double offset, double swing, bool stuck)
    {
        for (var seed = 1; seed <= 6; seed++)
        {
            var result = Read(
                LogMaker.Follow(
                    seed,
                    new(5, 1)
                    {
                        Gain = gain,
                        Offset = offset,
                        Swing = swing,
                        IsStuck = stuck,
                    },
                    interval: 0.04 + 0.03 * (seed % 3)
                )
            );
            Assert.Equal(verdict, result.Verdict);
            if (verdict is "below" or "above")
                Assert.NotEmpty(result.Breaches);
        }
    }

    [Fact]
    public void Units_time_and_turned_axes_do_not_change_the_figures()
    {
        var log = LogMaker.Follow(3, new(4, 0.6));
        var plain = Read(log);
        var late = Read(
            log with
            {
                Channels = [.. log.Channels.Select(c => c with { Time = TimeAxis.FromStamps([.. c.Time.Stamps!.Select(t => t + 500)]) })],
            }
        );
        var inBar = Read(
            log with
            {
                Channels =
                [
                    log.Channels[0],
                    log.Channels[1] with
                    {
                        Unit = "bar",
                        Samples = [.. log.Channels[1].Samples.Select(v => v / 100)],
                    },
                ],
            }
        );
        foreach (var other in (TrackingResult[])[late, inBar])
        {
            Assert.Equal(plain.Verdict, other.Verdict);
            Assert.Equal(plain.RiseSeconds!.Value, other.RiseSeconds!.Value, 3);
            Assert.Equal(plain.Bias!.Value, other.Bias!.Value, 2);
        }
    }

    [Fact]
    public void A_gate_takes_out_what_means_nothing_and_a_band_can_come_from_a_channel()
    {
        var log = LogMaker.Follow(5, new(5, 1) { Gain = 0.7 });
        var time = log.Channels[0].Time;
        Channel Beside(string name, Func<double, double> value) =>
            new(name, "%", time, [.. Enumerable.Range(0, time.Count).Select(i => (float)value(time[i]))]);
        var with = log with { Channels = [.. log.Channels, Beside("Pedal", t => t < 6 ? 80 : 0), Beside("Window", _ => 40)] };
        var roles = new Dictionary<string, string> { ["desired"] = "Boost pressure desired", ["actual"] = "Boost pressure actual" };
        var gated = (TrackingResult)
            new TrackingReading().Read(
                new ReadingRequest(with)
                {
                    Channels = new Dictionary<string, string>(roles) { ["gate"] = "Pedal" },
                    Options = new Dictionary<string, string> { ["gate-above"] = "50" },
                }
            );
        Assert.Equal("tracks", gated.Verdict);
        Assert.Contains(gated.Notes, n => n.Code == "no-steps");
        var wide = (TrackingResult)
            new TrackingReading().Read(
                new ReadingRequest(with) { Channels = new Dictionary<string, string>(roles) { ["band"] = "Window" } }
            );
        Assert.Equal("tracks", wide.Verdict);
        Assert.Equal("below", Read(log).Verdict);
        Assert.Equal(
            "tracks",
            (
                (TrackingResult)
                    new TrackingReading().Read(new ReadingRequest(log) { Options = new Dictionary<string, string> { ["band"] = "60%" } })
            ).Verdict
        );
        foreach (var (option, text) in ((string, string)[])[("band", "wide"), ("band", "-1"), ("band", "0%"), ("rise-limit", "x")])
            Assert.Throws<ReadingException>(() =>
                new TrackingReading().Read(new ReadingRequest(log) { Options = new Dictionary<string, string> { [option] = text } })
            );
        Assert.Throws<ReadingException>(() =>
            new TrackingReading().Read(new ReadingRequest(with) { Channels = new Dictionary<string, string>(roles) { ["gate"] = "Pedal" } })
        );
    }

    [Theory]
    [InlineData(0.8, 0.3)]
    [InlineData(1.5, 0.5)]
    public void What_runs_behind_a_desired_value_that_glides_does_not_oscillate(double glide, double lag)
    {
        double Desired(double t) =>
            20 + 40 * (Triangle(t, glide) - Triangle(t - 12, glide) + Triangle(t - 24, glide) - Triangle(t - 36, glide));
        var result = Read(Pair(48, Desired, Lagging(Desired, lag)));
        Assert.True(result.Verdict == "tracks", result.Sentence);
        Assert.Empty(result.Steps);
        Assert.Contains(result.Notes, n => n.Code == "behind");
        var swinging = Read(Pair(48, Desired, t => Lagging(Desired, 0.1)(t) + 14 * Math.Sin(3 * t)));
        Assert.Equal("oscillates", swinging.Verdict);
    }

    [Fact]
    public void Few_half_swings_on_each_short_plateau_oscillate_where_they_keep_their_height()
    {
        double Desired(double t) => (int)(t / 6) % 2 == 0 ? 50 : 80;
        var result = Read(Pair(48, Desired, t => Desired(t) + 15 * Math.Sin(2 * Math.PI * t / 2.8)));
        Assert.True(result.Verdict == "oscillates", result.Sentence);
        var dying = Read(Pair(48, Desired, t => Desired(t) + 15 * Math.Exp(-t % 6 / 1.2) * Math.Sin(2 * Math.PI * t / 2.8)));
        Assert.NotEqual("oscillates", dying.Verdict);
    }

    [Theory]
    [InlineData(4, "below", null)]
    [InlineData(1, "tracks", "short-step")]
    [InlineData(0, "tracks", null)]
    public void Demands_that_are_never_reached_are_named_although_the_others_are(int high, string verdict, string? note)
    {
        double Desired(double t) =>
            (int)(t / 6) % 2 == 0 ? 50
            : (int)(t / 12) < high ? 120
            : 80;
        var result = Read(Pair(96, Desired, t => Math.Min(Lagging(Desired, 0.2)(t), 90)));
        Assert.Equal(verdict, result.Verdict);
        Assert.Equal(note is not null, result.Notes.Any(n => n.Code == "short-step"));
        if (high > 0)
            Assert.Contains(high > 1 ? "4 of 15 steps" : "never reaches 120", result.Sentence, StringComparison.Ordinal);
    }

    /// <summary>A demand that never comes to rest is followed late, not missed: held against itself as it was.</summary>
    [Theory]
    [InlineData(0.3, "tracks")]
    [InlineData(0.7, "tracks")]
    [InlineData(2.6, "slow")]
    public void A_demand_that_never_rests_is_followed_late(double late, string verdict)
    {
        double Desired(double t) => 50 + 35 * Math.Sin(t / 3) + 6 * Math.Sin(1.7 * t / 3);
        var result = Read(Pair(120, Desired, t => Desired(t - late)));
        Assert.Equal(verdict, result.Verdict);
        Assert.Contains("behind it", result.Sentence, StringComparison.Ordinal);
        Assert.Equal("below", Read(Pair(120, Desired, t => 0.7 * Desired(t - late))).Verdict);
    }

    /// <summary>A band is a tenth of desired: small ones are narrower than a sensor's noise.</summary>
    [Fact]
    public void Noise_about_a_small_desired_value_is_no_swing()
    {
        foreach (var level in (double[])[0.2, 0.6, 3])
        {
            var result = Read(Pair(60, _ => level, _ => level));
            Assert.True(result.Verdict == "tracks", result.Sentence);
            Assert.Equal(level < 2, result.Notes.Any(n => n.Code == "scatters"));
            Assert.Equal("above", Read(Pair(60, _ => level, _ => level + 1)).Verdict);
            Assert.Equal("oscillates", Read(Pair(60, _ => level, t => level + 1.5 * Math.Sin(4 * t))).Verdict);
        }
    }

    /// <summary>From 0 to 1 within a glide of so many seconds from time 3 on.</summary>
    private static double Triangle(double t, double glide) => Math.Clamp((t - 3) / glide, 0, 1);

    /// <summary>The desired value a fifth of a second ago, through a lag of the first order.</summary>
    private static Func<double, double> Lagging(Func<double, double> desired, double lag) =>
        t =>
            Enumerable.Range(0, 100).Sum(i => desired(t - 0.2 - 0.05 * lag * i) * (1 - Math.Exp(-0.05)) * Math.Exp(-0.05 * i))
            / (1 - Math.Exp(-5));

    private static Capture Pair(double seconds, Func<double, double> desired, Func<double, double> actual)
    {
        var random = new Random(4);
        var time = TimeAxis.Uniform(0, 0.05, (int)(seconds / 0.05));
        Channel Of(string name, Func<double, double> value, double noise) =>
            new(
                name,
                "%",
                time,
                [.. Enumerable.Range(0, time.Count).Select(i => (float)(value(time[i]) + noise * (random.NextDouble() - 0.5)))]
            );
        return new Capture("pair.csv", [Of("Flap desired", desired, 0), Of("Flap actual", actual, 0.4)], []);
    }

    [Fact]
    public void Too_little_is_refused()
    {
        var log = LogMaker.Follow(5, new(5, 1));
        Assert.Equal("short", Read(log with { Channels = [.. log.Channels.Select(c => c.Between(0, 0.4))] }).Notes[0].Code);
        Assert.Equal(
            "apart",
            Read(log with { Channels = [log.Channels[0].Between(0, 30), log.Channels[1].Between(40, 90)] }).Notes[0].Code
        );
        Assert.Equal("no-pair", Read(log with { Channels = [log.Channels[1]] }).Notes[0].Code);
    }

    [Fact]
    public void Pairs_are_proposed_by_name_in_several_languages()
    {
        var pairs = QuantityPairs.Find([
            "Engine speed",
            "Ladedruck Soll",
            "Ladedruck Ist",
            "Rail pressure",
            "Rail pressure (desired)",
            "Consigne pression",
            "Pression mesurée",
            "Resistance",
            "Target idle speed",
            "Actual idle speed",
        ]);
        Assert.Equal(
            [
                "Ladedruck Soll/Ladedruck Ist",
                "Rail pressure (desired)/Rail pressure",
                "Consigne pression/Pression mesurée",
                "Target idle speed/Actual idle speed",
            ],
            pairs.Select(p => $"{p.Desired}/{p.Actual}")
        );
    }

    private static TrackingResult Read(Capture log) => (TrackingResult)new TrackingReading().Read(new ReadingRequest(log));

    /// <summary>Rise, delay and overshoot of a follower of second order on a step of 1, by small steps of time.</summary>
    private static (double Rise, double Delay, double Overshoot) StepOf(double natural, double damping)
    {
        double x = 0,
            v = 0,
            ten = 0,
            ninety = 0,
            top = 0;
        for (var t = 0.0; t < 12; t += 1e-4)
        {
            v += (natural * natural * (1 - x) - 2 * damping * natural * v) * 1e-4;
            x += v * 1e-4;
            if (ten == 0 && x >= 0.1)
                ten = t;
            if (ninety == 0 && x >= 0.9)
                ninety = t;
            top = Math.Max(top, x);
        }

        return (ninety - ten, ten, 100 * Math.Max(0, top - 1));
    }

    [Theory]
    [InlineData("0,5", 0.5)]
    [InlineData("0.5", 0.5)]
    [InlineData("5%", 5)]
    [InlineData("2,5%", 2.5)]
    public void A_band_is_read_with_comma_or_point(string words, double expected)
    {
        var band = TrackBand.Of(words, 100, null);
        Assert.Equal(expected, band.At(0, 100), 9);
    }

    [Theory]
    [InlineData("0")]
    [InlineData("-1")]
    [InlineData("%")]
    [InlineData("1,000.5")]
    public void A_band_that_is_none_is_refused(string words) => Assert.Throws<ReadingException>(() => TrackBand.Of(words, 100, null));
}
