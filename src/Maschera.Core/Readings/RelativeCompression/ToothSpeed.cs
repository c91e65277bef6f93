using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.RelativeCompression;

/// <summary>Crank speed from the spacing of the teeth of a trigger wheel.</summary>
internal static class ToothSpeed
{
    /// <summary>An interval this many times its neighbours' is a gap in the wheel.</summary>
    private const double GapRatio = 1.6;

    /// <summary>Places within a gap at which its parabola is given, as shares of its time.</summary>
    private static readonly double[] s_places = [1 / 6.0, 2 / 6.0, 3 / 6.0, 4 / 6.0, 5 / 6.0];

    /// <summary>
    /// Speed in rpm at the middle of every tooth interval, and the seconds of the gaps. Over a gap, which may hide a whole compression's
    /// dip, it is the parabola in time that goes on from the teeth before and behind and turns as far as the gap is wide: its mean is
    /// measured, its course is not.
    /// </summary>
    public static (Channel Speed, List<(double From, double To)> Gaps) Of(AngleClock clock)
    {
        var (seconds, degrees) = (clock.Seconds.ToArray(), clock.Degrees.ToArray());
        double[] spans = [.. degrees.Zip(degrees.Skip(1), (a, b) => b - a)];
        double[] mean = [.. spans.Select((span, i) => span / (seconds[i + 1] - seconds[i]) / 6)];
        var (times, rpm, gaps) = (new List<double>(), new List<float>(), new List<(double, double)>());
        for (var i = 0; i < mean.Length; i++)
        {
            var isGap = spans[i] >= GapRatio * clock.Wheel.Pitch && i >= 2 && i + 2 < mean.Length;
            if (isGap)
                gaps.Add((seconds[i], seconds[i + 1]));
            foreach (var place in isGap ? s_places : [0.5])
            {
                times.Add(seconds[i] + place * (seconds[i + 1] - seconds[i]));
                rpm.Add((float)(isGap ? Across(mean, i, place) : mean[i]));
            }
        }

        return (new("Crank speed", "rpm", TimeAxis.FromStamps([.. times]), [.. rpm]), gaps);
    }

    private static double Across(double[] mean, int gap, double place)
    {
        var before = 1.5 * mean[gap - 1] - 0.5 * mean[gap - 2];
        var after = 1.5 * mean[gap + 1] - 0.5 * mean[gap + 2];
        // The mean of a parabola lies two thirds of the way from its ends to its middle.
        var height = 1.5 * (mean[gap] - (before + after) / 2);
        return before + place * (after - before) + 4 * place * (1 - place) * height;
    }
}
