using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Response;

/// <summary>How long the drive on an actuator's wire lasts in each trial.</summary>
internal sealed class DriveCourse
{
    /// <summary>
    /// The drive is there beyond this share of its largest departure from rest: what is held may be small beside the peak.
    /// </summary>
    private const double Held = 0.12;

    /// <summary>And beyond so many times the scatter at rest.</summary>
    private const double Clear = 6;

    /// <summary>The gaps of a pulse train are shorter, s.</summary>
    private const double LongestPulseGap = 0.12;

    /// <summary>It ends by itself where it stops so much before the command, as a share of the trial and in seconds at least.</summary>
    private const double EndsEarly = 0.15,
        LeastEarly = 0.25;

    /// <summary>The share of the trials in which it has to end early.</summary>
    private const double GivesUpIn = 0.5;

    private readonly Channel _drive;
    private readonly double _rest;
    private readonly double _limit;

    public DriveCourse(Channel drive, IReadOnlyList<CommandTrial> trials)
    {
        _drive = drive;
        var quiet = Statistics.Sorted(Outside(trials));
        _rest = Statistics.Quantile(quiet, 0.5);
        var scatter = Statistics.Quantile(Statistics.Sorted(quiet.Select(v => Math.Abs(v - _rest))), 0.95) / 2;
        var reach = drive.Samples.Where(float.IsFinite).Select(v => Math.Abs(v - _rest)).DefaultIfEmpty(0).Max();
        _limit = Math.Max(Held * reach, Clear * scatter);
        Moves = reach > Math.Max(2 * Clear * scatter, 1e-12);
    }

    /// <summary>False where the drive never leaves its rest.</summary>
    public bool Moves { get; }

    /// <summary>How long the drive lasts within a trial, s; 0 where it does not start.</summary>
    public double SecondsIn(CommandTrial trial)
    {
        if (!Moves)
            return 0;
        var time = _drive.Time;
        var gap = Math.Max(LongestPulseGap, 2.5 * time.Step);
        double? since = null;
        var until = double.NaN;
        for (var i = time.IndexAtOrAfter(trial.From - time.Step); i < time.Count && time[i] < trial.To + time.Step; i++)
        {
            if (!(Math.Abs(_drive.Samples[i] - _rest) > _limit))
                continue;
            if (since is not null && time[i] - until > gap)
                break;
            since ??= time[i];
            until = time[i];
        }

        return since is null ? 0 : Math.Min(trial.Seconds, until - since.Value + time.Step);
    }

    /// <summary>Whether it ends by itself in at least half of the trials.</summary>
    public bool GivesUp(IReadOnlyList<CommandTrial> trials) =>
        trials.Count(t => EndsByItself(t, SecondsIn(t), _drive.Time.Step)) >= GivesUpIn * trials.Count;

    /// <summary>True where it starts with the trial and ends well before it.</summary>
    private static bool EndsByItself(CommandTrial trial, double seconds, double step) =>
        seconds > 0 && trial.Seconds - seconds > Math.Max(Math.Max(LeastEarly, EndsEarly * trial.Seconds), 3 * step);

    private IEnumerable<double> Outside(IReadOnlyList<CommandTrial> trials)
    {
        var stride = Math.Max(1, _drive.Samples.Length / 20_000);
        for (var i = 0; i < _drive.Samples.Length; i += stride)
        {
            var at = _drive.Time[i];
            if (!trials.Any(t => at > t.From - 2 * _drive.Time.Step && at < t.To + 0.3))
                yield return _drive.Samples[i];
        }
    }
}
