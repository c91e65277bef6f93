using Maschera.Core.Engines;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.RelativeCompression;

/// <summary>The engine found in the capture.</summary>
internal sealed record FoundEngine(StarterModel Model, StarterFit Fit, List<(int From, int To)> Cycles)
{
    public double Rpm => RpmOf(Cycles);

    private static double RpmOf(List<(int From, int To)> cycles) => 120 / (cycles.Average(c => c.To - c.From) * CrankingSignal.Step);

    private const int LeastCycles = 3;

    /// <summary>Works of positions that are alike, and those that clearly are not, as shares of the middle one.</summary>
    private const double AlikeWork = 0.1,
        UnlikeWork = 0.2;

    /// <summary>
    /// No starter turns an engine twice as fast as this, rpm; and the misfit up to which an even engine at that speed is believed before
    /// one that is twice as fast and has every second cylinder low.
    /// </summary>
    private const double HalfAsFastFrom = 150,
        HalfAsFastMisfit = 0.07;

    /// <summary>What is left of an engine whose cylinders all fill, and of one that is fitted closely.</summary>
    private const double FilledMisfit = 0.004,
        CloseMisfit = 0.015;

    /// <summary>Noise of the mean cycle, as a share of the reach, from which no cylinder is said not to fill.</summary>
    private const double MostNoise = 0.025;

    /// <summary>
    /// The cost a fit with one starved cylinder more must stay under, as a share of that without, and that above which a second is of no
    /// use either; the share of the others' work that tells such a cylinder where the fit is not close; and what is asked, noise and all,
    /// where one fills to more than the others.
    /// </summary>
    private const double StarvedCost = 0.7,
        HopefulCost = 0.9,
        FarLess = 0.8,
        OverfilledCost = 0.4,
        OverfilledMisfit = 0.008;

    /// <summary>A window that holds a compression of even a slow twin, s, and the share of the usual reach it must show.</summary>
    private const double LivelySeconds = 0.7,
        LivelyShare = 0.3;

    /// <summary>The best fit over all periods that may be a cycle; null where too little cranking was captured.</summary>
    public static FoundEngine? Find(CrankingSignal signal, Engine engine, List<SyncEvent> sync, CancellationToken cancel)
    {
        var load = signal.Load.Samples;
        var settled = SettledStretch(signal);
        if (settled.End - settled.First < 0.5 / CrankingSignal.Step)
            return null;
        var periods = RelativeCompression.Cycles.CandidatePeriods(load.AsSpan(settled.First, settled.End - settled.First));
        var rough = new List<(double Cost, double[] Start, List<(int From, int To)> Cycles)>();
        var even = engine.FiresEvenly();
        foreach (var period in FittingSync(periods, sync))
        {
            var bounds = RelativeCompression.Cycles.Track(load, settled.First, settled.End, period);
            if (bounds.Count < 2)
                continue;
            var cycles = RelativeCompression.Cycles.Steady(load, bounds);
            if (cycles.Count < LeastCycles)
                continue;
            var model = new StarterModel(signal, cycles, engine);
            rough.AddRange(model.Starts(even).Take(even ? 2 : 5).Select(s => (s.Cost, s.Parameters, cycles)));
        }

        // A model remembers its last fold, so every fit that runs beside others has a model of its own.
        var best = rough
            .OrderBy(r => r.Cost)
            .Take(even ? 4 : 8)
            .SelectMany(r => new[] { r.Start, StarterUnknowns.WithoutLeaks(r.Start) }.Select(start => (r.Cycles, Start: start)))
            .AsParallel()
            .AsOrdered()
            .WithCancellation(cancel)
            .Select(r => (r.Cycles, Near: new StarterModel(signal, r.Cycles, engine).Approach(r.Start, cancel)))
            .OrderBy(r => r.Near.Cost)
            .Take(2)
            .Select(r => (r.Cycles, r.Near, Model: new StarterModel(signal, r.Cycles, engine)))
            .Select(r => new FoundEngine(r.Model, r.Model.Fit(r.Near.Parameters, cancel), r.Cycles))
            .AsSequential()
            .OrderBy(f => f.Fit.Cost)
            .ToList();
        if (best.Count == 0)
            return null;
        var leaking = best[0];
        if (sync.Count < 2 && leaking.Alternates && leaking.HalfAsFast(signal, engine, rough, cancel) is { } slower)
            return slower;
        return leaking.WithStarved(signal, engine, cancel);
    }

    /// <summary>
    /// An engine whose every second cylinder is low looks like an even one that turns half as fast: that one where it fits too and the
    /// other would have to turn faster than a starter can, else null.
    /// </summary>
    private FoundEngine? HalfAsFast(
        CrankingSignal signal,
        Engine engine,
        List<(double Cost, double[] Start, List<(int From, int To)> Cycles)> rough,
        CancellationToken cancel
    )
    {
        var half = Rpm / 2;
        var starts = rough.Where(r => Math.Abs(RpmOf(r.Cycles) / half - 1) < 0.04).ToList();
        if (half < HalfAsFastFrom || starts.Count == 0)
            return null;
        var (_, start, cycles) = starts.MinBy(r => r.Cost);
        var model = new StarterModel(signal, cycles, engine);
        var fit = model.Fit(model.Approach(StarterUnknowns.WithoutLeaks(start), cancel).Parameters, cancel);
        return fit.Misfit < HalfAsFastMisfit ? new FoundEngine(model, fit, cycles) : null;
    }

    /// <summary>True where every second cylinder is low, and those that are and those that are not are alike among themselves.</summary>
    public bool Alternates
    {
        get
        {
            var middle = Statistics.Mean(Fit.Work);
            double[] shares = [.. Fit.Work.Select(w => w / middle)];
            double[][] kinds =
            [
                [.. shares.Where((_, i) => i % 2 == 0)],
                [.. shares.Where((_, i) => i % 2 == 1)],
            ];
            return shares.Length % 2 == 0
                && kinds.All(k => k.Max() - k.Min() < AlikeWork)
                && Math.Abs(kinds[0].Average() - kinds[1].Average()) > UnlikeWork;
        }
    }

    /// <summary>True where its fit is close, or the cylinder that does not fill does so much less that a rough fit can't make it up.</summary>
    private bool IsStarved => Fit.Misfit < Limit(CloseMisfit) || Fit.Work[Fit.Starved[^1].Position] < FarLess * Statistics.Median(Fit.Work);

    /// <summary>The engine with the cylinders that do not fill, at most two, where they explain clearly more of it than leaks do.</summary>
    private FoundEngine WithStarved(CrankingSignal signal, Engine engine, CancellationToken cancel)
    {
        if (!LeavesMuch)
            return this;
        var one = Starved(OneMore([]), Fit.Parameters, signal, engine, cancel);
        if (!one.LeavesMuch)
            return one.Explains(this) ? one : this;
        var lowest = Starved([LowestTwo], Fit.Parameters, signal, engine, cancel);
        if (Math.Min(one.Fit.Cost, lowest.Fit.Cost) > HopefulCost * Fit.Cost)
            return this;
        var two = one.Starved(OneMore([.. one.Positions]), one.Fit.Parameters, signal, engine, cancel);
        if (two.LeavesMuch)
        {
            // The first was chosen while the second bent everything: it is chosen again beside the second.
            var again = two.Starved(
                OneMore([two.Positions.Last()]),
                two.Model.Unknowns.WithoutFirst(two.Fit.Parameters),
                signal,
                engine,
                cancel
            );
            two = again.Fit.Cost < two.Fit.Cost ? again : two;
        }

        two = lowest.Fit.Cost < two.Fit.Cost ? lowest : two;
        // Not one alone but two may be what explains it.
        var better = one.Explains(this) ? one : this;
        return two.Explains(better) ? two : better;
    }

    private IEnumerable<int> Positions => Fit.Starved.Select(s => s.Position);

    /// <summary>True where it explains clearly more than one with fewer cylinders that do not fill.</summary>
    private bool Explains(FoundEngine simpler) =>
        Fit.Starved.All(s => s.Filling < 1)
            ? Fit.Cost < StarvedCost * simpler.Fit.Cost && IsStarved
            : Fit.Cost < OverfilledCost * simpler.Fit.Cost && Fit.Misfit < OverfilledMisfit;

    /// <summary>True where more is left of the mean cycle than noise and a fit without a fault leave; much noise tells nothing of that.</summary>
    private bool LeavesMuch => Fit.Misfit > Limit(FilledMisfit) && Fit.Noise < MostNoise;

    /// <summary>A misfit with what noise adds to it.</summary>
    private double Limit(double misfit) => double.Hypot(misfit, Fit.Noise);

    /// <summary>The two positions that do least: together they may be what neither explains alone, as where they stand a turn apart.</summary>
    private int[] LowestTwo => [.. Enumerable.Range(0, Fit.Work.Length).OrderBy(position => Fit.Work[position]).Take(2)];

    /// <summary>What is known with every other position.</summary>
    private IEnumerable<int[]> OneMore(int[] known) =>
        Enumerable.Range(0, Fit.Work.Length).Except(known).Select(position => (int[])[.. known, position]);

    /// <summary>The engine with those positions not filling that explain most of what was left.</summary>
    private FoundEngine Starved(
        IEnumerable<int[]> candidates,
        double[] fitted,
        CrankingSignal signal,
        Engine engine,
        CancellationToken cancel
    )
    {
        // Each query ends before the next begins: one that feeds another would hold the threads the other waits for.
        var approached = candidates
            .AsParallel()
            .AsOrdered()
            .WithCancellation(cancel)
            .Select(starved => (Starved: starved, Near: Approached(new StarterModel(signal, Cycles, engine, starved), fitted, cancel)))
            .ToList();
        return approached
            .SelectMany(a => a.Near, (a, near) => (a.Starved, Near: near))
            .OrderBy(a => a.Near.Cost)
            .Take(2)
            .ToList()
            .AsParallel()
            .AsOrdered()
            .WithCancellation(cancel)
            .Select(a => (Model: new StarterModel(signal, Cycles, engine, a.Starved), a.Near))
            .Select(a => new FoundEngine(a.Model, a.Model.Fit(a.Near.Parameters, cancel), Cycles))
            .ToList()
            .MinBy(f => f.Fit.Cost)!;
    }

    private static List<(double Cost, double[] Parameters)> Approached(StarterModel model, double[] fitted, CancellationToken cancel) =>
        [.. model.Unknowns.StartsFrom(fitted).Select(start => model.Approach(start, cancel))];

    /// <summary>
    /// Without the inrush and spin-up at the start, the run-down at the end, and any stretch in which nothing rises and falls.
    /// </summary>
    private static (int First, int End) SettledStretch(CrankingSignal signal)
    {
        var length = signal.End - signal.First;
        var spinUp = Math.Min((int)(1.0 / CrankingSignal.Step), length / 4);
        var runDown = Math.Min((int)(0.15 / CrankingSignal.Step), length / 10);
        return LongestLively(signal.Load.Samples, signal.First + spinUp, signal.End - runDown);
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
