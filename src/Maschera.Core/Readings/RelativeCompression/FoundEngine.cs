using Maschera.Core.Engines;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.RelativeCompression;

/// <summary>The engine found in the capture.</summary>
internal sealed record FoundEngine(StarterModel Model, StarterFit Fit, List<(int From, int To)> Cycles)
{
    public double Rpm => RpmOf(Cycles);

    private static double RpmOf(List<(int From, int To)> cycles) => 120 / (cycles.Average(c => c.To - c.From) * CrankingSignal.Step);

    public const int LeastCycles = 3;

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

    /// <summary>The best fit over all periods that may be a cycle; null where too little cranking was captured.</summary>
    public static FoundEngine? Find(SettledCranking settled, Engine engine, List<SyncEvent> sync, CancellationToken cancel)
    {
        if (settled.Seconds < 0.5)
            return null;
        var signal = settled.Signal;
        var load = signal.Load.Samples;
        var rough = new List<(double Cost, double[] Start, List<(int From, int To)> Cycles)>();
        var even = engine.FiresEvenly();
        foreach (var period in settled.Periods(sync))
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
        var starts = rough
            .OrderBy(r => r.Cost)
            .Take(even ? 4 : 8)
            .SelectMany(r => new[] { r.Start, StarterUnknowns.WithoutLeaks(r.Start) }.Select(start => (r.Cycles, Start: start)));
        var near = OnAllCores(starts, s => (s.Cycles, Near: new StarterModel(signal, s.Cycles, engine).Approach(s.Start, cancel)), cancel);
        var best = OnAllCores(
                near.OrderBy(n => n.Near.Cost).Take(2),
                n => Fitted(new StarterModel(signal, n.Cycles, engine), n.Near.Parameters, n.Cycles, cancel),
                cancel
            )
            .OrderBy(f => f.Fit.Cost)
            .ToList();
        if (best.Count == 0)
            return null;
        var leaking = best[0];
        if (!signal.TellsSpeed && sync.Count < 2 && leaking.Alternates && leaking.HalfAsFast(signal, engine, rough, cancel) is { } slower)
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
        var slower = Fitted(model, model.Approach(StarterUnknowns.WithoutLeaks(start), cancel).Parameters, cycles, cancel);
        return slower.Fit.Misfit < HalfAsFastMisfit ? slower : null;
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

    /// <summary>
    /// True where its fit is close, or the cylinder that does not fill does so much less that a rough fit can't make it up.
    /// </summary>
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

    /// <summary>
    /// True where more is left of the mean cycle than noise and a fit without a fault leave; much noise tells nothing of that.
    /// </summary>
    private bool LeavesMuch => Fit.Misfit > Limit(FilledMisfit) && Fit.Noise < MostNoise;

    /// <summary>A misfit with what noise adds to it.</summary>
    private double Limit(double misfit) => double.Hypot(misfit, Fit.Noise);

    /// <summary>
    /// The two positions that do least: together they may be what neither explains alone, as where they stand a turn apart.
    /// </summary>
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
        var approached = OnAllCores(
            candidates,
            starved => (Starved: starved, Near: Approached(new StarterModel(signal, Cycles, engine, starved), fitted, cancel)),
            cancel
        );
        var nearest = approached.SelectMany(a => a.Near, (a, near) => (a.Starved, Near: near)).OrderBy(a => a.Near.Cost).Take(2);
        return OnAllCores(
                nearest,
                a => Fitted(new StarterModel(signal, Cycles, engine, a.Starved), a.Near.Parameters, Cycles, cancel),
                cancel
            )
            .MinBy(f => f.Fit.Cost)!;
    }

    private static FoundEngine Fitted(StarterModel model, double[] start, List<(int From, int To)> cycles, CancellationToken cancel) =>
        new(model, model.Fit(start, cancel), cycles);

    /// <summary>Ends before it is read: a query that feeds another would hold the threads the other waits for.</summary>
    private static List<TTo> OnAllCores<TFrom, TTo>(IEnumerable<TFrom> items, Func<TFrom, TTo> work, CancellationToken cancel) =>
        [.. items.ToList().AsParallel().AsOrdered().WithCancellation(cancel).Select(work)];

    private static List<(double Cost, double[] Parameters)> Approached(StarterModel model, double[] fitted, CancellationToken cancel) =>
        [.. model.Unknowns.StartsFrom(fitted).Select(start => model.Approach(start, cancel))];
}
