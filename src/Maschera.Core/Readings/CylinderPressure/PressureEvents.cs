using Maschera.Core.Engines;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.CylinderPressure;

/// <summary>
/// Where a course shows the valves at work, degrees after firing TDC: the exhaust's opening and the intake's closing where
/// pressure leaves, or joins, the line p V^n = constant; the intake's opening where the exhaust's level begins to fall.
/// A valve shows itself only once it passes gas, so these lie some degrees after its first lift.
/// </summary>
internal sealed class PressureEvents(SliderCrank crank, double vacuum)
{
    /// <summary>Width of the running mean, degrees.</summary>
    private const int Smoothed = 5;

    /// <summary>A departure from the line by this share is gas passing a valve.</summary>
    private const double Opens = 0.04,
        Closes = 0.03;

    /// <summary>The exhaust's level has begun to fall when this share of the way to the intake's is done.</summary>
    private const double Falling = 0.15;

    /// <summary>A fall below this share of the level is too small to date.</summary>
    private const double LeastFall = 0.03;

    private readonly double[] _logVolume =
    [
        .. Enumerable.Range(0, CycleFold.Bins).Select(i => Math.Log(crank.Volume((i + 0.5) * Math.PI / 180))),
    ];

    /// <summary>Exponent n of p V^n over a stretch of degrees, by a straight line through the logarithms.</summary>
    public double Exponent(float[] course, int from, int to)
    {
        var (x, y, xx, xy) = (0.0, 0.0, 0.0, 0.0);
        for (var i = from; i < to; i++)
        {
            var log = Log(course[i]);
            (x, y, xx, xy) = (x + _logVolume[i], y + log, xx + _logVolume[i] * _logVolume[i], xy + _logVolume[i] * log);
        }

        var n = to - from;
        return -(n * xy - x * y) / (n * xx - x * x);
    }

    /// <summary>Where the exhaust opens; null where it does not show.</summary>
    public double? ExhaustOpens(float[] course) => Leaves(Resampling.Smooth(course, Smoothed), 70, 105, 106, 230, 1, Opens);

    /// <summary>Where the intake has closed; null where it does not show.</summary>
    public double? IntakeCloses(float[] course) => Leaves(Resampling.Smooth(course, Smoothed), 622, 660, 621, 545, -1, Closes);

    /// <summary>Where the intake opens; null where there is no fall to see.</summary>
    public double? IntakeOpens(float[] course)
    {
        var smooth = Resampling.Smooth(course, Smoothed);
        var intake = Resampling.Smooth(course, 61)[450];
        var top = Enumerable.Range(330, 50).MaxBy(i => smooth[i]);
        var fall = smooth[top] - intake;
        if (fall < LeastFall * (smooth[top] + vacuum))
            return null;
        var level = smooth[top] - Falling * fall;
        for (var i = top; i < 450; i++)
            if (smooth[i] >= level && smooth[i + 1] < level)
                return 0.5 + Resampling.Crossed(level, (i, smooth[i]), (i + 1, smooth[i + 1]));
        return null;
    }

    /// <summary>
    /// The first degree from one place on, in one direction, where p V^n is off the line through a stretch, and stays so.
    /// </summary>
    private double? Leaves(float[] smooth, int lineFrom, int lineTo, int from, int to, int step, double share)
    {
        var exponent = Exponent(smooth, lineFrom, lineTo);
        double Line(int i) => Log(smooth[i]) + exponent * _logVolume[i];
        var level = Enumerable.Range(lineFrom, lineTo - lineFrom).Average(Line);
        const int stays = 6;
        for (var i = from; i != to; i += step)
        {
            if (Math.Abs(Line(i) - level) <= share)
                continue;
            if (!Enumerable.Range(1, stays).All(k => Math.Abs(Line(i + k * step) - level) > share))
                continue;
            if (i == from)
                return null;
            var (before, now) = (Math.Abs(Line(i - step) - level), Math.Abs(Line(i) - level));
            return i + 0.5 - step * (now - share) / Math.Max(1e-9, now - before);
        }

        return null;
    }

    private double Log(double pressure) => Math.Log(Math.Max(1e-6, pressure + vacuum));
}
