using Maschera.Core.Signals;

namespace Maschera.Core.Readings.PressureHold;

/// <summary>A parabola through samples over time, by least squares.</summary>
internal sealed class Parabola
{
    private readonly double _middle,
        _half;
    private readonly double[] _fit;

    /// <param name="seconds">At least three, in order.</param>
    /// <param name="values">As many.</param>
    public Parabola(ReadOnlySpan<double> seconds, ReadOnlySpan<double> values)
    {
        (_middle, _half) = ((seconds[0] + seconds[^1]) / 2, Math.Max(1e-9, (seconds[^1] - seconds[0]) / 2));
        double[] sums = new double[5];
        double[] products = new double[3];
        double squares = 0;
        for (var i = 0; i < values.Length; i++)
        {
            var (t, v, power) = ((seconds[i] - _middle) / _half, values[i] - values[0], 1.0);
            for (var k = 0; k <= 4; k++, power *= t)
            {
                sums[k] += power;
                if (k < 3)
                    products[k] += power * v;
            }

            squares += v * v;
        }

        _fit = LeastSquares.Linear(
            [
                [sums[0], sums[1], sums[2]],
                [sums[1], sums[2], sums[3]],
                [sums[2], sums[3], sums[4]],
            ],
            products
        );
        Left = Math.Max(0, squares - _fit[0] * products[0] - _fit[1] * products[1] - _fit[2] * products[2]);
        Scatter = Math.Sqrt(Left / values.Length);
        _fit[0] += values[0];
    }

    /// <summary>The squares it leaves.</summary>
    public double Left { get; }

    /// <summary>The root of their mean.</summary>
    public double Scatter { get; }

    public double At(double seconds)
    {
        var t = (seconds - _middle) / _half;
        return _fit[0] + t * (_fit[1] + t * _fit[2]);
    }

    /// <summary>Change a second.</summary>
    public double SlopeAt(double seconds) => (_fit[1] + 2 * _fit[2] * (seconds - _middle) / _half) / _half;
}
