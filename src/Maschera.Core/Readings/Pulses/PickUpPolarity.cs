using System.Numerics;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.Pulses;

/// <summary>
/// Whether a pick-up at the intake is connected the other way round. The manifold's pressure is highest as an intake valve begins
/// to draw, and rises faster than it falls: it falls with the piston's pace and rises as the next cylinder's rest of gas comes in.
/// </summary>
internal static class PickUpPolarity
{
    /// <summary>Where the first harmonic of even pulses is highest, degrees after the firing TDC of a cylinder.</summary>
    private const double HighestAt = 395;

    /// <summary>
    /// Turned round where the cosine of how far off that harmonic is and the skewness of the slopes are less than this together: for
    /// a pick-up connected rightly both are near 1.
    /// </summary>
    private const double TurnedBelow = -0.8;

    /// <param name="mean">The mean cycle, a value a degree from firing TDC of the first place of the firing order on.</param>
    /// <param name="angles">Firing TDC of each place, degrees, at even distances.</param>
    /// <param name="lag">Degrees from the valve to the pick-up.</param>
    public static bool IsTurned(float[] mean, double[] angles, double lag)
    {
        var usual = Usual(mean, angles, lag);
        var harmonic = Complex.Zero;
        for (var i = 0; i < usual.Length; i++)
            harmonic += usual[i] * Complex.FromPolarCoordinates(1, -2 * Math.PI * i / usual.Length);
        var off = harmonic.Phase + HighestAt * angles.Length / 2 * Math.PI / 180;
        return Math.Cos(off) + SlopeSkewness(usual) < TurnedBelow;
    }

    /// <summary>The usual pulse, a value a degree of the firing interval: at each degree the median over the cylinders.</summary>
    private static double[] Usual(float[] mean, double[] angles, double lag)
    {
        var start = Math.IEEERemainder(lag, CycleFold.Bins) + CycleFold.Bins;
        return
        [
            .. Enumerable
                .Range(0, CycleFold.Bins / angles.Length)
                .Select(i => Statistics.Median(angles.Select(a => (double)mean[(int)Math.Round(a + i + start) % CycleFold.Bins]))),
        ];
    }

    /// <summary>
    /// Third moment of the slopes round the pulse in units of their deviation: above 0 where it rises faster than it falls.
    /// </summary>
    private static double SlopeSkewness(double[] pulse)
    {
        double[] slopes = [.. pulse.Select((v, i) => pulse[(i + 1) % pulse.Length] - pulse[(i + pulse.Length - 1) % pulse.Length])];
        var square = slopes.Average(s => s * s);
        return square > 0 ? slopes.Average(s => s * s * s) / Math.Pow(square, 1.5) : 0;
    }
}
