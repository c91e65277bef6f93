using Maschera.Core.Signals;

namespace Maschera.Core.Readings.InjectorBalance;

/// <summary>Flow of every pulse at one pressure, and whether time or drop was the fixed one.</summary>
internal sealed class InjectorFlows
{
    /// <summary>
    /// How well a pulse's length is known, in steps of its sampling (two ends, each within one), and a flank's, s; and a drop at best.
    /// </summary>
    private const double Ends = 0.41,
        Flanks = 0.006,
        LeastDoubt = 0.009;

    /// <summary>An outlier is off by more, and clear of its doubt so many times.</summary>
    public const double Outlying = 0.08;

    private const double Clear = 3;

    private readonly double _step;

    public InjectorFlows(RailDrops drops, double pulseStep, bool hasPulses)
    {
        _step = pulseStep;
        var lengths = drops.All.Select(d => d.Pulse.Seconds).ToList();
        var usual = Statistics.Median(lengths);
        IsFixedTime = IsByTime(lengths, usual, drops, hasPulses ? Ends * _step : Math.Max(_step, Flanks));
        All = [.. drops.All.Select(d => Flow(d, usual, hasPulses))];
    }

    /// <summary>
    /// The fixed one is what differs least by what is not known of it: of a length <paramref name="coarse"/> s, of a drop its doubt.
    /// </summary>
    private static bool IsByTime(List<double> lengths, double usual, RailDrops drops, double coarse)
    {
        var drop = Statistics.Median(drops.All.Select(d => d.Drop));
        var byTime = lengths.Average(l => Math.Pow((l - usual) / coarse, 2));
        var byDrop = drops.All.Average(d => Math.Pow((d.Drop - drop) / Math.Max(d.Doubt, LeastDoubt * drop), 2));
        return byTime <= byDrop;
    }

    public bool IsFixedTime { get; }

    /// <summary>Of each pulse: what flows in a second by the square root of the pressure.</summary>
    public IReadOnlyList<double> All { get; }

    /// <summary>The flows' median without outliers, and which of them are outliers.</summary>
    public static (double Usual, bool[] IsOut) Judge(IReadOnlyList<double> flows, IReadOnlyList<double> doubts)
    {
        var isOut = new bool[flows.Count];
        var usual = Statistics.Median(flows);
        for (var pass = 0; pass < 4; pass++)
        {
            var before = (bool[])isOut.Clone();
            for (var i = 0; i < flows.Count; i++)
                isOut[i] = Math.Abs(flows[i] / usual - 1) > Math.Max(Outlying, Clear * doubts[i]);
            if (isOut.Count(o => o) * 2 > flows.Count)
                break;
            usual = Statistics.Median(flows.Where((_, i) => !isOut[i]));
            if (before.SequenceEqual(isOut))
                break;
        }

        return (usual, isOut);
    }

    private double Flow(RailDrop drop, double usual, bool hasPulses)
    {
        var root = Math.Sqrt(Math.Max(1e-9, drop.Pressure));
        // Where every pulse is as long as the others their sampling must not spoil the flow.
        if (IsFixedTime)
            return drop.Drop / (hasPulses && _step < 0.002 * usual ? drop.Pulse.Seconds : usual) / root;
        var isCoarse = !hasPulses || _step > 0.005 * drop.Pulse.Seconds;
        return (isCoarse && double.IsFinite(drop.Slope) ? drop.Slope : drop.Drop / drop.Pulse.Seconds) / root;
    }

    /// <summary>Half of what the inner two thirds reach over.</summary>
    private static double Spread(List<double> values)
    {
        var sorted = Statistics.Sorted(values);
        return (Statistics.Quantile(sorted, 0.84) - Statistics.Quantile(sorted, 0.16)) / 2;
    }
}
