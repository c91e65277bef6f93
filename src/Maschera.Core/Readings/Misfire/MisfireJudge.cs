using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.Misfire;

/// <summary>Every firing with its verdict, and what makes the whole doubtful.</summary>
internal sealed record Judged(IReadOnlyList<FiringMark> Marks, Note? Doubt);

/// <summary>Tells misfires from firings.</summary>
internal static class MisfireJudge
{
    /// <summary>
    /// Work of a firing against the swing of the crank's energy within one firing: 1.2 to 2.8 on engines of 2 to 8
    /// cylinders, for the swing is compression and expansion of about that work.
    /// </summary>
    private const double WorkPerSwing = 1.7;

    /// <summary>Less than this share of the swing is scatter or a weak cylinder, not a missing firing.</summary>
    private const double LeastDepth = 0.5;

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

    /// <summary>How far a tooth of an ordinary wheel stands from its place, standard deviation in degrees.</summary>
    private const double WheelErrorDegrees = 0.06;

    /// <summary>Wheel errors reach so many standard deviations.</summary>
    private const double WheelErrors = 3.5;

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
        var swing = FiringEnergies.Swing(clock, engine.Cylinders);
        var spans = 1;
        var (firings, below) = Gains(clock, engine, tdc, spans, swing);
        var (scatter, centre) = Healthy(below);
        var cut = Cut(below, centre, scatter, swing, spans);
        // Where the edges are too coarse for one span, several know the speed better, but mix neighbours in.
        while (
            spans < MostSpans
            && spans < engine.Cylinders - 1
            && scatter * EnoughSeparation > WorkPerSwing * swing
            && !(centre - Mean(below, v => v <= cut) > EnoughSeparation * scatter)
        )
        {
            var (wider, unmixed) = Gains(clock, engine, tdc, spans + 1, swing);
            var (next, middle) = Healthy(unmixed);
            if (next >= WorthWhile * scatter)
                break;
            (spans, firings, below, scatter, centre) = (spans + 1, wider, unmixed, next, middle);
            cut = Cut(below, centre, scatter, swing, spans);
        }

        var missed = Array.ConvertAll(below, v => v <= cut);
        if (Clearest(clock, engine, tdc, firings, missed, swing) is { } told)
            return Marked(told.Firings, engine, told.Told.Below, told.Told.Missed, told.Told.Work, told.Told.Separation);
        var fired = Mean(below, v => v > cut);
        var lacking = Mean(below, v => v <= cut);
        // The work of a firing: what a missing one lacks; without any, what the swing lets expect.
        var work = double.IsNaN(lacking) ? WorkPerSwing * swing : fired - lacking;
        return Marked(firings, engine, [.. below.Select(v => v - fired)], missed, work, work / Math.Max(scatter, 1e-9));
    }

    private static Judged Marked(List<Firing> firings, Engine engine, double[] below, bool[] missed, double work, double separation) =>
        new(
            [
                .. firings.Select(
                    (f, i) =>
                        new FiringMark(
                            f.Cycle,
                            engine.FiringOrder[f.Place],
                            f.Seconds,
                            f.SpeedRpm,
                            work > 0 ? 100 * (1 + below[i] / work) : null,
                            missed[i]
                        )
                ),
            ],
            Doubt(Array.Exists(missed, m => m), separation)
        );

    /// <summary>
    /// The decisions settled over as many spans as tell missing firings from sound ones best; null where none are missing.
    /// </summary>
    private static (List<Firing> Firings, ToldFirings Told)? Clearest(
        AngleClock clock,
        Engine engine,
        double tdc,
        List<Firing> firings,
        bool[] missed,
        double swing
    )
    {
        var angles = engine.Angles();
        var wheelmates = Wheelmates(angles);
        var known = firings.Zip(missed).ToDictionary(p => (p.First.Cycle, p.First.Place), p => p.Second);
        (List<Firing> Firings, ToldFirings Told)? best = null;
        Dictionary<(int, int), bool> narrow = [];
        for (var spans = 1; spans <= MostSpans && spans < engine.Cylinders; spans++)
        {
            var wide = FiringEnergies.Of(clock, angles, tdc, spans);
            var kernel = FiringEnergies.Kernel(engine.Cylinders, spans);
            foreach (var start in Starts(wide, known, angles.Length))
            {
                var told = FiringFeedback.Settle(wide, kernel, start, wheelmates);
                if (told is not null && spans == 1)
                    narrow = wide.Zip(told.Missed).ToDictionary(p => (p.First.Cycle, p.First.Place), p => p.Second);
                if (told is not null && told.Work > LeastDepth * swing * kernel[0] && !(told.Separation <= best?.Told.Separation))
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
    private static (List<Firing> Firings, double[] Below) Gains(AngleClock clock, Engine engine, double tdc, int spans, double swing)
    {
        var firings = FiringEnergies.Of(clock, engine.Angles(), tdc, spans);
        var usual = Usual(firings, engine, clock, spans, swing);
        var below = firings.Select(f => f.Gain - usual[f.Place]).ToArray();
        // With few cylinders one firing's work ends before the next begins.
        if (spans == 1 && engine.Cylinders <= ApartCylinders)
            return (firings, below);
        var noise = FiringEnergies.Scatter(clock, engine.Cylinders, spans) / (PriorShare * WorkPerSwing * swing);
        return (firings, FiringEnergies.Unmixed(below, engine.Cylinders, spans, Math.Min(noise * noise, MostPenalty)));
    }

    /// <summary>
    /// What a sound firing of each place gains. The wheel's errors come every turn at the same place, so they are part
    /// of it, and cylinders 360° apart share them: one of them far below the other is not sound. All of a place are only
    /// taken for missing where they lie further below the rest than a wheel's errors reach.
    /// </summary>
    private static double[] Usual(List<Firing> firings, Engine engine, AngleClock clock, int spans, double swing)
    {
        var angles = engine.Angles();
        var wheelmates = Wheelmates(angles);
        var upper = Enumerable
            .Range(0, angles.Length)
            .Select(p => Statistics.Quantile(Statistics.Sorted(firings.Where(f => f.Place == p).Select(f => f.Gain)), 0.7))
            .ToArray();
        var sound = Statistics.Quantile(Statistics.Sorted(upper), 0.7);
        var wheel = WheelErrors * FiringEnergies.Scatter(clock, engine.Cylinders, spans) * WheelErrorDegrees / clock.StandardErrorDegrees;
        var lowest = sound - Math.Max(LeastDepth * swing, wheel);
        return
        [
            .. upper.Select(
                (u, p) =>
                {
                    var best = wheelmates[p].Max(q => upper[q]);
                    var place = best > lowest ? best : sound;
                    return u > place - LeastDepth * swing ? u : place;
                }
            ),
        ];
    }

    /// <summary>The places whose firings fall on the same teeth, turns apart; each with itself among its own.</summary>
    private static int[][] Wheelmates(double[] angles) =>
        [
            .. angles.Select(a =>
                Enumerable.Range(0, angles.Length).Where(q => Math.Abs(Math.IEEERemainder(angles[q] - a, 360)) < 1).ToArray()
            ),
        ];

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
    private static double Cut(double[] below, double centre, double scatter, double swing, int spans)
    {
        // Neighbours of misfires that could not be taken out whole reach up to half the depth.
        var share = spans == 1 ? 0.5 : 0.6;
        var found = Settled(below, centre, scatter, swing, share, centre - share * WorkPerSwing * swing);
        // At high speed wheel errors blow the swing up; then a group that stands clear of all others is looked for.
        return double.IsNegativeInfinity(found) ? Settled(below, centre, scatter, swing, share, centre - Outlier * scatter) : found;
    }

    /// <summary>Moves the cut to a share of the way from one group to the other until it stays.</summary>
    private static double Settled(double[] below, double centre, double scatter, double swing, double share, double cut)
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
            if (depth < LeastDepth * swing || depth < LeastSeparation * scatter)
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
