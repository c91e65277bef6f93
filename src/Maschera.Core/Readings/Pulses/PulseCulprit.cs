using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Pulses;

/// <summary>
/// The cylinder whose leak best explains what a mean cycle has beyond even pulses: gas comes when it is compressed, about
/// its firing TDC, and dies away.
/// </summary>
internal static class PulseCulprit
{
    /// <summary>Width of gas that comes through a leak, standard deviation in degrees.</summary>
    private const double LeakWidth = 25;

    /// <summary>Gas passes a leak most just behind TDC, degrees.</summary>
    private const double LeakAt = 15;

    /// <summary>How soon it may die away, degrees.</summary>
    private static readonly double[] s_decays = [0, 60, 200, 600];

    /// <summary>Finds it.</summary>
    /// <param name="residual">What is beyond even pulses, a value a degree.</param>
    /// <param name="angles">Firing TDC of each place of the firing order.</param>
    /// <param name="lag">Degrees from the valve to the pick-up.</param>
    /// <returns>The place in the firing order.</returns>
    public static int Find(double[] residual, double[] angles, double lag)
    {
        var best = (Place: 0, Remains: double.MaxValue);
        foreach (var leak in s_decays.Select(decay => Leak(LeakAt + Math.Max(0, lag), decay)))
        {
            for (var place = 0; place < angles.Length; place++)
            {
                var shape = GasSource.Turned(leak, (int)Math.Round(angles[place]));
                var weight = LeastSquares.Linear([shape], residual)[0];
                if (weight <= 0)
                    continue;
                var remains = residual.Zip(shape, (r, v) => r - weight * v).Sum(left => left * left);
                if (remains < best.Remains)
                    best = (place, remains);
            }
        }

        return best.Place;
    }

    private static double[] Leak(double at, double decay)
    {
        var course = GasSource.Bump(at, LeakWidth, decay);
        var level = course.Average();
        return Array.ConvertAll(course, v => v - level);
    }
}
