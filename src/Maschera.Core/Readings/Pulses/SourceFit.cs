using Maschera.Core.Timing;
using MathNet.Numerics.LinearAlgebra;

namespace Maschera.Core.Readings.Pulses;

/// <summary>What a cylinder's gas explains.</summary>
/// <param name="Left">The share that is left unexplained, 0 to 1.</param>
/// <param name="Courses">The gas is a sum of these, a value a degree after the cylinder's firing TDC.</param>
/// <param name="Weights">How much of each, in the pick-up's unit.</param>
internal sealed record SourceShare(double Left, double[][] Courses, IReadOnlyList<double> Weights)
{
    /// <summary>How high the gas stands, from its lowest to its highest.</summary>
    public double Height
    {
        get
        {
            var gas = Enumerable.Range(0, CycleFold.Bins).Select(i => Courses.Select((c, k) => Weights[k] * c[i]).Sum()).ToList();
            return gas.Max() - gas.Min();
        }
    }
}

/// <summary>
/// Courses of one cylinder's gas, laid on each cylinder in turn and fitted to what evenly firing cylinders have beyond each other.
/// </summary>
internal sealed class SourceFit
{
    /// <summary>A share of each diagonal term that keeps courses beside each other from outdoing one another.</summary>
    private const double Ridge = 3e-4;

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
        var ridged = products.Clone();
        for (var i = 0; i < own.Length; i++)
            ridged[i, i] *= 1 + Ridge;
        var solver = ridged.Cholesky();
        return Each(courses, own, products, fits => solver.Solve(fits));
    }

    /// <summary>The same with gas of the courses' own sign only, one of them or two together.</summary>
    public SourceShare[] Positive(double[][] courses)
    {
        var (own, products) = Prepared(courses);
        return Each(courses, own, products, fits => NotNegative(products, fits));
    }

    /// <summary>
    /// The courses less what all cylinders have alike, and their products: both turn with the cylinder they are laid on.
    /// </summary>
    private (double[][] Own, Matrix<double> Products) Prepared(double[][] courses)
    {
        var own = Array.ConvertAll(courses, c => PulseResidual.WithoutSlow(PulseResidual.Odd(c, _of.Angles), _harmonics));
        return (own, Matrix<double>.Build.Dense(own.Length, own.Length, (i, k) => PulseResidual.Product(own[i], own[k])));
    }

    private SourceShare[] Each(
        double[][] courses,
        double[][] own,
        Matrix<double> products,
        Func<Vector<double>, Vector<double>> weigh
    ) =>
        [
            .. Enumerable
                .Range(0, _of.Angles.Length)
                .Select(place =>
                {
                    var fits = Vector<double>.Build.Dense(Array.ConvertAll(own, c => Turned(c, _of.TurnTo(place))));
                    var weights = weigh(fits);
                    var left = _energy - 2 * weights.DotProduct(fits) + weights.DotProduct(products * weights);
                    return new SourceShare(_of.Left(left / _energy), courses, [.. weights]);
                }),
        ];

    /// <summary>Product of the target with a course so many degrees later.</summary>
    private double Turned(double[] course, int by)
    {
        var n = course.Length;
        var turn = (by % n + n) % n;
        return PulseResidual.Product(_target.AsSpan(turn), course.AsSpan(0, n - turn))
            + PulseResidual.Product(_target.AsSpan(0, turn), course.AsSpan(n - turn));
    }

    private static Vector<double> NotNegative(Matrix<double> products, Vector<double> fits)
    {
        var both = products.Solve(fits);
        if (both.ForAll(w => w >= 0))
            return both;
        // Where one of two would run below zero, one of them alone explains most.
        var alone = fits.PointwiseDivide(products.Diagonal()).PointwiseMaximum(0);
        var best = alone.PointwiseMultiply(fits).MaximumIndex();
        return Vector<double>.Build.Dense(fits.Count, i => i == best ? alone[i] : 0);
    }
}
