using CsCheck;
using Maschera.Core.Signals;

namespace Maschera.Core.Tests;

/// <summary>Fits against solutions that are known, and what can't be told apart is not answered with nonsense.</summary>
public class LeastSquaresTests
{
    [Fact]
    public void A_sum_of_columns_gives_its_weights_back() =>
        Gen.Double[-5, 5]
            .Array[3]
            .Sample(weights =>
            {
                var columns = Columns(60);
                var solved = LeastSquares.Linear(columns, Sum(columns, weights));
                for (var i = 0; i < weights.Length; i++)
                    Assert.Equal(weights[i], solved[i], 1e-5);
            });

    [Fact]
    public void Rows_that_do_not_count_change_nothing()
    {
        var columns = Columns(60);
        var target = Sum(columns, [1, 2, 3]);
        var use = Enumerable.Range(0, 60).Select(i => i % 3 != 0).ToArray();
        for (var i = 0; i < 60; i += 3)
            target[i] = 1e6;
        Assert.Equal([1, 2, 3], LeastSquares.Linear(columns, target, use).Select(w => Math.Round(w, 4)));
    }

    [Theory]
    [InlineData(0)]
    [InlineData(1e-9)]
    public void Columns_that_are_alike_share_what_they_explain(double ridge)
    {
        var one = Columns(40)[0];
        var target = one.Select(v => 6 * v).ToArray();
        var solved = LeastSquares.Linear([one, (double[])one.Clone(), new double[40]], target, ridge: ridge);
        Assert.All(solved, w => Assert.True(double.IsFinite(w) && Math.Abs(w) < 10));
        Assert.Equal(6, solved[0] + solved[1], 1e-3);
    }

    [Fact]
    public void A_decay_is_found_from_afar_with_its_errors()
    {
        var random = new Random(4);
        var times = Enumerable.Range(0, 400).Select(i => i * 0.01).ToArray();
        var measured = times.Select(t => 3 * Math.Exp(-1.5 * t) + 0.2 + 0.01 * Normal(random)).ToArray();
        double[] Residuals(double[] q) => [.. times.Select((t, i) => q[0] * Math.Exp(-q[1] * t) + q[2] - measured[i])];
        Unknown[] unknowns = [new(1e-5, 2), new(1e-5, 2, 0), new(1e-5, 2)];
        var (found, cost) = LeastSquares.NonLinear(Residuals, [1, 0.5, 0], unknowns, new(60));
        var errors = LeastSquares.Errors(Residuals, found, unknowns);
        double[] truth = [3, 1.5, 0.2];
        for (var i = 0; i < truth.Length; i++)
            Assert.InRange(Math.Abs(found[i] - truth[i]), 0, 5 * errors.Of(i));
        Assert.InRange(Math.Sqrt(2 * cost / times.Length), 0.008, 0.012);
        Assert.All(Enumerable.Range(0, 3), i => Assert.InRange(errors.Of(i), 1e-4, 0.05));
    }

    /// <summary>Two levels of which the difference shows best: their scatter over many drawn noises is what is said.</summary>
    [Fact]
    public void What_makes_two_parameters_unsure_alike_cancels_in_their_difference()
    {
        var random = new Random(8);
        Unknown[] unknowns = [new(1e-5, 5), new(1e-5, 5), new(1e-5, 5)];
        List<double> differences = [],
            first = [];
        ParameterErrors? errors = null;
        for (var draw = 0; draw < 300; draw++)
        {
            var noise = Enumerable.Range(0, 60).Select(_ => Normal(random)).ToArray();
            // Both levels stand on one that only a tenth of the values tells.
            double Value(double[] q, int i) =>
                i < 6 ? q[2]
                : i % 2 == 0 ? q[0] + q[2]
                : q[1] + q[2];
            double[] Residuals(double[] q) => [.. Enumerable.Range(0, 60).Select(i => Value(q, i) - Value([1, 2, 3], i) - noise[i])];
            var (found, _) = LeastSquares.NonLinear(Residuals, [0, 0, 0], unknowns, new(20));
            errors = LeastSquares.Errors(Residuals, found, unknowns);
            differences.Add(found[1] - found[0]);
            first.Add(found[0]);
        }

        Assert.Equal(1, errors!.OfDifference(1, 0, 1) / Statistics.StandardDeviation([.. differences]), 0.2);
        Assert.Equal(1, errors.Of(0) / Statistics.StandardDeviation([.. first]), 0.2);
        Assert.True(errors.OfDifference(1, 0, 1) < 0.8 * errors.Of(0));
        Assert.Equal(errors.Of(1), errors.OfDifference(1, 0, 0), 1e-9);
    }

    [Fact]
    public void A_parameter_that_changes_nothing_has_no_known_value()
    {
        double[] Residuals(double[] q) => [.. Enumerable.Range(0, 50).Select(i => q[0] * i - 2.0 * i)];
        Unknown[] unknowns = [new(1e-5, 5), new(1e-5, 5)];
        var (found, _) = LeastSquares.NonLinear(Residuals, [0, 7], unknowns, new(20));
        Assert.Equal(2, found[0], 1e-4);
        Assert.Equal(7, found[1], 1e-6);
    }

    [Fact]
    public void Bounds_hold_and_a_cancelled_fit_stops()
    {
        double[] Residuals(double[] q) => [q[0] - 10, q[0] - 12];
        var (found, _) = LeastSquares.NonLinear(Residuals, [0], [new(1e-5, 100, -5, 5)], new(30));
        Assert.Equal(5, found[0], 1e-9);
        using var cancelled = new CancellationTokenSource();
        cancelled.Cancel();
        Assert.Throws<OperationCanceledException>(() =>
            LeastSquares.NonLinear(Residuals, [0], [new(1e-5, 1)], new(5), cancel: cancelled.Token)
        );
    }

    private static double[][] Columns(int rows) =>
        [
            [.. Enumerable.Range(0, rows).Select(_ => 1.0)],
            [.. Enumerable.Range(0, rows).Select(i => i / (double)rows)],
            [.. Enumerable.Range(0, rows).Select(i => Math.Sin(i * 0.7))],
        ];

    private static double[] Sum(double[][] columns, double[] weights) =>
        [.. Enumerable.Range(0, columns[0].Length).Select(row => columns.Select((c, i) => weights[i] * c[row]).Sum())];

    private static double Normal(Random random) =>
        Math.Sqrt(-2 * Math.Log(1 - random.NextDouble())) * Math.Cos(Math.Tau * random.NextDouble());
}
