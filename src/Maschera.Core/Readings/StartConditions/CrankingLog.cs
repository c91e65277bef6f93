using Maschera.Core.Basics;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.StartConditions;

/// <summary>The stretch of a log in which the starter turns the engine.</summary>
internal sealed class CrankingLog
{
    /// <summary>The starter turns an engine at these speeds, rpm; above them it runs.</summary>
    private const double Slowest = 20,
        Fastest = 500;

    /// <summary>A starter takes the battery down by so much, V.</summary>
    private const double StarterLoad = 0.7;

    /// <summary>What pauses for less is one attempt, s.</summary>
    private const double JoinSeconds = 0.4;

    /// <summary>An engine that runs does so at the end for so long, s.</summary>
    private const double RunsFor = 0.5;

    private readonly IReadOnlyDictionary<string, Channel> _channels;

    public CrankingLog(IReadOnlyDictionary<string, Channel> channels)
    {
        _channels = channels;
        var rpm = channels.GetValueOrDefault("rpm");
        ShowsSpeed = rpm is not null && rpm.Samples.Any(v => v > Slowest);
        Span =
            ShowsSpeed ? Longest(rpm!, v => v is > (float)Slowest and < (float)Fastest)
            : channels.TryGetValue("battery", out var battery) ? ByBattery(battery)
            : null;
        Runs = rpm is not null && Ends(rpm);
    }

    /// <summary>The longest attempt; null where the engine is never turned.</summary>
    public Stretch? Span { get; }

    public bool Runs { get; }

    /// <summary>False where no speed is logged, or none is ever shown.</summary>
    public bool ShowsSpeed { get; }

    public bool Has(string role) => _channels.ContainsKey(role);

    public Channel? Channel(string role) => _channels.GetValueOrDefault(role);

    /// <summary>The values of a role within a stretch.</summary>
    public double[] Values(string role, double from, double to) =>
        _channels.TryGetValue(role, out var channel) ? Statistics.Sorted(channel.Between(from, to).Samples.Select(v => (double)v)) : [];

    private static bool Ends(Channel rpm)
    {
        var end = rpm.Between(rpm.Time.End - RunsFor, rpm.Time.End).Samples.Where(float.IsFinite).ToList();
        return end.Count > 0 && end.All(v => v >= Fastest);
    }

    private static Stretch? ByBattery(Channel battery)
    {
        var sorted = Statistics.Sorted(battery.Samples.Select(v => (double)v));
        var rest = Statistics.Quantile(sorted, 0.95);
        var first = Statistics.Median(battery.Samples.Take(Math.Max(5, battery.Samples.Length / 20)).Select(v => (double)v));
        var open = Math.Max(Math.Min(rest, 13.2), first);
        return Longest(battery, v => v < open - StarterLoad);
    }

    private static Stretch? Longest(Channel channel, Func<float, bool> isOn)
    {
        List<Stretch> found = [];
        double? since = null;
        for (var i = 0; i <= channel.Samples.Length; i++)
        {
            var inside = i < channel.Samples.Length;
            if (inside && float.IsNaN(channel.Samples[i]))
                continue;
            var on = inside && isOn(channel.Samples[i]);
            if (on)
                since ??= channel.Time[i];
            if (on || since is not { } from)
                continue;
            var to = channel.Time[Math.Max(0, i - 1)];
            if (found.Count > 0 && from - found[^1].To < JoinSeconds)
                found[^1] = found[^1] with { To = to };
            else
                found.Add(new(from, to));
            since = null;
        }

        return found.Count == 0 ? null : found.MaxBy(s => s.To - s.From);
    }
}
