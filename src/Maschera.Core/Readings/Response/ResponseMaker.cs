using System.Globalization;
using Maschera.Core.Basics;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Response;

/// <summary>Puts the result together from what was measured.</summary>
internal sealed class ResponseMaker(
    ReadingRequest request,
    IReadOnlyDictionary<string, Channel> channels,
    IReadOnlyList<CommandTrial> trials,
    TrialMeasure measured,
    IReadOnlyList<bool> clear,
    DriveCourse? drive
)
{
    /// <summary>The share of the trials that have to respond.</summary>
    public const double Most = 0.75;

    /// <summary>A level below this share of the change gives no percentage.</summary>
    private const double LeastLevel = 1e-3;

    private readonly Channel _command = channels["command"];

    public ResponseResult Make()
    {
        var own = measured.OwnMovement!.Value;
        var driven = trials.Select(t => drive?.SecondsIn(t)).ToList();
        var responding = Enumerable.Range(0, trials.Count).Where(i => clear[i]).ToList();
        var counted = responding.Count > 0 && responding.Count < Most * trials.Count ? responding : [.. Enumerable.Range(0, trials.Count)];
        var changes = counted.Select(Directed).Where(double.IsFinite).ToList();
        var change = Statistics.Median(changes);
        var verdict = VerdictOf(responding.Count, change);
        var delay = verdict is "no-response" ? null : Delay(responding, change);
        var level = Statistics.Median(measured.Changes.Select(c => c.Before));
        return new ResponseResult
        {
            Verdict = verdict,
            Sentence = Sentence(verdict, change, delay, responding.Count, driven),
            Notes = Notes(verdict, driven),
            Channels = RoleResolver.Names(channels),
            Span = new Stretch(measured.Response.Time.Start, measured.Response.Time.End),
            Unit = measured.Response.Unit,
            Change = change,
            ChangeSpread = Statistics.StandardDeviation(changes.ToArray()),
            ChangePercent = Math.Abs(level) > LeastLevel * Math.Abs(change) ? 100 * change / level : null,
            DelaySeconds = delay,
            OwnMovement = own,
            Trials = [.. trials.Select((t, i) => Trial(t, i, driven[i]))],
            Courses =
            [
                .. trials.Select(
                    (t, i) => TrialFold.Course(measured.Response, t.From, measured.Length, measured.Changes[i].Before, clear[i])
                ),
            ],
        };
    }

    /// <summary>The change in the direction in which the command leaves its rest.</summary>
    private double Directed(int trial) => trials[trial].Step * measured.Changes[trial].Change;

    private ResponseTrial Trial(CommandTrial trial, int index, double? drive)
    {
        var (before, change) = measured.Changes[index];
        return new(
            trial.From,
            trial.To,
            double.IsFinite(change) ? change : null,
            clear[index] ? TrialFold.Delay(measured.Response, [(trial.From, before, change)], trial.Seconds) : null,
            clear[index],
            drive
        );
    }

    private double? Delay(List<int> responding, double change)
    {
        var alike = responding.Where(i => Math.Sign(Directed(i)) == Math.Sign(change)).ToList();
        return TrialFold.Delay(
            measured.Response,
            [.. alike.Select(i => (trials[i].From, measured.Changes[i].Before, measured.Changes[i].Change))],
            measured.Length
        );
    }

    private string VerdictOf(int responding, double change)
    {
        if (drive?.GivesUp(trials) ?? false)
            return "gives-up";
        if (responding == 0)
            return "no-response";
        if (responding < Most * trials.Count)
            return "intermittent";
        var wanted = request.Options.GetValueOrDefault("expect") switch
        {
            "rise" => 1,
            "fall" => -1,
            _ => Math.Sign(change),
        };
        return Math.Sign(change) == wanted ? "responds" : "wrong-way";
    }

    private string Sentence(string verdict, double change, double? delay, int responding, List<double?> driven)
    {
        var (command, response) = (_command.Name, measured.Response.Name);
        var moved = $"{(change > 0 ? "rises" : "falls")} by {Figure(Math.Abs(change))} {measured.Response.Unit}".TrimEnd();
        var late = delay is { } seconds ? $", {seconds.ToString("0.0", CultureInfo.InvariantCulture)} s after the command" : "";
        return verdict switch
        {
            "responds" => $"{response} {moved} with {command}{late}, in {responding} of {trials.Count} trials.",
            "wrong-way" => $"{response} {moved} with {command}{late}: the wrong way.",
            "intermittent" => $"{response} answers {command} in only {responding} of {trials.Count} trials; then it {moved}.",
            "gives-up" =>
                $"The drive of {command} starts and ends after {Figure(Statistics.Median(driven.Select(d => d ?? 0)))} s while the "
                    + "command stays: the module protects its output. Look for a short or a stuck actuator on that wire.",
            _ => Silent(command, response, driven),
        };
    }

    private string Silent(string command, string response, List<double?> driven) =>
        driven.All(d => d == 0)
            ? $"{command} moves nothing: there is no drive on the wire either, so look at the module and the wire before the actuator."
            : $"{command} moves nothing in {response}: in {trials.Count} trials it stays within its own movement of "
                + $"{Figure(measured.OwnMovement!.Value)} {measured.Response.Unit}.".Replace(" .", ".", StringComparison.Ordinal);

    private List<Note> Notes(string verdict, List<double?> driven)
    {
        List<Note> notes = [];
        if (driven.Any(d => d is not null) && verdict == "no-response" && driven.All(d => d > 0))
            notes.Add(new("drive-there", "The drive is on the wire in every trial: the actuator, its mechanics or its way is the place."));
        if (!request.Channels.ContainsKey("command") || !request.Channels.ContainsKey("response"))
            notes.Add(
                new(
                    "channels-guessed",
                    $"Taken by name: the command is '{_command.Name}', what it should move is '{measured.Response.Name}'. Say "
                        + "otherwise with --channel."
                )
            );
        if (verdict == "no-response")
            notes.Add(
                new(
                    "smallest-seen",
                    $"A change under {Figure(measured.Clear!.From)} {measured.Response.Unit} would not be seen here.".Replace(
                        "  ",
                        " ",
                        StringComparison.Ordinal
                    )
                )
            );
        return notes;
    }

    private static string Figure(double value) =>
        value.ToString(
            value >= 100 ? "0"
                : value >= 10 ? "0.0"
                : value >= 1 ? "0.00"
                : "0.000",
            CultureInfo.InvariantCulture
        );
}
