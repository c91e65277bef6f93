using Maschera.Core.Timing;

namespace Maschera.Core.Readings.Pulses;

/// <summary>Gas that comes at a place of the cycle and dies away, as a pick-up shows it; a value a degree.</summary>
internal static class GasSource
{
    /// <summary>A bump, the cycle before still in it.</summary>
    /// <param name="at">Its place, degrees.</param>
    /// <param name="width">Standard deviation, degrees.</param>
    /// <param name="decay">How soon it dies away, degrees; at once where 0.</param>
    public static double[] Bump(double at, double width, double decay)
    {
        var n = CycleFold.Bins;
        var bump = new double[n];
        for (var i = 0; i < n; i++)
        {
            var off = Math.IEEERemainder(i - at, n);
            bump[i] = Math.Exp(-off * off / (2 * width * width));
        }

        if (decay <= 0)
            return bump;
        // Twice round, so that what is left of the cycle before is in it.
        var (held, tail) = (0.0, new double[n]);
        for (var i = 0; i < 2 * n; i++)
            tail[i % n] = held = held * Math.Exp(-1 / decay) + bump[i % n];
        return tail;
    }

    /// <summary>The same course so many degrees later.</summary>
    public static double[] Turned(double[] course, int by) =>
        [.. course.Select((_, i) => course[((i - by) % course.Length + course.Length) % course.Length])];
}
