using Maschera.Core.Timing;
using MathNet.Numerics.LinearAlgebra;

namespace Maschera.Core.Readings.Pulses;

/// <summary>What a cylinder's gas explains.</summary>
/// <param name="Left">The share that is left unexplained, 0 to 1.</param>
/// <param name="Parts">How strong each of its courses is beside what has to be explained, root of the energies.</param>
internal sealed record SourceShare(double Left, IReadOnlyList<double> Parts);

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
        return Each(own, products, fits => solver.Solve(fits));
    }

    /// <summary>The same with gas of the courses' own sign only.</summary>
    public SourceShare[] Positive(double[][] courses)
    {
        var (own, products) = Prepared(courses);
        return Each(own, products, fits => NotNegative(products, fits));
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

    private SourceShare[] Each(double[][] own, Matrix<double> products, Func<Vector<double>, Vector<double>> weigh) =>
        [
            .. Enumerable
                .Range(0, _of.Angles.Length)
                .Select(place =>
                {
                    var fits = Vector<double>.Build.Dense(Array.ConvertAll(own, c => Turned(c, _of.TurnTo(place))));
                    var weights = weigh(fits);
                    var left = _energy - 2 * weights.DotProduct(fits) + weights.DotProduct(products * weights);
                    var parts = weights.Select((w, i) => w * Math.Sqrt(products[i, i] / _energy));
                    return new SourceShare(_of.Left(left / _energy), [.. parts]);
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
