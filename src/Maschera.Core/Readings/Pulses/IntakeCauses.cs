namespace Maschera.Core.Readings.Pulses;

/// <summary>What is odd at a pick-up, explained.</summary>
/// <param name="Best">The explanation taken.</param>
/// <param name="Rival">Another that explains it nearly as well; null where none does.</param>
/// <param name="IsNobody">True where no single cylinder's fault explains it well enough to be named.</param>
internal sealed record PulseCauses(PulseCause Best, PulseCause? Rival = null, bool IsNobody = false);

/// <summary>
/// Weighs what a cylinder may do otherwise at the intake. First what has a course of its own: gas through a leaking valve, gas that
/// could not leave, suction that is missing. A valve that opens less draws along any course while it is open; that course is left
/// free, and what it leaves is small for the right cylinder. It is looked at with and without the slow harmonics, in which the
/// engine's speed swings after a misfire: a little is laid to a cylinder only where it explains every look best.
/// </summary>
internal static class IntakeCauses
{
    /// <summary>Harmonics of the cycle that are left out in the second and third look.</summary>
    public const int MostHarmonics = 2;

    /// <summary>A cylinder draws between these, degrees.</summary>
    private const double SuctionFrom = 350,
        SuctionTo = 590;

    /// <summary>Something with a course of its own is taken where it leaves no more than this.</summary>
    private const double OwnCourseLeaves = 0.12;

    /// <summary>
    /// Of a leak and the blow-back of the cylinder that fires opposite the blow-back is taken where it leaves no more than the first share
    /// of what the leak leaves, or up to the second if its course is so like the engine's own pulse. Of gas and missing suction the gas is
    /// taken, unless it leaves so many times more.
    /// </summary>
    private const double BlowbackAlone = 0.25,
        BlowbackLeaves = 0.7,
        BlowbackLike = 0.9,
        GasLeaves = 1.5;

    /// <summary>
    /// Gas that leaves more than the first gives way to a course left free that leaves so little of that, where the next cylinder's
    /// leaves so many times more.
    /// </summary>
    private const double GivesWayFrom = 0.03,
        GivesWayTo = 0.1,
        GivesWayNext = 2;

    /// <summary>
    /// Less than the first share of a usual pulse is nobody's. Up to the second a cylinder is named where its free course leaves less
    /// than the third and the next so many times more, or, over all looks, less than the fifth and so many times more; beyond, where
    /// it leaves less than the last.
    /// </summary>
    private const double NamedFrom = 0.16,
        ClearFrom = 0.7,
        LoneLeaves = 0.1,
        LoneNext = 3,
        AgreedLeaves = 0.15,
        AgreedNext = 1.3,
        ClearLeaves = 0.05;

    /// <summary>
    /// Gas that blows back in a cylinder's own intake stroke comes on top of the others' pulse too, and leaves less than this along its
    /// usual course.
    /// </summary>
    private const double BlowbackFits = 0.2;

    /// <summary>
    /// Where gas and missing suction explain about as much along their usual courses, the suction is taken if its course, left free,
    /// leaves so much less.
    /// </summary>
    private const double FreeSettles = 0.2;

    /// <summary>A difference lower than this, a share of a usual pulse, is nobody's where two explain it nearly alike.</summary>
    private const double TooLowForTwo = 0.3;

    /// <summary>Two cylinders are taken where one alone leaves more than this.</summary>
    private const double OneOfTwoLeaves = 0.03;

    /// <summary>
    /// Two cylinders of so many at least are taken along a course left free where what differs is so high, they leave no more than the
    /// third, and one alone leaves so many times as much: fewer cylinders leave a free course of two nothing to be proved by.
    /// </summary>
    private const int TwoOf = 5;

    private const double TwoFrom = 0.35,
        TwoLeave = 0.15,
        TwoNext = 0.65;

    /// <summary>A course explains best, with or without the slow harmonics, where none leaves so many times less.</summary>
    private const double BestWithin = 1.5;

    /// <summary>
    /// One explanation is nearly as good as another where it leaves so many times as much; a leak and a blow-back are told apart worse.
    /// </summary>
    private const double Nearly = 2.2,
        NearlyGas = 3.5,
        NearlyFree = 1.35;

    private static readonly Lazy<double[][][]> s_suctions = new(() => GasSource.AnyCourse(SuctionFrom, SuctionTo));

    private static readonly Lazy<double[][][]> s_thrusts = new(() =>
        [.. from later in (int[])[-10, 0, 10, 20] from decay in GasSource.Decays select GasSource.ThroughLeak(decay, later)]
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

    /// <summary>Explains what differs between evenly firing cylinders.</summary>
    /// <param name="of">What has to be explained.</param>
    /// <param name="suction">The cylinder whose missing suction explains most along its usual course.</param>
    /// <param name="pair">Two cylinders that draw less; null where no two explain it.</param>
    public static PulseCauses Find(PulseResidual of, PulseCause suction, PulseCause? pair)
    {
        SourceFit[] fits = [.. Enumerable.Range(0, MostHarmonics + 1).Select(h => new SourceFit(of, h))];
        var looks = Array.ConvertAll(fits, fit => SourceFit.Best(fit.Free, s_suctions.Value));
        var thrust = PulseCause.Likeliest(PulseFault.Thrust, fits[0], s_thrusts.Value);
        var blowbacks = SourceFit.Best(fits[0].Positive, s_blowbacks.Value);
        var blowback = PulseCause.Best(PulseFault.Blowback, blowbacks);
        if (of.IsOnTop(looks[0][suction.Places[0]].Course.Value))
            suction = suction with { Unexplained = 1 };
        var isBlowback = IsBlowback(of, blowback, thrust, looks[0]);
        var (gas, opposite) = isBlowback ? (blowback, thrust) : (thrust, blowback);
        bool[] may = [.. looks[0].Select((share, p) => blowbacks[p].Left < BlowbackFits || !of.IsOnTop(share.Course.Value) && of.Draws(p))];
        var isFree = GivesWay(gas, looks[0], may, out var free);
        if (Math.Min(gas.Unexplained, suction.Unexplained) < OwnCourseLeaves)
            return isFree ? new(free, Rival(free, [gas], double.PositiveInfinity)) : OwnCourse(of, gas, opposite, suction, free);
        var freePair = new Lazy<SourcePair>(() => fits[0].FreePair(s_suctions.Value));
        if (pair is not null && free.Unexplained > OneOfTwoLeaves && IsClearPair(of, freePair, pair))
            return new(pair);
        return Two(of, freePair, fits[^1], looks) is { } two ? new(two) : Free(of, looks, may);
    }

    /// <summary>
    /// Of a leak and the blow-back of the cylinder that fires opposite: what blows back comes through the same valve at the same place as
    /// every cylinder's rest of gas, so its course, left free, is their pulse over again.
    /// </summary>
    private static bool IsBlowback(PulseResidual of, PulseCause blowback, PulseCause thrust, SourceShare[] look)
    {
        var share = blowback.Unexplained / Math.Max(1e-9, thrust.Unexplained);
        return share < BlowbackAlone
            || share < BlowbackLeaves && of.Missing(look[blowback.Places[0]].Course.Value).Likeness < -BlowbackLike;
    }

    /// <summary>Gas or missing suction, each along its own course.</summary>
    private static PulseCauses OwnCourse(PulseResidual of, PulseCause gas, PulseCause opposite, PulseCause suction, PulseCause free)
    {
        var isSettled = free.Places[0] == suction.Places[0] && free.Unexplained < FreeSettles * gas.Unexplained;
        var isSuction =
            suction.Unexplained * GasLeaves <= gas.Unexplained || isSettled && suction.Unexplained < GasLeaves * gas.Unexplained;
        var best = isSuction ? suction : gas;
        var rival =
            Rival(best, [gas, opposite, suction], Nearly * best.Unexplained)
            ?? (isSuction ? null : Rival(gas, [opposite], NearlyGas * gas.Unexplained));
        return new(best, rival, rival is not null && of.Height < TooLowForTwo);
    }

    private static PulseCause? Rival(PulseCause best, PulseCause[] others, double most) =>
        others.Where(o => o.Places[0] != best.Places[0] && o.Unexplained < most).MinBy(o => o.Unexplained);

    /// <summary>True where one cylinder's suction along whatever course outdoes gas of another's that fits no better than fairly.</summary>
    private static bool GivesWay(PulseCause gas, SourceShare[] look, bool[] may, out PulseCause free)
    {
        var ranked = Ranked(p => look[p].Left, may);
        free = PulseCause.Of(PulseFault.Suction, ranked.Place, look);
        return gas.Unexplained > GivesWayFrom
            && may[ranked.Place]
            && ranked.Left < GivesWayTo * gas.Unexplained
            && ranked.Next > GivesWayNext * ranked.Left;
    }

    /// <summary>
    /// Two cylinders that draw less along one course, whatever it is; null where one alone explains about as much, where they would have
    /// to draw less than nothing, or where without the slow harmonics it would be two others.
    /// </summary>
    private static PulseCause? Two(PulseResidual of, Lazy<SourcePair> freePair, SourceFit withoutSlow, SourceShare[][] looks)
    {
        if (of.Angles.Length < TwoOf || of.Height < TwoFrom)
            return null;
        bool IsClear(SourcePair pair, SourceShare[] look) => pair.Left < Math.Min(TwoLeave, TwoNext * look.Min(s => s.Left));
        var (two, again) = (freePair.Value, withoutSlow.FreePair(s_suctions.Value));
        var isClear = IsClear(two, looks[0]) && IsClear(again, looks[^1]) && two.IsOf(again.Places);
        return isClear && of.Missing(two.Course.Value).Share is > 0 and <= 1 ? new(PulseFault.Suction, two.Places, two.Left) : null;
    }

    /// <summary>
    /// True where two along their usual course are the two along whatever course, what differs is plain, or too few cylinders are there
    /// to ask.
    /// </summary>
    private static bool IsClearPair(PulseResidual of, Lazy<SourcePair> freePair, PulseCause pair) =>
        of.Angles.Length < TwoOf || of.Height >= ClearFrom || of.Height >= TwoFrom && freePair.Value.IsOf(pair.Places);

    /// <summary>Suction along whatever course, of a cylinder that may do it.</summary>
    private static PulseCauses Free(PulseResidual of, SourceShare[][] looks, bool[] may)
    {
        var all = Ranked(p => looks.Average(look => look[p].Left), may);
        var first = Ranked(p => looks[0][p].Left, may);
        PulseCause At(int place) => PulseCause.Of(PulseFault.Suction, place, looks[0]);
        if (of.Height >= ClearFrom)
            return new(
                At(all.Place),
                all.Next < NearlyFree * all.Left ? At(all.NextPlace) : null,
                !may[all.Place] || looks[0][all.Place].Left > ClearLeaves
            );
        bool IsBestInAll(int place) =>
            may[place] && of.Height >= NamedFrom && looks.All(look => look[place].Left <= BestWithin * look.Min(s => s.Left));
        if (first.Left < LoneLeaves && first.Next > LoneNext * first.Left && IsBestInAll(first.Place))
            return new(At(first.Place));
        var isAgreed = all.Left < AgreedLeaves && all.Next > AgreedNext * all.Left && IsBestInAll(all.Place);
        return new(At(all.Place), IsNobody: !isAgreed);
    }

    /// <summary>The cylinder that leaves least of those that may do it, and the best of all others.</summary>
    private static (int Place, double Left, int NextPlace, double Next) Ranked(Func<int, double> left, bool[] may)
    {
        var places = Enumerable.Range(0, may.Length).OrderByDescending(p => may[p]).ThenBy(left).ToList();
        var next = places.Skip(1).MinBy(left);
        return (places[0], left(places[0]), next, left(next));
    }
}
