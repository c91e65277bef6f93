namespace Maschera.Core.Readings.Pulses;

/// <summary>
/// Weighs what a cylinder may do otherwise at the intake: its valve leaks and gas comes back through it, or it draws along another course
/// than the others, less, or by blowing back first what did not leave through its exhaust valve; or it does not fire. What manifold, hose
/// and pick-up make of it is not known, so that course is left free while the valve is open; gas through a leak has a course of its own.
/// </summary>
internal static class IntakeCauses
{
    /// <summary>
    /// A leak is taken where it leaves no more than the first share of what the free course leaves, and either may be from the second to
    /// the third.
    /// </summary>
    private const double LeakLeaves = 0.9,
        LeakMay = 0.6,
        SuctionMay = 1.3;

    /// <summary>Another cylinder that leaves less than so many times as much may be it too.</summary>
    private const double Nearly = 1.35;

    /// <summary>
    /// What leaves more than this is nobody's; where it is a plain share of a usual pulse and the next cylinder leaves so many times more,
    /// more than the last. Two are looked for where it is plain.
    /// </summary>
    private const double Named = 0.13,
        Plain = 0.35,
        PlainNext = 1.8,
        PlainNamed = 0.25;

    /// <summary>One cylinder's fault leaves less than this nine times out of ten.</summary>
    private const double Part = 0.08;

    /// <summary>Of what blows back the gas itself is so strong beside all that differs.</summary>
    private const double BlowbackPart = 0.5;

    /// <summary>A leak that leaves no more than this may be it whatever the free course leaves.</summary>
    private const double LeakFits = 0.012;

    /// <summary>From the valve's opening to the middle of the stroke, and nearly to its end, degrees.</summary>
    private static readonly FreeCourse s_suction = new((362, 446), (374, 542));

    private static readonly Lazy<double[][][]> s_thrusts = new(() =>
        [
            .. from later in (int[])[-10, 0, 10, 20]
            from decay in GasSource.Decays
            select (double[][])[.. GasSource.ThroughLeak(decay, later), GasSource.PushedOut(decay, later)],
        ]
    );

    private static readonly Lazy<double[][][]> s_blowbacks = new(() =>
        [
            .. from later in (double[])[-20, -10, 0, 10, 20, 32]
            from width in (double[])[8, 12, 18, 26]
            from decay in GasSource.Decays
            // What is full draws nothing after it.
            select (double[][])[GasSource.Bump(380 + later, width, decay), GasSource.Bump(465, 45, decay)],
        ]
    );

    /// <summary>Explains what differs between cylinders.</summary>
    public static PulseCauses Find(PulseResidual of)
    {
        var fit = new SourceFit(of);
        var (both, whole) = s_suction.Each(fit);
        var blowbacks = SourceFit.Best(fit.Positive, s_blowbacks.Value);
        var suctions = Ranked(both.Select((left, place) => Likelier(place, left, blowbacks)));
        var thrusts = Ranked(
            SourceFit.Best(fit.Positive, s_thrusts.Value).Select((s, p) => new PulseCause(PulseFault.Thrust, [p], s.Left))
        );
        var one = Math.Min(suctions[0].Unexplained, thrusts[0].Unexplained);
        var pairs = new Lazy<SourcePair[]>(() => [.. s_suction.Pairs(fit, true)]);
        var blowbackPairs = new Lazy<SourcePair[]>(() => fit.PositivePairs(s_blowbacks.Value));
        var two = of.Height >= Plain ? Two(of, fit, one, pairs, blowbackPairs) : null;
        if (FireLoss.Find(fit, one) is { } lost && !(two?.Best.Unexplained < lost.Best.Unexplained))
            return lost;
        if (two is not null)
            return two;
        var share = thrusts[0].Unexplained / whole.Min();
        var single =
            share <= LeakLeaves
                ? Judged(of, thrusts, share > LeakMay ? suctions[0] : null)
                : Judged(of, suctions, share < SuctionMay || thrusts[0].Unexplained < LeakFits ? thrusts[0] : null);
        return PairChoice.Instead(of, single, pairs, blowbackPairs) ?? single;
    }

    private static PulseCauses? Two(
        PulseResidual of,
        SourceFit fit,
        double one,
        Lazy<SourcePair[]> suctions,
        Lazy<SourcePair[]> blowbacks
    ) =>
        PairChoice.Of(
            of,
            one,
            (PulseFault.Suction, () => suctions.Value),
            (PulseFault.Thrust, () => fit.PositivePairs(s_thrusts.Value)),
            (PulseFault.Blowback, () => blowbacks.Value)
        );

    private static PulseCause Likelier(int place, double free, SourceShare[] blowbacks) =>
        blowbacks[place].Left < free && blowbacks[place].Parts[0] >= BlowbackPart
            ? new(PulseFault.Blowback, [place], blowbacks[place].Left)
            : new(PulseFault.Suction, [place], free);

    private static List<PulseCause> Ranked(IEnumerable<PulseCause> causes) => [.. causes.OrderBy(cause => cause.Unexplained)];

    /// <summary>The best of a kind, named where it leaves little enough.</summary>
    /// <param name="other">What else may explain it.</param>
    private static PulseCauses Judged(PulseResidual of, List<PulseCause> ranked, PulseCause? other)
    {
        var (best, next) = (ranked[0], ranked[1]);
        var rival =
            other is not null && other.Places[0] != best.Places[0] ? other
            : next.Unexplained < Nearly * best.Unexplained ? next
            : null;
        var isPlain = of.Height >= Plain && next.Unexplained > PlainNext * best.Unexplained;
        return new(best, rival, best.Unexplained > (isPlain ? PlainNamed : Named), best.Unexplained > Part);
    }
}
