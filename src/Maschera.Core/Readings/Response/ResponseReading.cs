using System.Text.Json.Serialization.Metadata;
using System.Text.RegularExpressions;
using Maschera.Core.Basics;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Response;

/// <summary>Whether a command moves anything: which of several actuators does nothing.</summary>
public sealed partial class ResponseReading : ReadingOf<ResponseResult>
{
    private const int LeastTrials = 2;

    /// <summary>Where three times its own movement is more than this share of its level, a response can't be judged.</summary>
    private const double RestlessShare = 0.5;

    public override JsonTypeInfo ResultJson => ResponseJson.Default.ResponseResult;
    public override string Kind => "response";
    public override string Title => "Command and response";

    public override string Method =>
        "A trial is a stretch in which the command leaves its rest: the level over its last two fifths less the level before, drift "
        + "taken out by what stands before and behind.\n"
        + "It responds where that is three times clear of the same difference at places without a trial, in at least three of four "
        + "trials.";

    public override JobStep Step => JobStep.Look;

    public override IReadOnlyList<Verdict> Verdicts { get; } =
    [
        new("responds", Tone.Fine, "responds"),
        new("no-response", Tone.Fault, "moves nothing"),
        new("wrong-way", Tone.Fault, "moves it the wrong way"),
        new("intermittent", Tone.Fault, "responds now and then"),
        new("gives-up", Tone.Fault, "the module gives up"),
        Verdict.Unusable,
    ];

    public override IReadOnlyList<Role> Roles { get; } =
    [new("command", "Command", [], []), new("response", "What it should move", [], []), new("drive", "Drive on the wire", [], [])];

    public override IReadOnlyList<ReadingOption> Options { get; } =
    [new("expect", "It should", OptionType.Choice) { Usual = "move either way", Choices = [("rise", "rise"), ("fall", "fall")] }];

    public override IReadOnlyList<string> ReferenceRoles => [];

    /// <summary>Where a log holds little else than things commanded and the one value they should move: each command on its own.</summary>
    public override IEnumerable<Suggestion> Suggest(CaptureFacts capture)
    {
        var drives = capture.Channels.Where(c => c.Unit == "A").ToList();
        var commands = capture.Channels.Except(drives).Where(c => CommandNames().IsMatch(c.Name)).ToList();
        var moved = capture.Channels.Except(drives).Except(commands).ToList();
        if (!capture.IsLog || capture.Channels.Count > MostForATest || moved.Count != 1 || drives.Count > 1)
            return [];
        return commands.Select(command => new Suggestion(
            new[] { ("command", command), ("response", moved[0]) }
                .Concat(drives.Where(_ => commands.IndexOf(command) == 0).Select(d => ("drive", d)))
                .ToDictionary(c => c.Item1, c => c.Item2.Name),
            OnlyIfUsable: true
        ));
    }

    /// <summary>A log of a test on a scan tool holds no more columns than that.</summary>
    private const int MostForATest = 6;

    [GeneratedRegex("valve|solenoid|actuator|command|output test", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex CommandNames();

    /// <summary>Several commands of one log are a question each.</summary>
    public override string Identity(IReadOnlyDictionary<string, string> channels) => channels.GetValueOrDefault("command", "");

    public override string TitleOf(ReadingResult result) =>
        result.Channels.TryGetValue("command", out var command) ? $"{Title}: {command}" : Title;

    protected override ResponseResult Make(ReadingRequest request, CancellationToken cancel)
    {
        var channels = RoleResolver.Resolve(this, request with { Channels = WithGuesses(request) });
        if (!channels.TryGetValue("command", out var command) || !channels.TryGetValue("response", out var response))
            return Unusable(
                channels,
                new Note("no-pair", "A command and what it should move are needed: --channel command=COLUMN --channel response=COLUMN.")
            );
        if (response.Words is not null)
            return Unusable(
                channels,
                new Note("words", $"'{response.Name}' is told in words: what a command moves has to be a figure. Choose another column.")
            );
        var trials = CommandCourse.Trials(command).Where(t => t.Seconds > 3 * response.Time.Step).ToList();
        if (trials.Count < LeastTrials)
            return Unusable(channels, TooFew(command, trials.Count));
        return Judge(request, channels, trials, response);
    }

    private static Note TooFew(Channel command, int trials) =>
        trials == 0
            ? new("no-trial", $"'{command.Name}' never leaves the value it begins with. Switch it on and off three times while logging.")
            : new(
                "one-trial",
                $"'{command.Name}' is off its resting value only once: that could be chance. Switch it on and off at least three times, "
                    + "five seconds each, with ten seconds between."
            );

    private static readonly Note NoQuietPlace = new(
        "no-quiet-place",
        "There is no stretch without a trial long enough to see how much the response moves by itself. Log half a minute before the "
            + "first trial."
    );

    private static Note LittleQuiet(Channel response) =>
        new(
            "little-quiet",
            $"'{response.Name}' moves with the command, and there is too little of the log without a trial to tell whether it does so "
                + "by itself as well. Log half a minute before the first trial and ten seconds between two."
        );

    private static Note Restless(Channel response, double movement) =>
        new(
            "restless",
            $"'{response.Name}' moves by {movement:0.###} {response.Unit} by itself, too much to see a command in it. Hold the engine "
                + "at a steady idle and switch again."
        );

    private static ResponseResult Judge(
        ReadingRequest request,
        Dictionary<string, Channel> channels,
        List<CommandTrial> trials,
        Channel response
    )
    {
        var own = channels.Values.ToHashSet();
        var others = request.Capture.Channels.Where(c => own.All(o => o.Name != c.Name));
        var busy = CommandCourse.OffRest(others.Select(c => c.Between(request.From ?? double.MinValue, request.To ?? double.MaxValue)));
        var measured = new TrialMeasure(response, trials, [.. busy]);
        if (measured.Clear is not { } clear)
            return Unusable(channels, NoQuietPlace);
        var drive = channels.TryGetValue("drive", out var wire) ? new DriveCourse(wire, trials) : null;
        var responds = clear.Responds();
        if (responds.Contains(true) || (drive?.GivesUp(trials) ?? false))
            return new ResponseMaker(request, channels, trials, measured, responds, drive).Make();
        if (clear.MayMove)
            return Unusable(channels, LittleQuiet(response));
        var level = Statistics.Median(measured.Changes.Select(c => c.Before));
        return clear.AtLeast > RestlessShare * Math.Abs(level)
            ? Unusable(channels, Restless(response, measured.OwnMovement!.Value))
            : new ResponseMaker(request, channels, trials, measured, responds, drive).Make();
    }

    /// <summary>The person's words, and guesses for the roles left out.</summary>
    private static Dictionary<string, string> WithGuesses(ReadingRequest request)
    {
        var named = request.Channels.ToDictionary(c => c.Key, c => c.Value);
        var taken = named.Values.ToHashSet(StringComparer.OrdinalIgnoreCase);
        Guess("command", c => c.Words is not null || CommandCourse.LooksLikeCommand(c), c => CommandCourse.IsNamedCommand(c) ? 0 : 1);
        if (named.ContainsKey("command") && !request.Channels.ContainsKey("response"))
            Guess("drive", c => DriveNames().IsMatch(c.Name) && c.Unit is "A" or "mA" or "V" or "%", _ => 0);
        Guess("response", c => c.Words is null && !SupplyNames().IsMatch(c.Name), c => SpeedUnits().IsMatch(c.Unit) ? 1 : 0);
        return named;

        void Guess(string role, Func<Channel, bool> fits, Func<Channel, int> order)
        {
            if (named.ContainsKey(role))
                return;
            var found = request.Capture.Channels.Where(c => !taken.Contains(c.Name) && fits(c)).OrderBy(order).FirstOrDefault();
            if (found is not null && taken.Add(found.Name))
                named[role] = found.Name;
        }
    }

    [GeneratedRegex("current|drive|wire|pwm|coil|strom|output", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex DriveNames();

    [GeneratedRegex("battery|batterie|supply|ubat|ignition|coolant", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex SupplyNames();

    [GeneratedRegex("^(?:rpm|1/min|km/h|mph)$", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex SpeedUnits();
}
