using Maschera.Core.Readings.Pulses;
using Maschera.Core.Signals;
using Maschera.Rig;
using static Maschera.Core.Tests.PulseBench;

namespace Maschera.Core.Tests;

/// <summary>A pick-up at the intake whose two wires are changed over: it reads as if they were not, and that is said.</summary>
public class PickUpPolarityTests
{
    private const string Code = "turned-over";

    public static TheoryData<int, double, string> Runs
    {
        get
        {
            TheoryData<int, double, string> runs = [];
            foreach (var cylinders in (int[])[3, 4, 6, 8])
            foreach (var rpm in (double[])[740, 950])
            // Of three, one that leaks covers the others' suction, and the polarity may stay open.
            foreach (var fault in (string[])(cylinders > 3 ? ["sound", "half", "leak"] : ["sound", "half"]))
                runs.Add(cylinders, rpm, fault);
            return runs;
        }
    }

    [Theory]
    [MemberData(nameof(Runs))]
    public void Turned_round_it_names_the_same_cylinders(int cylinders, double rpm, string fault)
    {
        var engine = Of(cylinders);
        var capture = Record(
            engine,
            rpm,
            cylinders,
            fault switch
            {
                "half" => [new BreathingFault(2) { IntakeOpens = 0.45 }],
                "leak" => [new BreathingFault(2) { LeakMm2 = 6, LeakTo = LeakTo.Intake }],
                _ => [],
            }
        );
        var rightly = Read(capture, engine, "intake");
        var turned = Read(Turned(capture), engine, "intake");
        Assert.DoesNotContain(rightly.Notes, n => n.Code == Code);
        Assert.Contains(turned.Notes, n => n.Code == Code);
        Assert.Equal(rightly.Verdict, turned.Verdict);
        Assert.Equal(Odd(rightly), Odd(turned));
        Assert.Equal(rightly.Course, turned.Course);
    }

    /// <summary>Where the manifold swings by itself the polarity may stay unknown, but one connected rightly is left as it is.</summary>
    [Theory]
    [InlineData(3)]
    [InlineData(4)]
    [InlineData(6)]
    [InlineData(8)]
    public void Connected_rightly_it_is_left_alone_at_any_speed(int cylinders)
    {
        foreach (var rpm in (double[])[250, 600, 1_200, 1_600, 2_000, 2_500])
        {
            var result = Read(Record(Of(cylinders), rpm, 3), Of(cylinders), "intake");
            Assert.False(result.Notes.Any(n => n.Code == Code), $"{rpm} rpm: {result.Sentence}");
        }
    }

    private static IEnumerable<int> Odd(PulsesResult result) => result.Cylinders.Where(c => c.IsOdd).Select(c => c.Cylinder);

    private static Capture Turned(Capture capture) =>
        capture with
        {
            Channels =
            [
                .. capture.Channels.Select(c => c.Name == "Intake pulse" ? c with { Samples = Array.ConvertAll(c.Samples, v => -v) } : c),
            ],
        };
}
