using Maschera.Core.Signals;

namespace Maschera.Core.Readings.PressureHold;

/// <summary>Finds the longest hold of a pressure: from a stop of its pump to its next start.</summary>
internal static class StopFinder
{
    /// <summary>The pump runs beyond this share of its largest departure from nothing.</summary>
    private const double Running = 0.3;

    /// <summary>A pump whose signal never falls below this share of its level never stops.</summary>
    private const double NeverOff = 0.5;

    /// <summary>Pumps pause for less without stopping, s.</summary>
    private const double ShortestStop = 1;

    /// <summary>A rise by this share of the reach within a second and a half is the pump's.</summary>
    private const double PumpRise = 0.15,
        RiseSeconds = 1.5;

    /// <summary>
    /// How much better two pieces must explain the pressure than one, for a stop between them: a logarithm of likelihoods.
    /// </summary>
    private const double ClearGain = 12;

    /// <summary>From, to, and whether the stop lies inside the file; null where the pump never stops.</summary>
    public static (double From, double To, bool KnowsStop)? Find(Channel pressure, Channel? pump)
    {
        var holds = (pump is null ? ByPressure(pressure) : ByPump(pump, pressure)).ToList();
        return holds.Count == 0 ? null : holds.MaxBy(h => h.To - h.From);
    }

    private static IEnumerable<(double From, double To, bool KnowsStop)> ByPump(Channel pump, Channel pressure)
    {
        var samples = pump.Samples;
        var off = pump.Words is null ? 0 : samples.FirstOrDefault(float.IsFinite);
        var sizes = samples.Select(v => (double)Math.Abs(v - off)).ToArray();
        var sorted = Statistics.Sorted(sizes);
        var (low, high) = (Statistics.Quantile(sorted, 0.02), Statistics.Quantile(sorted, 0.995));
        var most = sorted.Length > 0 ? Math.Max(high, Statistics.Quantile(sorted, 0.9995)) : 0;
        if (low > NeverOff * most && most > 0)
            yield break;
        double? since = IsOn(0) ? null : pump.Time.Start;
        var known = false;
        for (var i = 1; i < samples.Length; i++)
        {
            var on = IsOn(i);
            if (on && since is { } from)
            {
                if (pump.Time[i] - from > ShortestStop && (known || from > pump.Time.Start))
                    yield return (from, pump.Time[i - 1], known);
                since = null;
            }
            else if (!on && since is null && !IsOnSoon(i))
                (since, known) = ((pump.Time[i] + pump.Time[i - 1]) / 2, true);
        }

        if (since is { } open)
            yield return (open, pressure.Time.End, known);

        bool IsOn(int i) => sizes[i] > Running * most;

        bool IsOnSoon(int i)
        {
            for (var k = i; k < samples.Length && pump.Time[k] < pump.Time[i] + ShortestStop / 4; k++)
                if (IsOn(k))
                    return true;
            return false;
        }
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
            var stop = StopWithin(pressure, from, to);
            if (stop is not null)
                yield return (stop.Value, to, true);
            else if (k < 0 && !Ripples(pressure, from, to))
                yield return (from, to, false);
        }
    }

    /// <summary>Rises too fast for heat: start and the moment they end.</summary>
    private static List<(double From, double To)> Rises(Channel pressure, double least)
    {
        List<(double From, double To)> found = [];
        var (time, samples) = (pressure.Time, pressure.Samples);
        for (var i = 0; i < time.Count; i++)
        {
            var end = time.IndexAtOrAfter(time[i] + RiseSeconds);
            if (end >= time.Count || !(samples[end] - samples[i] > least))
                continue;
            while (end + 1 < time.Count && time[end] - time[i] < 4 && Mean(samples, end, 5) < Mean(samples, end + 5, 5))
                end++;
            found.Add((time[i], time[end]));
            i = end;
        }

        return found;
    }

    private static double Mean(float[] samples, int from, int count)
    {
        var inside = samples.Skip(from).Take(count).Where(float.IsFinite).ToList();
        return inside.Count > 0 ? inside.Average() : double.NegativeInfinity;
    }

    /// <summary>
    /// Where a level with its ripple is followed by a smooth fall, by the likelihood of both pieces, each a line with its own scatter;
    /// null where one piece explains as much.
    /// </summary>
    private static double? StopWithin(Channel pressure, double from, double to)
    {
        const int most = 600;
        var (first, end) = (pressure.Time.IndexAtOrAfter(from), pressure.Time.IndexAtOrAfter(to));
        var stride = Math.Max(1, (end - first) / (4 * most));
        var kept = Enumerable
            .Range(0, (end - first) / stride)
            .Select(k => first + k * stride)
            .Where(i => float.IsFinite(pressure.Samples[i]))
            .ToList();
        double[] seconds = [.. kept.Select(i => pressure.Time[i] - from)];
        double[] values = [.. kept.Select(i => (double)pressure.Samples[i])];
        if (seconds.Length < 24)
            return null;
        var whole = Cost(seconds, values, 0, seconds.Length, 2);
        var (best, at) = (double.PositiveInfinity, -1);
        for (var split = 6; split < seconds.Length - 12; split++)
        {
            if (seconds[split] > 0.7 * seconds[^1] && seconds[split] > 20)
                break;
            var cost = Cost(seconds, values, 0, split, 0) + Cost(seconds, values, split, seconds.Length, 2);
            if (cost < best)
                (best, at) = (cost, split);
        }

        if (at < 0 || whole - best < ClearGain)
            return null;
        return from + (seconds[at - 1] + seconds[at]) / 2;
    }

    /// <summary>
    /// True where the pump is heard all along: the scatter from sample to sample does not come from the last place alone.
    /// </summary>
    private static bool Ripples(Channel pressure, double from, double to)
    {
        var (first, end) = (pressure.Time.IndexAtOrAfter(from), pressure.Time.IndexAtOrAfter(to));
        var values = pressure.Samples[first..end].Where(float.IsFinite).Select(v => (double)v).ToArray();
        return values.Length > 0
            && Statistics.StandardDeviation(values) > 0.01 * Math.Abs(Statistics.Mean(values))
            && Math.Abs(values[^1] - values[0]) < 3 * Statistics.StandardDeviation(values)
            && Turns(values) > values.Length / 4;
    }

    private static int Turns(double[] values)
    {
        var turns = 0;
        for (var i = 1; i + 1 < values.Length; i++)
            turns += (values[i] - values[i - 1]) * (values[i + 1] - values[i]) < 0 ? 1 : 0;
        return turns;
    }

    /// <summary>n log σ of what a polynomial leaves over a stretch.</summary>
    private static double Cost(double[] seconds, double[] values, int first, int end, int degree)
    {
        var count = end - first;
        var middle = (seconds[first] + seconds[end - 1]) / 2;
        var half = Math.Max(1e-9, (seconds[end - 1] - seconds[first]) / 2);
        double[] sums = new double[5];
        double[] products = new double[3];
        double squares = 0;
        for (var i = first; i < end; i++)
        {
            var t = (seconds[i] - middle) / half;
            var v = values[i] - values[first];
            var power = 1.0;
            for (var k = 0; k <= 4; k++, power *= t)
            {
                sums[k] += power;
                if (k < 3)
                    products[k] += power * v;
            }

            squares += v * v;
        }

        double left = degree == 0 ? squares - products[0] * products[0] / count : squares - Explained(sums, products);
        return count * Math.Log(Math.Sqrt(Math.Max(left, 1e-12 * (1 + squares)) / count) + 1e-6 * Math.Abs(values[first]) + 1e-12);
    }

    /// <summary>What a parabola explains of the squares, by the normal equations on -1..1.</summary>
    private static double Explained(double[] s, double[] p)
    {
        var fit = LeastSquares.Linear(
            [
                [s[0], s[1], s[2]],
                [s[1], s[2], s[3]],
                [s[2], s[3], s[4]],
            ],
            p
        );
        return fit[0] * p[0] + fit[1] * p[1] + fit[2] * p[2];
    }
}
