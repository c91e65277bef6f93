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
    /// Of a leak and the blow-back of the cylinder that fires opposite the blow-back is taken where it leaves so much less; of gas and
    /// missing suction the gas, unless it leaves so many times more.
    /// </summary>
    private const double BlowbackLeaves = 0.5,
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

    /// <summary>Two cylinders are taken where one alone leaves more than this.</summary>
    private const double OneOfTwoLeaves = 0.03;

    /// <summary>One explanation is nearly as good as another where it leaves so many times as much.</summary>
    private const double Nearly = 2.2,
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
        var whole = new SourceFit(of);
        var looks = Enumerable
            .Range(0, MostHarmonics + 1)
            .Select(h => SourceFit.Best(new SourceFit(of, h).Free, s_suctions.Value))
            .ToArray();
        var thrust = PulseCause.Likeliest(PulseFault.Thrust, whole, s_thrusts.Value);
        var blowback = PulseCause.Likeliest(PulseFault.Blowback, whole, s_blowbacks.Value);
        var gas = blowback.Unexplained < BlowbackLeaves * thrust.Unexplained ? blowback : thrust;
        var isFree = GivesWay(gas, looks[0], out var free);
        if (Math.Min(gas.Unexplained, suction.Unexplained) < OwnCourseLeaves)
            return isFree
                ? new(free, Rival(free, [gas], double.PositiveInfinity))
                : OwnCourse(gas, gas == thrust ? blowback : thrust, suction);
        return pair is not null && free.Unexplained > OneOfTwoLeaves ? new(pair) : Free(of, looks);
    }

    /// <summary>Gas or missing suction, each along its own course.</summary>
    private static PulseCauses OwnCourse(PulseCause gas, PulseCause opposite, PulseCause suction)
    {
        var best = gas.Unexplained < GasLeaves * suction.Unexplained ? gas : suction;
        return new(best, Rival(best, [gas, opposite, suction], Nearly * best.Unexplained));
    }

    private static PulseCause? Rival(PulseCause best, PulseCause[] others, double most) =>
        others.Where(o => o.Places[0] != best.Places[0] && o.Unexplained < most).MinBy(o => o.Unexplained);

    /// <summary>True where one cylinder's suction along whatever course outdoes gas of another's that fits no better than fairly.</summary>
    private static bool GivesWay(PulseCause gas, SourceShare[] look, out PulseCause free)
    {
        var order = Enumerable.Range(0, look.Length).OrderBy(p => look[p].Left).ToList();
        free = PulseCause.Of(PulseFault.Suction, order[0], look);
        return gas.Unexplained > GivesWayFrom
            && free.Unexplained < GivesWayTo * gas.Unexplained
            && look[order[1]].Left > GivesWayNext * free.Unexplained;
    }

    /// <summary>Suction along whatever course.</summary>
    private static PulseCauses Free(PulseResidual of, SourceShare[][] looks)
    {
        var (places, left) = Ranked(p => looks.Average(look => look[p].Left), looks[0].Length);
        var (first, lone) = Ranked(p => looks[0][p].Left, looks[0].Length);
        var height = (of.Course.Max() - of.Course.Min()) / of.UsualHeight;
        if (height >= ClearFrom)
            return new(
                PulseCause.Of(PulseFault.Suction, places[0], looks[0]),
                left[1] < NearlyFree * left[0] ? PulseCause.Of(PulseFault.Suction, places[1], looks[0]) : null,
                looks[0][places[0]].Left > ClearLeaves
            );
        if (height >= NamedFrom && lone[0] < LoneLeaves && lone[1] > LoneNext * lone[0])
            return new(PulseCause.Of(PulseFault.Suction, first[0], looks[0]));
        var isAgreed =
            left[0] < AgreedLeaves && left[1] > AgreedNext * left[0] && looks.All(look => look[places[0]].Left <= look.Min(s => s.Left));
        return new(PulseCause.Of(PulseFault.Suction, places[0], looks[0]), IsNobody: height < NamedFrom || !isAgreed);
    }

    private static (List<int> Places, List<double> Left) Ranked(Func<int, double> left, int count)
    {
        var places = Enumerable.Range(0, count).OrderBy(left).ToList();
        return (places, [.. places.Select(left)]);
    }
}
