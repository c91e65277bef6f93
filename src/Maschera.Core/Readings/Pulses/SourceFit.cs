using Maschera.Core.Timing;
using MathNet.Numerics.LinearAlgebra;

namespace Maschera.Core.Readings.Pulses;

/// <summary>What a cylinder's gas explains.</summary>
/// <param name="Left">The share that is left unexplained, 0 to 1.</param>
/// <param name="Parts">How strong each of its courses is beside what has to be explained, root of the energies.</param>
internal sealed record SourceShare(double Left, IReadOnlyList<double> Parts);

/// <summary>What two cylinders explain that do the same, one maybe more than the other.</summary>
/// <param name="Places">The stronger first.</param>
/// <param name="Left">The share that is left unexplained, 0 to 1.</param>
/// <param name="IsMore">True where it is gas that is too much, false where it is missing.</param>
internal sealed record SourcePair(IReadOnlyList<int> Places, double Left, bool IsMore);

/// <summary>
/// Courses of one cylinder's gas, laid on each cylinder in turn and fitted to what cylinders that fire alike have beyond each other.
/// </summary>
/// <param name="of">What has to be explained.</param>
internal sealed class SourceFit(PulseResidual of)
{
    /// <summary>A share of each diagonal term that keeps courses beside each other from outdoing one another.</summary>
    private const double Ridge = 3e-4;

    /// <summary>How much of what the one does the other may do.</summary>
    private static readonly double[] s_ratios = [1, 0.7, 1 / 0.7];

    /// <summary>What has to be explained.</summary>
    public PulseResidual Of => of;

    /// <summary>
    /// Explains by each cylinder alone, with whatever of the courses fits, above and below the usual.
    /// </summary>
    /// <param name="courses">Of the first place, a value a degree after its firing TDC.</param>
    /// <returns>By place of the firing order.</returns>
    public SourceShare[] Free(double[][] courses)
    {
        var (own, products) = Prepared(courses);
        var solver = Ridged(products).Cholesky();
        return Each(own, products, fits => solver.Solve(fits));
    }

    /// <summary>
    /// Explains by every two cylinders, of which both do the same, with whatever of the courses of one of several families fits.
    /// </summary>
    /// <returns>Each with each, in the order of their places.</returns>
    public SourcePair[] FreePairs(IEnumerable<double[][]> families) =>
        Best(families.Select(courses => Pairs(courses, (products, fits) => Ridged(products).Cholesky().Solve(fits))), pair => pair.Left);

    /// <summary>The same with gas of the courses' own sign only.</summary>
    public SourcePair[] PositivePairs(IEnumerable<double[][]> families) =>
        Best(families.Select(courses => Pairs(courses, NotNegative)), pair => pair.Left);

    private SourcePair[] Pairs(double[][] courses, Func<Matrix<double>, Vector<double>, Vector<double>> weigh)
    {
        var (own, products) = Prepared(courses);
        var fits = Enumerable.Range(0, of.Angles.Length).Select(place => Fits(own, place)).ToArray();
        var apart = new Dictionary<int, Matrix<double>>();
        return
        [
            .. from first in Enumerable.Range(0, fits.Length)
            from second in Enumerable.Range(first + 1, fits.Length - first - 1)
            select s_ratios.Select(ratio => Pair(first, second, ratio)).MinBy(pair => pair.Left),
        ];

        SourcePair Pair(int first, int second, double ratio)
        {
            var degrees = of.TurnTo(second) - of.TurnTo(first);
            if (!apart.TryGetValue(degrees, out var cross))
                apart[degrees] = cross = Apart(own, degrees);
            var both = (1 + ratio * ratio) * products + ratio * cross;
            var fit = fits[first] + ratio * fits[second];
            var weights = weigh(both, fit);
            var left = 1 - (2 * weights.DotProduct(fit) - weights.DotProduct(both * weights)) / of.Energy;
            return new(ratio > 1 ? [second, first] : [first, second], of.Left(left), weights.Sum() > 0);
        }
    }

    /// <summary>Products of the courses with themselves so many degrees later, and the other way round.</summary>
    private static Matrix<double> Apart(double[][] own, int degrees)
    {
        var later = Array.ConvertAll(own, c => GasSource.Turned(c, degrees));
        var products = Matrix<double>.Build.Dense(own.Length, own.Length, (i, k) => PulseResidual.Product(own[i], later[k]));
        return products + products.Transpose();
    }

    private static Matrix<double> Ridged(Matrix<double> products)
    {
        var ridged = products.Clone();
        for (var i = 0; i < ridged.RowCount; i++)
            ridged[i, i] *= 1 + Ridge;
        return ridged;
    }

    /// <summary>The same with gas of the courses' own sign only.</summary>
    public SourceShare[] Positive(double[][] courses)
    {
        var (own, products) = Prepared(courses);
        return Each(own, products, fits => NotNegative(products, fits));
    }

    /// <summary>Each place's best over several families of courses.</summary>
    public static SourceShare[] Best(Func<double[][], SourceShare[]> fit, IEnumerable<double[][]> families) =>
        Best(families.Select(fit), share => share.Left);

    private static T[] Best<T>(IEnumerable<T[]> fits, Func<T, double> left) =>
        fits.Aggregate((best, each) => [.. best.Zip(each, (a, b) => left(b) < left(a) ? b : a)]);

    /// <summary>
    /// The courses less what all cylinders have alike, and their products: both turn with the cylinder they are laid on.
    /// </summary>
    private (double[][] Own, Matrix<double> Products) Prepared(double[][] courses)
    {
        var own = Array.ConvertAll(courses, c => PulseResidual.Odd(c, of.AlikeTurns));
        return (own, Matrix<double>.Build.Dense(own.Length, own.Length, (i, k) => PulseResidual.Product(own[i], own[k])));
    }

    private Vector<double> Fits(double[][] own, int place) =>
        Vector<double>.Build.Dense(Array.ConvertAll(own, c => Turned(c, of.TurnTo(place))));

    private SourceShare[] Each(double[][] own, Matrix<double> products, Func<Vector<double>, Vector<double>> weigh) =>
        [
            .. Enumerable
                .Range(0, of.Angles.Length)
                .Select(place =>
                {
                    var fits = Fits(own, place);
                    return Share(products, fits, weigh(fits));
                }),
        ];

    /// <summary>What courses explain that are taken so strong.</summary>
    /// <param name="products">Of the courses with each other.</param>
    /// <param name="fits">Of the courses with what has to be explained.</param>
    public SourceShare Share(Matrix<double> products, Vector<double> fits, Vector<double> weights)
    {
        var left = of.Energy - 2 * weights.DotProduct(fits) + weights.DotProduct(products * weights);
        var parts = weights.Select((w, i) => w * Math.Sqrt(products[i, i] / of.Energy));
        return new SourceShare(of.Left(left / of.Energy), [.. parts]);
    }

    /// <summary>Product of the target with a course so many degrees later.</summary>
    private double Turned(double[] course, int by)
    {
        var n = course.Length;
        var turn = (by % n + n) % n;
        return PulseResidual.Product(of.Course.AsSpan(turn), course.AsSpan(0, n - turn))
            + PulseResidual.Product(of.Course.AsSpan(0, turn), course.AsSpan(n - turn));
    }

    /// <summary>Those of the courses that, none below zero, explain most together: every choice of a few is tried.</summary>
    public static Vector<double> NotNegative(Matrix<double> products, Vector<double> fits)
    {
        var best = Vector<double>.Build.Dense(fits.Count);
        var most = 0.0;
        for (var choice = 1; choice < 1 << fits.Count; choice++)
        {
            int[] taken = [.. Enumerable.Range(0, fits.Count).Where(i => (choice >> i & 1) == 1)];
            var sub = Matrix<double>.Build.Dense(taken.Length, taken.Length, (i, k) => products[taken[i], taken[k]]);
            var weights = sub.Solve(Vector<double>.Build.Dense(taken.Length, i => fits[taken[i]]));
            var gain = taken.Select((t, i) => weights[i] * fits[t]).Sum();
            if (!weights.ForAll(w => w >= 0) || !(gain > most))
                continue;
            (most, best) = (gain, Vector<double>.Build.Dense(fits.Count));
            for (var i = 0; i < taken.Length; i++)
                best[taken[i]] = weights[i];
        }

        return best;
    }
}
