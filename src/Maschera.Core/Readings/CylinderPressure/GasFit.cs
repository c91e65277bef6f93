using Maschera.Core.Engines;

namespace Maschera.Core.Readings.CylinderPressure;

/// <summary>A measured mean cycle to be explained.</summary>
/// <param name="Mean">720 values, one a degree, the first half a degree after the tower's peak.</param>
/// <param name="SpeedRpm">The speed it was taken at.</param>
/// <param name="HasClock">True where its degrees come from a crank sensor; else the speed swings between the towers unseen.</param>
/// <param name="Shut">The valve taken to stay shut.</param>
/// <param name="Hose">The hose it was taken through, where that shows.</param>
internal sealed record MeanCycle(float[] Mean, double SpeedRpm, bool HasClock, ShutValve Shut = ShutValve.None, HoseRing? Hose = null);

/// <summary>A computed cylinder laid over a measured mean cycle.</summary>
/// <param name="State">What the cylinder must be like; pressures in the trace's unit, absolute.</param>
/// <param name="Shut">The valve that stays shut in it.</param>
/// <param name="Lead">
/// How far the tower's peak lies before TDC, degrees: heat and blow-by take pressure away before the piston turns; a hose delays it.
/// </param>
/// <param name="Vacuum">What is added to the trace to make it absolute, in its unit.</param>
/// <param name="Misfit">Root mean square of what is left over without the trace's own noise, against the allowed error.</param>
/// <param name="Angles">Degrees after firing TDC, from -360 to 720, of each value of the mean cycle, rising.</param>
/// <param name="LostShare">Share of the charge that leaks away between the intake's closing and the exhaust's opening.</param>
/// <param name="LostInAll">The same with what the walls take of the pressure.</param>
/// <param name="SoundShare">The share it would lose with the first cycle's leak instead of its own.</param>
/// <param name="LostError">Standard error of the difference of both; of the first itself, of its own.</param>
/// <param name="ExhaustError">Of the exhaust's shift; for all but the first cycle of that against the first's.</param>
/// <param name="IntakeError">The same of the intake's.</param>
/// <param name="Hose">The hose the cycle is explained by far better than without one; null where none shows.</param>
/// <param name="HoseAdds">What that hose adds to each value of the mean cycle.</param>
/// <param name="PeakBefore">How far the cylinder's own pressure peaks before TDC, degrees: the lead without what a hose delays.</param>
internal sealed record GasFit(
    CylinderState State,
    ShutValve Shut,
    double Lead,
    double Vacuum,
    double Misfit,
    double[] Angles,
    double LostShare,
    double LostInAll,
    double SoundShare,
    double LostError,
    FitError ExhaustError,
    FitError IntakeError,
    HoseRing? Hose,
    float[]? HoseAdds,
    double PeakBefore
);

/// <summary>
/// How much all fits of one way to cut cycles may work together: a trace that is no cylinder's would else be tried from every start.
/// </summary>
/// <param name="ways">How many ways there are: the wrong one must not use up what the right one needs.</param>
internal sealed class FitBudget(int ways)
{
    /// <summary>Cycles computed in all ways; sound and faulty cylinders take up to 1,800.</summary>
    private const int Most = 4_500;

    private int _spent;

    public bool IsSpent => Volatile.Read(ref _spent) > Most / ways;

    /// <summary>Counts a computed cycle.</summary>
    public void Spend() => Interlocked.Increment(ref _spent);
}

/// <summary>What a known-good gives alone: its fit and the hose it was taken through, where that shows.</summary>
internal sealed record FirstFit(double[] Parameters, HoseRing? Hose);

/// <summary>Standard errors of a fitted figure: by what the computed cylinder gets wrong, and by the noise of the trace.</summary>
internal readonly record struct FitError(double Model, double Noise)
{
    /// <summary>Both together.</summary>
    public double Whole => double.Hypot(Model, Noise);
}
