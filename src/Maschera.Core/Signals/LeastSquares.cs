using Matrix = MathNet.Numerics.LinearAlgebra.Matrix<double>;
using Vector = MathNet.Numerics.LinearAlgebra.Vector<double>;

namespace Maschera.Core.Signals;

/// <summary>An unknown of a non-linear fit.</summary>
/// <param name="Difference">The step of its forward difference.</param>
/// <param name="MostMove">The most it may move in one iteration.</param>
/// <param name="Lower">Its lower bound.</param>
/// <param name="Upper">Its upper bound.</param>
public readonly record struct Unknown(
    double Difference,
    double MostMove,
    double Lower = double.NegativeInfinity,
    double Upper = double.PositiveInfinity
);

/// <summary>When a non-linear fit ends.</summary>
/// <param name="Iterations">At most so many Jacobians.</param>
/// <param name="Gain">Where an iteration takes less than this share off the cost.</param>
/// <param name="Hopeless">Where it costs more than this after ten iterations.</param>
public readonly record struct FitEnd(int Iterations, double Gain = 1e-5, double Hopeless = double.PositiveInfinity)
{
    private const int Fair = 10;

    /// <summary>True where an iteration was the last.</summary>
    public bool Reached(int iteration, double before, double cost) =>
        before - cost < Gain * before || iteration + 1 >= Fair && cost > Hopeless;
}

/// <summary>Linear and damped non-linear least squares for a handful of unknowns.</summary>
public static class LeastSquares
{
    /// <summary>
    /// Solves the normal equations of rows x columns <paramref name="columns"/> against <paramref name="target"/>.
    /// </summary>
    /// <param name="columns">One array a unknown, each as long as <paramref name="target"/>.</param>
    /// <param name="target">What the weighted sum of the columns should be.</param>
    /// <param name="use">Rows that count; all where null.</param>
    /// <param name="ridge">A share of each diagonal term that is added to it, for columns nearly alike.</param>
    /// <returns>One weight a column; all zero where the values are too large, or none at all, to tell.</returns>
    public static double[] Linear(IReadOnlyList<double[]> columns, double[] target, bool[]? use = null, double ridge = 1e-9)
    {
        var n = columns.Count;
        var normal = new double[n, n];
        var right = new double[n];
        for (var row = 0; row < target.Length; row++)
        {
            if (use is not null && !use[row])
                continue;
            for (var i = 0; i < n; i++)
            {
                var value = columns[i][row];
                right[i] += value * target[row];
                for (var j = 0; j <= i; j++)
                    normal[i, j] += value * columns[j][row];
            }
        }

        for (var i = 0; i < n; i++)
            normal[i, i] += ridge * normal[i, i] + double.Epsilon;
        if (!Array.TrueForAll(right, double.IsFinite) || !IsFinite(normal))
            return new double[n];
        // Columns that can not be told apart share what they explain: the least solution among those that fit equally well.
        return Solved(normal, right) ?? [.. Symmetric(normal).PseudoInverse() * Vector.Build.Dense(right)];
    }

    private static bool IsFinite(double[,] matrix)
    {
        foreach (var value in matrix)
            if (!double.IsFinite(value))
                return false;
        return true;
    }

    /// <summary>
    /// Minimises half the sum of squared residuals by Levenberg-Marquardt with a forward-difference Jacobian
    /// (Marquardt 1963; Nocedal and Wright, Numerical Optimization, ch. 10).
    /// </summary>
    /// <param name="residuals">Residuals for a parameter vector; always of the same length.</param>
    /// <param name="start">Where to begin.</param>
    /// <param name="unknowns">Difference step, reach and bounds of each parameter.</param>
    /// <param name="end">When it ends.</param>
    /// <param name="moved">
    /// Residuals where one unknown has moved, given the vector, its index and the residuals before; worked out on all cores. Where null,
    /// all are made anew, one after another.
    /// </param>
    public static (double[] Parameters, double Cost) NonLinear(
        Func<double[], double[]> residuals,
        double[] start,
        IReadOnlyList<Unknown> unknowns,
        FitEnd end,
        Func<double[], int, double[], double[]>? moved = null,
        CancellationToken cancel = default
    )
    {
        var at = (double[])start.Clone();
        var r = residuals(at);
        var cost = Cost(r);
        var damping = 1e-2;
        for (var iteration = 0; iteration < end.Iterations; iteration++)
        {
            cancel.ThrowIfCancellationRequested();
            var jacobian = Jacobian(residuals, at, r, unknowns, moved);
            var (normal, gradient) = Normal(jacobian, r);
            var before = cost;
            for (var attempt = 0; attempt < 8; attempt++)
            {
                if (Step(at, normal, gradient, damping, unknowns) is not { } trial)
                {
                    damping *= 4;
                    continue;
                }

                var trialResiduals = residuals(trial);
                var trialCost = Cost(trialResiduals);
                if (trialCost < cost)
                {
                    (at, r, cost) = (trial, trialResiduals, trialCost);
                    damping = Math.Max(1e-9, damping / 5);
                    break;
                }

                damping *= 4;
            }

            if (end.Reached(iteration, before, cost))
                break;
        }

        return (at, cost);
    }

    /// <summary>
    /// How unsure parameters are at a minimum: from the curvature there and the residuals that are left (Press et al., Numerical Recipes,
    /// ch. 15.6). Residuals are taken to be independent. Infinite where the residuals don't tell a parameter.
    /// </summary>
    public static ParameterErrors Errors(
        Func<double[], double[]> residuals,
        double[] at,
        IReadOnlyList<Unknown> unknowns,
        Func<double[], int, double[], double[]>? moved = null
    )
    {
        var r = residuals(at);
        var (normal, _) = Normal(Jacobian(residuals, at, r, unknowns, moved), r);
        var n = at.Length;
        var variance = Dot(r, r) / Math.Max(1, r.Length - n);
        var rows = new double[n][];
        for (var k = 0; k < n; k++)
            normal[k, k] += 1e-9 * normal[k, k] + 1e-12;
        for (var i = 0; i < n; i++)
        {
            var unit = new double[n];
            unit[i] = 1;
            rows[i] = Solved(normal, unit) is { } inverse
                ? Array.ConvertAll(inverse, v => v * variance)
                : [.. Enumerable.Repeat(double.PositiveInfinity, n)];
        }

        return new(rows);
    }

    private static double Cost(double[] residuals)
    {
        double sum = 0;
        foreach (var r in residuals)
            sum += r * r;
        return double.IsFinite(sum) ? sum / 2 : double.MaxValue;
    }

    private static double[][] Jacobian(
        Func<double[], double[]> residuals,
        double[] at,
        double[] r,
        IReadOnlyList<Unknown> unknowns,
        Func<double[], int, double[], double[]>? moved
    )
    {
        var columns = new double[at.Length][];
        void Column(int p)
        {
            var next = (double[])at.Clone();
            next[p] += unknowns[p].Difference;
            var column = moved is null ? residuals(next) : moved(next, p, r);
            for (var i = 0; i < column.Length; i++)
                column[i] = (column[i] - r[i]) / unknowns[p].Difference;
            columns[p] = column;
        }

        if (moved is not null)
            Parallel.For(0, at.Length, Column);
        else
            for (var p = 0; p < at.Length; p++)
                Column(p);
        return columns;
    }

    private static (double[,] Normal, double[] Gradient) Normal(double[][] columns, double[] r)
    {
        var n = columns.Length;
        var normal = new double[n, n];
        var gradient = new double[n];
        for (var i = 0; i < n; i++)
        {
            gradient[i] = Dot(columns[i], r);
            for (var j = 0; j <= i; j++)
                normal[i, j] = Dot(columns[i], columns[j]);
        }

        return (normal, gradient);
    }

    private static double Dot(double[] a, double[] b)
    {
        double sum = 0;
        for (var i = 0; i < a.Length; i++)
            sum += a[i] * b[i];
        return sum;
    }

    private static double[]? Step(double[] at, double[,] normal, double[] gradient, double damping, IReadOnlyList<Unknown> unknowns)
    {
        var n = at.Length;
        var damped = (double[,])normal.Clone();
        var right = new double[n];
        for (var i = 0; i < n; i++)
        {
            damped[i, i] += damping * damped[i, i] + 1e-12;
            right[i] = -gradient[i];
        }

        // An unknown that lies at its bound and would leave it stays there, and the others move as if it were known.
        for (var i = 0; i < n; i++)
            if (at[i] <= unknowns[i].Lower && gradient[i] > 0 || at[i] >= unknowns[i].Upper && gradient[i] < 0)
            {
                for (var j = 0; j < n; j++)
                    damped[Math.Max(i, j), Math.Min(i, j)] = i == j ? 1 : 0;
                right[i] = 0;
            }

        if (Solved(damped, right) is not { } step)
            return null;
        for (var i = 0; i < n; i++)
        {
            var move = Math.Clamp(step[i], -unknowns[i].MostMove, unknowns[i].MostMove);
            step[i] = Math.Clamp(at[i] + move, unknowns[i].Lower, unknowns[i].Upper);
        }

        return step;
    }

    /// <summary>
    /// Solves a symmetric system, its lower half given, by Cholesky decomposition; null where it is not positive definite, that
    /// is where the unknowns can't be told apart.
    /// </summary>
    private static double[]? Solved(double[,] lower, double[] right)
    {
        var matrix = Symmetric(lower);
        try
        {
            return [.. matrix.Cholesky().Solve(Vector.Build.Dense(right))];
        }
        catch (ArgumentException)
        {
            return null;
        }
    }

    private static Matrix Symmetric(double[,] lower) =>
        Matrix.Build.Dense(lower.GetLength(0), lower.GetLength(0), (i, j) => i >= j ? lower[i, j] : lower[j, i]);
}
