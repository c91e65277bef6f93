namespace Maschera.Rig;

/// <summary>
/// A figure over the 720 degrees of a cycle, worked out once at every eighth of a degree and taken from between them by a parabola through
/// three (Newton): for a cylinder's volume that is right to a part in 10⁹.
/// </summary>
internal sealed class CycleTable
{
    private const int PerDegree = 8,
        Count = 720 * PerDegree;

    private readonly double[] _values = new double[Count + 1];

    /// <param name="of">The figure at an angle, degrees from 0 to 720.</param>
    public CycleTable(Func<double, double> of)
    {
        for (var i = 0; i <= Count; i++)
            _values[i] = of((double)i / PerDegree);
    }

    /// <summary>The figure at an angle from 0 to 720 degrees.</summary>
    public double At(double degrees)
    {
        var place = degrees * PerDegree;
        var i = Math.Min((int)place, Count - 2);
        var share = place - i;
        var (first, second, third) = (_values[i], _values[i + 1], _values[i + 2]);
        return first + share * (second - first + (share - 1) / 2 * (third - 2 * second + first));
    }
}
