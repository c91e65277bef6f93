using Maschera.Core.Engines;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.Misfire;

/// <summary>The places of the firing order, by the teeth they fall on.</summary>
/// <param name="Mates">The places whose firings fall on the same teeth, turns apart; each with itself among its own.</param>
/// <param name="Kinds">Kinds of places that fire unlike, in turn: 1 where they are evenly spaced.</param>
/// <param name="Lacks">
/// What the cylinder of each lacks at every firing, in the unit of a gain: it is put back before anything is told.
/// </param>
internal sealed record FiringPlaces(int[][] Mates, int Kinds, double[] Lacks)
{
    /// <summary>How far a tooth of an ordinary wheel stands from its place, standard deviation in degrees.</summary>
    private const double WheelErrorDegrees = 0.06;

    /// <summary>Wheel errors reach so many standard deviations.</summary>
    private const double WheelErrors = 3.5;

    /// <summary>A wheel off its centre, or bent, leads and lags once a turn by so much, degrees.</summary>
    private const double Runout = 0.15;

    /// <summary>
    /// A place whose firings are all missing lacks this share at least of what the lowest does: each lacks a whole firing.
    /// </summary>
    public const double LeastBeside = 0.45;

    /// <summary>Fewer that fire alike have too few to be compared with: then all are.</summary>
    private const int FewAlike = 3;

    /// <summary>All of them, none of which is known to lack anything.</summary>
    /// <param name="angles">Firing TDC of each place of the firing order, degrees.</param>
    public static FiringPlaces Of(double[] angles) =>
        new(
            [
                .. angles.Select(a =>
                    Enumerable.Range(0, angles.Length).Where(q => Math.Abs(Math.IEEERemainder(angles[q] - a, 360)) < 1).ToArray()
                ),
            ],
            FiringPattern.Repeats(angles) is >= FewAlike and var alike ? angles.Length / alike : 1,
            new double[angles.Length]
        );

    /// <summary>The gains over some spans, with what is lacking at every firing put back, to its neighbours too.</summary>
    public List<Firing> Firings(AngleClock clock, double[] angles, double tdc, int spans)
    {
        var firings = FiringEnergies.Of(clock, angles, tdc, spans);
        if (Array.TrueForAll(Lacks, l => l == 0))
            return firings;
        var kernel = FiringEnergies.Kernel(angles.Length, spans);
        var back = Enumerable.Range(0, Mates.Length).Select(p => kernel[0] * Lacks[p] + FromOthers(Lacks, kernel, p)).ToArray();
        return [.. firings.Select(f => f with { Gain = f.Gain + back[f.Place] })];
    }

    /// <summary>What the lacks of other places take from a place.</summary>
    public static double FromOthers(double[] lacks, double[] kernel, int place)
    {
        var n = lacks.Length;
        double sum = 0;
        for (var d = 1; d < kernel.Length; d++)
            sum += kernel[d] * (lacks[(place + d) % n] + lacks[((place - d) % n + n) % n]);
        return sum;
    }

    /// <summary>
    /// How far errors of the wheel set the gains of two places apart: single teeth's, and a runout's, whose speed swings by its
    /// amplitude in radians once a turn: two windows of W degrees beside each other differ by twice that times sin²(W/2) over W/2,
    /// one way or the other.
    /// </summary>
    public static double WheelReach(AngleClock clock, int cylinders, int spans)
    {
        var teeth = WheelErrors * FiringEnergies.Scatter(clock, cylinders, spans) * WheelErrorDegrees / clock.StandardErrorDegrees;
        var half = double.DegreesToRadians(Math.Min(180, spans * 720.0 / cylinders) / 2);
        return Math.Max(teeth, 2 * 2 * double.DegreesToRadians(Runout) * Math.Pow(Math.Sin(half), 2) / half);
    }

    /// <summary>
    /// What a sound firing of each place gains. The wheel's errors come every turn at the same place, so they are part
    /// of it, and cylinders 360° apart share them: one of them far below the other is not sound. All of a place are only
    /// taken for missing where they lie further below the rest than a wheel's errors reach, and about as far as the lowest.
    /// </summary>
    /// <param name="firings">All of them.</param>
    /// <param name="reach">A place further below the rest than this is not sound.</param>
    /// <param name="depth">One further below its mates than this is not.</param>
    public double[] Usual(List<Firing> firings, double reach, double depth)
    {
        var upper = Enumerable
            .Range(0, Mates.Length)
            .Select(p => Statistics.Quantile(Statistics.Sorted(firings.Where(f => f.Place == p).Select(f => f.Gain)), 0.7))
            .ToArray();
        var sound = Enumerable.Range(0, Kinds).Select(kind => Sound(upper, kind)).ToArray();
        var lowest = Math.Max(reach, LeastBeside * upper.Select((own, p) => sound[p % Kinds] - own).Max());
        return [.. upper.Select((own, p) => OfPlace(own, Mates[p].Max(q => upper[q]), sound[p % Kinds]))];

        double OfPlace(double own, double best, double usual)
        {
            var place = best > usual - lowest ? best : usual;
            return own > place - depth ? own : place;
        }
    }

    private double Sound(double[] upper, int kind) => Statistics.Quantile(Statistics.Sorted(upper.Where((_, p) => p % Kinds == kind)), 0.7);
}
