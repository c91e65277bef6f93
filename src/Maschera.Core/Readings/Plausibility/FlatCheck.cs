using Maschera.Core.Logs;
using Maschera.Core.Quantities;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Plausibility;

/// <summary>Values that stand still while what drives them moves.</summary>
internal static class FlatCheck
{
    /// <summary>Shortest stand, s and samples.</summary>
    private const double LeastSeconds = 3;

    private const int LeastSamples = 12;

    /// <summary>The driver moves over at least this share of its range within the stand.</summary>
    private const double DriverMoves = 0.2;

    /// <summary>What it does for so long only does not count, s, and no more than this share of the stand.</summary>
    private const double AsideSeconds = 1,
        MostAside = 0.05;

    /// <summary>A driver changes where it moves by this share of its range from one value to the next but one.</summary>
    private const double Changes = 0.01;

    /// <summary>A driver and what it drives go together at least so well, elsewhere; less is enough where the stand is long.</summary>
    private const double LeastTogether = 0.6,
        LeastTogetherLong = 0.45,
        LongSeconds = 15;

    /// <summary>A driver that goes with it so well leads it, and by so much better than another.</summary>
    private const double Leads = 0.8,
        Clearly = 0.03;

    /// <summary>Within this share of its range from the lowest and highest values lies a stop.</summary>
    private const double AtStop = 0.02;

    /// <summary>A chance smaller than this that a live value repeats itself so often.</summary>
    private const double LeastChance = 1e-6;

    public static IEnumerable<Finding> Find(IReadOnlyList<Watched> channels)
    {
        var drivers = channels
            .Where(c =>
                c.IsLog
                && (
                    c.Is(KnownQuantities.Pedal)
                    || c.Is(KnownQuantities.EngineSpeed)
                    || c.Is(KnownQuantities.Throttle)
                    || c.Is(KnownQuantities.AirMass)
                    || c.Is(KnownQuantities.ManifoldPressure)
                )
                && c.Range > 0
            )
            .ToList();
        foreach (var channel in channels.Where(c => c is { IsLog: true, Switches: false } && Moves(c)))
        foreach (var (first, last) in channel.Runs(i => i > 0 && channel.Samples[i] == channel.Samples[i - 1]))
            if (
                !StandingEngine.Explains(channel, channels, channel.Time[first - 1], channel.Time[last])
                && Frozen(channel, first - 1, last, [.. drivers.Where(d => d != channel)]) is { } driver
            )
                yield return new Finding(
                    channel.Name,
                    "flat",
                    channel.Time[first - 1],
                    channel.Time[last],
                    1,
                    $"{channel.Name} stands still {RailCheck.Said(channel.Time[first - 1], channel.Time[last])} while {driver.Name} "
                        + $"moves: a frozen value, a stuck sensor or a module that no longer sends it."
                );
    }

    /// <summary>Things that pedal and speed move: known ones, and sensors' volts that are no switch.</summary>
    private static bool Moves(Watched channel) =>
        channel.Quantity is { IsDriven: true }
        || channel.Is(KnownQuantities.EngineSpeed)
        || channel is { Quantity: null, Channel.Unit: "V", IsSupply: false };

    /// <summary>The driver that moved while this stood; null where the stand is nothing unusual.</summary>
    private static Watched? Frozen(Watched channel, int first, int last, IReadOnlyList<Watched> drivers)
    {
        var (from, to) = (channel.Time[first], channel.Time[last]);
        if (to - from < LeastSeconds || last - first < LeastSamples)
            return null;
        var stands = last - first >= channel.Samples.Length - 2;
        // At its stop a throttle stands while the engine runs down; only the foot has to move it.
        var together = to - from < LongSeconds ? LeastTogether : LeastTogetherLong;
        var stop = !stands && IsStop(channel, channel.Samples[first], first, last);
        var likely = drivers.Where(d => d.Is(KnownQuantities.Pedal) || !stop && !channel.Is(KnownQuantities.Throttle)).ToList();
        if (stands)
            return likely.FirstOrDefault(d => MovesWithin(d, from, to) && channel.Quantity is not null && !IsNearIdle(d, from, to));
        if (!likely.Any(d => MovesWithin(d, from, to)))
            return null;
        var unlikely = IsUnlikely(channel, first, last);
        var going = likely.Select(d => (Driver: d, Together: Math.Abs(Together(channel, d, from, to)))).ToList();
        // Engine speed runs on by itself: where the foot, which it goes with best, stands, so may a sensor.
        var leader = going.Where(g => g.Together > Leads).OrderByDescending(g => g.Together).FirstOrDefault();
        var leaderStands = leader.Driver is not null && !MovesWithin(leader.Driver, from, to);
        return going
            .FirstOrDefault(g =>
                g.Together > together
                && MovesWithin(g.Driver, from, to)
                && !(leaderStands && g.Together < leader.Together - Clearly)
                && (unlikely || IsUnlikelyBeside(g.Driver, channel, from, to))
            )
            .Driver;
    }

    private static bool MovesWithin(Watched driver, double from, double to)
    {
        var within = driver.Within(from, to);
        if (within.Length < 4)
            return false;
        var part = Statistics.Sorted(within.Select(v => (double)v));
        var aside = Math.Min(MostAside, AsideSeconds / (to - from));
        return Statistics.Quantile(part, 1 - aside) - Statistics.Quantile(part, aside) > DriverMoves * driver.Range;
    }

    /// <summary>A driver that hardly moves at all drives nothing.</summary>
    private static bool IsNearIdle(Watched driver, double from, double to) =>
        driver.Is(KnownQuantities.EngineSpeed) && driver.Range < 600
        || driver.Is(KnownQuantities.Pedal) && driver.Range < 15
        || to - from < 2 * LeastSeconds;

    /// <summary>True where the value changes so often elsewhere that standing so long is no chance.</summary>
    private static bool IsUnlikely(Watched channel, int first, int last)
    {
        int same = 0,
            all = 0;
        for (var i = 1; i < channel.Samples.Length; i++)
        {
            if (i >= first && i <= last)
                continue;
            all++;
            if (channel.Samples[i] == channel.Samples[i - 1])
                same++;
        }

        return IsNoChance(last - first, same, all);
    }

    /// <summary>True where what stands the same so often of all would not do so that many times on end.</summary>
    private static bool IsNoChance(int times, int same, int all) =>
        all > 20 && times * Math.Log((same + 1.0) / (all + 2)) < Math.Log(LeastChance);

    /// <summary>The same of the moments alone in which the driver changes: with the foot still, much stands for long.</summary>
    private static bool IsUnlikelyBeside(Watched driver, Watched channel, double from, double to)
    {
        int same = 0,
            all = 0,
            within = 0;
        double[] driven =
        [
            .. Enumerable.Range(0, channel.Samples.Length).Select(i => (double)Resampling.Held(driver.Channel, channel.Time[i])),
        ];
        for (var i = 1; i + 1 < driven.Length; i++)
        {
            if (!(Math.Abs(driven[i + 1] - driven[i - 1]) > Changes * driver.Range))
                continue;
            if (channel.Time[i] >= from && channel.Time[i] <= to)
            {
                within++;
                continue;
            }

            all++;
            if (channel.Samples[i + 1] == channel.Samples[i - 1])
                same++;
        }

        return IsNoChance(within, same, all);
    }

    /// <summary>True for a value it rests at elsewhere too, at the end of its range: a stop.</summary>
    private static bool IsStop(Watched channel, float value, int first, int last)
    {
        var near = AtStop * channel.Range;
        if (value > channel.Quantile(0.02) + near && value < channel.Quantile(0.98) - near)
            return false;
        return channel.Runs(i => channel.Samples[i] == value && (i < first || i > last)).Any(r => r.Last - r.First >= 4);
    }

    /// <summary>Correlation of both outside of a stretch.</summary>
    private static double Together(Watched channel, Watched driver, double from, double to)
    {
        double n = 0,
            sx = 0,
            sy = 0,
            sxx = 0,
            syy = 0,
            sxy = 0;
        for (var i = 0; i < channel.Samples.Length; i++)
        {
            var t = channel.Time[i];
            if (t >= from && t <= to)
                continue;
            double x = channel.Samples[i],
                y = Resampling.Held(driver.Channel, t);
            if (!double.IsFinite(x + y))
                continue;
            (n, sx, sy, sxx, syy, sxy) = (n + 1, sx + x, sy + y, sxx + x * x, syy + y * y, sxy + x * y);
        }

        var spread = Math.Sqrt((n * sxx - sx * sx) * (n * syy - sy * sy));
        return spread > 0 ? (n * sxy - sx * sy) / spread : 0;
    }
}
