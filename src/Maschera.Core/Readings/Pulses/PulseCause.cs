using Maschera.Core.Timing;

namespace Maschera.Core.Readings.Pulses;

/// <summary>What a cylinder may do otherwise at a pick-up.</summary>
internal enum PulseFault
{
    /// <summary>It draws less: pressure rises in its intake stroke and falls again as the others empty the manifold.</summary>
    Suction,

    /// <summary>Its intake valve leaks: gas is thrust back about its firing TDC.</summary>
    Thrust,

    /// <summary>What could not leave through its exhaust valve blows back when its intake valve opens.</summary>
    Blowback,

    /// <summary>It blows out less when its exhaust valve opens.</summary>
    BlowDown,

    /// <summary>Its exhaust valve leaks: gas escapes while it is compressed and burns, and less is left to blow out.</summary>
    Escape,
}

/// <summary>One explanation of what a mean cycle has beyond even pulses.</summary>
/// <param name="Fault">What the cylinders do otherwise.</param>
/// <param name="Places">The cylinders, as places of the firing order, the strongest first.</param>
/// <param name="Unexplained">The share of the residual's energy that is left, 0 to 1.</param>
internal sealed record PulseCause(PulseFault Fault, IReadOnlyList<int> Places, double Unexplained)
{
    /// <summary>
    /// A second cylinder is taken in where one leaves so much, two so much less of it, and the weaker is so strong beside the other;
    /// of three cylinders two can't be told from the third.
    /// </summary>
    private const double OneLeaves = 0.15,
        PairLeaves = 0.2,
        PairStrength = 0.4;

    /// <summary>A source so far from its usual place counts as explaining half as well, degrees.</summary>
    private const double OffPlace = 60;

    /// <summary>
    /// Of a leak the gas of compression, and what is missing in the blow-down, are so strong at least; the gas alone is, from the second.
    /// </summary>
    private const double LeastPart = 0.1,
        StrongPart = 0.5;

    /// <summary>Another cylinder that leaves less than so many times as much may be it too.</summary>
    private const double Nearly = 1.35;

    /// <summary>Two cylinders blow out otherwise where they leave so much less than one, and less than the second.</summary>
    private const double PairOfStrokes = 0.75,
        PairLeavesMost = 0.15;

    /// <summary>
    /// What leaves more than this is nobody's, or, where it is lower than such a share of a usual pulse, more than the last.
    /// </summary>
    private const double Named = 0.5,
        Low = 0.3,
        LowNamed = 0.25;

    /// <summary>A leak that leaves less than so many times as much as another's blow-down may be it too.</summary>
    private const double NearlyLeak = 3.3;

    /// <summary>
    /// Any course from the exhaust valve's opening to the middle of the stroke, and nearly to its end, degrees. The short one leaves more
    /// of what a cylinder does itself, the long one explains what the next cylinders do as well: the right one is good at both.
    /// </summary>
    private static readonly Lazy<double[][][]> s_short = new(() => GasSource.AnyCourse(115, 240)),
        s_long = new(() => GasSource.AnyCourse(115, 315));

    private static readonly Lazy<double[][][]> s_escapes = new(() =>
        [
            .. from later in (int[])[-10, 5, 20]
            from at in (int[])[160, 185]
            from width in (int[])[16, 30]
            from decay in GasSource.Decays
            let missing = Array.ConvertAll(GasSource.Bump(at + later, width, decay), v => -v)
            select (double[][])[.. GasSource.ThroughLeak(decay, later), missing],
        ]
    );

    /// <summary>
    /// Explains what is odd at the intake or the exhaust by one cylinder, or by two: sources of gas at the place of each fault in a
    /// cylinder's cycle, dying away, are fitted by least squares. What all cylinders have alike is taken out of residual and
    /// shapes, for it can't be seen.
    /// </summary>
    public static PulseCauses Find(PulseResidual of, bool isIntake)
    {
        var (one, two) = Best(isIntake ? PulseFault.Suction : PulseFault.BlowDown, of);
        if (!isIntake)
            return AtExhaust(of, two);
        var isPair = one.Unexplained > OneLeaves && two.Unexplained < PairLeaves * one.Unexplained;
        return IntakeCauses.Find(of, one, isPair ? two : null);
    }

    /// <summary>
    /// The cylinder whose blow-down, along whatever course, explains most, or whose exhaust valve leaks: gas of its compression comes
    /// early, and less is left to blow out. Or two that blow out otherwise along one course.
    /// </summary>
    private static PulseCauses AtExhaust(PulseResidual of, PulseCause two)
    {
        var fit = new SourceFit(of);
        var (early, whole) = (SourceFit.Best(fit.Free, s_short.Value), SourceFit.Best(fit.Free, s_long.Value));
        var leaks = SourceFit.Best(fit.Positive, s_escapes.Value);
        var ranked = Enumerable.Range(0, leaks.Length).Select(Likelier).OrderBy(cause => cause.Unexplained).ToList();
        var best = ranked[0];
        if (of.Angles.Length > 3 && (two.Unexplained < PairOfStrokes * best.Unexplained || IsPair(fit, two, best)))
            return new(two);
        var leak = Best(PulseFault.Escape, leaks);
        var rival =
            ranked[1].Unexplained < Nearly * best.Unexplained ? ranked[1]
            : leak.Places[0] != best.Places[0] && IsLeak(leaks[leak.Places[0]]) && leak.Unexplained < NearlyLeak * best.Unexplained ? leak
            : null;
        return new(best, rival, best.Unexplained > (of.Height < Low ? LowNamed : Named));

        PulseCause Likelier(int place)
        {
            var blowDown = new PulseCause(PulseFault.BlowDown, [place], Math.Sqrt(early[place].Left * whole[place].Left));
            return IsLeak(leaks[place]) && leaks[place].Left < blowDown.Unexplained ? Of(PulseFault.Escape, place, leaks) : blowDown;
        }
    }

    /// <summary>True where two along any course, short and long, are the two along the usual one and leave clearly less than one.</summary>
    private static bool IsPair(SourceFit fit, PulseCause two, PulseCause one)
    {
        var most = Math.Min(PairLeavesMost, PairOfStrokes * one.Unexplained);
        return new[] { s_long, s_short }
            .Select(courses => fit.FreePair(courses.Value))
            .All(pair => pair.Left < most && pair.IsOf(two.Places));
    }

    /// <summary>True where gas of compression shows, and less is blown out or the gas is plain.</summary>
    private static bool IsLeak(SourceShare share) =>
        share.Parts is [var compressed, .., var missing] && compressed >= LeastPart && (missing >= LeastPart || compressed >= StrongPart);

    /// <summary>The cylinder that one of several families of courses explains most by.</summary>
    public static PulseCause Likeliest(PulseFault fault, SourceFit fit, IEnumerable<double[][]> families) =>
        Best(fault, SourceFit.Best(fit.Positive, families));

    /// <summary>The cylinder that explains most.</summary>
    public static PulseCause Best(PulseFault fault, SourceShare[] each) =>
        Enumerable.Range(0, each.Length).Select(place => Of(fault, place, each)).MinBy(c => c.Unexplained)!;

    public static PulseCause Of(PulseFault fault, int place, SourceShare[] each) => new(fault, [place], each[place].Left);

    /// <summary>One cylinder or two, each at the source that explains most.</summary>
    private static (PulseCause One, PulseCause Two) Best(PulseFault fault, PulseResidual of)
    {
        PulseCause one = new(fault, [0], 1),
            two = one;
        foreach (var (course, penalty) in Sources(fault))
        {
            var shapes = of.Angles.Select((_, place) => PulseResidual.Odd(GasSource.Turned(course, of.TurnTo(place)), of.Angles)).ToArray();
            var fits = new Fits(shapes, of);
            var found = fits.One(fault);
            if (
                found is not null
                && !(fault == PulseFault.Suction && (!of.Draws(found.Places[0]) || fits.IsOnTop(course, found.Places[0])))
            )
                one = Better(one, found, penalty);
            if (shapes.Length > 3 && fits.Two(fault) is { } pair && (fault != PulseFault.Suction || pair.Places.All(of.Draws)))
                two = Better(two, pair, penalty);
        }

        return (one, two);
    }

    private static PulseCause Better(PulseCause known, PulseCause? found, double penalty) =>
        found is not null && Math.Min(1, found.Unexplained * penalty) is var left && left < known.Unexplained
            ? found with
            {
                Unexplained = left,
            }
            : known;

    /// <summary>
    /// Sources of a kind: a bump at its place, of its width, that dies away; a value a degree after firing TDC. How far the place is
    /// from the usual one counts against it.
    /// </summary>
    private static IEnumerable<(double[] Course, double Penalty)> Sources(PulseFault fault)
    {
        var (sign, usual, off, widths) =
            fault == PulseFault.Suction
                ? (1, 455, (double[])[-45, -30, -15, 0, 15, 30, 45], (double[])[24, 40, 60, 85])
                : (-1, 187, [-18, -6, 6, 18], [14, 26]);
        return from beside in off
            from width in widths
            from decay in GasSource.Decays
            select (
                Array.ConvertAll(GasSource.Bump(usual + beside, width, decay), v => sign * v),
                1 + beside * beside / (OffPlace * OffPlace)
            );
    }

    /// <summary>Shapes of one source, turned to each cylinder, against what has to be explained.</summary>
    private sealed class Fits(double[][] shapes, PulseResidual of)
    {
        private readonly double[] _fits = [.. shapes.Select(s => PulseResidual.Product(s, of.Course))];
        private readonly double[] _sizes = [.. shapes.Select(s => PulseResidual.Product(s, s))];

        /// <summary>The cylinder that explains most; null where none does.</summary>
        public PulseCause? One(PulseFault fault)
        {
            PulseCause? best = null;
            for (var i = 0; i < shapes.Length; i++)
                if (_fits[i] > 0 && of.Left(1 - _fits[i] * _fits[i] / (_sizes[i] * of.Energy)) is var left && !(left >= best?.Unexplained))
                    best = new(fault, [i], left);
            return best;
        }

        /// <summary>True where the source, as strong as it is found in a cylinder, is gas on top of the others' pulse.</summary>
        public bool IsOnTop(double[] source, int place)
        {
            var strength = _fits[place] / _sizes[place];
            return of.IsOnTop(Array.ConvertAll(GasSource.Turned(source, of.TurnTo(place)), v => strength * v));
        }

        /// <summary>The two cylinders that explain most together, each with gas of the same sign; null where there are none.</summary>
        public PulseCause? Two(PulseFault fault)
        {
            PulseCause? best = null;
            for (var i = 0; i < shapes.Length; i++)
            for (var k = i + 1; k < shapes.Length; k++)
                if (Two(fault, i, k) is { } pair && !(pair.Unexplained >= best?.Unexplained))
                    best = pair;
            return best;
        }

        private PulseCause? Two(PulseFault fault, int i, int k)
        {
            var cross = PulseResidual.Product(shapes[i], shapes[k]);
            var determinant = _sizes[i] * _sizes[k] - cross * cross;
            if (determinant <= 1e-6 * _sizes[i] * _sizes[k])
                return null;
            var first = (_fits[i] * _sizes[k] - _fits[k] * cross) / determinant;
            var second = (_fits[k] * _sizes[i] - _fits[i] * cross) / determinant;
            if (Math.Min(first, second) <= 0 || Math.Min(first, second) < PairStrength * Math.Max(first, second))
                return null;
            return new(fault, first >= second ? [i, k] : [k, i], of.Left(1 - (first * _fits[i] + second * _fits[k]) / of.Energy));
        }
    }
}
