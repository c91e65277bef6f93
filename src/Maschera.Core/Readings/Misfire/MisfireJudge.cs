using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.Misfire;

/// <summary>Every firing with its verdict, what cylinders lack at each of theirs, and what makes the whole doubtful.</summary>
internal sealed record Judged(IReadOnlyList<FiringMark> Marks, IReadOnlyList<SteadyLack> Steady, Note? Doubt);

/// <summary>Tells misfires from firings.</summary>
internal static class MisfireJudge
{
    /// <summary>A misfire that stands less clear of the scatter than this, in standard deviations, is not told from it.</summary>
    private const double LeastSeparation = 5;

    /// <summary>Of sound firings fewer than one in two thousand lie so far below the middle, in standard deviations.</summary>
    private const double LeastClear = 3.4;

    /// <summary>From here on a group below all others is looked for, in standard deviations.</summary>
    private const double Outlier = 4.2;

    /// <summary>With this separation expected, one span is enough: more spans mix more neighbours in.</summary>
    private const double EnoughSeparation = 6;

    /// <summary>Missing firings known before that stand less clear than this, in standard deviations, are not told anew.</summary>
    private const double LeastTold = 3;

    /// <summary>Below this separation single misfires may be missed or invented.</summary>
    private const double SafeSeparation = 7;

    /// <summary>Another span has to bring the scatter down to this share to be worth its neighbours.</summary>
    private const double WorthWhile = 0.8;

    /// <summary>A larger penalty makes all firings small instead of telling them apart.</summary>
    private const double MostPenalty = 0.1;

    /// <summary>More spans than this on either side take in a whole cycle of a small engine.</summary>
    private const int MostSpans = 3;

    private const int ApartCylinders = 4;

    /// <summary>A firing's work as a share of the usual that is taken for granted when neighbours are taken out.</summary>
    private const double PriorShare = 0.35;

    /// <summary>
    /// Judges every firing of an engine whose first cylinder of the firing order fires at <paramref name="tdc"/> on the clock.
    /// </summary>
    public static Judged Judge(AngleClock clock, Engine engine, double tdc)
    {
        var size = FiringSize.Of(clock, engine);
        var places = FiringPlaces.Of(engine.Angles());
        var told = Tell(clock, engine, tdc, size, places);
        var steady = Steady(clock, engine, tdc, told, places, size);
        if (steady.Any(s => s is { IsWeak: true, IsMissing: true }))
            told = Tell(clock, engine, tdc, size, places with { Lacks = Lacks(steady, engine) });
        return Marked(told, engine, steady, size.Whole);
    }

    /// <summary>What weak cylinders lack, by place.</summary>
    private static double[] Lacks(IReadOnlyList<SteadyLack> steady, Engine engine) =>
        [.. Enumerable.Range(0, engine.Cylinders).Select(p => steady.FirstOrDefault(s => s.IsWeak && s.Place == p)?.Work ?? 0)];

    /// <summary>What cylinders lack at every firing, told over one span.</summary>
    private static IReadOnlyList<SteadyLack> Steady(
        AngleClock clock,
        Engine engine,
        double tdc,
        Told told,
        FiringPlaces places,
        FiringSize size
    )
    {
        var known = told.Firings.Zip(told.Missed).ToDictionary(p => (p.First.Cycle, p.First.Place), p => p.Second);
        var firings = FiringEnergies.Of(clock, engine.Angles(), tdc).Where(f => known.ContainsKey((f.Cycle, f.Place))).ToList();
        bool[] missed = [.. firings.Select(f => known[(f.Cycle, f.Place)])];
        var kernel = FiringEnergies.Kernel(engine.Cylinders, 1);
        return new WeakPlaces(firings, missed, told.Work, places, kernel).Find(
            size.Whole,
            size.Rough,
            FiringPlaces.WheelReach(clock, engine.Cylinders, 1)
        );
    }

    /// <summary>Firings told, and what each gains beyond the usual.</summary>
    /// <param name="Work">What a missing one lacks, or, without any, what the swing lets expect.</param>
    /// <param name="Separation">That in standard deviations of the sound ones.</param>
    private sealed record Told(List<Firing> Firings, double[] Below, bool[] Missed, double Work, double Separation);

    private static Told Tell(AngleClock clock, Engine engine, double tdc, FiringSize size, FiringPlaces places)
    {
        var spans = 1;
        var (firings, below) = Gains(clock, engine, tdc, spans, size, places);
        var (scatter, centre) = Healthy(below);
        var cut = Cut(below, centre, scatter, size, spans);
        // Where the edges are too coarse for one span, several know the speed better, but mix neighbours in.
        while (
            spans < MostSpans
            && spans < engine.Cylinders - 1
            && scatter * EnoughSeparation > size.Expected
            && !(centre - Mean(below, v => v <= cut) > EnoughSeparation * scatter)
        )
        {
            var (wider, unmixed) = Gains(clock, engine, tdc, spans + 1, size, places);
            var (next, middle) = Healthy(unmixed);
            if (next >= WorthWhile * scatter)
                break;
            (spans, firings, below, scatter, centre) = (spans + 1, wider, unmixed, next, middle);
            cut = Cut(below, centre, scatter, size, spans);
        }

        var missed = Array.ConvertAll(below, v => v <= cut);
        if (Clearest(clock, engine, tdc, firings, missed, size, places) is { } clear)
            return new(clear.Firings, clear.Told.Below, clear.Told.Missed, clear.Told.Work, clear.Told.Separation);
        var fired = Mean(below, v => v > cut);
        var lacking = Mean(below, v => v <= cut);
        var work = double.IsNaN(lacking) ? size.Expected : fired - lacking;
        return new(firings, [.. below.Select(v => v - fired)], missed, work, work / Math.Max(scatter, 1e-9));
    }

    private static Judged Marked(Told told, Engine engine, IReadOnlyList<SteadyLack> steady, double? whole)
    {
        var work = Array.Exists(told.Missed, m => m) ? told.Work : whole ?? told.Work;
        var lacks = Array.ConvertAll(Lacks(steady, engine), lack => work > 0 ? lack / work : 0);
        // 100 is the mean of those that do not misfire, weak ones among them.
        var hit = told.Firings.Zip(told.Missed).Where(p => p.Second).Select(p => p.First.Place).ToHashSet();
        var usual = 1 - lacks.Where((_, p) => !hit.Contains(p)).DefaultIfEmpty(0).Average();
        return new(
            [
                .. told.Firings.Select(
                    (f, i) =>
                        new FiringMark(
                            f.Cycle,
                            engine.FiringOrder[f.Place],
                            f.Seconds,
                            f.SpeedRpm,
                            work > 0 ? 100 * (1 - lacks[f.Place] + told.Below[i] / work) / usual : null,
                            told.Missed[i]
                        )
                ),
            ],
            steady,
            Doubt(Array.Exists(told.Missed, m => m), told.Separation)
        );
    }

    /// <summary>
    /// The decisions settled over as many spans as tell missing firings from sound ones best; null where none are missing.
    /// </summary>
    private static (List<Firing> Firings, ToldFirings Told)? Clearest(
        AngleClock clock,
        Engine engine,
        double tdc,
        List<Firing> firings,
        bool[] missed,
        FiringSize size,
        FiringPlaces places
    )
    {
        var angles = engine.Angles();
        var known = firings.Zip(missed).ToDictionary(p => (p.First.Cycle, p.First.Place), p => p.Second);
        (List<Firing> Firings, ToldFirings Told)? best = null;
        Dictionary<(int, int), bool> narrow = [];
        for (var spans = 1; spans <= MostSpans && spans < engine.Cylinders; spans++)
        {
            var wide = places.Firings(clock, angles, tdc, spans);
            var kernel = FiringEnergies.Kernel(engine.Cylinders, spans);
            foreach (var start in Starts(wide, known, angles.Length))
            {
                var told = FiringFeedback.Settle(wide, kernel, start, places.Mates);
                if (told is not null && spans == 1)
                    narrow = wide.Zip(told.Missed).ToDictionary(p => (p.First.Cycle, p.First.Place), p => p.Second);
                if (told is not null && told.Work > size.Least * kernel[0] && !(told.Separation <= best?.Told.Separation))
                    best = (wide, told);
            }
        }

        if (!(best?.Told.Separation > (known.ContainsValue(true) ? LeastTold : LeastSeparation)))
            return null;
        WithNarrowEnds(best.Value.Firings, best.Value.Told.Missed, narrow);
        return best;
    }

    /// <summary>At the capture's ends what lies beyond is not seen: there the narrowest windows, which reach least far, decide.</summary>
    private static void WithNarrowEnds(List<Firing> firings, bool[] missed, Dictionary<(int, int), bool> narrow)
    {
        for (var i = 0; i < missed.Length; i++)
            if (Math.Min(i, missed.Length - 1 - i) < MostSpans && narrow.TryGetValue((firings[i].Cycle, firings[i].Place), out var known))
                missed[i] = known;
    }

    /// <summary>
    /// Decisions to begin with: those known, or where none is known, any one cylinder's firings, all of them or their lower half.
    /// </summary>
    private static IEnumerable<bool[]> Starts(List<Firing> firings, Dictionary<(int, int), bool> known, int places)
    {
        if (known.ContainsValue(true))
        {
            yield return [.. firings.Select(f => known.GetValueOrDefault((f.Cycle, f.Place)))];
            yield break;
        }

        for (var place = 0; place < places; place++)
        {
            var own = place;
            yield return [.. firings.Select(f => f.Place == own)];
            var middle = Statistics.Median(firings.Where(f => f.Place == own).Select(f => f.Gain).DefaultIfEmpty(0));
            yield return [.. firings.Select(f => f.Place == own && f.Gain < middle)];
        }
    }

    /// <summary>The firings, and what each gains beyond the usual of its place, its neighbours taken out.</summary>
    private static (List<Firing> Firings, double[] Below) Gains(
        AngleClock clock,
        Engine engine,
        double tdc,
        int spans,
        FiringSize size,
        FiringPlaces places
    )
    {
        var firings = places.Firings(clock, engine.Angles(), tdc, spans);
        var wheel = FiringPlaces.WheelReach(clock, engine.Cylinders, spans);
        var usual = places.Usual(firings, Math.Max(size.Least, wheel), size.Apart);
        var below = firings.Select(f => f.Gain - usual[f.Place]).ToArray();
        // With few cylinders one firing's work ends before the next begins.
        if (spans == 1 && engine.Cylinders <= ApartCylinders)
            return (firings, below);
        var noise = FiringEnergies.Scatter(clock, engine.Cylinders, spans) / (PriorShare * size.Expected);
        return (firings, FiringEnergies.Unmixed(below, engine.Cylinders, spans, Math.Min(noise * noise, MostPenalty)));
    }

    /// <summary>Standard deviation and middle of the firings that took place, from the upper part alone.</summary>
    private static (double Scatter, double Centre) Healthy(double[] below)
    {
        var sorted = Statistics.Sorted(below);
        // Misfires are up to two fifths of all firings; the upper quarters of the rest are sound.
        var (middle, high) = (Statistics.Quantile(sorted, 0.7), Statistics.Quantile(sorted, 0.93));
        var sound = sorted.Where(v => v > middle - 4 * (high - middle)).ToArray();
        var centre = Statistics.Quantile(sound, 0.5);
        return (Statistics.Scatter(sound, centre), centre);
    }

    /// <summary>The level below which a firing is missing; minus infinity where none is.</summary>
    private static double Cut(double[] below, double centre, double scatter, FiringSize size, int spans)
    {
        // Neighbours of misfires that could not be taken out whole reach up to half the depth.
        var share = spans == 1 ? 0.5 : 0.6;
        var found = Settled(below, centre, scatter, size, share, centre - share * size.Expected);
        // At high speed wheel errors blow the swing up; then a group that stands clear of all others is looked for.
        return double.IsNegativeInfinity(found) ? Settled(below, centre, scatter, size, share, centre - Outlier * scatter) : found;
    }

    /// <summary>Moves the cut to a share of the way from one group to the other until it stays.</summary>
    private static double Settled(double[] below, double centre, double scatter, FiringSize size, double share, double cut)
    {
        for (var pass = 0; pass < 12; pass++)
        {
            var group = Statistics.Sorted(below.Where(v => v <= cut));
            if (group.Length == 0)
                return double.NegativeInfinity;
            // The lower half of the group: neighbours of misfires may have come in at its upper edge.
            var missed = Statistics.Mean(group.AsSpan(0, (group.Length + 1) / 2));
            var fired = Mean(below, v => v > cut);
            var depth = fired - missed;
            if (depth < size.Least || depth < LeastSeparation * scatter)
                return double.NegativeInfinity;
            var next = Math.Min(fired - share * depth, centre - LeastClear * scatter);
            if (Math.Abs(next - cut) < 1e-3 * depth)
                return next;
            cut = next;
        }

        return cut;
    }

    private static double Mean(double[] values, Func<double, bool> wanted)
    {
        double sum = 0;
        var count = 0;
        foreach (var value in values)
        {
            if (!wanted(value))
                continue;
            sum += value;
            count++;
        }

        return count > 0 ? sum / count : double.NaN;
    }

    private static Note? Doubt(bool misfires, double separation)
    {
        if (separation > SafeSeparation)
            return null;
        return misfires
            ? new Note(
                "close",
                "Misfires stand only little clear of the scatter: single ones may be missed or too many. Sample faster, or capture at "
                    + "a lower speed."
            )
            : new Note(
                "blind",
                "At this speed and sampling a single missing firing would hardly stand clear of the scatter. Sample faster, or "
                    + "capture at a lower speed."
            );
    }
}
