namespace Maschera.Core.Signals;

/// <summary>An unknown of a non-linear fit.</summary>
/// <param name="Difference">The step of its forward difference.</param>
/// <param name="MostMove">The most it may move in one iteration.</param>
/// <param name="Lower">Its lower bound.</param>
/// <param name="Upper">Its upper bound.</param>
public readonly record struct Unknown(double Difference, double MostMove, double Lower = double.NegativeInfinity, double Upper = double.PositiveInfinity);

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
    public static double[] Linear(IReadOnlyList<double[]> columns, double[] target, bool[]? use = null, double ridge = 1e-9)
    {
        var n = columns.Count;
        var normal = new double[n, n];
        var right = new double[n];
        for (var row = 0; row < target.Length; row++)
        {
            if (use is not null && !use[row]) continue;
            for (var i = 0; i < n; i++)
            {
                var value = columns[i][row];
                right[i] += value * target[row];
                for (var j = 0; j <= i; j++) normal[i, j] += value * columns[j][row];
            }
        }

        for (var i = 0; i < n; i++) normal[i, i] += ridge * normal[i, i] + double.Epsilon;
        return SolveSymmetric(normal, right);
    }

    /// <summary>
    /// Minimises half the sum of squared residuals by Levenberg-Marquardt with a forward-difference Jacobian
    /// (Marquardt 1963; Nocedal and Wright, Numerical Optimization, ch. 10).
    /// </summary>
    /// <param name="residuals">Residuals for a parameter vector; always of the same length.</param>
    /// <param name="start">Where to begin.</param>
    /// <param name="unknowns">Difference step, reach and bounds of each parameter.</param>
    /// <param name="iterations">At most so many Jacobians.</param>
    public static (double[] Parameters, double Cost) NonLinear(
        Func<double[], double[]> residuals, double[] start, IReadOnlyList<Unknown> unknowns, int iterations, CancellationToken cancel = default)
    {
        var at = (double[])start.Clone();
        var r = residuals(at);
        var cost = Cost(r);
        var damping = 1e-2;
        for (var iteration = 0; iteration < iterations; iteration++)
        {
            cancel.ThrowIfCancellationRequested();
            var jacobian = Jacobian(residuals, at, r, unknowns);
            var (normal, gradient) = Normal(jacobian, r);
            var before = cost;
            for (var attempt = 0; attempt < 8; attempt++)
            {
                var trial = Step(at, normal, gradient, damping, unknowns);
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

            if (before - cost < 1e-5 * before) break;
        }

        return (at, cost);
    }

    /// <summary>
    /// Standard error of each parameter at a minimum: from the curvature there and the residuals that are left (Press et
    /// al., Numerical Recipes, ch. 15.6). Residuals are taken to be independent.
    /// </summary>
    public static double[] StandardErrors(Func<double[], double[]> residuals, double[] at, IReadOnlyList<Unknown> unknowns)
    {
        var r = residuals(at);
        var (normal, _) = Normal(Jacobian(residuals, at, r, unknowns), r);
        var n = at.Length;
        var variance = Dot(r, r) / Math.Max(1, r.Length - n);
        var errors = new double[n];
        for (var i = 0; i < n; i++)
        {
            var unit = new double[n];
            unit[i] = 1;
            var damped = (double[,])normal.Clone();
            for (var k = 0; k < n; k++) damped[k, k] += 1e-9 * damped[k, k] + 1e-12;
            errors[i] = Math.Sqrt(Math.Max(0, SolveSymmetric(damped, unit)[i] * variance));
        }

        return errors;
    }

    private static double Cost(double[] residuals)
    {
        double sum = 0;
        foreach (var r in residuals) sum += r * r;
        return double.IsFinite(sum) ? sum / 2 : double.MaxValue;
    }

    private static double[][] Jacobian(Func<double[], double[]> residuals, double[] at, double[] r, IReadOnlyList<Unknown> unknowns)
    {
        var columns = new double[at.Length][];
        for (var p = 0; p < at.Length; p++)
        {
            var moved = (double[])at.Clone();
            moved[p] += unknowns[p].Difference;
            var column = residuals(moved);
            for (var i = 0; i < column.Length; i++) column[i] = (column[i] - r[i]) / unknowns[p].Difference;
            columns[p] = column;
        }

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
            for (var j = 0; j <= i; j++) normal[i, j] = Dot(columns[i], columns[j]);
        }

        return (normal, gradient);
    }

    private static double Dot(double[] a, double[] b)
    {
        double sum = 0;
        for (var i = 0; i < a.Length; i++) sum += a[i] * b[i];
        return sum;
    }

    private static double[] Step(double[] at, double[,] normal, double[] gradient, double damping, IReadOnlyList<Unknown> unknowns)
    {
        var n = at.Length;
        var damped = (double[,])normal.Clone();
        var right = new double[n];
        for (var i = 0; i < n; i++)
        {
            damped[i, i] += damping * damped[i, i] + 1e-12;
            right[i] = -gradient[i];
        }

        var step = SolveSymmetric(damped, right);
        for (var i = 0; i < n; i++)
        {
            var move = Math.Clamp(step[i], -unknowns[i].MostMove, unknowns[i].MostMove);
            step[i] = Math.Clamp(at[i] + move, unknowns[i].Lower, unknowns[i].Upper);
        }

        return step;
    }

    /// <summary>Solves a positive definite system, its lower half given, by Cholesky decomposition.</summary>
    private static double[] SolveSymmetric(double[,] a, double[] b)
    {
        var n = b.Length;
        for (var i = 0; i < n; i++)
        {
            for (var j = 0; j <= i; j++)
            {
                var sum = a[i, j];
                for (var k = 0; k < j; k++) sum -= a[i, k] * a[j, k];
                a[i, j] = i == j ? Math.Sqrt(Math.Max(sum, 1e-30)) : sum / a[j, j];
            }
        }

        var x = (double[])b.Clone();
        for (var i = 0; i < n; i++)
        {
            for (var k = 0; k < i; k++) x[i] -= a[i, k] * x[k];
            x[i] /= a[i, i];
        }

        for (var i = n - 1; i >= 0; i--)
        {
            for (var k = i + 1; k < n; k++) x[i] -= a[k, i] * x[k];
            x[i] /= a[i, i];
        }

        return x;
    }
}
