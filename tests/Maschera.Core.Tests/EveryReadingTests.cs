using System.Text.Json;
using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Signals;
using Maschera.Rig;

namespace Maschera.Core.Tests;

/// <summary>What every reading has to stand: nothing, one sample, no value at all, gaps, no engine; and its way through JSON.</summary>
public class EveryReadingTests
{
    private static readonly Engine s_engine = EngineCatalogue.Orsa;
    private static readonly Lazy<IReadOnlyList<Capture>> s_real = new(Real);

    public static TheoryData<string> Kinds => [.. ReadingRegistry.All.Select(r => r.Kind)];

    [Theory]
    [MemberData(nameof(Kinds))]
    public void It_says_everything_about_itself(string kind)
    {
        var reading = ReadingRegistry.Find(kind)!;
        Assert.Equal(reading, ReadingRegistry.Find(reading.Kind));
        Assert.Matches("^[a-z-]+$", reading.Kind);
        Assert.NotEmpty(reading.Title);
        Assert.Equal(2, reading.Method.Split('\n').Length);
        Assert.True(Enum.IsDefined(reading.Step));
        Assert.Contains(Verdict.Unusable, reading.Verdicts);
        Assert.True(reading.Verdicts.Count > 1);
        Assert.All(reading.Verdicts, v => Assert.DoesNotContain('-', v.Said));
        Assert.Equal(reading.Verdicts.Count, reading.Verdicts.Select(v => v.Word).Distinct().Count());
        Assert.Equal(reading.Verdicts.Count, reading.Verdicts.Select(v => v.Said).Distinct().Count());
        Assert.Equal(reading.Roles.Count, reading.Roles.Select(r => r.Name).Distinct().Count());
        Assert.All(reading.Options, o => Assert.NotEmpty(o.Label));
        Assert.All(reading.Options.Where(o => o.Type == OptionType.Choice), o => Assert.NotEmpty(o.Choices));
        Assert.All(reading.ReferenceRoles, role => Assert.Contains(reading.Roles, r => r.Name == role));
        Assert.True(typeof(ReadingResult).IsAssignableFrom(reading.ResultJson.Type));
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public void Without_an_engine_it_says_that_it_needs_one_or_goes_on(string kind)
    {
        var reading = ReadingRegistry.Find(kind)!;
        foreach (var capture in s_real.Value)
        {
            if (reading.NeedsEngine)
                Assert.Contains("needs an engine", Refused(reading, capture, null), StringComparison.Ordinal);
            else
                Whole(reading, reading.Read(new ReadingRequest(capture)));
        }
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public void Nothing_and_next_to_nothing_are_unusable(string kind)
    {
        var reading = ReadingRegistry.Find(kind)!;
        foreach (var count in (int[])[0, 1, 2, 3])
        foreach (var value in (float[])[0, 1, float.NaN])
        {
            var result = reading.Read(Request(reading, Flat(reading, count, value)));
            Assert.True(result.IsUnusable, $"{kind} makes '{result.Verdict}' of {count} samples of {value}.");
            Whole(reading, result);
        }

        Whole(reading, reading.Read(Request(reading, new Capture("empty", [], []))));
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public void A_long_capture_without_a_value_is_unusable(string kind)
    {
        var reading = ReadingRegistry.Find(kind)!;
        foreach (var value in (float[])[float.NaN, 0, 5])
        {
            var result = reading.Read(Request(reading, Flat(reading, 60_000, value)));
            Whole(reading, result);
            // A value that stands still is a value: a log of it may well be even or followed.
            if (float.IsNaN(value))
                Assert.True(result.IsUnusable, $"{kind} makes '{result.Verdict}' of no value at all.");
        }
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public void Real_captures_with_gaps_give_a_result_without_a_number_that_is_none(string kind)
    {
        var reading = ReadingRegistry.Find(kind)!;
        foreach (var capture in s_real.Value)
        foreach (var (from, to) in ((double, double)[])[(0, 0), (0.3, 0.34), (0.5, 0.9), (0, 0.2), (0.85, 1)])
        foreach (var every in (bool[])[true, false])
            Whole(reading, reading.Read(Request(reading, Gapped(capture, from, to, every))));
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public void A_wrong_option_or_role_is_refused_in_one_line(string kind)
    {
        var reading = ReadingRegistry.Find(kind)!;
        var capture = s_real.Value[0];
        foreach (var option in reading.Options.Where(o => o.Type != OptionType.Words))
        {
            var request = Request(reading, capture) with { Options = new Dictionary<string, string> { [option.Name] = "a;b" } };
            var why = Assert.Throws<ReadingException>(() => reading.Read(request)).Message;
            Assert.Contains("--" + option.Name, why, StringComparison.Ordinal);
            Assert.DoesNotContain('\n', why);
        }

        if (reading.Roles.Count == 0)
            return;
        var wrong = Request(reading, capture) with
        {
            Channels = new Dictionary<string, string> { ["no-such-role"] = capture.Channels[0].Name },
        };
        Assert.Throws<ReadingException>(() => reading.Read(wrong));
        var missing = Request(reading, capture) with
        {
            Channels = new Dictionary<string, string> { [reading.Roles[0].Name] = "No such column" },
        };
        Assert.Contains("No such column", Assert.Throws<ReadingException>(() => reading.Read(missing)).Message, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("0,5", 0.5)]
    [InlineData("0.5", 0.5)]
    [InlineData(" 12 ", 12)]
    [InlineData("−3", -3)]
    [InlineData("1e3", 1000)]
    public void Numbers_are_read_with_comma_or_point(string text, double expected)
    {
        var request = new ReadingRequest(new Capture("c", [], [])) { Options = new Dictionary<string, string> { ["limit"] = text } };
        Assert.Equal(expected, request.Number("limit", 7));
        Assert.Equal(7, request.Number("other", 7));
    }

    [Theory]
    [InlineData("1,000.5")]
    [InlineData("1.000,5")]
    [InlineData("1 000")]
    [InlineData("five")]
    [InlineData("")]
    [InlineData("NaN")]
    [InlineData("∞")]
    public void What_is_no_number_is_refused(string text)
    {
        var request = new ReadingRequest(new Capture("c", [], [])) { Options = new Dictionary<string, string> { ["limit"] = text } };
        Assert.Throws<ReadingException>(() => request.Number("limit", 7));
        Assert.Throws<ReadingException>(() => request.WholeNumber("limit", 7));
    }

    /// <summary>The result is whole: a verdict of the list, a sentence, a reason where it is unusable, and JSON both ways.</summary>
    private static void Whole(IReading reading, ReadingResult result)
    {
        Assert.Contains(reading.Verdicts, v => v.Word == result.Verdict);
        Assert.Equal((reading.Kind, reading.Method), (result.Reading, result.Method));
        Assert.NotEmpty(result.Sentence);
        if (result.IsUnusable)
            Assert.NotEmpty(result.Notes);
        // Strict JSON refuses a number that is none.
        var json = JsonSerializer.Serialize(result, reading.ResultJson);
        var back = JsonSerializer.Deserialize(json, reading.ResultJson)!;
        Assert.Equal(json, JsonSerializer.Serialize(back, reading.ResultJson));
        Assert.DoesNotContain("NaN", json, StringComparison.Ordinal);
        Assert.DoesNotContain("∞", json, StringComparison.Ordinal);
        Assert.All(PlainFigures.Of(result), f => Assert.True(f.Value is not { } v || double.IsFinite(v), f.Name));
        result.OnWheel(s_engine);
        Assert.All(result.Ledger, e => Assert.True(double.IsFinite(e.Value)));
    }

    private static string Refused(IReading reading, Capture capture, Engine? engine) =>
        Assert.Throws<ReadingException>(() => reading.Read(new ReadingRequest(capture) { Engine = engine })).Message;

    private static ReadingRequest Request(IReading reading, Capture capture) =>
        new(capture)
        {
            Engine = s_engine,
            Channels = reading
                .Roles.Select(role => (role.Name, capture.Channels.FirstOrDefault(c => RoleGuess.Of(c.Name, c.Unit) == role.Name)))
                .Where(pair => pair.Item2 is not null)
                .ToDictionary(pair => pair.Name, pair => pair.Item2!.Name),
        };

    /// <summary>A channel for each of the reading's roles, all of one value.</summary>
    private static Capture Flat(IReading reading, int count, float value) =>
        new(
            "flat",
            [
                .. (reading.Roles.Count > 0 ? reading.Roles.Select(r => r.Label) : ["A", "B"])
                    .Take(6)
                    .Select(name => new Channel(name, "V", TimeAxis.Uniform(0, 1e-4, count), [.. Enumerable.Repeat(value, count)])),
            ],
            []
        );

    /// <summary>Without values from one share of the capture to another, on every channel or on the first alone.</summary>
    private static Capture Gapped(Capture capture, double from, double to, bool every) =>
        capture with
        {
            Channels =
            [
                .. capture.Channels.Select(
                    (c, n) =>
                        !every && n > 0
                            ? c
                            : c with
                            {
                                Samples =
                                [
                                    .. c.Samples.Select(
                                        (v, i) => i >= from * c.Samples.Length && i < to * c.Samples.Length ? float.NaN : v
                                    ),
                                ],
                            }
                ),
            ],
            Name = $"{capture.Name} without {from} to {to}",
        };

    private static IReadOnlyList<Capture> Real() =>
        [
            CrankingRun
                .Record(
                    new CrankingPlan(s_engine)
                    {
                        SyncCylinder = 1,
                        CrankSensor = true,
                        Rate = 5_000,
                        Cranking = 3,
                    }
                )
                .Capture,
            RunningRun
                .Record(
                    new RunningPlan(s_engine)
                    {
                        SpeedRpm = 800,
                        Seconds = 3,
                        Rate = 25_000,
                    }
                )
                .Capture,
            BreathingRun
                .Record(
                    new BreathingPlan(s_engine)
                    {
                        Measured = 1,
                        PickUps = true,
                        CrankSensor = true,
                        Seconds = 3,
                        SpeedRpm = 800,
                    }
                )
                .Capture,
            DriveLog.Record(new DrivePlan(s_engine)),
        ];
}
