namespace Maschera.Core.Readings.Pulses;

/// <summary>
/// Any course of a cylinder's gas while its valve is open, in a short stretch of that time and in nearly all of it. The short one leaves
/// more of what a cylinder does itself, the long one explains what the next cylinders do as well: the right cylinder is good at both.
/// </summary>
/// <param name="early">From and to, degrees after firing TDC.</param>
/// <param name="whole">The same.</param>
internal sealed class FreeCourse((double From, double To) early, (double From, double To) whole)
{
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
    /// What every two cylinders leave that do the same, one maybe less; none of three cylinders, of which two can't be told from the third.
    /// </summary>
    /// <param name="isMore">True where their fault leaves more gas at the pick-up than there usually is.</param>
    public IEnumerable<SourcePair> Pairs(SourceFit fit, bool isMore)
    {
        if (fit.Of.Angles.Length <= 3)
            return [];
        var (early, all) = (fit.FreePairs(_stretches[0].Value), fit.FreePairs(_stretches[1].Value));
        // Of four cylinders two that do less are two others that do more.
        return early.Zip(all, (a, b) => a with { Left = a.IsMore == isMore ? Math.Sqrt(a.Left * b.Left) : 1 });
    }
}
