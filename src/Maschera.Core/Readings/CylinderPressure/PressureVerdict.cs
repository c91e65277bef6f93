using Maschera.Core.Basics;
using Maschera.Core.Engines;

namespace Maschera.Core.Readings.CylinderPressure;

/// <summary>What a cylinder's figures add up to.</summary>
/// <param name="Own">The fitted cylinder.</param>
/// <param name="Reference">The reference's; null without one.</param>
/// <param name="Exceeds">Exhaust pressure beyond the reference's, bar.</param>
/// <param name="Lost">What is lost of the charge, a share, beyond what the reference loses; null without one.</param>
/// <param name="Shifts">How late the valves come.</param>
/// <param name="From">The shift from which on it is a fault, degrees.</param>
internal sealed record PressureVerdict(GasFit Own, GasFit? Reference, double? Exceeds, double? Lost, ValveShifts Shifts, double From)
{
    /// <summary>A shift counts when it stands clear of its own error by this factor.</summary>
    private const double Sure = 3;

    /// <summary>What sound cylinders lose to their walls differs by such a share of the charge.</summary>
    private const double HeatUnknown = 0.12;

    /// <summary>By this factor it counts where the other camshaft has moved the same way: one drive turns both.</summary>
    private const double Likely = 2;

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
        if (Loses(leak, leakAlone, Likely * Own.LostError))
            return "leaks";
        // Against the engine file a fit that lost one camshaft may have put it down to the other.
        if (Reference is null && (Shifts.Exhaust is null || Shifts.Intake is null))
            return "normal";
        var together = Shifts.Exhaust * Shifts.Intake > 0;
        var exhaust = Counts(Shifts.Exhaust, Shifts.ExhaustError, together && Counts(Shifts.Intake, Shifts.IntakeBesideExhaust, true));
        var intake = Counts(Shifts.Intake, Shifts.IntakeBesideExhaust, together && Counts(Shifts.Exhaust, Shifts.ExhaustError, true));
        if (exhaust && intake)
            return "valve-timing";
        if (exhaust)
            return "exhaust-timing";
        if (intake)
            return "intake-timing";
        return Reference is not null && Own.Misfit > unlike && Own.Misfit > 2 * Reference.Misfit ? "differs" : "normal";
    }

    private bool Loses(double leak, double leakAlone, double unsure) =>
        Reference is null ? Own.LostInAll > Math.Max(leakAlone, unsure) : Lost > Math.Max(leak, unsure);

    /// <summary>A loss that would be a fault if it were surer; null where there is none.</summary>
    public Note? UnsureLeak(double leak, double leakAlone)
    {
        if (Loses(leak, leakAlone, Likely * Own.LostError))
            return null;
        if (Loses(leak, leakAlone, 0))
            return new(
                "leak-unsure",
                $"It may leak: {100 * (Lost ?? Own.LostInAll):0} % of its charge seem to be lost"
                    + $"{(Lost is null ? "" : " beyond the known-good's")}, "
                    + $"give or take {100 * Own.LostError:0} %. Hum and noise on the lead or too coarse a range hide it: capture again, or "
                    + "put air into the cylinder and listen."
            );
        return Reference is null && Own.LostInAll > leakAlone - HeatUnknown
            ? new(
                "leak-unsure",
                $"{100 * Own.LostInAll:0} % of its charge are lost to walls and leaks together, and a known-good alone tells which: "
                    + "a small leak may be in it. Capture a sound cylinder beside it, or put air into this one and listen."
            )
            : null;
    }

    private bool Counts(double? shift, double error, bool withTheOther) =>
        Math.Abs(shift ?? 0) > Math.Max(From, (withTheOther ? Likely : Sure) * error);

    /// <summary>Shifts that would be a fault if they were surer, or that can't be told at all; null where there are none.</summary>
    public Note? Unsure()
    {
        if (Shifts.Against is not null && (Shifts.Exhaust is null || Shifts.Intake is null))
            return new(
                "shift-unknown",
                $"How late the {(Shifts.Exhaust is not null ? "intake " : Shifts.Intake is not null ? "exhaust " : "")}valves come "
                    + "can't be told from this trace: noise, hum, coarse steps or an unknown hose hide it. Capture again with a "
                    + "finer range, the crank sensor on another channel, or more cycles."
            );

        string? Told(string valves, double? shift, double error, double? figureError) =>
            Math.Abs(shift ?? 0) > Math.Max(From, error) && !Counts(shift, error, false)
                ? $"the {valves} valves seem to come {Math.Abs(shift!.Value):0.0}° {(shift > 0 ? "late" : "early")}, "
                    + $"give or take {figureError:0.0}°"
                : null;
        string?[] told =
        [
            Told("intake", Shifts.Intake, Shifts.IntakeBesideExhaust, Shifts.IntakeFigureError),
            Told("exhaust", Shifts.Exhaust, Shifts.ExhaustError, Shifts.ExhaustFigureError),
        ];
        var both = string.Join(", and ", told.OfType<string>());
        return both.Length == 0
            ? null
            : new(
                "shift-unsure",
                $"{char.ToUpperInvariant(both[0])}{both[1..]}: too unsure to call. The crank sensor on another channel, more cycles or the "
                    + "running engine settle it."
            );
    }
}
