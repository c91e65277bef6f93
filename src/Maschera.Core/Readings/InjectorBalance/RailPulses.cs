using Maschera.Core.Signals;

namespace Maschera.Core.Readings.InjectorBalance;

/// <summary>One pulse: start and end, s, and the cylinder where a channel of its own tells it.</summary>
internal readonly record struct RailPulse(double From, double To, int? Cylinder)
{
    public double Seconds => To - From;
}

/// <summary>Finds the pulses: on the injector's command or current, else on the flanks of the rail's pressure.</summary>
internal static class RailPulses
{
    /// <summary>The command is there beyond this share of its largest departure: a held current is small beside its peak.</summary>
    private const double Held = 0.13;

    /// <summary>And beyond so many times its scatter at rest.</summary>
    private const double Clear = 6;

    /// <summary>What pauses for less is one pulse, s; what lasts for less is none.</summary>
    private const double LongestGap = 0.03,
        Shortest = 0.002;

    /// <summary>What lasts no longer is a spike, s.</summary>
    private const double Spike = 0.001;

    /// <summary>A flank falls faster than this share of the steepest.</summary>
    private const double FlankShare = 0.3;

    /// <summary>It pauses for no more than this share of a flank.</summary>
    private const double Pause = 0.25;

    /// <summary>The pressure is smoothed over so long, s.</summary>
    private const double FlankStep = 0.012;

    /// <summary>A flank falls by more than this share of the largest.</summary>
    private const double LeastFall = 0.25;

    public static List<RailPulse> Of(Channel command, int? cylinder)
    {
        var finite = Statistics.Sorted(command.Samples.Select(v => (double)v));
        if (finite.Length < 10)
            return [];
        var rest = Statistics.Quantile(finite, 0.5);
        var departures = Statistics.Sorted(finite.Select(v => Math.Abs(v - rest)));
        var scatter = Statistics.Quantile(departures, 0.6);
        var most = Lasting(command, rest);
        var limit = Math.Max(Held * most, Clear * scatter);
        return limit > 0 && most > limit ? Above(command, i => Math.Abs(command.Samples[i] - rest) > limit, cylinder) : [];
    }

    /// <summary>The largest departure that lasts: a spike of a sample or a millisecond is none, however rare pulses are.</summary>
    private static double Lasting(Channel command, double rest)
    {
        var count = Math.Max(2, (int)Math.Ceiling(Spike / command.Time.Step) + 1);
        var most = 0.0;
        for (var i = 0; i + count <= command.Samples.Length; i++)
        {
            var least = double.PositiveInfinity;
            for (var k = i; k < i + count && least > most; k++)
                least = Math.Min(least, float.IsFinite(command.Samples[k]) ? Math.Abs(command.Samples[k] - rest) : 0);
            most = Math.Max(most, least);
        }

        return most;
    }

    private static List<RailPulse> Above(Channel channel, Func<int, bool> isOn, int? cylinder)
    {
        List<RailPulse> found = [];
        double? since = null;
        var gap = Math.Max(LongestGap, 1.5 * channel.Time.Step);
        for (var i = 0; i <= channel.Samples.Length; i++)
        {
            var on = i < channel.Samples.Length && isOn(i);
            if (on && since is null)
                since = i == 0 ? channel.Time[0] : (channel.Time[i - 1] + channel.Time[i]) / 2;
            if (on || since is not { } from)
                continue;
            var to = (channel.Time[i - 1] + channel.Time[Math.Min(i, channel.Samples.Length - 1)]) / 2;
            if (found.Count > 0 && from - found[^1].To < gap)
                found[^1] = found[^1] with { To = to };
            else
                found.Add(new(from, to, cylinder));
            since = null;
        }

        return [.. found.Where(p => p.Seconds >= Math.Max(Shortest, 0.4 * channel.Time.Step))];
    }

    /// <summary>Stretches in which the smoothed pressure falls clearly faster than between them.</summary>
    public static List<RailPulse> ByFlanks(Channel pressure)
    {
        var slow = new MemoryReader(pressure).LoadAtMost(150);
        var values = Resampling.RunningMean([.. slow.Samples.Select(v => (double)v)], Math.Max(1, (int)(FlankStep / slow.Time.Step)));
        var slopes = new double[values.Length];
        for (var i = 1; i + 1 < values.Length; i++)
            slopes[i] = (values[i + 1] - values[i - 1]) / (slow.Time[i + 1] - slow.Time[i - 1]);
        var usual = -Statistics.Median(slopes);
        var flanks = Flanks(slow, values, slopes, usual, -Statistics.Quantile(Statistics.Sorted(slopes), 0.03));
        if (flanks.Count == 0)
            return [];
        // Where pulses are rare the steepest of all is noise; how steep they are the flanks tell themselves.
        double Steepest(RailPulse f) => -slopes[slow.Time.IndexAtOrAfter(f.From)..slow.Time.IndexAtOrAfter(f.To)].DefaultIfEmpty(0).Min();
        return Flanks(slow, values, slopes, usual, Statistics.Median(flanks.Select(Steepest)));
    }

    /// <summary>
    /// Stretches that fall faster than a share of <paramref name="steepest"/>, without those that fall by little: what noise lets fall
    /// is small beside what an injector takes, however often it comes.
    /// </summary>
    private static List<RailPulse> Flanks(Channel slow, double[] values, double[] slopes, double usual, double steepest)
    {
        if (!(steepest > 0))
            return [];
        var limit = usual + FlankShare * (steepest - usual);
        double At(double seconds) => values[Math.Min(values.Length - 1, slow.Time.IndexAtOrAfter(seconds))];
        var flanks = Above(slow, i => -slopes[i] > limit, null);
        var least = LeastFall * flanks.Select(f => At(f.From) - At(f.To)).DefaultIfEmpty(0).Max();
        var real = flanks.Where(f => At(f.From) - At(f.To) > least).ToList();
        var usualLength = Statistics.Median(real.Select(f => f.Seconds));
        return [.. Joined(real, Pause * usualLength).Where(f => f.Seconds > 0.35 * usualLength)];
    }

    /// <summary>A flank that noise breaks is one.</summary>
    private static List<RailPulse> Joined(List<RailPulse> flanks, double gap)
    {
        List<RailPulse> joined = [];
        foreach (var flank in flanks)
            if (joined.Count > 0 && flank.From - joined[^1].To < gap)
                joined[^1] = joined[^1] with { To = flank.To };
            else
                joined.Add(flank);
        return joined;
    }
}
