using Maschera.Core.Basics;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Response;

/// <summary>The change at every trial, and how much the response moves by itself.</summary>
internal sealed class TrialMeasure
{
    /// <summary>Fewer places without a trial tell no spread.</summary>
    private const int LeastPlaces = 4;

    /// <summary>The response is given as long again as a trial to come back.</summary>
    private const double Recovery = 1;

    /// <summary>Where there is no room for a stretch as long as a trial, one so many times shorter tells.</summary>
    private const double Shortened = 3;

    public TrialMeasure(Channel response, IReadOnlyList<CommandTrial> trials, IReadOnlyList<Stretch> otherCommands)
    {
        Response = response;
        Length = Statistics.Median(trials.Select(t => t.Seconds));
        var lasting = trials.Zip(trials.Skip(1)).Any(p => p.First.To >= p.Second.From);
        Changes = [.. trials.Select((t, i) => Windows(t, lasting ? 0 : RoomBehind(trials, i, otherCommands)).At(t.From))];
        var room = lasting ? 0 : Statistics.Median(trials.Select((_, i) => RoomBehind(trials, i, otherCommands)));
        var quiet = Quiet(room, trials, otherCommands) ?? Quiet(room, trials, []);
        OwnMovement = quiet?.Spread;
        if (quiet is { } own)
            Clear = new ClearChange(own, [.. trials.Select((t, i) => t.Step * Changes[i].Change)], Statistics.LastPlace(response.Samples));
    }

    public Channel Response { get; }

    /// <summary>A typical trial, s.</summary>
    public double Length { get; }

    /// <summary>Level before and change at each trial.</summary>
    public IReadOnlyList<TrialWindows.Difference> Changes { get; }

    /// <summary>Standard deviation of the difference where nothing was commanded; null where there is no room to tell.</summary>
    public double? OwnMovement { get; }

    /// <summary>Which changes are clear of it; null with it.</summary>
    public ClearChange? Clear { get; }

    private TrialWindows Windows(CommandTrial trial, double room) => new(Response, trial.Seconds, room);

    /// <summary>
    /// The own movement between the trials and between what other commands do, over as long a stretch as there is room for.
    /// </summary>
    private OwnMovement? Quiet(double room, IReadOnlyList<CommandTrial> trials, IReadOnlyList<Stretch> others)
    {
        List<Stretch> recovered = Busy(Recovery),
            settling = Busy(Recovery / 2);
        return Spread(Length, room, recovered) ?? Spread(Length, 0, settling) ?? Spread(Length / Shortened, 0, settling);

        List<Stretch> Busy(double recovery) =>
            [
                .. trials.Select(t => new Stretch(t.From, t.To + recovery * t.Seconds)),
                .. others.Select(o => o with { To = o.To + recovery * Length }),
            ];
    }

    /// <summary>What moves by itself moves the less the shorter the stretch: as its square root, as a random walk does.</summary>
    private OwnMovement? Spread(double length, double room, IReadOnlyList<Stretch> busy)
    {
        var (differences, independent) = new TrialWindows(Response, length, room).Elsewhere(busy);
        return differences.Count < LeastPlaces ? null : new(Math.Sqrt(Length / length * differences.Average(d => d * d)), independent);
    }

    /// <summary>Seconds behind a trial until the next command or the end of the log.</summary>
    private double RoomBehind(IReadOnlyList<CommandTrial> trials, int index, IReadOnlyList<Stretch> others)
    {
        var to = trials[index].To;
        var next = index + 1 < trials.Count ? trials[index + 1].From : Response.Time.End;
        foreach (var other in others)
            if (other.To > to)
                next = Math.Min(next, Math.Max(other.From, to));
        return next - to;
    }
}
