using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Knock;

/// <summary>The log on the retard's axis, retard positive.</summary>
internal sealed class KnockLog
{
    /// <summary>Retard from which it counts, degrees, and what lasts for less is a blip, s.</summary>
    public const double Counts = 2,
        Shortest = 0.2;

    /// <summary>Slower than this the engine stands, rpm.</summary>
    private const double Running = 300;

    /// <summary>Retard that goes back faster is what is left of an episode, degrees a second.</summary>
    private const double GoingBack = 0.3;

    private const double JoinSeconds = 0.5;

    /// <summary>Rows of a log come so much of a step early or late.</summary>
    private const double Uneven = 0.25;

    /// <summary>Stamps of one row may differ in their last bits, s.</summary>
    private const double SameMoment = 1e-9;

    private readonly IReadOnlyDictionary<string, Channel> _channels;
    private readonly Channel _retard;
    private readonly Dictionary<string, double[]?> _values = [];

    public KnockLog(IReadOnlyDictionary<string, Channel> channels)
    {
        (_channels, _retard) = (channels, channels["retard"]);
        var finite = _retard.Samples.Where(float.IsFinite).ToList();
        var sign = finite.Count > 0 && -finite.Min() > finite.Max() ? -1 : 1;
        // Adding nothing takes the sign off a zero.
        Retard = [.. _retard.Samples.Select(v => 0.0 + sign * v)];
        Seconds = [.. Enumerable.Range(0, Retard.Length).Select(i => _retard.Time[i])];
        Step = _retard.Time.Step;
        Runs = Values("rpm") is { } rpm ? [.. rpm.Select(v => v > Running)] : [.. Retard.Select(_ => true)];
        Episodes = FindEpisodes();
        Active = FindActive();
    }

    public double[] Retard { get; }
    public double[] Seconds { get; }
    public double Step { get; }
    public bool[] Runs { get; }

    /// <summary>First sample and the one behind the last.</summary>
    public IReadOnlyList<(int First, int End)> Episodes { get; }

    /// <summary>Within an episode and not going back: when knock, or what is taken for it, is heard.</summary>
    public bool[] Active { get; }

    public bool Has(string role) => _channels.ContainsKey(role);

    public string UnitOf(string role) => _channels.TryGetValue(role, out var channel) ? channel.Unit : "";

    /// <summary>A channel at the retard's moments: the value last logged; null where it was not logged.</summary>
    public double[]? Values(string role)
    {
        if (!_values.TryGetValue(role, out var values))
            _values[role] = values =
                _channels.TryGetValue(role, out var channel) && channel.Time.Count > 0
                    ? [.. Seconds.Select(t => (double)Resampling.Held(channel, t + SameMoment))]
                    : null;
        return values;
    }

    /// <summary>Load, or the throttle where no load was logged; null without either.</summary>
    public double[]? LoadOrThrottle => Values("load") ?? Values("throttle");

    public double Mean(string role, Func<int, bool> where)
    {
        var values = Values(role);
        return values is null ? double.NaN : Statistics.Median(Enumerable.Range(0, values.Length).Where(where).Select(i => values[i]));
    }

    private List<(int First, int End)> FindEpisodes()
    {
        List<(int First, int End)> found = [];
        var first = -1;
        for (var i = 0; i <= Retard.Length; i++)
        {
            var on = i < Retard.Length && Runs[i] && Retard[i] > Counts;
            if (on && first < 0)
                first = i;
            if (on || first < 0)
                continue;
            if (found.Count > 0 && Seconds[first] - Seconds[found[^1].End - 1] < JoinSeconds)
                found[^1] = found[^1] with { End = i };
            else
                found.Add((first, i));
            first = -1;
        }

        return [.. found.Where(e => e.End - e.First > 1 && Seconds[e.End - 1] - Seconds[e.First] + (1 - Uneven) * Step > Shortest)];
    }

    private bool[] FindActive()
    {
        var active = new bool[Retard.Length];
        var about = Math.Max(1, (int)(0.4 / Step));
        foreach (var (first, end) in Episodes)
            for (var i = first; i < end; i++)
            {
                var (a, b) = (Math.Max(0, i - about), Math.Min(Retard.Length - 1, i + about));
                active[i] = (Retard[b] - Retard[a]) / Math.Max(1e-9, Seconds[b] - Seconds[a]) > -GoingBack;
            }

        return active;
    }
}
