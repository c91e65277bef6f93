using Maschera.Core.Basics;
using Maschera.Core.Quantities;
using Maschera.Core.Signals;

namespace Maschera.Core.Logs;

/// <summary>A stretch of a log that has a name.</summary>
/// <param name="Name">Engine off, cranking, idle, pull or slowing down.</param>
/// <param name="From">Where it begins, s.</param>
/// <param name="To">Where it ends, s.</param>
/// <param name="Text">What happened in it.</param>
/// <param name="Doubt">Why it proves less than it seems; null where nothing speaks against it.</param>
public sealed record LogEvent(string Name, double From, double To, string Text, string? Doubt);

/// <summary>Finds and names what was done in a log: by engine speed and pedal.</summary>
public static class LogEvents
{
    private const double FullPedal = 80,
        NoPedal = 4;
    private const double LeastIdle = 3,
        LeastPull = 1.5,
        LeastCranking = 0.4,
        LeastSlowing = 1.5,
        LeastOff = 2;

    /// <summary>A pull that begins below this speed and gains less than this a second is in too high a gear, rpm and rpm/s.</summary>
    private const double LowStart = 1_300,
        SlowGain = 220;

    /// <summary>A pull over less than this says little of the upper speeds, rpm.</summary>
    private const double ShortReach = 1_500;

    /// <summary>The events in time order; empty without an engine speed.</summary>
    public static IReadOnlyList<LogEvent> Find(IReadOnlyList<Channel> channels, IReadOnlyDictionary<string, string>? corrected = null)
    {
        Channel? Channel(Quantity quantity) =>
            channels.FirstOrDefault(c => KnownQuantities.Of(c.Name, c.Unit, corrected)?.Name == quantity.Name);
        if (Channel(KnownQuantities.EngineSpeed) is not { } speed || speed.Samples.Length < 4)
            return [];
        var foot = Channel(KnownQuantities.Pedal) ?? Channel(KnownQuantities.Throttle);
        var road = Channel(KnownQuantities.VehicleSpeed);
        // A throttle rests a little open; its rest is its zero.
        var rest = foot is null ? 0 : Math.Min(20, Statistics.Quantile(foot.Samples, 0.01));
        double Foot(double t) => foot is null ? double.NaN : Resampling.Held(foot, t) - rest;
        var idle = IdleSpeed(speed);
        var events = new List<LogEvent>();
        events.AddRange(
            Runs(speed, (_, rpm) => rpm < 30, LeastOff)
                .Select(s => new LogEvent("Engine off", s.From, s.To, $"{s.To - s.From:0.0} s", null))
        );
        events.AddRange(
            Runs(speed, (_, rpm) => rpm is >= 60 and < 450, LeastCranking).Where(s => s.To - s.From < 30).Select(s => Cranking(speed, s))
        );
        events.AddRange(
            Runs(
                    speed,
                    (t, rpm) =>
                        rpm > 450
                        && Math.Abs(rpm - idle) < 0.15 * idle
                        && !(Foot(t) > NoPedal)
                        && !(road is not null && Resampling.Held(road, t) > 4),
                    LeastIdle
                )
                .Select(s => Idle(speed, s))
        );
        if (foot is not null)
        {
            events.AddRange(
                Runs(speed, (t, rpm) => rpm > 450 && Foot(t) > FullPedal, LeastPull).Select(s => Pull(speed, s)).OfType<LogEvent>()
            );
            events.AddRange(
                Runs(speed, (t, rpm) => rpm > 1.25 * idle && Foot(t) < NoPedal, LeastSlowing)
                    .Select(s => new LogEvent(
                        "Slowing down",
                        s.From,
                        s.To,
                        $"foot off, from {At(speed, s.From):0} to {At(speed, s.To):0} rpm",
                        null
                    ))
            );
        }

        return [.. events.OrderBy(e => e.From)];
    }

    private static LogEvent Cranking(Channel speed, Stretch s)
    {
        var values = Statistics.Sorted(speed.Between(s.From, s.To).Samples.Select(v => (double)v));
        var mean = Statistics.Quantile(values, 0.5);
        return new LogEvent(
            "Cranking",
            s.From,
            s.To,
            $"{s.To - s.From:0.0} s at {mean:0} rpm",
            mean < 150 ? "slow: a weak battery fakes faults everywhere" : null
        );
    }

    private static LogEvent Idle(Channel speed, Stretch s)
    {
        var values = speed.Between(s.From, s.To).Samples.Select(v => (double)v).ToArray();
        var spread = Statistics.StandardDeviation(values);
        return new LogEvent(
            "Idle",
            s.From,
            s.To,
            $"{s.To - s.From:0} s at {Statistics.Mean(values):0} ± {spread:0} rpm",
            spread > 0.04 * Statistics.Mean(values) ? "it hunts or stumbles" : null
        );
    }

    /// <summary>A stretch at full pedal in which the speed rises; null where it does not.</summary>
    private static LogEvent? Pull(Channel speed, Stretch s)
    {
        var (from, to) = (At(speed, s.From), speed.Between(s.From, s.To).Samples.Max());
        if (to - from < 150)
            return null;
        var gain = (to - from) / (s.To - s.From);
        var doubt =
            from < LowStart && gain < SlowGain ? $"pull started at {from:0} rpm in too high a gear: too slow to judge"
            : to - from < ShortReach ? $"only {to - from:0} rpm: go on to higher speed before lifting"
            : null;
        return new LogEvent("Pull", s.From, s.To, $"full pedal from {from:0} to {to:0} rpm in {s.To - s.From:0.0} s", doubt);
    }

    /// <summary>The usual speed of a running engine with the foot off: its lowest common one.</summary>
    private static double IdleSpeed(Channel speed)
    {
        var running = Statistics.Sorted(speed.Samples.Where(v => v > 450).Select(v => (double)v));
        return running.Length == 0 ? 800 : Math.Min(1_300, Statistics.Quantile(running, 0.05));
    }

    private static double At(Channel channel, double t) => Resampling.Held(channel, t);

    /// <summary>Stretches in which a condition on the speed holds, short breaks of a value or two bridged.</summary>
    private static IEnumerable<Stretch> Runs(Channel speed, Func<double, double, bool> holds, double least)
    {
        var (first, last) = (-1, -1);
        for (var i = 0; i <= speed.Samples.Length; i++)
        {
            if (i < speed.Samples.Length && holds(speed.Time[i], speed.Samples[i]))
                (first, last) = (first < 0 ? i : first, i);
            else if (first >= 0 && (i == speed.Samples.Length || i - last > 2))
            {
                if (speed.Time[last] - speed.Time[first] >= least)
                    yield return new Stretch(speed.Time[first], speed.Time[last]);
                first = -1;
            }
        }
    }
}
