using Maschera.Core.Readings.Pulses;
using Maschera.Rig;
using static Maschera.Core.Tests.PulseBench;

namespace Maschera.Core.Tests;

/// <summary>Two cylinders of the stand-in engine with the same fault, at its pick-ups: both named, or the doubt said.</summary>
public class TwoFaultPulseTests
{
    [Theory]
    [InlineData(4, 1, 3)]
    [InlineData(6, 1, 2)]
    [InlineData(6, 5, 6)]
    public void Two_cylinders_at_fault_are_both_named(int cylinders, int first, int second)
    {
        var engine = Of(cylinders);
        // At the exhaust of six the stand-in's pulses are too small beside its noise.
        foreach (var at in cylinders == 4 ? (string[])["intake", "exhaust"] : ["intake"])
        {
            var result = Read(
                Record(
                    engine,
                    at == "intake" ? 1_900 : 900,
                    4,
                    [
                        .. new[] { first, second }.Select(c =>
                            at == "intake" ? new BreathingFault(c) { IntakeOpens = 0.4 } : new BreathingFault(c) { Misfires = 1 }
                        ),
                    ]
                ),
                engine,
                at
            );
            Assert.True(result.Verdict == "several-odd", $"{at}: {result.Sentence}");
            Assert.Equal([first, second], result.Cylinders.Where(c => c.IsOdd).Select(c => c.Cylinder));
            Assert.Contains($"{second}", result.Sentence, StringComparison.Ordinal);
        }
    }

    [Theory]
    [InlineData("intake", "empties", 4, 1, 2)]
    [InlineData("intake", "empties", 4, 1, 4)]
    [InlineData("intake", "empties", 6, 1, 2)]
    [InlineData("intake", "empties", 6, 3, 4)]
    [InlineData("intake", "empties", 8, 1, 6)]
    [InlineData("intake", "thrusts", 4, 1, 3)]
    [InlineData("intake", "thrusts", 6, 1, 2)]
    [InlineData("intake", "thrusts", 8, 1, 6)]
    [InlineData("intake", "escapes", 4, 1, 3)]
    [InlineData("intake", "escapes", 4, 3, 4)]
    [InlineData("intake", "escapes", 4, 1, 2)]
    [InlineData("intake", "escapes", 6, 1, 5)]
    [InlineData("exhaust", "escapes", 4, 1, 4)]
    [InlineData("exhaust", "escapes", 6, 1, 2)]
    [InlineData("exhaust", "empties", 4, 1, 3)]
    [InlineData("exhaust", "empties", 6, 1, 4)]
    public void Two_cylinders_with_the_same_fault_are_named_or_said_to_be_it_too(
        string at,
        string what,
        int cylinders,
        int first,
        int second
    )
    {
        var engine = Of(cylinders);
        var faults = new[] { first, second }.Select(c =>
            what switch
            {
                "empties" => new BreathingFault(c) { ExhaustOpens = at == "intake" ? 0.03 : 0.35 },
                "thrusts" => new BreathingFault(c) { LeakMm2 = 8, LeakTo = LeakTo.Intake },
                _ => new BreathingFault(c) { LeakMm2 = 8, LeakTo = LeakTo.Exhaust },
            }
        );
        var result = Read(Record(engine, 850, 4, [.. faults]), engine, at);
        Assert.True(result.Verdict == "several-odd", result.Sentence + string.Join(" ", result.Notes));
        var areNamed = result.Cylinders.Where(c => c.IsOdd).Select(c => c.Cylinder).SequenceEqual([first, second]);
        bool IsSaid(string code, string text) => result.Notes.Any(n => n.Code == code && n.Text.Contains(text, StringComparison.Ordinal));
        Assert.True(
            areNamed
                || IsSaid("either", $"cylinders {first} and {second} ")
                || IsSaid("either", $"cylinders {second} and {first} ")
                || IsSaid("others-instead", $"{first} and {second} together"),
            result.Sentence + string.Join(" ", result.Notes)
        );
        Assert.Equal(cylinders == 4, result.Notes.Any(n => n.Code == "others-instead"));
    }

    [Fact]
    public void Of_three_cylinders_the_one_named_is_said_to_be_maybe_the_other_two()
    {
        var engine = Of(3);
        var result = Read(Record(engine, new BreathingFault(2) { IntakeOpens = 0.3 }), engine, "intake");
        Assert.Equal(2, Assert.Single(result.Cylinders, c => c.IsOdd).Cylinder);
        Assert.Contains("1 and 3 together", Assert.Single(result.Notes, n => n.Code == "others-instead").Text, StringComparison.Ordinal);
    }
}
