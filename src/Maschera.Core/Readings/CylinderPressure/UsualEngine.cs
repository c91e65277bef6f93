namespace Maschera.Core.Readings.CylinderPressure;

/// <summary>
/// What is known of any engine that runs before its trace is looked at. Without a crank sensor, the swing of the speed and the cams'
/// timing look much alike in one cylinder's pressure: a flywheel three times too light and burns of ten times the compressed pressure
/// leave no more over than the right ones. Each figure's distance from the usual is a value more for the fit to keep small (Gaussian
/// priors; those of the timing lose their pull far out, for an engine file may be wrong).
/// </summary>
/// <param name="timing">
/// By how much a known-good's valves may come otherwise than the engine file says, degrees; null where no known-good is there.
/// </param>
internal sealed class UsualEngine(double? timing)
{
    /// <summary>How many values it adds.</summary>
    public const int Count = 5;

    /// <summary>
    /// What a value is worth beside those of a cycle: what the computed cylinder gets wrong, some 0.6 of the allowed error,
    /// is alike over 20°.
    /// </summary>
    private const double Worth = 2.5;

    /// <summary>
    /// Torque of the gas over the crank's energy at the nominal speed: flywheels of 0.1 to 0.4 kg m² for half a litre a cylinder.
    /// </summary>
    private const double Ease = 0.15,
        EaseFactor = Math.E;

    /// <summary>
    /// What a burn adds to the compressed pressure: 2 to 4 times as much of a whole charge, less with what stayed behind.
    /// </summary>
    private const double Burn = 3,
        BurnFactor = 2;

    /// <summary>Share of a change of speed that friction, what is driven and the idle governor take back a degree.</summary>
    private const double Damping = 0.0015,
        DampingError = 0.0015;

    /// <summary>How surely valves come as an engine file says, and as those of an ordinary engine do, degrees.</summary>
    public const double FileTiming = 5,
        OrdinaryTiming = 12;

    /// <summary>Beyond so many times its error a wrong file's timing pulls no harder.</summary>
    private const double Believed = 3;

    /// <summary>Below these the logarithms of ease and burn go no further.</summary>
    private const double Least = 0.02;

    /// <summary>The values, of an engine's figures and the first cycle's shifts.</summary>
    public void Distances(in SwingFigures swing, double exhaustShift, double intakeShift, Span<double> into)
    {
        into[0] = Factor(swing.Ease / Ease, EaseFactor);
        into[1] = Factor(swing.Burn / Burn, BurnFactor);
        into[2] = Worth * (swing.Damping - Damping) / DampingError;
        into[3] = Shift(exhaustShift);
        into[4] = Shift(intakeShift);
    }

    private static double Factor(double share, double usual) => Worth * Math.Log(share + Least) / Math.Log(usual);

    private double Shift(double shift)
    {
        if (timing is not { } error)
            return 0;
        var times = shift / error;
        return Worth * times / Math.Sqrt(1 + Math.Pow(times / Believed, 2));
    }
}
