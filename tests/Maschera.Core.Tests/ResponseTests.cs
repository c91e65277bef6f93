using Maschera.Core.Readings;
using Maschera.Core.Readings.Response;
using Maschera.Core.Signals;
using Maschera.Rig.Road;

namespace Maschera.Core.Tests;

/// <summary>Commands that move something, and commands that do not, in made-up logs.</summary>
public class ResponseTests
{
    public static TheoryData<int> Seeds => [.. Enumerable.Range(1, 12)];

    [Theory]
    [MemberData(nameof(Seeds))]
    public void A_valve_that_moves_the_pressure_is_seen_with_change_and_delay(int seed)
    {
        var test = new CommandedValve(seed) { Change = -0.6 + 0.1 * (seed % 3), Delay = 0.3 + 0.2 * (seed % 4) };
        var result = Read(test.Log());
        Assert.True(result.Verdict == "responds", result.Sentence);
        Assert.Equal(test.Trials.Count, result.Trials.Count);
        Assert.InRange(result.Change!.Value / test.Change, 0.9, 1.1);
        Assert.InRange(result.DelaySeconds!.Value - test.StartsAfter, -0.2, 0.2);
        Assert.InRange(result.ChangePercent!.Value / (100 * test.Change / 2.5), 0.85, 1.15);
        for (var i = 0; i < test.Trials.Count; i++)
            Assert.InRange(result.Trials[i].From - test.Trials[i].From, -0.2, 0.2);
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void A_dead_one_is_told_beside_another_that_works(int seed)
    {
        var capture = new CommandedValve(seed) { Change = 0, OtherChange = 0.9 }.Log();
        var result = Read(capture);
        Assert.True(result.Verdict == "no-response", result.Sentence);
        Assert.True(Math.Abs(result.Change!.Value) < 4 * 0.02, $"{result.Change}");
        Assert.True(Read(capture, "Other valve").Verdict == "responds", Read(capture, "Other valve").Sentence);
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Hunting_and_drift_are_not_taken_for_a_response(int seed)
    {
        var result = Read(
            new CommandedValve(seed)
            {
                Change = 0,
                Hunting = 0.15,
                Drift = 0.004,
            }.Log()
        );
        Assert.True(result.Verdict is "no-response" or "unusable", result.Sentence);
        var moved = Read(
            new CommandedValve(seed)
            {
                Change = 1.2,
                Hunting = 0.08,
                Drift = 0.004,
            }.Log()
        );
        Assert.True(moved.Verdict == "responds", moved.Sentence);
        Assert.InRange(moved.Change!.Value, 1.05, 1.35);
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Some_trials_only_is_intermittent(int seed)
    {
        var result = Read(
            new CommandedValve(seed)
            {
                Change = 0.8,
                Count = 5,
                Silent = [1, 3],
            }.Log()
        );
        Assert.True(result.Verdict == "intermittent", result.Sentence);
        Assert.Equal([true, false, true, false, true], result.Trials.Select(t => t.Responds));
        Assert.InRange(result.Change!.Value, 0.72, 0.88);
    }

    [Theory]
    [InlineData("rise", 0.7, "responds")]
    [InlineData("rise", -0.7, "wrong-way")]
    [InlineData("fall", 0.7, "wrong-way")]
    [InlineData("fall", -0.7, "responds")]
    public void What_it_should_do_can_be_said(string expect, double change, string verdict) =>
        Assert.Equal(verdict, Read(new CommandedValve(3) { Change = change }.Log(), options: ("expect", expect)).Verdict);

    [Theory]
    [MemberData(nameof(Seeds))]
    public void A_drive_that_ends_by_itself_is_the_module_giving_up_and_a_held_one_is_not(int seed)
    {
        var ends = Read(new CommandedValve(seed) { Change = 0, Drive = t => t < 0.6 ? 3.0 : 0 }.Log());
        Assert.True(ends.Verdict == "gives-up", ends.Sentence);
        Assert.All(ends.Trials, t => Assert.InRange(t.DriveSeconds!.Value, 0.35, 0.9));
        var held = Read(new CommandedValve(seed) { Change = 0.7, Drive = t => t < 0.4 ? 3.0 : 0.9 }.Log());
        Assert.True(held.Verdict == "responds", held.Sentence);
        Assert.All(held.Trials, t => Assert.InRange(t.DriveSeconds!.Value - (t.To - t.From), -0.35, 0.35));
        var none = Read(new CommandedValve(seed) { Change = 0, Drive = _ => 0 }.Log());
        Assert.True(none.Verdict == "no-response" && none.Sentence.Contains("no drive", StringComparison.Ordinal), none.Sentence);
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void A_change_that_stays_counts_every_edge(int seed)
    {
        var test = new CommandedValve(seed)
        {
            Change = 0.8,
            Count = 4,
            Lasting = true,
        };
        var result = Read(test.Log());
        Assert.True(result.Verdict == "responds", result.Sentence);
        Assert.All(test.Trials, wanted => Assert.Contains(result.Trials, t => Math.Abs(t.From - wanted.From) < 0.25));
        Assert.InRange(result.Change!.Value, 0.68, 0.92);
    }

    /// <summary>Little of the log is without a trial, and what there is swells slowly.</summary>
    [Theory]
    [MemberData(nameof(Seeds))]
    public void Trials_that_move_it_alike_are_no_accident_of_a_restless_log(int seed)
    {
        var moved = Read(Short(seed, 0.9).Log());
        Assert.True(moved.Verdict == "responds", moved.Sentence);
        Assert.InRange(moved.Change!.Value, 0.75, 1.05);
        var dead = Read(Short(seed, 0).Log());
        Assert.True(dead.Verdict is "no-response" or "unusable", dead.Sentence);
    }

    private static CommandedValve Short(int seed, double change) =>
        new(seed)
        {
            Change = change,
            Count = 5,
            Lead = 9,
            Pause = 7,
            Swell = 0.12,
        };

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Another_valve_tried_in_between_is_not_its_own_movement(int seed)
    {
        var test = new CommandedValve(seed)
        {
            Change = 0.6,
            OtherChange = -1,
            Lead = 20,
            InTurn = true,
        };
        var result = Read(test.Log());
        Assert.True(result.Verdict == "responds", result.Sentence);
        Assert.InRange(result.Change!.Value, 0.5, 0.7);
        Assert.True(result.OwnMovement < 0.1, $"{result.OwnMovement}");
    }

    [Fact]
    public void One_striking_trial_in_too_little_rest_is_left_open()
    {
        var open = Enumerable
            .Range(1, 40)
            .Select(seed => new CommandedValve(seed)
            {
                Change = 0.9,
                Count = 4,
                Lead = 9,
                Pause = 7,
                Swell = 0.12,
                Silent = [0, 1, 3],
            })
            .Select(test => Read(test.Log()))
            .ToList();
        Assert.DoesNotContain(open, r => r.Verdict is "responds" or "no-response");
        Assert.Contains(open, r => r.Verdict == "unusable" && r.Notes.Any(n => n.Code == "little-quiet"));
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void A_module_that_gives_up_is_told_on_an_engine_that_hunts(int seed)
    {
        var result = Read(
            new CommandedValve(seed)
            {
                Change = 0,
                Hunting = 2.4,
                Swell = 2,
                Drive = t => t < 0.6 ? 3.0 : 0,
            }.Log()
        );
        Assert.True(result.Verdict == "gives-up", result.Sentence);
    }

    [Fact]
    public void Once_is_chance_and_never_is_nothing()
    {
        Assert.Contains(Read(new CommandedValve(1) { Change = 1, Count = 1 }.Log()).Notes, n => n.Code == "one-trial");
        Assert.Contains(Read(new CommandedValve(1) { Change = 1, Count = 0 }.Log()).Notes, n => n.Code == "no-trial");
    }

    [Fact]
    public void A_command_in_words_and_one_of_pulses_are_commands_like_any_other()
    {
        var test = new CommandedValve(5) { Change = 0.7 };
        var capture = test.Log();
        var command = capture.Channels[0];
        var words = command with { Words = ["Off", "On"], Unit = "", Samples = [.. command.Samples.Select(v => v > 20 ? 1f : 0f)] };
        var result = Read(capture with { Channels = [words, .. capture.Channels.Skip(1)] });
        Assert.Equal("responds", result.Verdict);
        Assert.Equal(test.Trials.Count, result.Trials.Count);
        var pulses = Enumerable.Range(0, (int)(command.Time.End * 1000)).Select(i => test.IsOn(i / 1000.0) && i % 10 < 6 ? 12f : 0.1f);
        var wire = new Channel("Module output", "V", TimeAxis.Uniform(0, 0.001, (int)(command.Time.End * 1000)), [.. pulses]);
        result = Read(capture with { Channels = [wire, .. capture.Channels.Skip(1)] }, "Module output");
        Assert.Equal("responds", result.Verdict);
        Assert.Equal(test.Trials.Count, result.Trials.Count);
    }

    [Fact]
    public void A_measured_command_that_trembles_is_one_all_the_same()
    {
        var random = new Random(4);
        var log = new CommandedValve(3) { Change = -0.6, OtherChange = 0.9 }.Log();
        var capture = log with
        {
            Channels =
            [
                .. log.Channels.Select(c =>
                    c.Name.EndsWith("valve", StringComparison.Ordinal)
                        ? c with
                        {
                            Samples = Array.ConvertAll(c.Samples, v => v + 0.3f * (random.NextSingle() - 0.5f)),
                            Unit = "%",
                            Words = null,
                        }
                        : c
                ),
            ],
        };
        Assert.Equal(Read(log).OwnMovement!.Value, Read(capture).OwnMovement!.Value, 0.02);
        Assert.Equal("responds", Read(capture).Verdict);
        var guessed = (ResponseResult)new ResponseReading().Read(new ReadingRequest(capture));
        Assert.EndsWith("valve", guessed.Channels["command"], StringComparison.Ordinal);
    }

    [Fact]
    public void Columns_that_share_no_time_and_words_are_no_response()
    {
        var log = new CommandedValve(3).Log();
        var command = log.Find("Bypass valve")!;
        var later = Enumerable.Range(0, command.Time.Count).Select(i => command.Time[i] + 5_000).ToArray();
        var apart = log with { Channels = [log.Find("Oil pressure")!, command with { Time = TimeAxis.FromStamps(later) }] };
        var refused = Read(apart);
        Assert.Equal(("unusable", "apart"), (refused.Verdict, refused.Notes[0].Code));
        Assert.Contains("share no time", refused.Sentence, StringComparison.Ordinal);
        Assert.Contains("'Oil pressure' (", refused.Sentence, StringComparison.Ordinal);

        var told = log.Find("Oil pressure")! with { Words = ["low", "high"] };
        var result = Read(log with { Channels = [command, told] });
        Assert.Equal(("unusable", "words"), (result.Verdict, result.Notes[0].Code));
    }

    private static ResponseResult Read(Capture capture, string command = "Bypass valve", params (string Name, string Value)[] options)
    {
        var channels = new Dictionary<string, string> { ["command"] = command, ["response"] = "Oil pressure" };
        if (capture.Find("Valve current") is not null)
            channels["drive"] = "Valve current";
        return (ResponseResult)
            new ResponseReading().Read(
                new ReadingRequest(capture) { Channels = channels, Options = options.ToDictionary(o => o.Name, o => o.Value) }
            );
    }
}
