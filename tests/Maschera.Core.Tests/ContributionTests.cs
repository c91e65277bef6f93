using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Readings.Contribution;
using Maschera.Core.Signals;

namespace Maschera.Core.Tests;

/// <summary>The vehicle's own balance of cylinders, at every level it may stand, settled or still being learned.</summary>
public class ContributionTests
{
    private static readonly Engine s_six = Of(6);

    private static Engine Of(int cylinders) =>
        new()
        {
            Name = $"{cylinders}",
            Cylinders = cylinders,
            FiringOrder = [.. Enumerable.Range(1, cylinders)],
        };

    [Theory]
    [InlineData("Cyl {0} torque share", "%", 100, 1.5, -30)]
    [InlineData("Cyl {0} torque share", "%", 100, 1.5, 28)]
    [InlineData("Power cylinder {0}", "%", 100, 0.8, -12)]
    [InlineData("Speed deviation cyl. {0}", "rpm", 0, 1.2, -16)]
    [InlineData("Smooth running correction {0}", "mg/st", 0, 0.08, 1.9)]
    [InlineData("Korrekturmenge Zyl. {0}", "mm³/st", 0, 0.1, -2.2)]
    public void What_stands_clear_of_the_others_is_odd_at_any_level(string name, string unit, double level, double noise, double off)
    {
        for (var seed = 0; seed < 10; seed++)
        {
            var culprit = 1 + seed % 6;
            var result = Read(Log(seed, name, unit, level, noise, cylinder => cylinder == culprit ? _ => off : _ => 0));
            Assert.Equal("one-odd", result.Verdict);
            var odd = Assert.Single(result.Cylinders, c => c.IsOdd);
            Assert.Equal(culprit, odd.Cylinder);
            // Fuel added to a weak cylinder is a higher figure; work, speed and power that are missing a lower one.
            var isFuel = unit.StartsWith('m');
            Assert.Equal((isFuel ? "higher" : "lower") + "-is-weak", result.Sign);
            Assert.Equal(isFuel ? off > 0 : off < 0, odd.Weak > 0);
            Assert.InRange(odd.Value, level + off - 3 * noise, level + off + 3 * noise);
            Assert.Contains(result.Notes, n => n.Code == "sign-guessed");
        }
    }

    [Theory]
    [InlineData("%", 100, 1.5)]
    [InlineData("%", 100, 0.2)]
    [InlineData("rpm", 0, 1.2)]
    [InlineData("mg/st", 0, 0.05)]
    public void Sound_engines_are_even(string unit, double level, double noise)
    {
        for (var seed = 0; seed < 60; seed++)
        {
            var random = new Random(seed);
            var own = Enumerable.Range(0, 6).Select(_ => (random.NextDouble() - 0.5) * 2 * noise).ToArray();
            var result = Read(Log(seed, "Cylinder {0} balance", unit, level, noise, cylinder => _ => own[cylinder - 1]));
            Assert.True(result.Verdict == "even", $"seed {seed}: {result.Sentence}");
        }
    }

    [Theory]
    [InlineData(3)]
    [InlineData(4)]
    [InlineData(5)]
    [InlineData(6)]
    [InlineData(8)]
    [InlineData(12)]
    public void Few_cylinders_that_lie_together_by_chance_make_none_odd(int cylinders)
    {
        const int tries = 200;
        var (accused, found) = (0, 0);
        for (var seed = 0; seed < tries; seed++)
        {
            var random = new Random(seed);
            var own = Enumerable.Range(0, cylinders).Select(_ => 0.1 * Normal(random)).ToArray();
            var sound = Read(Log(seed, "Cyl {0} correction", "mg/st", 0, 0.1, c => _ => own[c - 1], 20, cylinders), Of(cylinders));
            accused += sound.Cylinders.Count(c => c.IsOdd);
            own[seed % cylinders] += 2;
            var weak = Read(Log(seed, "Cyl {0} correction", "mg/st", 0, 0.1, c => _ => own[c - 1], 20, cylinders), Of(cylinders));
            if (weak.Cylinders.Where(c => c.IsOdd).Select(c => c.Cylinder).SequenceEqual([1 + seed % cylinders]))
                found++;
        }

        Assert.True(accused < 0.08 * tries, $"{accused} sound cylinders called odd in {tries} logs");
        Assert.True(found > 0.96 * tries, $"{found} of {tries} weak ones found alone");
    }

    [Fact]
    public void A_cylinder_close_to_odd_is_a_doubt()
    {
        double[] own = [0.05, -0.1, 0.1, -0.05, 0.02, 0.5];
        var result = Read(Log(4, "Cyl {0} correction", "mg/st", 0, 0.02, cylinder => _ => own[cylinder - 1]));
        Assert.Equal("even", result.Verdict);
        Assert.Contains("Cylinder 6", result.Notes.Single(n => n.Code == "close").Text, StringComparison.Ordinal);
    }

    [Fact]
    public void Two_odd_ones_are_both_named()
    {
        var result = Read(Log(1, "Smooth running correction {0}", "mm3/st", 0, 0.1, cylinder => cylinder is 2 or 5 ? _ => 2.1 : _ => -0.6));
        Assert.Equal("several-odd", result.Verdict);
        Assert.Equal([2, 5], result.Cylinders.Where(c => c.IsOdd).Select(c => c.Cylinder));
        Assert.Contains("Cylinder 2", result.Sentence, StringComparison.Ordinal);
        Assert.Contains("Cylinder 5", result.Sentence, StringComparison.Ordinal);
    }

    [Fact]
    public void A_short_log_in_which_the_module_still_learns_names_it_and_says_so()
    {
        var result = Read(Log(3, "Cyl {0} fuel trim", "mg/stroke", 0, 0.1, cylinder => cylinder == 4 ? t => t / 6 : _ => 0, seconds: 12));
        Assert.Equal(4, Assert.Single(result.Cylinders, c => c.IsOdd).Cylinder);
        Assert.Contains("4", result.Notes.Single(n => n.Code == "still-learning").Text, StringComparison.Ordinal);
        var settled = Read(Log(3, "Cyl {0} fuel trim", "mg/stroke", 0, 0.1, cylinder => cylinder == 4 ? _ => 2 : _ => 0));
        Assert.DoesNotContain(settled.Notes, n => n.Code == "still-learning");
    }

    [Fact]
    public void A_cylinder_without_a_column_is_said()
    {
        var log = Log(5, "Cyl {0} torque share", "%", 100, 1, _ => _ => 0);
        var result = Read(log with { Channels = [.. log.Channels.Where(c => !c.Name.Contains('3'))] });
        Assert.Equal([1, 2, 4, 5, 6], result.Cylinders.Select(c => c.Cylinder));
        Assert.Contains("cylinder 3", result.Notes.Single(n => n.Code == "no-column").Text, StringComparison.Ordinal);
    }

    [Fact]
    public void Different_units_and_too_few_values_are_unusable()
    {
        var log = Log(5, "Cyl {0} balance", "rpm", 0, 1, _ => _ => 0);
        var mixed = Read(log with { Channels = [log.Channels[0] with { Unit = "mg/st" }, .. log.Channels.Skip(1)] });
        Assert.Equal("units", mixed.Notes[^1].Code);
        Assert.Empty(mixed.Cylinders);
        var brief = Read(Log(5, "Cyl {0} balance", "rpm", 0, 1, _ => _ => 0, seconds: 0.7));
        Assert.Equal("short", brief.Notes[^1].Code);
    }

    [Fact]
    public void The_figure_of_another_thing_with_a_number_is_not_taken_for_a_cylinder()
    {
        var log = Log(5, "Cyl {0} balance", "rpm", 0, 1, _ => _ => 0);
        var others = Enumerable.Range(1, 2).Select(n => log.Channels[0] with { Name = $"Coolant sensor {n}", Unit = "°C" });
        var result = Read(log with { Channels = [.. others, .. log.Channels] });
        Assert.All(result.Channels.Values, name => Assert.StartsWith("Cyl ", name, StringComparison.Ordinal));
    }

    [Theory]
    [InlineData("Cyl {0} torque share", "%", 100, 1.5, -30)]
    [InlineData("Smooth running correction {0}", "mg/st", 0, 0.08, 1.9)]
    public void Where_the_module_does_not_balance_tells_nothing(string name, string unit, double level, double noise, double off)
    {
        // Two thirds of the log are driven; the module shows the level for every cylinder there.
        var log = Log(4, name, unit, level, noise, cylinder => cylinder == 3 ? _ => off : _ => 0);
        var driven = log with { Channels = [.. log.Channels.Select(c => Resting(c, t => t is > 8 and < 48, (float)level))] };
        var result = Read(driven);
        var odd = Assert.Single(result.Cylinders, c => c.IsOdd);
        Assert.Equal(3, odd.Cylinder);
        Assert.InRange(odd.Value, level + off - 3 * noise, level + off + 3 * noise);
        var said = result.Notes.Single(n => n.Code == "at-rest").Text;
        Assert.Matches($@"^For (39|40) s, first at 8\.2 s, all cylinders show {level} ", said);
    }

    [Fact]
    public void A_log_without_any_balancing_is_unusable()
    {
        var log = Log(4, "Cyl {0} torque share", "%", 100, 1.5, _ => _ => 0);
        var result = Read(log with { Channels = [.. log.Channels.Select(c => Resting(c, _ => true, 0))] });
        Assert.Equal("unusable", result.Verdict);
        Assert.Equal("at-rest", result.Notes[^1].Code);
        Assert.Empty(result.Cylinders);
    }

    [Fact]
    public void Whole_figures_that_are_alike_most_of_the_time_are_no_rest()
    {
        // One cylinder shows 1 for a fifth of the time, the others 0: without what is alike it would be odd.
        var log = Log(4, "Cyl {0} balance", "rpm", 0, 0, cylinder => cylinder == 2 ? t => t % 25 < 5 ? 1 : 0 : _ => 0);
        var result = Read(log);
        Assert.Equal("even", result.Verdict);
        Assert.DoesNotContain(result.Notes, n => n.Code == "at-rest");
    }

    [Fact]
    public void A_cylinder_among_three_that_may_be_odd_is_said_to_lie_apart()
    {
        var result = Read(
            Log(
                5,
                "Speed deviation cyl. {0}",
                "rpm",
                0,
                0.6,
                cylinder =>
                    _ =>
                        cylinder switch
                        {
                            1 => 1.4,
                            2 => -2,
                            _ => -13.7,
                        },
                cylinders: 3
            ),
            Of(3)
        );
        Assert.True(result.Cylinders[2].IsOdd || result.Notes.Any(n => n.Code == "close" && n.Text.StartsWith("Cylinder 3 ")));
    }

    private static Channel Resting(Channel channel, Func<double, bool> rests, float level) =>
        channel with
        {
            Samples = [.. channel.Samples.Select((v, i) => rests(channel.Time[i]) ? level : v)],
        };

    private static ContributionResult Read(Capture log, Engine? engine = null) =>
        (ContributionResult)new ContributionReading().Read(new ReadingRequest(log) { Engine = engine ?? s_six });

    private static Capture Log(
        int seed,
        string name,
        string unit,
        double level,
        double noise,
        Func<int, Func<double, double>> off,
        double seconds = 60,
        int cylinders = 6
    )
    {
        var random = new Random(seed);
        var time = TimeAxis.Uniform(0, 0.2, (int)(seconds / 0.2));
        Channel Made(int cylinder)
        {
            var course = off(cylinder);
            return new(
                string.Format(null, name, cylinder),
                unit,
                time,
                [.. Enumerable.Range(0, time.Count).Select(i => (float)(level + course(time[i]) + noise * Normal(random)))]
            );
        }

        return new Capture("balance.csv", [.. Enumerable.Range(1, cylinders).Select(Made)], []);
    }

    private static double Normal(Random random) =>
        Math.Sqrt(-2 * Math.Log(1 - random.NextDouble())) * Math.Cos(2 * Math.PI * random.NextDouble());
}
