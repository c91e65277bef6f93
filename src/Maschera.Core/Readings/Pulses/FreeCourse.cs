namespace Maschera.Core.Readings.Pulses;

/// <summary>
/// Any course of a cylinder's gas while its valve is open, in a short stretch of that time and in nearly all of it. The short one leaves
/// more of what a cylinder does itself, the long one explains what the next cylinders do as well: the right cylinder is good at both.
/// </summary>
/// <param name="early">From and to, degrees after firing TDC.</param>
/// <param name="whole">The same.</param>
internal sealed class FreeCourse((double From, double To) early, (double From, double To) whole)
{
    /// <summary>
    /// Two cylinders do the same otherwise where one alone leaves more than the first share, they leave so much less than it, and every
    /// other two so many times as much.
    /// </summary>
    private const double OneLeaves = 0.13,
        PairLeaves = 0.3,
        PairNext = 1.5;

    /// <summary>Two cylinders' courses fit much of what is chance: where it is more than such a share none are looked for.</summary>
    private const double PairNoise = 0.25;

    private readonly Lazy<double[][][]>[] _stretches =
    [
        .. new[] { early, whole }.Select(s => new Lazy<double[][][]>(() => GasSource.AnyCourse(s.From, s.To))),
    ];

    /// <summary>
    /// The share that each cylinder leaves, by place of the firing order: the root of what both stretches leave, and what the whole one
    /// does.
    /// </summary>
    public (double[] Both, double[] Whole) Each(SourceFit fit)
    {
        var (first, second) = (Left(fit, 0), Left(fit, 1));
        return ([.. first.Zip(second, (a, b) => Math.Sqrt(a * b))], second);
    }

    private double[] Left(SourceFit fit, int stretch) =>
        Array.ConvertAll(SourceFit.Best(fit.Free, _stretches[stretch].Value), share => share.Left);

    /// <summary>
    /// Two cylinders that do the same; null where one alone explains about as much, where much is chance, and of three, of which two can't
    /// be told from the third.
    /// </summary>
    /// <param name="isMore">True where their fault leaves more gas at the pick-up than there usually is.</param>
    /// <param name="one">What the one leaves that explains most.</param>
    public PulseCause? Pair(SourceFit fit, PulseFault fault, bool isMore, double one)
    {
        if (fit.Of.Angles.Length <= 3 || fit.Of.Noise > PairNoise || one < OneLeaves)
            return null;
        var (early, all) = (fit.FreePairs(_stretches[0].Value), fit.FreePairs(_stretches[1].Value));
        // Of four cylinders two that do less are two others that do more.
        var ranked = early
            .Zip(all, (a, b) => a with { Left = a.IsMore == isMore ? Math.Sqrt(a.Left * b.Left) : 1 })
            .OrderBy(pair => pair.Left)
            .ToList();
        return ranked[0].Left < PairLeaves * one && ranked[1].Left > PairNext * ranked[0].Left
            ? new(fault, ranked[0].Places, ranked[0].Left)
            : null;
    }
}
