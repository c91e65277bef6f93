using Maschera.Core.Engines;

namespace Maschera.Core.Readings.CylinderPressure;

/// <summary>What a cylinder's figures add up to.</summary>
/// <param name="Own">The fitted cylinder.</param>
/// <param name="Reference">The reference's; null without one.</param>
/// <param name="Exceeds">Exhaust pressure beyond the reference's, bar.</param>
/// <param name="ExhaustShift">Shift of the exhaust's events, degrees; null where it can't be told.</param>
/// <param name="ExhaustLimit">From where on it is a fault.</param>
/// <param name="IntakeShift">Shift of the intake's events.</param>
/// <param name="IntakeLimit">From where on it is a fault.</param>
internal sealed record PressureVerdict(
    GasFit Own,
    GasFit? Reference,
    double? Exceeds,
    double? ExhaustShift,
    double ExhaustLimit,
    double? IntakeShift,
    double IntakeLimit
)
{
    /// <summary>
    /// The verdict of the contract. What hides the rest comes first: a shut valve, then the exhaust, which a leak does not
    /// raise, then a leak.
    /// </summary>
    public string Verdict(double leak, double leakAlone, double restricted, double restrictedAlone, double unlike)
    {
        if (Own.Shut == ShutValve.Exhaust)
            return "exhaust-valve-stays-shut";
        if (Own.Shut == ShutValve.Intake)
            return "intake-valve-stays-shut";
        if (Exceeds > restricted || Reference is null && Own.State.Exhaust - 1 > restrictedAlone)
            return "exhaust-restricted";
        if (Reference is null ? Own.LostShare > leakAlone : Own.LostShare - Own.SoundShare > leak)
            return "leaks";
        var (exhaust, intake) = (Math.Abs(ExhaustShift ?? 0) > ExhaustLimit, Math.Abs(IntakeShift ?? 0) > IntakeLimit);
        if (exhaust && intake)
            return "valve-timing";
        if (exhaust)
            return "exhaust-timing";
        if (intake)
            return "intake-timing";
        return Reference is not null && Own.Misfit > unlike && Own.Misfit > 2 * Reference.Misfit ? "differs" : "normal";
    }
}
