namespace Maschera.Web.Drawing;

/// <summary>Where the lines of an axis stand.</summary>
public static class Axis
{
    private const int MostTicks = 50;

    /// <summary>
    /// Round numbers (1, 2 or 5 times a power of ten apart) between two ends, about <paramref name="about"/> of them.
    /// They are counted, not stepped: where the ends lie so close that a double can't tell the steps apart there are none.
    /// </summary>
    public static IReadOnlyList<double> Ticks(double low, double high, int about)
    {
        var rough = (high - low) / about;
        if (!(rough > 0) || !double.IsFinite(rough))
            return [];
        var power = Math.Pow(10, Math.Floor(Math.Log10(rough)));
        var step =
            power
            * (
                rough / power >= 5 ? 5
                : rough / power >= 2 ? 2
                : 1
            );
        var first = Math.Ceiling(low / step);
        // Beyond 2^53 neighbouring whole numbers are one and the same.
        if (!(step > 0) || Math.Abs(first) > 1L << 52 || low + step == low)
            return [];
        var count = (int)Math.Min(MostTicks, Math.Floor(high / step) - first + 1);
        return [.. Enumerable.Range(0, Math.Max(0, count)).Select(n => (first + n) * step)];
    }
}
