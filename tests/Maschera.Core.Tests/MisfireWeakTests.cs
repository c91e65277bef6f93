using Maschera.Core.Engines;
using Maschera.Core.Readings.Misfire;
using Maschera.Rig;

namespace Maschera.Core.Tests;

/// <summary>Cylinders that fire weakly each time, told from those that do not fire, or said to be either.</summary>
public class MisfireWeakTests(ITestOutputHelper output)
{
    private static readonly Dictionary<int, string> s_layouts = new()
    {
        [3] = "Three in line",
        [4] = "Four in line",
        [5] = "Five in line",
        [6] = "Six in line",
        [8] = "V8, cross-plane",
    };

    [Theory]
    [InlineData(3, 800)]
    [InlineData(3, 1_500)]
    [InlineData(4, 850)]
    [InlineData(5, 800)]
    [InlineData(6, 800)]
    [InlineData(8, 800)]
    [InlineData(8, 1_500)]
    public void A_cylinder_that_fires_weakly_each_time_does_not_misfire(int cylinders, double rpm)
    {
        var engine = Engine(cylinders);
        var odd = engine.FiringOrder[1];
        var result = Run(
            new RunningPlan(engine)
            {
                SpeedRpm = rpm,
                Heat = new Dictionary<int, double> { [odd] = 0.6 },
            }
        );
        Assert.Equal("none", result.Verdict);
        Assert.All(result.Cylinders, c => Assert.Equal(0, c.Misfires));
        Assert.Contains($"Cylinder {odd} fires weakly each time", result.Sentence, StringComparison.Ordinal);
        Assert.Contains(result.Notes, n => n.Code == "fires-weakly");
        Assert.All(
            result.Cylinders,
            c => Assert.InRange(c.ContributionPercent!.Value, c.Cylinder == odd ? 30 : 90, c.Cylinder == odd ? 80 : 130)
        );
        // The contract: 100 is the mean of those that do not misfire.
        Assert.Equal(100, result.Cylinders.Average(c => c.ContributionPercent!.Value), 3.0);
    }

    [Theory]
    [InlineData(3, 1_200)]
    [InlineData(4, 1_000)]
    [InlineData(4, 1_350)]
    [InlineData(5, 1_000)]
    [InlineData(5, 2_700)]
    [InlineData(6, 800)]
    [InlineData(6, 1_650)]
    [InlineData(8, 800)]
    [InlineData(8, 1_900)]
    public void One_that_does_not_fire_at_all_misfires_each_time(int cylinders, double rpm)
    {
        var engine = Engine(cylinders);
        var odd = engine.FiringOrder[1];
        var result = Run(new RunningPlan(engine) { SpeedRpm = rpm, Misfires = [new(odd, 1)] });
        Assert.Equal("single", result.Verdict);
        Assert.All(result.Cylinders, c => Assert.Equal(c.Cylinder == odd ? c.Firings : 0, c.Misfires));
        Assert.DoesNotContain(result.Notes, n => n.Code == "fires-weakly");
    }

    [Theory]
    [InlineData(0.6)]
    [InlineData(0)]
    public void Where_the_speed_does_not_tell_both_are_said(double heat)
    {
        var engine = Engine(4);
        var result = Run(
            new RunningPlan(engine)
            {
                SpeedRpm = 2_500,
                Heat = new Dictionary<int, double> { [3] = heat },
            }
        );
        Assert.Equal(result.Cylinders.Single(c => c.Cylinder == 3).Firings, result.Cylinders.Single(c => c.Cylinder == 3).Misfires);
        Assert.Contains(result.Notes, n => n.Code == "weak-or-missing" && n.Text.Contains("Cylinder 3", StringComparison.Ordinal));
        Assert.Contains("may be weak firings", result.Sentence, StringComparison.Ordinal);
    }

    [Fact]
    public void On_a_diesel_whose_compression_swings_the_crank_both_are_said()
    {
        var engine = Engine(4) with { Fuel = "diesel" };
        var result = Run(
            new RunningPlan(engine)
            {
                SpeedRpm = 850,
                Heat = new Dictionary<int, double> { [3] = 0.6 },
            }
        );
        Assert.Contains(result.Notes, n => n.Code == "weak-or-missing");
        Assert.DoesNotContain(result.Notes, n => n.Code == "fires-weakly");
    }

    [Fact]
    public void A_little_less_on_a_diesel_is_said_without_a_share()
    {
        var engine = Engine(4) with { Fuel = "diesel" };
        var result = Run(
            new RunningPlan(engine)
            {
                SpeedRpm = 850,
                Heat = new Dictionary<int, double> { [3] = 0.75 },
            }
        );
        Assert.Equal("none", result.Verdict);
        var note = Assert.Single(result.Notes, n => n.Code == "fires-weakly");
        Assert.Contains("Cylinder 3 gives less than the others", note.Text, StringComparison.Ordinal);
        Assert.Equal(3, result.Cylinders.MinBy(c => c.ContributionPercent)!.Cylinder);
        Assert.InRange(result.Cylinders.Min(c => c.ContributionPercent!.Value), 50, 92);
        var sound = Run(new RunningPlan(engine) { SpeedRpm = 850 });
        Assert.DoesNotContain(sound.Notes, n => n.Code is "fires-weakly" or "weak-or-missing");
    }

    [Fact]
    public void Beside_single_misfires_of_another_the_weak_one_is_known_at_any_speed()
    {
        var engine = Engine(4);
        var result = Run(
            new RunningPlan(engine)
            {
                SpeedRpm = 2_500,
                Misfires = [new(1, 0.3)],
                Heat = new Dictionary<int, double> { [3] = 0.6 },
            },
            out var truth
        );
        Assert.Equal("single", result.Verdict);
        Assert.InRange(result.Cylinders.Single(c => c.Cylinder == 1).Misfires - truth.Misfires[1], -2, 1);
        Assert.Equal(0, result.Cylinders.Where(c => c.Cylinder != 1).Sum(c => c.Misfires));
        var note = Assert.Single(result.Notes, n => n.Code == "fires-weakly");
        Assert.Contains("Cylinder 3 ", note.Text, StringComparison.Ordinal);
        Assert.Contains("told by the firings that are missing", note.Text, StringComparison.Ordinal);
        Assert.InRange(result.Cylinders.Single(c => c.Cylinder == 3).ContributionPercent!.Value, 45, 80);
    }

    [Theory]
    [InlineData(6, 2_000)]
    [InlineData(6, 2_800)]
    [InlineData(8, 2_400)]
    public void A_wheel_off_its_centre_is_no_pair_of_cylinders(int cylinders, double rpm)
    {
        foreach (var seed in (int[])[1, 2, 3])
        {
            var plan = new RunningPlan(Engine(cylinders))
            {
                SpeedRpm = rpm,
                RunoutDegrees = 0.14,
                Seed = seed,
            };
            var result = Run(plan);
            Assert.Equal("none", result.Verdict);
            Assert.Equal(0, result.Cylinders.Sum(c => c.Misfires));
        }
    }

    private MisfireResult Run(RunningPlan plan) => Run(plan, out _);

    private MisfireResult Run(RunningPlan plan, out RunningTruth truth)
    {
        (var result, truth) = MisfireBench.Run(plan);
        output.WriteLine(result.Sentence);
        output.WriteLine(string.Join("; ", result.Cylinders.Select(c => $"{c.Cylinder}: {c.Misfires}, {c.ContributionPercent:0}")));
        return result;
    }

    private static Engine Engine(int cylinders) => MisfireBench.Of(s_layouts[cylinders]) with { CrankWheel = new CrankWheel(60, [2], 114) };
}
