using System.Globalization;
using CsCheck;
using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Readings.Tracking;
using Maschera.Core.Signals;
using Maschera.Core.Timing;
using Maschera.Rig;

namespace Maschera.Core.Tests;

/// <summary>Typed numbers, options, plain figures, folding with gaps, and an uneven engine's pressure.</summary>
public class BasicsTests
{
    [Fact]
    public void Any_number_comes_back_with_point_and_with_comma() =>
        Gen.Double[-1e9, 1e9]
            .Sample(number =>
            {
                var text = number.ToString("R", CultureInfo.InvariantCulture);
                Assert.Equal(number, TypedNumber.Parse(text));
                Assert.Equal(number, TypedNumber.Parse(text.Replace('.', ',')));
                Assert.Equal(number, TypedNumber.Parse($"  {text.Replace('-', '−')} "));
            });

    [Fact]
    public void Numbers_with_marks_between_thousands_are_none() =>
        Gen.Int[1_000, 999_999_999]
            .Sample(number =>
            {
                Assert.Null(TypedNumber.Parse(number.ToString("N2", CultureInfo.InvariantCulture)));
                Assert.Null(TypedNumber.ParseWhole(number.ToString("N0", CultureInfo.InvariantCulture)));
                Assert.Equal(number, TypedNumber.ParseWhole(number.ToString(CultureInfo.InvariantCulture)));
            });

    [Theory]
    [InlineData(OptionType.Number, "1,5", true)]
    [InlineData(OptionType.Number, "x", false)]
    [InlineData(OptionType.WholeNumber, "3", true)]
    [InlineData(OptionType.WholeNumber, "3.5", false)]
    [InlineData(OptionType.Choice, "b", true)]
    [InlineData(OptionType.Choice, "c", false)]
    [InlineData(OptionType.NumberOrChoice, "b", true)]
    [InlineData(OptionType.NumberOrChoice, "-0,1", true)]
    [InlineData(OptionType.NumberOrChoice, "c", false)]
    [InlineData(OptionType.NumberOrPercent, "5%", true)]
    [InlineData(OptionType.NumberOrPercent, "0,1", true)]
    [InlineData(OptionType.NumberOrPercent, "%", false)]
    [InlineData(OptionType.Words, "1,3,4,2", true)]
    public void An_option_takes_what_it_says(OptionType type, string text, bool fits)
    {
        var option = new ReadingOption("o", "O", type) { Choices = [("a", "A"), ("b", "B")] };
        Assert.Equal(fits, option.Problem(text) is null);
        if (!fits)
            Assert.Contains("--o", option.Problem(text), StringComparison.Ordinal);
    }

    [Fact]
    public void A_result_that_names_no_figures_shows_its_numbers_by_their_names()
    {
        var figures = PlainFigures.Of(
            new Made
            {
                SpeedRpm = 812.5,
                DropPercent = null,
                TimeToFirstPulseMilliseconds = 3,
                Pulses = 7,
            }
        );
        Assert.Equal(
            [("Speed", 812.5, "rpm"), ("Drop", null, "%"), ("Time to first pulse", 3, "ms"), ("Pulses", 7, "")],
            figures.Select(f => (f.Name, f.Value, f.Unit))
        );
        Assert.Equal("Inside the band", PlainFigures.Of(new TrackingResult())[0].Name);
    }

    private sealed record Made : ReadingResult
    {
        public double? SpeedRpm { get; init; }
        public double? DropPercent { get; init; }
        public double TimeToFirstPulseMilliseconds { get; init; }
        public int Pulses { get; init; }
        public string Word { get; init; } = "not a figure";
    }

    [Fact]
    public void A_verdict_a_reading_does_not_know_is_shown_by_its_word()
    {
        var reading = ReadingRegistry.All[0];
        Assert.Equal(new Verdict("strange", Tone.Fault, "strange"), reading.VerdictOf("strange"));
        Assert.Equal(Tone.Unusable, reading.VerdictOf(Verdict.UnusableWord).Tone);
    }

    [Fact]
    public void Cycles_with_a_long_gap_are_left_out_of_a_fold_and_short_ones_are_bridged()
    {
        var run = RunningRun
            .Record(
                new RunningPlan(EngineCatalogue.Orsa)
                {
                    SpeedRpm = 800,
                    Seconds = 3,
                    Rate = 20_000,
                }
            )
            .Capture;
        var clock = AngleClock.Make(run.Find("Crank sensor")!, EngineCatalogue.Orsa).Clock!;
        var time = run.Channels[0].Time;
        Channel Wave(Func<double, bool> missing) =>
            new(
                "W",
                "V",
                time,
                [
                    .. Enumerable
                        .Range(0, time.Count)
                        .Select(i => missing(time[i]) ? float.NaN : (float)Math.Sin(clock.At(time[i]) * Math.PI / 360)),
                ]
            );
        var whole = CycleFold.Of(Wave(_ => false), clock, 0)!;
        var cut = CycleFold.Of(Wave(t => t is > 1.0 and < 1.2), clock, 0)!;
        var pricked = CycleFold.Of(Wave(t => t % 0.01 < 0.0002), clock, 0)!;
        Assert.All(Enumerable.Range(0, 720), d => Assert.Equal(Math.Sin((d + 0.5) * Math.PI / 360), whole.Mean[d], 0.01));
        Assert.All(Enumerable.Range(0, 720), d => Assert.Equal(whole.Mean[d], pricked.Mean[d], 0.01));
        Assert.All(Enumerable.Range(0, 720).Where(d => float.IsFinite(cut.Mean[d])), d => Assert.Equal(whole.Mean[d], cut.Mean[d], 0.01));
    }

    [Theory]
    [InlineData(false, true)]
    [InlineData(true, false)]
    public void Without_a_crank_sensor_an_uneven_engine_asks_which_cylinder_it_is(bool said, bool asks)
    {
        var uneven = EngineCatalogue.Tasso with { FiringAngles = [0, 90, 240, 330, 480, 570] };
        var capture = BreathingRun
            .Record(
                new BreathingPlan(uneven)
                {
                    Measured = uneven.FiringOrder[2],
                    SpeedRpm = 850,
                    Seconds = 4,
                    Seed = 5,
                }
            )
            .Capture;
        var request = new ReadingRequest(capture with { Channels = [capture.Find("Cylinder pressure")!] })
        {
            Engine = uneven,
            Options = said
                ? new Dictionary<string, string> { ["cylinder"] = $"{uneven.FiringOrder[2]}" }
                : new Dictionary<string, string>(),
        };
        var result = ReadingRegistry.Find("cylinder-pressure")!.Read(request);
        Assert.Equal(asks, result.Notes.Any(n => n.Code == "neighbours-unknown"));
        if (said)
            Assert.Equal("normal", result.Verdict);
    }
}
