namespace Maschera.Core.Readings.Pulses;

/// <summary>Whether two cylinders that do the same explain what one alone does not, one of them maybe less than the other.</summary>
internal static class PairChoice
{
    /// <summary>
    /// Two are taken where one alone leaves more than the first share, they leave so much less than it, and every other two that do the
    /// same so many times as much.
    /// </summary>
    private const double OneLeaves = 0.05,
        PairLeaves = 0.4,
        PairNext = 1.5;

    /// <summary>Two cylinders' courses fit much of what is chance: where it is more than such a share none are looked for.</summary>
    private const double PairNoise = 0.25;

    /// <summary>Two that do something else and leave less than so many times as much may be it too.</summary>
    private const double Nearly = 4;

    /// <summary>Two others are taken where they leave so much less than the one.</summary>
    private const double InsteadLeaves = 0.6;

    /// <summary>
    /// Two neighbours that draw less may look like a third that does something else. They are taken, or said to be it too, where the two that
    /// explain most along any course and those that do by blowing back are the same, and leave less than the one.
    /// </summary>
    /// <param name="of">What has to be explained.</param>
    /// <param name="single">The one that explains most.</param>
    /// <param name="suctions">What each two leave along any course.</param>
    /// <param name="blowbacks">What each two leave by blowing back.</param>
    /// <returns>Null where the one explains more than they do.</returns>
    public static PulseCauses? Instead(PulseResidual of, PulseCauses single, Lazy<SourcePair[]> suctions, Lazy<SourcePair[]> blowbacks)
    {
        var one = single.Best;
        SourcePair? Best(IEnumerable<SourcePair> pairs) => pairs.Where(p => !p.Places.Contains(one.Places[0])).MinBy(p => p.Left);
        if (of.Noise > PairNoise || Best(suctions.Value) is not { } first || first.Left >= one.Unexplained)
            return null;
        if (Best(blowbacks.Value) is not { } second || !second.Places.Order().SequenceEqual(first.Places.Order()))
            return null;
        var left = Math.Sqrt(first.Left * second.Left);
        var two = new PulseCause(first.Left < second.Left ? PulseFault.Suction : PulseFault.Blowback, first.Places, left);
        if (left < InsteadLeaves * one.Unexplained)
            return new(two, single.IsNobody ? null : one);
        return left < one.Unexplained && !single.IsNobody ? single with { Rival = two } : null;
    }

    /// <summary>The two; null where one alone explains about as much, others that do the same as well, or much is chance.</summary>
    /// <param name="of">What has to be explained.</param>
    /// <param name="one">What the one leaves that explains most.</param>
    /// <param name="ways">What two may do, and what each two leave that do it.</param>
    public static PulseCauses? Of(PulseResidual of, double one, params (PulseFault Fault, Func<IEnumerable<SourcePair>> Pairs)[] ways)
    {
        if (of.Noise > PairNoise || one < OneLeaves)
            return null;
        var each = ways.Select(way => (way.Fault, Pairs: way.Pairs().OrderBy(pair => pair.Left).Take(2).ToArray()))
            .Where(way => way.Pairs.Length == 2)
            .OrderBy(way => way.Pairs[0].Left)
            .Select(way => (Cause: new PulseCause(way.Fault, way.Pairs[0].Places, way.Pairs[0].Left), Next: way.Pairs[1].Left))
            .ToList();
        var (best, next) = each[0];
        if (best.Unexplained >= PairLeaves * one || next <= PairNext * best.Unexplained)
            return null;
        var other = each.Find(way => !way.Cause.Places.Order().SequenceEqual(best.Places.Order())).Cause;
        return new(best, other is not null && other.Unexplained < Nearly * best.Unexplained ? other : null);
    }
}
