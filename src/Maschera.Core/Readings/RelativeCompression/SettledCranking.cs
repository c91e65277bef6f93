using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.RelativeCompression;

/// <summary>
/// The cranking without the inrush and spin-up at its start, the run-down at its end, and any stretch in which nothing rises and falls.
/// </summary>
/// <param name="Signal">The signal it is a stretch of.</param>
/// <param name="First">Its first sample.</param>
/// <param name="End">The sample after its last one.</param>
internal sealed record SettledCranking(CrankingSignal Signal, int First, int End)
{
    /// <summary>A starter whose speed nothing tells turns no slower than this, rpm, unless its battery is empty.</summary>
    private const double UsualLeastRpm = 130;

    /// <summary>How far a cycle may be off the one that follows from the wheel's speed, as a share: less than a firing of eight.</summary>
    private const double SameSpeed = 0.06;

    /// <summary>What cutting into cycles may lose at their ends, of a cycle.</summary>
    private const double Waste = 0.15;

    /// <summary>A window that holds a compression of even a slow twin, s, and the share of the usual reach it must show.</summary>
    private const double LivelySeconds = 0.7,
        LivelyShare = 0.3;

    public double Seconds => (End - First) * CrankingSignal.Step;

    /// <summary>Mean speed, rpm; null where no known wheel tells it.</summary>
    private double? Rpm => Signal.TellsSpeed ? Signal.MeanRpm(First, End) : null;

    /// <summary>True where it may hold fewer than the least number of cycles, as long as the longest that they may be.</summary>
    public bool IsTooShort => Seconds < (FoundEngine.LeastCycles + Waste) * (120 / Rpm ?? LikeItself.Append(120 / UsualLeastRpm).Max());

    /// <summary>Seconds after which the load looks like itself, best first.</summary>
    private List<double> LikeItself => field ??= Cycles.CandidatePeriods(Signal.Load.Samples.AsSpan(First, End - First));

    public static SettledCranking Of(CrankingSignal signal)
    {
        var length = signal.End - signal.First;
        var spinUp = Math.Min((int)(1.0 / CrankingSignal.Step), length / 4);
        var runDown = Math.Min((int)(0.15 / CrankingSignal.Step), length / 10);
        var (first, end) = LongestLively(signal.Load.Samples, signal.First + spinUp, signal.End - runDown);
        return new(signal, first, end);
    }

    /// <summary>
    /// Seconds that a cycle may last: after them the load looks like itself, the sync beats by them, and where a wheel tells the speed they
    /// are two turns; the sync's where it contradicts the wheel.
    /// </summary>
    public List<double> Periods(List<SyncEvent> sync)
    {
        var periods = FittingSync(LikeItself, sync);
        if (120 / Rpm is not { } cycle)
            return periods;
        var fitting = periods.Where(p => Math.Abs(p / cycle - 1) < SameSpeed).ToList();
        if (fitting.Count > 0)
            return fitting;
        return sync.Count > 1 ? periods : [cycle];
    }

    /// <summary>
    /// The longest part whose load keeps rising and falling: where the engine caught, the overrun starter's current
    /// stays flat.
    /// </summary>
    private static (int First, int End) LongestLively(float[] load, int first, int end)
    {
        var window = (int)(LivelySeconds / CrankingSignal.Step);
        var hop = window / 7;
        if (end - first < 3 * window)
            return (first, end);
        var reaches = new List<double>();
        for (var at = first; at + window <= end; at += hop)
            reaches.Add(Statistics.Quantile(load.AsSpan(at, window), 0.98) - Statistics.Quantile(load.AsSpan(at, window), 0.02));
        var least = LivelyShare * Statistics.Quantile(Statistics.Sorted(reaches), 0.8);
        (int From, int Count) best = default;
        for (int i = 0, from = 0; i <= reaches.Count; i++)
        {
            if (i < reaches.Count && reaches[i] >= least)
                continue;
            if (i - from > best.Count)
                best = (from, i - from);
            from = i + 1;
        }

        return (first + best.From * hop, Math.Min(end, first + (best.From + best.Count - 1) * hop + window));
    }

    /// <summary>
    /// Where a sync beats evenly a cycle lasts one beat or two; periods of the load that agree are taken, or else the
    /// beat itself.
    /// </summary>
    private static List<double> FittingSync(List<double> periods, List<SyncEvent> sync)
    {
        var beats = sync.Zip(sync.Skip(1), (a, b) => b.Peak - a.Peak).ToList();
        if (beats.Count == 0)
            return periods;
        var beat = Statistics.Median(beats);
        if (beats.Count(b => Math.Abs(b / beat - 1) < 0.15) < 0.6 * beats.Count)
            return periods;
        var fitting = periods.Where(p => Math.Abs(p / beat - 1) < 0.06 || Math.Abs(p / beat - 2) < 0.12).ToList();
        return fitting.Count > 0 ? fitting : [beat, 2 * beat];
    }
}
