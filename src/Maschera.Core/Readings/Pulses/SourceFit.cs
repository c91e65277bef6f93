using Maschera.Core.Timing;
using MathNet.Numerics.LinearAlgebra;

namespace Maschera.Core.Readings.Pulses;

/// <summary>What a cylinder's gas explains.</summary>
/// <param name="Left">The share that is left unexplained, 0 to 1.</param>
/// <param name="Parts">How strong each of its courses is beside what has to be explained, root of the energies.</param>
/// <param name="Course">What explains it, a value a degree of the first place's cycle.</param>
internal sealed record SourceShare(double Left, IReadOnlyList<double> Parts, Lazy<double[]> Course);

/// <summary>What two cylinders explain that do the same, one maybe more than the other.</summary>
/// <param name="Places">The stronger first.</param>
/// <param name="Left">The share that is left unexplained, 0 to 1.</param>
/// <param name="Course">What the stronger does, a value a degree of the first place's cycle.</param>
internal sealed record SourcePair(IReadOnlyList<int> Places, double Left, Lazy<double[]> Course)
{
    /// <summary>True where these are the two, whichever is the stronger.</summary>
    public bool IsOf(IReadOnlyList<int> places) => Places.Order().SequenceEqual(places.Order());
}

/// <summary>
/// Courses of one cylinder's gas, laid on each cylinder in turn and fitted to what cylinders that fire alike have beyond each other.
/// </summary>
internal sealed class SourceFit
{
    /// <summary>A share of each diagonal term that keeps courses beside each other from outdoing one another.</summary>
    private const double Ridge = 3e-4;

    /// <summary>How much of what the one does the other may do.</summary>
    private static readonly double[] s_ratios = [1, 0.7, 1 / 0.7];

    private readonly PulseResidual _of;
    private readonly double[] _target;
    private readonly double _energy;
    private readonly int _harmonics;

    /// <param name="of">What has to be explained.</param>
    /// <param name="harmonics">Of the cycle that are left out on both sides, since the engine's speed swings with them.</param>
    public SourceFit(PulseResidual of, int harmonics = 0)
    {
        (_of, _harmonics) = (of, harmonics);
        _target = PulseResidual.WithoutSlow(of.Course, harmonics);
        _energy = PulseResidual.Product(_target, _target);
    }

    /// <summary>
    /// Explains by each cylinder alone, with whatever of the courses fits, above and below the usual.
    /// </summary>
    /// <param name="courses">Of the first place, a value a degree after its firing TDC.</param>
    /// <returns>By place of the firing order.</returns>
    public SourceShare[] Free(double[][] courses)
    {
        var (own, products) = Prepared(courses);
        var solver = Ridged(products).Cholesky();
        return Each(own, products, fits => solver.Solve(fits), courses);
    }

    /// <summary>
    /// The two cylinders that explain most if both do the same, with whatever of the courses of one of several families fits.
    /// </summary>
    public SourcePair FreePair(IEnumerable<double[][]> families) => families.Select(FreePair).MinBy(pair => pair.Left)!;

    private SourcePair FreePair(double[][] courses)
    {
        var (own, products) = Prepared(courses);
        var fits = Enumerable.Range(0, _of.Angles.Length).Select(place => Fits(own, place)).ToArray();
        var apart = new Dictionary<int, Matrix<double>>();
        var best = new SourcePair([0, 1], 1, new(() => new double[CycleFold.Bins]));
        for (var i = 0; i < fits.Length; i++)
        for (var k = i + 1; k < fits.Length; k++)
        {
            var degrees = _of.TurnTo(k) - _of.TurnTo(i);
            if (!apart.TryGetValue(degrees, out var cross))
                apart[degrees] = cross = Apart(own, degrees);
            foreach (var ratio in s_ratios)
            {
                var both = (1 + ratio * ratio) * products + ratio * cross;
                var fit = fits[i] + ratio * fits[k];
                var weights = Ridged(both).Cholesky().Solve(fit);
                var left = _of.Left(1 - (2 * weights.DotProduct(fit) - weights.DotProduct(both * weights)) / _energy);
                var (first, second, strength) = ratio > 1 ? (k, i, ratio) : (i, k, 1);
                if (left < best.Left)
                    best = new([first, second], left, new(() => GasSource.Turned(Sum(courses, strength * weights), _of.TurnTo(first))));
            }
        }

        return best;
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
        return Each(own, products, fits => NotNegative(products, fits), courses);
    }

    /// <summary>Each place's best over several families of courses.</summary>
    public static SourceShare[] Best(Func<double[][], SourceShare[]> fit, IEnumerable<double[][]> families) =>
        families.Select(fit).Aggregate((best, each) => [.. best.Zip(each, (a, b) => b.Left < a.Left ? b : a)]);

    /// <summary>
    /// The courses less what all cylinders have alike, and their products: both turn with the cylinder they are laid on.
    /// </summary>
    private (double[][] Own, Matrix<double> Products) Prepared(double[][] courses)
    {
        var own = Array.ConvertAll(courses, c => PulseResidual.WithoutSlow(PulseResidual.Odd(c, _of.Angles), _harmonics));
        return (own, Matrix<double>.Build.Dense(own.Length, own.Length, (i, k) => PulseResidual.Product(own[i], own[k])));
    }

    private Vector<double> Fits(double[][] own, int place) =>
        Vector<double>.Build.Dense(Array.ConvertAll(own, c => Turned(c, _of.TurnTo(place))));

    private SourceShare[] Each(double[][] own, Matrix<double> products, Func<Vector<double>, Vector<double>> weigh, double[][] courses) =>
        [
            .. Enumerable
                .Range(0, _of.Angles.Length)
                .Select(place =>
                {
                    var fits = Fits(own, place);
                    var weights = weigh(fits);
                    var left = _energy - 2 * weights.DotProduct(fits) + weights.DotProduct(products * weights);
                    var parts = weights.Select((w, i) => w * Math.Sqrt(products[i, i] / _energy));
                    return new SourceShare(
                        _of.Left(left / _energy),
                        [.. parts],
                        new(() => GasSource.Turned(Sum(courses, weights), _of.TurnTo(place)))
                    );
                }),
        ];

    private static double[] Sum(double[][] courses, Vector<double> weights)
    {
        var sum = new double[courses[0].Length];
        for (var c = 0; c < courses.Length; c++)
        for (var i = 0; i < sum.Length; i++)
            sum[i] += weights[c] * courses[c][i];
        return sum;
    }

    /// <summary>Product of the target with a course so many degrees later.</summary>
    private double Turned(double[] course, int by)
    {
        var n = course.Length;
        var turn = (by % n + n) % n;
        return PulseResidual.Product(_target.AsSpan(turn), course.AsSpan(0, n - turn))
            + PulseResidual.Product(_target.AsSpan(0, turn), course.AsSpan(n - turn));
    }

    /// <summary>Those of the courses that, none below zero, explain most together: every choice of a few is tried.</summary>
    private static Vector<double> NotNegative(Matrix<double> products, Vector<double> fits)
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
