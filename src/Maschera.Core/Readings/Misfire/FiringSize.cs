using System.Numerics;
using Maschera.Core.Engines;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.Misfire;

/// <summary>How much work a firing is, in the unit of <see cref="Firing.Gain"/>, before any missing one shows it.</summary>
/// <param name="Whole">
/// A whole one's, its neighbours taken out; null where the swing does not tell it: at higher speeds, and on diesel engines, whose
/// compression swings the crank far more than an idling fire.
/// </param>
/// <param name="Expected">About that of a firing on any engine.</param>
/// <param name="Least">Less than this lacking is scatter or a weak firing, not a missing one.</param>
internal sealed record FiringSize(double? Whole, double Expected, double Least)
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
    /// Work of a firing against the swing of the crank's energy within one firing, by cylinders, and the speed up to which it holds, rpm:
    /// beyond it the pistons, which move to and fro, swing the crank as much as the gas does, against it. Petrol engines at light load,
    /// of two models and captured, within a quarter (within a half for eight).
    /// </summary>
    private static readonly Dictionary<int, (double PerSwing, double UpToRpm)> s_known = new()
    {
        [3] = (1.75, 3_200),
        [4] = (2.0, 1_150),
        [5] = (2.2, 2_600),
        [6] = (2.7, 1_700),
        [8] = (3.7, 1_800),
    };

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
                ? known.PerSwing * swing / rhythm
                : null;
        return new(whole, WorkPerSwing * swing, Math.Max(LeastOfSwing * swing, LeastOfWhole * (whole ?? 0)));
    }

    /// <summary>The share of the swing at the firings' rhythm that uneven distances leave, 1 where they are even.</summary>
    private static double Rhythm(double[] angles) =>
        angles
            .Aggregate(Complex.Zero, (sum, a) => sum + Complex.FromPolarCoordinates(1, angles.Length / 2.0 * double.DegreesToRadians(a)))
            .Magnitude / angles.Length;
}
