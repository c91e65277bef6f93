using System.Numerics;
using Maschera.Core.Engines;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.Misfire;

/// <summary>How much work a firing is, in the unit of <see cref="Firing.Gain"/>, before any missing one shows it.</summary>
/// <param name="Whole">
/// A whole one's, its neighbours taken out; null where the swing does not tell it: at higher speeds, and on diesel engines, whose
/// compression swings the crank far more than an idling fire.
/// </param>
/// <param name="Rough">About that on a diesel, enough to say that a cylinder gives less; null on others, at higher speeds too.</param>
/// <param name="Expected">About that of a firing on any engine.</param>
/// <param name="Least">Less than this lacking is scatter or a weak firing, not a missing one.</param>
/// <param name="Apart">Two places on the same teeth so far apart are not both sound.</param>
internal sealed record FiringSize(double? Whole, double? Rough, double Expected, double Least, double Apart)
{
    /// <summary>
    /// Work of a firing against the swing of the crank's energy within one firing: 1.2 to 2.8 on engines of 2 to 8
    /// cylinders, for the swing is compression and expansion of about that work.
    /// </summary>
    private const double WorkPerSwing = 1.7;

    /// <summary>What a missing firing lacks, by the swing, and by a whole firing where that is known.</summary>
    private const double LeastOfSwing = 0.5,
        LeastOfWhole = 0.35;

    /// <summary>
    /// Work of a firing against the gas's swing of the crank's energy within one firing, by cylinders: petrol engines at light load,
    /// of two models and captured, within a quarter (of eight within a half). What the pistons swing the crank by as they move to and
    /// fro is against the gas, and by the energy the same at all speeds: at about the second figure, rpm, it takes the gas's all away.
    /// Held up to the third.
    /// </summary>
    private static readonly Dictionary<int, (double PerSwing, double PistonsRpm, double UpToRpm)> s_known = new()
    {
        [3] = (1.75, double.PositiveInfinity, 3_200),
        [4] = (1.85, 2_000, 1_050),
        [5] = (2.2, double.PositiveInfinity, 2_600),
        [6] = (2.6, 2_900, 1_500),
        [8] = (3.7, double.PositiveInfinity, 1_800),
    };

    /// <summary>On a diesel compression swings the crank far more than the pistons do up to this speed.</summary>
    private const double RoughUpToRpm = 1_200;

    /// <summary>Firings so uneven that less than this share of their rhythm is left show too little of the swing.</summary>
    private const double LeastRhythm = 0.5;

    /// <summary>What the swing of the crank's speed lets expect.</summary>
    public static FiringSize Of(AngleClock clock, Engine engine)
    {
        var swing = FiringEnergies.Swing(clock, engine.Cylinders);
        var rhythm = Rhythm(engine.Angles());
        double? whole =
            !engine.IsDiesel
            && rhythm >= LeastRhythm
            && s_known.TryGetValue(engine.Cylinders, out var known)
            && clock.SpeedRpm <= known.UpToRpm
                ? known.PerSwing * swing / rhythm / (1 - Math.Pow(clock.SpeedRpm / known.PistonsRpm, 2))
                : null;
        double? rough = engine.IsDiesel && clock.SpeedRpm < RoughUpToRpm ? WorkPerSwing * swing : null;
        return new(whole, rough, WorkPerSwing * swing, Math.Max(LeastOfSwing * swing, LeastOfWhole * (whole ?? 0)), LeastOfSwing * swing);
    }

    /// <summary>The share of the swing at the firings' rhythm that uneven distances leave, 1 where they are even.</summary>
    private static double Rhythm(double[] angles) =>
        angles
            .Aggregate(Complex.Zero, (sum, a) => sum + Complex.FromPolarCoordinates(1, angles.Length / 2.0 * double.DegreesToRadians(a)))
            .Magnitude / angles.Length;
}
