using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.RelativeCompression;

/// <summary>Crank speed from the spacing of the teeth of a trigger wheel.</summary>
internal static class ToothSpeed
{
    /// <summary>An interval this many times its neighbours' is a gap in the wheel.</summary>
    private const double GapRatio = 1.6;

    /// <summary>
    /// Speed in rpm at the middle of every tooth interval. Over a gap, which may hide a whole compression's dip, it is the parabola in
    /// time that goes on from the teeth before and behind and turns as far as the gap is wide.
    /// </summary>
    public static Channel Of(AngleClock clock)
    {
        var (seconds, degrees) = (clock.Seconds.ToArray(), clock.Degrees.ToArray());
        double[] spans = [.. degrees.Zip(degrees.Skip(1), (a, b) => b - a)];
        double[] mean = [.. spans.Select((span, i) => span / (seconds[i + 1] - seconds[i]) / 6)];
        var times = new double[mean.Length];
        var rpm = new float[mean.Length];
        for (var i = 0; i < mean.Length; i++)
        {
            times[i] = (seconds[i] + seconds[i + 1]) / 2;
            rpm[i] = (float)(spans[i] < GapRatio * clock.Wheel.Pitch || i < 2 || i + 2 >= mean.Length ? mean[i] : Middle(mean, i));
        }

        return new("Crank speed", "rpm", TimeAxis.FromStamps(times), rpm);
    }

    private static double Middle(double[] mean, int gap)
    {
        var ends = (1.5 * mean[gap - 1] - 0.5 * mean[gap - 2] + 1.5 * mean[gap + 1] - 0.5 * mean[gap + 2]) / 2;
        // The mean of a parabola lies two thirds of the way from its ends to its middle.
        return ends + 1.5 * (mean[gap] - ends);
    }
}
