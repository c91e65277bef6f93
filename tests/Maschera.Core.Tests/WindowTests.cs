using Maschera.Core.Quantities;
using Maschera.Core.Readings;
using Maschera.Core.Readings.Window;
using Maschera.Core.Signals;

namespace Maschera.Core.Tests;

/// <summary>A value in a window that moves with another: idle speed while the coolant warms up, made with a known fault.</summary>
public class WindowTests
{
    private const string Idle = "0 °C: 1050..1250; 60 °C: 800..950; 90 °C: 720..840 rpm";

    [Theory]
    [InlineData("20: 900..1100; 80: 700 ± 30", 2, "", "")]
    [InlineData("20 °C: 900 to 1100; 80 °C: under 730 rpm", 2, "rpm", "°C")]
    [InlineData("80°C:700..760rpm;20°C:900..1100rpm", 2, "rpm", "°C")]
    [InlineData("−20: over 3; 0,5: 2..4; 40: 1 +- 0.2 mm3/st", 3, "mm3/st", "")]
    [InlineData("20: 900..1100", 0, "", "")]
    [InlineData("20: 900..1100; 20: 700..760", 0, "", "")]
    [InlineData("20: 1100..900; 80: 700..760", 0, "", "")]
    [InlineData("cold: 900..1100; 80: 700..760", 0, "", "")]
    [InlineData("60 ± 5", 0, "", "")]
    [InlineData("", 0, "", "")]
    public void A_window_is_read_as_people_write_it(string text, int places, string unit, string other)
    {
        var window = MovingWindow.Parse(text);
        Assert.Equal(places, window?.Places.Count ?? 0);
        if (window is null)
            return;
        Assert.Equal((unit, other), (window.Unit, window.OtherUnit));
        Assert.Equal(window.Said, MovingWindow.Parse(window.Said)!.Said);
    }

    [Fact]
    public void Between_its_places_it_is_a_straight_line_and_beyond_them_nothing()
    {
        var window = MovingWindow.Parse("20: 900..1100; 80: 700..760; 100: under 800")!;
        Assert.Equal(new FigureWindow(800, 930), window.At(50));
        Assert.Equal(new FigureWindow(700, 760), window.At(80));
        Assert.Equal(new FigureWindow(null, 780), window.At(90));
        Assert.Contains("930", $"{window.At(50)}", StringComparison.Ordinal);
        Assert.Null(window.At(19.9));
        Assert.Null(window.At(100.1));
        Assert.Null(window.At(double.NaN));
    }

    public static TheoryData<string, double, double> Faults =>
        new()
        {
            { "inside", 0, 0 },
            { "above", 180, 55 },
            { "above", 200, 20 },
            { "below", -190, 70 },
            { "below", -250, 30 },
        };

    [Theory]
    [MemberData(nameof(Faults))]
    public void It_says_which_way_the_value_leaves_and_at_what_the_other_stood(string verdict, double off, double at)
    {
        for (var seed = 1; seed <= 8; seed++)
        {
            var result = Read(WarmingUp(seed, off, at), ("window", Idle));
            Assert.Equal(verdict, result.Verdict);
            Assert.Equal(100, result.KnownPercent!.Value, 1.0);
            if (off == 0)
            {
                Assert.Empty(result.Breaches);
                continue;
            }

            var worst = result.Breaches.MaxBy(b => Math.Abs(b.Worst))!;
            Assert.InRange(worst.Other, at - 6, at + 6);
            Assert.Equal(Math.Sign(off), Math.Sign(worst.Worst));
            Assert.Contains("°C", result.Sentence, StringComparison.Ordinal);
        }
    }

    [Fact]
    public void Units_start_time_and_rate_change_nothing()
    {
        var plain = Read(WarmingUp(3, 200, 40), ("window", Idle));
        var capture = WarmingUp(3, 200, 40);
        var other = capture.Channels.Select(c =>
            c.Unit == "°C"
                ? c with
                {
                    Unit = "°F",
                    Samples = [.. c.Samples.Select(v => 32 + 1.8f * v)],
                    Time = TimeAxis.Uniform(500, c.Time.Step, c.Samples.Length),
                }
                : c with
                {
                    Time = TimeAxis.Uniform(500, c.Time.Step, c.Samples.Length),
                }
        );
        var told = Read(new Capture("f", [.. other], []), ("window", Idle));
        Assert.Equal(plain.Verdict, told.Verdict);
        Assert.Equal(plain.OutsidePercent!.Value, told.OutsidePercent!.Value, 0.5);
        Assert.Equal(plain.Worst!.Value, told.Worst!.Value, 1.0);
        Assert.Equal(plain.Breaches[0].From + 500, told.Breaches[0].From, 0.3);
        var coarse = Read(WarmingUp(3, 200, 40, step: 0.5), ("window", Idle));
        Assert.Equal(plain.Verdict, coarse.Verdict);
        Assert.Equal(plain.OutsidePercent!.Value, coarse.OutsidePercent!.Value, 3.0);
    }

    [Fact]
    public void A_flicker_shorter_than_it_has_to_last_is_no_fault()
    {
        var capture = WarmingUp(5, 0, 0);
        var speed = capture.Channels[0];
        foreach (var i in (int[])[200, 201, 900])
            speed.Samples[i] = 2_000;
        Assert.Equal("inside", Read(capture, ("window", Idle)).Verdict);
        Assert.Equal("above", Read(capture, ("window", Idle), ("for", "0.1")).Verdict);
    }

    [Fact]
    public void Known_good_captures_draw_the_window_and_sound_engines_stay_in_it()
    {
        List<KnownGood> known =
        [
            .. Enumerable.Range(20, 3).Select(s => new KnownGood(WarmingUp(s, 0, 0), new Dictionary<string, string>())),
        ];
        var accused = Enumerable.Range(40, 20).Count(s => ReadAgainst(WarmingUp(s, 0, 0), known).Verdict != "inside");
        Assert.Equal(0, accused);
        for (var seed = 60; seed < 70; seed++)
        {
            var faulty = ReadAgainst(WarmingUp(seed, 220, 50), known);
            Assert.Equal("above", faulty.Verdict);
            Assert.Contains(faulty.Notes, n => n.Code == "drawn" && n.Text.Contains("3 known-good captures", StringComparison.Ordinal));
        }
    }

    [Fact]
    public void A_window_of_one_known_good_capture_says_so()
    {
        var result = ReadAgainst(WarmingUp(1, 0, 0), [new(WarmingUp(2, 0, 0), new Dictionary<string, string>())]);
        Assert.Contains(result.Notes, n => n.Text.Contains("a single known-good capture", StringComparison.Ordinal));
    }

    [Theory]
    [InlineData("no-window", "")]
    [InlineData("elsewhere", "200 °C: 1..2; 300 °C: 1..2 rpm")]
    [InlineData("unit", "0 °C: 1..2; 90 °C: 1..2 bar")]
    public void What_cannot_be_judged_is_refused_with_what_to_do(string code, string window)
    {
        var result = window.Length == 0 ? Read(WarmingUp(1, 0, 0)) : Read(WarmingUp(1, 0, 0), ("window", window));
        Assert.True(result.IsUnusable);
        Assert.Contains(result.Notes, n => n.Code == code);
    }

    [Fact]
    public void A_window_known_only_in_part_judges_that_part_and_says_so()
    {
        var result = Read(WarmingUp(1, 200, 20), ("window", "50 °C: 840..1000; 90 °C: 720..840 rpm"));
        Assert.Equal("inside", result.Verdict);
        Assert.Contains(result.Notes, n => n.Code == "partly");
        Assert.InRange(result.KnownPercent!.Value, 60, 88);
    }

    [Fact]
    public void Words_that_are_no_window_are_refused_with_the_right_form()
    {
        var refused = Assert.Throws<ReadingException>(() => Read(WarmingUp(1, 0, 0), ("window", "about 800")));
        Assert.Contains(MovingWindow.Form, refused.Message, StringComparison.Ordinal);
    }

    /// <summary>
    /// Four minutes from 5 to 88 °C, the speed in the middle of its window with noise; within 8 °C of <paramref name="at"/> it is
    /// <paramref name="off"/> rpm away.
    /// </summary>
    private static Capture WarmingUp(int seed, double off, double at, double step = 0.1)
    {
        var random = new Random(seed);
        var window = MovingWindow.Parse(Idle)!;
        var count = (int)(240 / step);
        double CoolantAt(int i) => 5 + 83 * (1 - Math.Exp(-3.0 * i / count)) / (1 - Math.Exp(-3));
        var coolant = OneChannel("Coolant temperature", "°C", step, count, i => Math.Round(CoolantAt(i), 1));
        var speed = OneChannel(
            "Engine speed",
            "rpm",
            step,
            count,
            i =>
                window.At(CoolantAt(i))!.Value.Middle!.Value
                + 12 * (random.NextDouble() + random.NextDouble() - 1)
                + (off != 0 && Math.Abs(CoolantAt(i) - at) < 5 ? off : 0)
        );
        return new Capture("warming.csv", [speed, coolant], []);
    }

    private static Channel OneChannel(string name, string unit, double step, int count, Func<int, double> value) =>
        new(name, unit, TimeAxis.Uniform(0, step, count), [.. Enumerable.Range(0, count).Select(i => (float)value(i))]);

    private static readonly Dictionary<string, string> s_pair = new() { ["value"] = "Engine speed", ["other"] = "Coolant temperature" };

    private static WindowResult Read(Capture capture, params (string Name, string Value)[] options) =>
        (WindowResult)
            new WindowReading().Read(
                new ReadingRequest(capture) { Channels = s_pair, Options = options.ToDictionary(o => o.Name, o => o.Value) }
            );

    private static WindowResult ReadAgainst(Capture capture, List<KnownGood> known) =>
        (WindowResult)
            new WindowReading().Read(
                new ReadingRequest(capture)
                {
                    Channels = s_pair,
                    Reference = known[0].Capture,
                    ReferenceChannels = known[0].Channels,
                    MoreReferences = [.. known.Skip(1)],
                }
            );
}
