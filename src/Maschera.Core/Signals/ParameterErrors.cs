namespace Maschera.Core.Signals;

/// <summary>How unsure fitted parameters are, alone and against each other.</summary>
/// <param name="covariance">Row by row, as many as there are parameters.</param>
public sealed class ParameterErrors(IReadOnlyList<double[]> covariance)
{
    /// <summary>Standard error of a parameter; infinite where nothing tells it.</summary>
    public double Of(int parameter) => Root(covariance[parameter][parameter]);

    /// <summary>
    /// Standard error of a parameter less so many times another: what makes both unsure alike cancels.
    /// </summary>
    public double OfDifference(int parameter, int other, double times)
    {
        var both = covariance[parameter][parameter] + times * times * covariance[other][other];
        return double.IsFinite(both) ? Root(both - 2 * times * covariance[parameter][other]) : double.PositiveInfinity;
    }

    private static double Root(double variance) => Math.Sqrt(Math.Max(0, variance));
}
