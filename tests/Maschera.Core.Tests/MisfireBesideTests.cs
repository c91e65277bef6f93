using Maschera.Core.Engines;
using Maschera.Core.Readings.Misfire;
using Maschera.Rig;

namespace Maschera.Core.Tests;

/// <summary>
/// Sound cylinders beside one that misfires often, at speeds and samplings at which one firing hardly stands out of the edges'
/// own scatter.
/// </summary>
public class MisfireBesideTests(ITestOutputHelper output)
{
    public static TheoryData<string, int, double, double> Cases
    {
        get
        {
            var cases = new TheoryData<string, int, double, double>();
            foreach (var share in (double[])[0, 0.1, 0.5, 1])
            {
                cases.Add("six", 60, 2_700, share);
                cases.Add("six", 60, 3_000, share);
                cases.Add("eight", 36, 1_440, share);
                cases.Add("eight", 60, 2_700, share);
                cases.Add("eight", 60, 3_000, share);
            }

            return cases;
        }
    }

    [Theory]
    [MemberData(nameof(Cases))]
    public void Only_the_one_that_misfires_is_counted(string name, int teeth, double rpm, double share)
    {
        foreach (var seed in (int[])[1, 2])
        {
            var engine = Engine(name, teeth);
            var odd = engine.FiringOrder[2];
            var (result, truth) = Run(engine, rpm, 50_000, share > 0 ? [new(odd, share)] : [], seed);
            Assert.False(result.IsUnusable, result.Sentence);
            var firings = result.Cylinders.Sum(c => c.Firings);
            var wrong = result.Cylinders.Where(c => c.Cylinder != odd || share == 0).Sum(c => c.Misfires);
            var (told, true_) = (result.Cylinders.Single(c => c.Cylinder == odd).Misfires, share > 0 ? truth.Misfires[odd] : 0);
            output.WriteLine($"{name} {teeth} {rpm} {share} seed {seed}: {wrong} wrong of {firings}, {told} of {true_}");
            Assert.InRange(wrong, 0, Math.Max(1, firings / 300));
            if (share > 0)
                Assert.InRange(told - true_, -Math.Max(2, 0.055 * true_), 2);
            Assert.Equal(share > 0 ? "single" : "none", result.Verdict);
        }
    }

    [Fact]
    public void A_pair_on_one_coil_is_told_as_a_pair()
    {
        var engine = Engine("six", 60);
        var (result, truth) = Run(engine, 2_700, 50_000, [new(engine.FiringOrder[0], 0.3), new(engine.FiringOrder[3], 0.3)], 4);
        Assert.Equal("several", result.Verdict);
        Assert.Contains("companions", result.Sentence, StringComparison.Ordinal);
        Assert.All(result.Cylinders, c => Assert.InRange(c.Misfires - truth.Misfires.GetValueOrDefault(c.Cylinder), -3, 2));
    }

    [Fact]
    public void A_sound_engine_at_idle_is_not_accused()
    {
        var engine = Engine("eight", 60);
        foreach (var seed in Enumerable.Range(1, 4))
        {
            var (result, _) = Run(engine, 800, 25_000, [], seed);
            Assert.Equal("none", result.Verdict);
            Assert.Equal(0, result.Cylinders.Sum(c => c.Misfires));
        }
    }

    private static (MisfireResult Result, RunningTruth Truth) Run(
        Engine engine,
        double rpm,
        double rate,
        MisfireSchedule[] misfires,
        int seed
    ) =>
        MisfireBench.Run(
            new RunningPlan(engine)
            {
                SpeedRpm = rpm,
                Misfires = misfires,
                Seed = seed,
            },
            rate
        );

    private static Engine Engine(string name, int teeth)
    {
        var engine = name == "six" ? EngineCatalogue.Tasso : MisfireBench.Of("V8, cross-plane");
        return engine with { CrankWheel = new CrankWheel(teeth, teeth == 36 ? [1] : [2], 114) };
    }
}
