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
