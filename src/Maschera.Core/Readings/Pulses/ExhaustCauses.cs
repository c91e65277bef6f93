namespace Maschera.Core.Readings.Pulses;

/// <summary>
/// Weighs what a cylinder may do otherwise at the exhaust: it blows out along another course than the others, less or later or by sucking
/// back what is in the pipe, or its valve leaks while it is compressed and burns. What pipe, silencer and pick-up make of it is not
/// known, so that course is left free from the valve's opening on.
/// </summary>
internal static class ExhaustCauses
{
    /// <summary>
    /// Of a leak the gas of compression, and what is missing in the blow-down, are so strong at least; the gas alone is, from the second.
    /// </summary>
    private const double LeastPart = 0.1,
        StrongPart = 0.5;

    /// <summary>What a leak leaves counts for so much, as its course is known and not left free.</summary>
    private const double LeakCounts = 0.8;

    /// <summary>Another cylinder that leaves less than so many times as much may be it too, or one whose valve leaks.</summary>
    private const double Nearly = 1.35,
        NearlyLeak = 2.6;

    /// <summary>
    /// What leaves more than this is nobody's, or, where it is lower than such a share of a usual pulse, more than the last; then two are
    /// not looked for.
    /// </summary>
    private const double Named = 0.5,
        Low = 0.3,
        LowNamed = 0.25;

    /// <summary>One cylinder's fault leaves less than this four times out of five.</summary>
    private const double Part = 0.25;

    /// <summary>From the valve's opening to the middle of the stroke, and nearly to its end, degrees.</summary>
    private static readonly FreeCourse s_blowDown = new((115, 240), (115, 315));

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

    /// <summary>Explains what differs between cylinders.</summary>
    public static PulseCauses Find(PulseResidual of)
    {
        var fit = new SourceFit(of);
        var (blowDowns, _) = s_blowDown.Each(fit);
        var escapes = Escapes(fit);
        var ranked = Enumerable.Range(0, blowDowns.Length).Select(Likelier).OrderBy(cause => cause.Unexplained).ToList();
        var best = ranked[0];
        if (of.Height >= Low && Two(of, fit, best.Unexplained) is { } two)
            return two;
        var rival = Rival(best, ranked[1], Nearly) ?? Rival(best, escapes.FirstOrDefault(), NearlyLeak);
        return new(best, rival, best.Unexplained > (of.Height < Low ? LowNamed : Named), best.Unexplained > Part);

        PulseCause Likelier(int place) =>
            escapes.Find(e => e.Places[0] == place) is { } escape && escape.Unexplained < blowDowns[place]
                ? escape
                : new(PulseFault.BlowDown, [place], blowDowns[place]);
    }

    private static PulseCauses? Two(PulseResidual of, SourceFit fit, double one) =>
        PairChoice.Of(
            of,
            one,
            (PulseFault.BlowDown, () => s_blowDown.Pairs(fit, false)),
            (PulseFault.Escape, () => fit.PositivePairs(s_escapes.Value))
        );

    private static PulseCause? Rival(PulseCause best, PulseCause? other, double nearly) =>
        other is not null && other.Places[0] != best.Places[0] && other.Unexplained < nearly * best.Unexplained ? other : null;

    /// <summary>Cylinders whose leak shows, the likeliest first.</summary>
    private static List<PulseCause> Escapes(SourceFit fit) =>
        [
            .. SourceFit
                .Best(fit.Positive, s_escapes.Value)
                .Select((share, place) => (share, place))
                .Where(each => IsLeak(each.share))
                .Select(each => new PulseCause(PulseFault.Escape, [each.place], LeakCounts * each.share.Left))
                .OrderBy(escape => escape.Unexplained),
        ];

    /// <summary>True where gas of compression shows, and less is blown out or the gas is plain.</summary>
    private static bool IsLeak(SourceShare share) =>
        share.Parts is [var compressed, .., var missing] && compressed >= LeastPart && (missing >= LeastPart || compressed >= StrongPart);
}
