using CsCheck;
using Maschera.Core.Expressions;
using Maschera.Core.Signals;

namespace Maschera.Core.Tests;

/// <summary>One notation for derived channels and for conditions: what it says is what is worked out, whatever is written.</summary>
public class NotationTests
{
    private const int Count = 200;

    private static readonly TimeAxis s_time = TimeAxis.Uniform(0, 0.01, Count);

    private static readonly IReadOnlyList<Channel> s_channels =
    [
        Made("Engine speed", "rpm", i => 800 + 9 * i),
        Made("Boost", "kPa", i => 100 + 40 * Math.Sin(i / 7.0)),
        Made("Lambda-1", "", i => i % 13 / 10.0),
    ];

    /// <summary>A value in words, what it is at a sample, and how large its parts are there, which its rounding goes by.</summary>
    private sealed record Value(string Text, Func<int, double> At, Func<int, double> Size)
    {
        public Value(string text, Func<int, double> at)
            : this(text, at, i => Math.Abs(at(i))) { }
    }

    /// <summary>A claim in words, and whether it holds at a sample.</summary>
    private sealed record Claim(string Text, Func<int, bool> Holds);

    private static readonly Gen<string> s_space = Gen.OneOfConst("", " ", "  ");

    private static Gen<Value> Values(int depth)
    {
        var single = Gen.OneOf(
            Gen.Int[0, 99].Select(n => new Value($"{n}", _ => n)),
            Gen.Int[0, 99].Select(n => new Value($"0.{n:00}", _ => n / 100.0)),
            Gen.OneOfConst("\"Engine speed\"", "engine speed", "rpm", "speed").Select(name => Named(name, 0)),
            Gen.OneOfConst("Boost", "boost", "kPa").Select(name => Named(name, 1)),
            Gen.OneOfConst("\"Lambda-1\"", "lambda-1", "Lambda-1").Select(name => Named(name, 2))
        );
        if (depth == 0)
            return single;
        var part = Values(depth - 1);
        return Gen.OneOf(
            single,
            Gen.Select(part, Gen.OneOfConst('+', '-', '*'), part, s_space)
                .Select(
                    (a, sign, b, space) =>
                        new Value(
                            $"({a.Text}{space}{sign}{space}{b.Text})",
                            i => Worked(sign, a.At(i), b.At(i)),
                            i => Worked(sign == '*' ? '*' : '+', a.Size(i), b.Size(i))
                        )
                ),
            part.Select(a => new Value($"abs({a.Text})", i => Math.Abs(a.At(i)), a.Size)),
            Gen.Select(part, part)
                .Select(
                    (a, b) => new Value($"max({a.Text}, {b.Text})", i => Math.Max(a.At(i), b.At(i)), i => Math.Max(a.Size(i), b.Size(i)))
                ),
            part.Select(a => new Value($"(−{a.Text})", i => -a.At(i), a.Size))
        );
    }

    private static Gen<Claim> Claims(int depth)
    {
        var compared = Gen.Select(Values(1), Gen.OneOfConst("<", "<=", ">", ">=", "≤", "≥"), Values(1), s_space)
            .Select((a, sign, b, space) => new Claim($"{a.Text}{space}{sign}{space}{b.Text}", i => Compared(sign, a.At(i), b.At(i))));
        if (depth == 0)
            return compared;
        var part = Claims(depth - 1);
        return Gen.OneOf(
            compared,
            Gen.Select(part, part).Select((a, b) => new Claim($"({a.Text}) and ({b.Text})", i => a.Holds(i) && b.Holds(i))),
            Gen.Select(part, part).Select((a, b) => new Claim($"({a.Text}) OR ({b.Text})", i => a.Holds(i) || b.Holds(i))),
            part.Select(a => new Claim($"not ({a.Text})", i => !a.Holds(i)))
        );
    }

    [Fact]
    public void A_channel_is_what_its_expression_says() =>
        Values(3)
            .Sample(
                value =>
                {
                    if (!value.Text.Any(char.IsLetter) || !value.Text.Contains('p', StringComparison.OrdinalIgnoreCase))
                        return;
                    var got = new List<float>();
                    Expression
                        .Read(value.Text + " + 0 * rpm", [.. s_channels.Select(c => new MemoryReader(c))])
                        .Evaluate((_, v) => got.AddRange(v.ToArray()));
                    // Worked out in single precision: a rounding of 6e-8 of the parts at every step, of which there are no more than 16.
                    for (var i = 0; i < Count; i += 17)
                        Assert.True(
                            Math.Abs(got[i] - value.At(i)) <= 1e-6 * value.Size(i),
                            $"{value.Text} at {i}: {got[i]}, {value.At(i)}"
                        );
                },
                iter: 400
            );

    [Fact]
    public void A_condition_holds_where_it_says() =>
        Claims(2)
            .Sample(
                claim =>
                {
                    // Every condition needs a channel that tells its times.
                    var text = $"({claim.Text}) and rpm >= 0";
                    var stretches = Condition.Parse(text, s_channels).Stretches();
                    for (var i = 0; i < Count - 1; i++)
                    {
                        var inside = stretches.Any(s => s_time[i] >= s.From - 1e-9 && s_time[i] < s.To - 1e-9);
                        Assert.True(inside == claim.Holds(i), $"{text} at {i}: {inside}");
                    }
                },
                iter: 400
            );

    [Fact]
    public void Any_text_is_a_condition_or_is_refused_with_a_sentence() =>
        Gen.String[Gen.Char["rpm boost<>=!()and or not+-*/^,.\"1≤−"], 0, 40]
            .Sample(
                text =>
                {
                    try
                    {
                        Condition.Parse(text, s_channels).Stretches();
                    }
                    catch (ExpressionException error)
                    {
                        Assert.EndsWith(".", error.Message, StringComparison.Ordinal);
                        Assert.DoesNotContain("System", error.Message, StringComparison.Ordinal);
                    }
                },
                iter: 5_000
            );

    [Theory]
    [InlineData("rpm > 1000 and boost > 100 or boost < 70", "(rpm > 1000 and boost > 100) or boost < 70")]
    [InlineData("not boost > 100 and rpm > 1000", "(not boost > 100) and rpm > 1000")]
    [InlineData("boost - 10 * 2 > 90", "(boost - (10 * 2)) > 90")]
    [InlineData("-boost ^ 2 < -10000", "(-(boost ^ 2)) < (-10000)")]
    [InlineData("2 ^ 3 ^ 2 + boost > 600", "(2 ^ (3 ^ 2)) + boost > 600")]
    [InlineData("rpm / 2 / 5 > 100", "((rpm / 2) / 5) > 100")]
    public void What_binds_strongest_is_as_everybody_writes_it(string plain, string bracketed) =>
        Assert.Equal(Condition.Parse(bracketed, s_channels).Stretches(), Condition.Parse(plain, s_channels).Stretches());

    private static Value Named(string text, int channel) => new(text, i => s_channels[channel].Samples[i]);

    private static double Worked(char sign, double a, double b) =>
        sign switch
        {
            '+' => a + b,
            '-' => a - b,
            _ => a * b,
        };

    private static bool Compared(string sign, double a, double b) =>
        sign switch
        {
            "<" => a < b,
            ">" => a > b,
            "<=" or "≤" => a <= b,
            _ => a >= b,
        };

    private static Channel Made(string name, string unit, Func<int, double> value) =>
        new(name, unit, s_time, [.. Enumerable.Range(0, Count).Select(i => (float)value(i))]);
}
