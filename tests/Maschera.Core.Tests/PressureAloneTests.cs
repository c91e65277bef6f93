using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Readings.CylinderPressure;
using Maschera.Core.Signals;
using Maschera.Rig;

namespace Maschera.Core.Tests;

/// <summary>
/// In-cylinder pressure without a known-good: what can't be told there is said, a sound cylinder is not accused, and what is plain is
/// called all the same.
/// </summary>
public class PressureAloneTests
{
    private static readonly Engine[] s_engines = [EngineCatalogue.Ghiro, EngineCatalogue.Orsa, EngineCatalogue.Tasso];

    public static TheoryData<string, int> Idling
    {
        get
        {
            TheoryData<string, int> runs = [];
            foreach (var engine in s_engines)
            foreach (var seed in (int[])[2, 5, 11])
                runs.Add(engine.Name, seed);
            return runs;
        }
    }

    [Theory]
    [MemberData(nameof(Idling))]
    public void A_sound_cylinder_at_idle_is_not_accused(string engine, int seed)
    {
        var result = Read(engine, Plan(engine, seed));
        Assert.True(result.Verdict == "normal", result.Sentence);
        Assert.Contains(result.Notes, n => n.Code == "against-file");
        DoesNotSaySealsWhereItIsOpen(result);
    }

    [Theory]
    [MemberData(nameof(Idling))]
    public void A_cam_that_is_out_is_called_or_left_open_but_never_the_other_one(string engine, int seed)
    {
        var result = Read(engine, Plan(engine, seed) with { IntakeShift = 20 });
        Assert.True(result.Verdict is "intake-timing" or "valve-timing" or "normal", result.Sentence);
        if (result.Verdict == "normal")
            Assert.Contains(result.Notes, n => n.Code is "shift-unsure" or "shift-unknown" or "against-file");
    }

    [Fact]
    public void A_leak_is_open_while_walls_may_take_as_much_and_called_beyond()
    {
        double[] holes = [0, 1, 2, 4, 8];
        var results = holes.Select(h => Read("Orsa 1.4", WithLeak(h))).ToList();
        var lost = results.Select(r => r.Leakage!.Percent).ToList();
        Assert.Equal(lost.Order(), lost);
        Assert.Equal("leaks", results[^1].Verdict);
        foreach (var result in results.Where(r => r.Verdict != "leaks"))
        {
            Assert.True(result.Verdict == "normal", result.Sentence);
            DoesNotSaySealsWhereItIsOpen(result);
        }

        // Once called, called for every larger hole.
        Assert.Equal(results.Select(r => r.Verdict == "leaks").Order(), results.Select(r => r.Verdict == "leaks"));
        Assert.Contains(results, r => r.Verdict == "normal" && r.Notes.Any(n => n.Code == "leak-unsure"));
    }

    /// <summary>A valve that lets next to nothing in: the stroke pulls the cylinder empty, and nothing is there to be compressed.</summary>
    [Theory]
    [InlineData("Ghiro 1.0", 0.004)]
    [InlineData("Orsa 1.4", 0)]
    [InlineData("Orsa 1.4", 0.004)]
    [InlineData("Tasso V6", 0.002)]
    public void A_cylinder_that_draws_nothing_is_called_so_and_not_leaking(string engine, double opens)
    {
        var result = Read(engine, Plan(engine, 4) with { Faults = [new BreathingFault(1) { IntakeOpens = opens }] });
        Assert.True(result.Verdict == "intake-valve-stays-shut", result.Sentence);
        Assert.Null(result.IntakeShiftDegrees);
        Assert.DoesNotContain("leak", result.Sentence, StringComparison.Ordinal);
    }

    private static void DoesNotSaySealsWhereItIsOpen(CylinderPressureResult result)
    {
        if (result.Notes.Any(n => n.Code == "leak-unsure"))
            Assert.DoesNotContain("seals", result.Sentence, StringComparison.Ordinal);
    }

    private static BreathingPlan WithLeak(double squareMillimetres) =>
        Plan("Orsa 1.4", 3) with
        {
            Faults = squareMillimetres > 0 ? [new BreathingFault(1) { LeakMm2 = squareMillimetres }] : [],
        };

    private static BreathingPlan Plan(string engine, int seed) =>
        new(Of(engine))
        {
            SpeedRpm = 700 + 15 * seed,
            IntakeBar = 0.36 + 0.01 * seed,
            Seed = seed,
        };

    private static Engine Of(string name) => s_engines.First(e => e.Name == name);

    private static CylinderPressureResult Read(string engine, BreathingPlan plan) =>
        PressureBench.Read(BreathingRun.Record(plan).Capture, Of(engine), null);
}
