using CsCheck;
using Maschera.Core.Expressions;
using Maschera.Core.Signals;

namespace Maschera.Core.Tests;

/// <summary>Derived channels: what the notation means, and what it refuses.</summary>
public class ExpressionTests
{
    private const double Step = 1e-3;
    private const int Count = 40_000;

    private static readonly ISampleReader s_a = Reader("A", "V", i => (float)Math.Sin(Math.Tau * 5 * i * Step));
    private static readonly ISampleReader s_b = Reader("Starter current", "A", i => 100 + i % 7);

    [Theory]
    [InlineData("A + 1", "V")]
    [InlineData("2 * A - A / 4", "V")]
    [InlineData("-A^2", "")]
    [InlineData("abs(A) + min(A, 0) - max(0, A)", "V")]
    [InlineData("A * \"starter CURRENT\"", "V·A")]
    [InlineData("A / \"Starter current\"", "V/A")]
    [InlineData("2 ^ 3 ^ 2 + 0 * A", "V")]
    [InlineData("1e2 * 1.5E-1 + 0*a", "V")]
    public void Arithmetic_follows_ordinary_rules(string text, string unit)
    {
        Func<double, double, double> expected = text switch
        {
            "A + 1" => (a, _) => a + 1,
            "2 * A - A / 4" => (a, _) => 2 * a - a / 4,
            "-A^2" => (a, _) => -a * a,
            "abs(A) + min(A, 0) - max(0, A)" => (a, _) => Math.Abs(a) + Math.Min(a, 0) - Math.Max(0, a),
            "A * \"starter CURRENT\"" => (a, b) => a * b,
            "A / \"Starter current\"" => (a, b) => a / b,
            "2 ^ 3 ^ 2 + 0 * A" => (_, _) => 512,
            _ => (_, _) => 15,
        };
        var (values, expression) = Evaluate(text);
        Assert.Equal(unit, expression.Unit);
        Assert.Equal(Count, values.Length);
        for (var i = 0; i < Count; i += 97)
            Assert.Equal(expected(Math.Sin(Math.Tau * 5 * i * Step), 100 + i % 7), values[i], 1e-4 * 105);
    }

    [Fact]
    public void Derivative_and_integral_of_a_sine_are_those_of_the_book()
    {
        var (slope, a) = Evaluate("derivative(A)");
        var (area, b) = Evaluate("integral(A)");
        Assert.Equal(("V/s", "V·s"), (a.Unit, b.Unit));
        for (var i = 10; i < Count - 10; i += 501)
        {
            var angle = Math.Tau * 5 * i * Step;
            Assert.Equal(Math.Tau * 5 * Math.Cos(angle), slope[i], 0.02);
            Assert.Equal((1 - Math.Cos(angle)) / (Math.Tau * 5), area[i], 1e-4);
        }
    }

    [Theory]
    [InlineData(5, 0.7079, 0.02)]
    [InlineData(0.5, 0.0, 0.01)]
    [InlineData(100, 1.0, 0.01)]
    public void A_low_pass_is_3_dB_down_at_its_corner_and_not_late(double corner, double gain, double within)
    {
        var (values, _) = Evaluate($"lowpass(A, {corner})");
        var middle = values.AsSpan(Count / 4, Count / 2).ToArray();
        Assert.Equal(gain, middle.Max(), within);
        if (gain > 0.5)
            Assert.Equal(0, values[Count / 2], 0.02);
        var (rest, _) = Evaluate($"highpass(A, {corner})");
        for (var i = 0; i < Count; i += 301)
            Assert.Equal(Math.Sin(Math.Tau * 5 * i * Step), values[i] + rest[i], 1e-5);
    }

    [Fact]
    public void A_median_takes_a_spike_away_and_leaves_an_edge()
    {
        var spiked = Reader(
            "S",
            "V",
            i =>
                i == 500 ? 99
                : i >= 1000 ? 5
                : 0
        );
        var (values, _) = Evaluate("median(S, 5)", spiked);
        Assert.Equal(0, values[500]);
        Assert.Equal((0f, 5f), (values[999], values[1000]));
    }

    [Theory]
    [InlineData(0.25)]
    [InlineData(-0.1234)]
    public void Delay_moves_a_channel_later(double by)
    {
        var (values, _) = Evaluate($"delay(A, {by})");
        for (var i = 1000; i < Count - 1000; i += 211)
            Assert.Equal(Math.Sin(Math.Tau * 5 * (i * Step - by)), values[i], 2e-3);
        Assert.True(float.IsNaN(by > 0 ? values[10] : values[^10]));
    }

    [Fact]
    public void Pulse_functions_tell_frequency_period_duty_and_width()
    {
        var train = Reader("P", "V", i => i % 40 < 10 ? 5 : 0);
        foreach (
            var (text, expected, unit) in ((string, double, string)[])
                [("frequency(P)", 25, "Hz"), ("period(P)", 0.04, "s"), ("duty(P)", 25, "%"), ("width(P)", 0.01, "s")]
        )
        {
            var (values, expression) = Evaluate(text, train);
            Assert.Equal(unit, expression.Unit);
            Assert.Equal(expected, values[Count / 2], 1e-4 * expected);
            Assert.True(float.IsNaN(values[5]));
        }
    }

    [Theory]
    [InlineData(58, 2)]
    [InlineData(35, 1)]
    [InlineData(30, 0)]
    public void Speed_bridges_the_gap_of_missing_teeth(int teeth, int missing)
    {
        // One turn takes 0.6 s: 100 rpm.
        var all = teeth + missing;
        var wheel = Reader("W", "V", i => i * 1e-4 / 0.6 * all % all is var at && at < teeth && at % 1 < 0.5 ? 5 : 0, 1e-4);
        var (values, _) = Evaluate($"speed(W, {all})", wheel);
        var known = values.Where(float.IsFinite).ToArray();
        Assert.True(known.Length > Count / 2);
        Assert.All(known, v => Assert.InRange(v, 98.5, 101.5));
    }

    [Fact]
    public void A_channel_of_another_rate_is_read_between_its_samples()
    {
        var slow = new MemoryReader(new Channel("Slow", "bar", TimeAxis.FromStamps([0, 10, 40]), [0, 10, 40]));
        var (values, _) = Evaluate("A - A + Slow", s_a, slow);
        for (var i = 0; i < Count; i += 997)
            Assert.Equal(i * Step, values[i], 1e-3);
    }

    [Theory]
    [InlineData("", "ends too early")]
    [InlineData("A +", "ends too early")]
    [InlineData("(A", "')' is missing")]
    [InlineData("A B", "At place 1: there is no channel 'A B'")]
    [InlineData("B + 1", "there is no channel 'B'. There are A, \"Starter current\"")]
    [InlineData("cosinus(A)", "there is no function 'cosinus'")]
    [InlineData("lowpass(A)", "takes 2 in its brackets, not 1")]
    [InlineData("lowpass(A, A)", "wants a plain number")]
    [InlineData("lowpass(A, 0)", "above zero")]
    [InlineData("median(A, 4)", "odd number")]
    [InlineData("median(A, 1000001)", "odd number")]
    [InlineData("1 + 2", "names no channel")]
    [InlineData("\"A", "never closed")]
    [InlineData("A; drop", "';' is not expected")]
    [InlineData("speed(A, 0)", "at least one tooth")]
    [InlineData("1.2.3 * A", "not a number")]
    [InlineData("A > 3", "At place 3: a comparison makes no channel")]
    [InlineData("2 * (A > 3)", "At place 8: a comparison gives no number")]
    public void What_makes_no_sense_is_refused_with_its_place(string text, string why) =>
        Assert.Contains(why, Assert.Throws<ExpressionException>(() => Expression.Read(text, [s_a, s_b])).Message, StringComparison.Ordinal);

    [Theory]
    [InlineData("Lambda-1", 4)]
    [InlineData("\"Lambda-1\"", 7)]
    [InlineData("lambda-2 * 2", 18)]
    [InlineData("O2 sensor (rear) * 2", 6)]
    [InlineData("2nd gear + 1", 3)]
    [InlineData("1 + Speed", 51)]
    [InlineData("max(Speed, 2nd gear)", 50)]
    [InlineData("rear + speed", 53)]
    [InlineData("2,5 * Lambda", 12.5)]
    [InlineData("min(2,5) * Lambda", 10)]
    public void Names_stand_bare_where_nothing_else_can_be_meant(string text, float value)
    {
        ISampleReader[] channels =
        [
            Reader("Lambda", "", _ => 5),
            Reader("Lambda-1", "", _ => 7),
            Reader("Lambda-2", "", _ => 9),
            Reader("O2 sensor (rear)", "V", _ => 3),
            Reader("2nd gear", "", _ => 2),
            Reader("1", "", _ => 99),
            Reader("Speed", "km/h", _ => 50),
        ];
        if (text.StartsWith("lambda-2", StringComparison.Ordinal))
            channels = channels[1..];
        Assert.All(Evaluate(text, channels).Values, v => Assert.Equal(value, v, 1e-4f));
    }

    [Fact]
    public void Bombs_are_refused_at_once()
    {
        foreach (
            var text in (string[])
                [
                    new string('(', 1900) + "A",
                    "A" + string.Concat(Enumerable.Repeat("+A", 900)),
                    new string('-', 1900) + "A",
                    "A" + string.Concat(Enumerable.Repeat("^A", 900)),
                    new string('1', 1_000_000),
                ]
        )
            Assert.Throws<ExpressionException>(() => Expression.Read(text, [s_a]));
        Assert.Throws<ExpressionException>(() => Evaluate("frequency(A - A)"));
    }

    [Fact]
    public void Any_text_is_understood_or_refused() =>
        Gen.String[Gen.Char["A+-*/^()\",. 19eab"], 0, 40]
            .Sample(
                text =>
                {
                    try
                    {
                        Expression.Read(text, [s_a]);
                    }
                    catch (ExpressionException error)
                    {
                        Assert.NotEmpty(error.Message);
                    }
                },
                iter: 5_000
            );

    private static (float[] Values, Expression Expression) Evaluate(string text, params ISampleReader[] channels)
    {
        var expression = Expression.Read(text, channels.Length > 0 ? channels : [s_a, s_b]);
        var values = new List<float>();
        expression.Evaluate((_, piece) => values.AddRange(piece.Span));
        return ([.. values], expression);
    }

    private static MemoryReader Reader(string name, string unit, Func<int, float> value, double step = Step) =>
        new(new Channel(name, unit, TimeAxis.Uniform(0, step, Count), [.. Enumerable.Range(0, Count).Select(value)]));

    [Fact]
    public void The_integral_adds_nothing_over_a_gap()
    {
        var gap = Reader("G", "A", i => i is >= 100 and < 200 ? float.NaN : 2);
        var area = new List<float>();
        Expression.Read("integral(G)", [gap]).Evaluate((_, values) => area.AddRange(values.Span));
        // 99 steps before the gap, none over it, and those behind it.
        Assert.Equal(2 * (99 + (Count - 1 - 200)) * Step, area[^1], 1e-3);
        Assert.Equal(area[99], area[200], 1e-6);
    }

    [Fact]
    public void However_deep_high_passes_are_nested_the_channel_is_read_once_for_each()
    {
        var counted = new CountedReader(new Channel("N", "V", TimeAxis.Uniform(0, Step, 2_000), new float[2_000]));
        var text = "N";
        for (var i = 0; i < 26; i++)
            text = $"highpass({text}, 5)";
        var values = 0;
        Expression.Read(text, [counted]).Evaluate((_, v) => values += v.Length);
        Assert.Equal(2_000, values);
        Assert.Equal(1, counted.Opened);
    }

    private sealed class CountedReader(Channel channel) : ISampleReader
    {
        private readonly MemoryReader _of = new(channel);

        public int Opened { get; private set; }
        public string Name => _of.Name;
        public string Unit => _of.Unit;
        public int Count => _of.Count;
        public double Start => _of.Start;
        public double Step => _of.Step;
        public double End => _of.End;
        public bool IsUniform => _of.IsUniform;

        public double TimeAt(int index) => _of.TimeAt(index);

        public int IndexAtOrAfter(double seconds) => _of.IndexAtOrAfter(seconds);

        public IEnumerable<SamplePiece> Read(int first, int count)
        {
            Opened++;
            return _of.Read(first, count);
        }
    }
}
