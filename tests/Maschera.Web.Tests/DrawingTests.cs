using System.Xml.Linq;
using CsCheck;
using Maschera.App;
using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Readings.RelativeCompression;
using Maschera.Core.Signals;
using Maschera.Rig;
using Maschera.Web.Drawing;

namespace Maschera.Web.Tests;

/// <summary>The plot kit: axes, elements, the wheel.</summary>
public class DrawingTests
{
    [Fact]
    public void Ticks_of_any_axis_are_few_round_evenly_apart_and_inside() =>
        Gen.Select(Gen.Double[-1e6, 1e6], Gen.Double[-9, 9])
            .Sample(
                (low, size) =>
                {
                    var high = low + Math.Pow(10, size);
                    var ticks = Axis.Ticks(low, high, 6);
                    Assert.InRange(ticks.Count, 0, 16);
                    Assert.All(ticks, t => Assert.InRange(t, low - 1e-9 * Math.Abs(low), high + 1e-9 * Math.Abs(high)));
                    if (size > -2)
                        Assert.InRange(ticks.Count, 2, 16);
                    for (var i = 2; i < ticks.Count; i++)
                        Assert.Equal(ticks[1] - ticks[0], ticks[i] - ticks[i - 1], Math.Max(1e-9, 1e-6 * (high - low)));
                }
            );

    [Theory]
    [InlineData(1e17, 100000000000000016)]
    [InlineData(1e15, 1e15)]
    [InlineData(0, 0)]
    [InlineData(1, 0)]
    [InlineData(double.NaN, 1)]
    [InlineData(0, double.PositiveInfinity)]
    [InlineData(-1e308, 1e308)]
    [InlineData(0, 1e-320)]
    public void An_axis_that_can_not_be_divided_has_no_endless_ticks(double low, double high) =>
        Assert.InRange(Axis.Ticks(low, high, 5).Count, 0, 50);

    [Theory]
    [InlineData(0, 10, 5, new double[] { 0, 2, 4, 6, 8, 10 })]
    [InlineData(0.12, 0.31, 4, new[] { 0.12, 0.14, 0.16, 0.18, 0.2, 0.22, 0.24, 0.26, 0.28, 0.3 })]
    [InlineData(-7, 7, 3, new double[] { -6, -4, -2, 0, 2, 4, 6 })]
    public void Ticks_stand_at_round_numbers(double low, double high, int about, double[] expected) =>
        Assert.Equal(expected, Axis.Ticks(low, high, about).Select(t => Math.Round(t, 9)));

    [Theory]
    [InlineData(-1.25, 2, "−1.25")]
    [InlineData(-0.004, 2, "0.00")]
    [InlineData(0, 1, "0.0")]
    [InlineData(-0.0, 0, "0")]
    [InlineData(12_345.678, 1, "12,345.7")]
    [InlineData(-1_000, 0, "−1,000")]
    public void A_figure_has_a_true_minus_and_none_before_a_nought(double value, int decimals, string written) =>
        Assert.Equal(written, Say.Number(value, decimals));

    [Theory]
    [InlineData("°", "−0.5°")]
    [InlineData("°C", "−0.5 °C")]
    [InlineData("kPa", "−0.5 kPa")]
    [InlineData("", "−0.5")]
    public void Degrees_stand_at_their_figure_and_units_beside_it(string unit, string written) =>
        Assert.Equal(written, Say.Figure(-0.5, 1, unit));

    [Theory]
    [InlineData("head-gasket-coolant", "Head gasket, into the coolant")]
    [InlineData("leaking-exhaust-valve", "Leaking exhaust valve")]
    [InlineData("on-board-tests", "On-board tests")]
    [InlineData("", "")]
    public void Words_of_the_diagnosis_are_said_as_a_person_says_them(string word, string said) => Assert.Equal(said, Spoken.Capital(word));

    [Fact]
    public void Points_of_a_plot_lie_where_its_axes_say()
    {
        var plot = new Plot(340, 180, (2, 12), (-5, 15), "s", "bar");
        var area = plot.Area;
        Assert.Equal((area.Left, area.Right), (plot.X(2), plot.X(12)));
        Assert.Equal((area.Top, area.Bottom), (plot.Y(15), plot.Y(-5)));
        Assert.Equal((area.Left + area.Right) / 2, plot.X(7), 6);
        Assert.Equal("0 0 340 180", plot.ViewBox);
        // A curve is broken where there is no value, and goes on behind it.
        var line = plot.Line([(2, 0), (3, 1), (4, null), (5, double.NaN), (6, 2), (7, 3)]);
        Assert.Equal(2, line.Count(c => c == 'M'));
        Assert.Equal(2, line.Count(c => c == 'L'));
        Assert.Equal("", plot.Line([]));
        // A band goes along its top and back along its bottom.
        Assert.Equal(6, plot.Band([(2, 0, 1), (3, 0, 2), (4, 0, 3)]).Split(' ').Length);
    }

    [Fact]
    public void A_plot_of_nothing_or_of_one_value_is_still_a_picture()
    {
        foreach (var (from, to) in ((double, double)[])[(0, 0), (5, 5), (1e15, 1e15)])
        {
            var plot = new Plot(300, 150, (from, to), (from, to), "s", "V");
            Assert.True(double.IsFinite(plot.X(from)) && double.IsFinite(plot.Y(to)));
            Assert.Contains(XDocument.Parse($"<svg>{plot.Axes()}</svg>").Descendants("line"), l => l.Attribute("x1") is not null);
        }
    }

    [Fact]
    public void A_plot_of_a_cycle_marks_its_strokes_in_degrees()
    {
        var plot = Plot.OfCycle(340, 180, (0, 1), "<bar>");
        var drawn = XDocument.Parse($"<svg>{plot.Axes()}</svg>");
        var words = drawn.Descendants("text").Select(t => t.Value).ToList();
        Assert.All(["0°", "180°", "360°", "540°", "720°", "<bar>"], word => Assert.Contains(word, words));
        Assert.DoesNotContain(XDocument.Parse($"<svg>{plot.Axes(numbersBelow: false)}</svg>").Descendants("text"), t => t.Value == "360°");
        var points = Plot.ByDegree([.. Enumerable.Range(0, 720).Select(i => (float)i)]).ToList();
        Assert.Equal(360, points.Count);
        Assert.All(points, p => Assert.Equal(p.X - 0.5, p.Y!.Value, 6));
    }

    [Fact]
    public void A_picture_holds_any_text_and_is_well_formed()
    {
        var picture = Svg.Document(100, 50)
            .With(Svg.Text(1, 2, "<script>&\"'", "end"), Svg.Figure(3, 4, "0.5", "middle"), Svg.Path("M0 0L1 1", Palette.Grid));
        var read = XDocument.Parse(picture.ToString());
        Assert.Contains(read.Descendants(), e => e.Name.LocalName == "text" && e.Value == "<script>&\"'");
        Assert.DoesNotContain(read.Descendants(), e => e.Name.LocalName == "script");
        Assert.Equal("0 0 100 50", read.Root!.Attribute("viewBox")!.Value);
    }

    [Fact]
    public void Coordinates_are_written_short() =>
        Assert.Equal(["0", "1.5", "-3", "1200.1"], ((double[])[0, 1.5, -3, 1200.1234]).Select(Svg.Coordinate));

    [Fact]
    public void The_wheel_shows_the_newest_reading_that_has_one()
    {
        var engine = EngineCatalogue.Orsa;
        var compression = new RelativeCompressionResult
        {
            Reading = "relative-compression",
            Verdict = "uneven",
            Positions = [new(1, 1, 100, 1), new(2, 3, 70, 1), new(3, 4, 101, 1), new(4, 2, 99, 1)],
            Low = [new(2, 3, 70)],
        };
        var unusable = compression with { Verdict = Verdict.UnusableWord, Positions = [] };
        var wheel = FiringWheel.Of(engine, (ReadingResult[])[compression, unusable]);
        Assert.Equal(["1", "3", "4", "2"], wheel.Spokes.Select(s => s.Label));
        Assert.Equal([false, true, false, false], wheel.Spokes.Select(s => s.Odd));
        Assert.Equal(engine.Angles(), wheel.Spokes.Select(s => s.Degrees));
        var bare = FiringWheel.Of(engine, (ReadingResult[])[]);
        Assert.All(bare.Spokes, s => Assert.Null(s.Percent));
        Assert.Equal(4, bare.Spokes.Count);
    }

    [Theory]
    [InlineData(Tone.Fine, "fine")]
    [InlineData(Tone.Watch, "watch")]
    [InlineData(Tone.Fault, "stamp")]
    [InlineData(Tone.Unusable, "grey")]
    public void Every_tone_has_its_style(Tone tone, string style) => Assert.Equal(style, new Verdict("w", tone, "said").Style());

    [Theory]
    [InlineData(0, "0")]
    [InlineData(12.3456789, "12.346")]
    [InlineData(-0.001, "−0.0010000")]
    [InlineData(1e9, "1e9")]
    public void Figures_have_five_digits_that_count(double value, string text) => Assert.Equal(text, Figures.Digits(value));

    /// <summary>Numbers of rows below, at and far above the stretches kept.</summary>
    [Theory]
    [InlineData(3)]
    [InlineData(480)]
    [InlineData(481)]
    [InlineData(1_000_003)]
    public void A_sketch_keeps_every_extreme_however_long_the_file_is(int rows)
    {
        var sketch = new TraceSketch();
        sketch.Begin([new ChannelInfo("A", "V", 0), new ChannelInfo("B", "V", 0)], 1, 0);
        var block = new SampleBlock(1, 2, 1000);
        for (var at = 0; at < rows; at += block.Count)
        {
            block.Count = Math.Min(1000, rows - at);
            for (var i = 0; i < block.Count; i++)
            {
                // A spike on the last row, the rest a slow ramp; the second column has no value at all.
                block.Values[0][i] = at + i == rows - 1 ? 900 : (at + i) / (float)rows;
                block.Values[1][i] = float.NaN;
            }

            sketch.Append(block);
        }

        var (a, b) = (sketch.Columns[0], sketch.Columns[1]);
        Assert.Equal((0f, 900f), a.Range!.Value);
        Assert.Equal(900f, a.Most[^1]);
        Assert.InRange(a.Least.Count, Math.Min(rows, 240), 480);
        Assert.Equal(a.Least.SkipLast(1).Order(), a.Least.SkipLast(1));
        Assert.Null(b.Range);
    }
}
