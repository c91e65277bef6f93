using Maschera.Core.Signals;

namespace Maschera.Core.Readings.PressureHold;

/// <summary>Finds the longest hold of a pressure: from a stop of its pump to its next start.</summary>
internal static class StopFinder
{
    /// <summary>A rise by this share of the reach within a second and a half is the pump's.</summary>
    private const double PumpRise = 0.15,
        RiseSeconds = 1.5;

    /// <summary>The levels before and behind it are taken over so long, s; a running pump's ripple is no rise.</summary>
    private const double Beside = 2.5,
        Steady = 2.5;

    /// <summary>A stop is known no better for more samples a second.</summary>
    private const double MostHertz = 100;

    /// <summary>From, to, and whether the stop lies inside the file; null where the pump never stops.</summary>
    public static (double From, double To, bool KnowsStop)? Find(Channel pressure, Channel? pump)
    {
        var holds = (
            pump is null ? ByPressure(new MemoryReader(pressure).LoadAtMost(MostHertz)) : PumpSwitch.Holds(pump, pressure)
        ).ToList();
        return holds.Count == 0 ? null : holds.MaxBy(h => h.To - h.From);
    }

    /// <summary>From the pressure alone: where a running, rippling level goes over into a fall; a fast rise is the pump's start.</summary>
    private static IEnumerable<(double From, double To, bool KnowsStop)> ByPressure(Channel pressure)
    {
        var sorted = Statistics.Sorted(pressure.Samples.Select(v => (double)v));
        if (sorted.Length < 20)
            yield break;
        var reach = Statistics.Quantile(sorted, 0.99) - Statistics.Quantile(sorted, 0.001);
        var starts = Rises(pressure, Math.Max(PumpRise * reach, 0.03 * Statistics.Quantile(sorted, 0.9)));
        List<double> ends = [.. starts.Select(s => s.From), pressure.Time.End];
        for (var k = -1; k < starts.Count; k++)
        {
            var (from, to) = (k < 0 ? pressure.Time.Start : starts[k].To, ends[k + 1]);
            if (to - from < 4)
                continue;
            var stop = StopOnPressure.Within(pressure, from, to);
            var falls = Falls(pressure, stop ?? from, to);
            if (!falls && RunningPump.IsHeard(pressure, ((stop ?? from) + to) / 2, to))
                continue;
            if (stop is not null || k < 0 || falls)
                yield return (stop ?? from, to, stop is not null);
        }
    }

    /// <summary>True where the last fifth lies clear below the first: no pump runs there, wherever it stopped.</summary>
    private static bool Falls(Channel pressure, double from, double to)
    {
        var (first, last) = (Between(pressure, from, from + (to - from) / 5), Between(pressure, to - (to - from) / 5, to));
        if (first.Length < 3 || last.Length < 3)
            return false;
        var scatter = Math.Max(Statistics.StandardDeviation(first), Statistics.StandardDeviation(last));
        return first.Min() > last.Max() || Statistics.Mean(first) - Statistics.Mean(last) > Steady * scatter;
    }

    /// <summary>Rises too fast for heat: start and the moment they end.</summary>
    private static List<(double From, double To)> Rises(Channel pressure, double least)
    {
        List<(double From, double To)> found = [];
        var (time, samples) = (pressure.Time, pressure.Samples);
        var beside = Math.Max(Beside, 3.5 * time.Step);
        for (var i = 1; i < time.Count; i++)
        {
            var before = Between(pressure, time[i] - beside, time[i - 1]);
            var after = Between(pressure, time[i] + RiseSeconds, time[i] + RiseSeconds + beside);
            if (before.Length < Math.Min(3, i) || after.Length < 3)
                continue;
            var (low, high) = (Statistics.Mean(before), Statistics.Mean(after));
            var known = before.Length < 3 ? high / 4 : 0;
            if (!(high - low > Math.Max(Math.Max(least, known), Steady * Statistics.StandardDeviation(before))))
                continue;
            while (i + 1 < time.Count && !(samples[i] - low > PumpRise * (high - low)))
                i++;
            var end = Math.Min(time.Count - 1, Math.Max(i + 1, time.IndexAtOrAfter(time[i] + RiseSeconds)));
            while (end + 1 < time.Count && time[end] - time[i] < 4 && Mean(samples, end, 5) < Mean(samples, end + 5, 5))
                end++;
            found.Add((time[i - 1], time[end]));
            i = end;
        }

        return found;
    }

    private static double[] Between(Channel pressure, double from, double to) =>
        [
            .. pressure
                .Samples[pressure.Time.IndexAtOrAfter(from)..pressure.Time.IndexAtOrAfter(to + 1e-9)]
                .Where(float.IsFinite)
                .Select(v => (double)v),
        ];

    private static double Mean(float[] samples, int from, int count)
    {
        var inside = samples.Skip(from).Take(count).Where(float.IsFinite).ToList();
        return inside.Count > 0 ? inside.Average() : double.NegativeInfinity;
    }
}
