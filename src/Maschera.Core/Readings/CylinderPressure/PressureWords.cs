using Maschera.Core.Engines;

namespace Maschera.Core.Readings.CylinderPressure;

/// <summary>What one would tell a colleague of a cylinder's pressure.</summary>
internal static class PressureWords
{
    /// <summary>The sentence of a result.</summary>
    public static string Sentence(CylinderPressureResult result, Engine engine)
    {
        var where = result.Cylinder is { } number ? $"Cylinder {number}" : "The cylinder";
        var peak = $"{result.PeakBar:0.0} bar at {result.SpeedRpm:0} rpm, {result.Mode}";
        var expected = result.ExpectedPeakBar is { } tight
            ? $"; a tight one of this compression ratio would reach {tight:0.0} bar from this manifold pressure"
            : "";
        return result.Verdict switch
        {
            "leaks" => $"{where} leaks: {result.Leakage!.Percent:0} % of its charge is lost before the exhaust "
                + $"opens{Against(result.Leakage.ReferencePercent)}. Peak {peak}{expected}.",
            "intake-timing" =>
                $"The intake valves come {Late(result.IntakeShiftDegrees)}{Teeth(result.IntakeShiftDegrees, engine)}, the exhaust's "
                    + $"{InPlace(result.ExhaustShiftDegrees)}: the intake cam or its phaser.",
            "exhaust-timing" =>
                $"The exhaust valves come {Late(result.ExhaustShiftDegrees)}{Teeth(result.ExhaustShiftDegrees, engine)}, the intake's "
                    + $"{InPlace(result.IntakeShiftDegrees)}: the exhaust cam or its phaser.",
            "valve-timing" => $"Both come out of place, intake {Late(result.IntakeShiftDegrees)}, exhaust "
                + $"{Late(result.ExhaustShiftDegrees)}{Teeth(result.IntakeShiftDegrees, engine)}: the drive of both cams has slipped.",
            "intake-valve-stays-shut" => $"{where} gets no air: its intake valve stays shut. Look at cam lobe, follower and lash.",
            "exhaust-valve-stays-shut" =>
                $"{where} can't breathe out: its exhaust valve stays shut, the gas is compressed a second time. Look at cam lobe, "
                    + $"follower and lash.",
            "exhaust-restricted" =>
                $"The exhaust is restricted: {result.ExhaustBar:0.00} bar stand against the exhaust stroke at {result.SpeedRpm:0} "
                    + $"rpm{(result.ReferenceExhaustBar is { } usual ? $", {usual:0.00} bar in the known-good" : "")}.",
            "differs" =>
                $"{where} is unlike the known-good in a way that fits none of the usual faults. Peak {peak}. Look at the two courses "
                    + $"on top of each other.",
            _ => $"{where} {Sound(result)}: peak {peak}{(result.ReferencePeakBar is null ? expected : "")}.",
        };
    }

    /// <summary>What may be said of one without a fault: no more than could be told.</summary>
    private static string Sound(CylinderPressureResult result)
    {
        bool Is(params string[] codes) => result.Notes.Any(n => codes.Contains(n.Code));
        if (Is("leak-unsure"))
            return "shows no fault that can be told";
        return Is("shift-unsure", "shift-unknown") ? "seals; whether its valves come in time can't be told"
            : result.ShiftsAgainst is null ? "seals; for its valves a known-good is missing"
            : "seals and breathes as it should";
    }

    private static string Against(double? reference) => reference is { } usual ? $", {usual:0} % in the known-good" : "";

    private static string InPlace(double? degrees) => degrees is { } d && Math.Abs(d) < 5 ? "are in place" : "can't be told well";

    private static string Late(double? degrees) => degrees is { } d ? $"{Math.Abs(d):0.0}° {(d > 0 ? "late" : "early")}" : "out of place";

    private static string Teeth(double? degrees, Engine engine)
    {
        if (engine.CamDrive is not { } drive || degrees is not { } d)
            return "";
        var teeth = Math.Round(d / drive.DegreesPerTooth);
        return teeth != 0 && Math.Abs(d - teeth * drive.DegreesPerTooth) < 0.3 * drive.DegreesPerTooth
            ? $", about {Math.Abs(teeth):0} {(Math.Abs(teeth) == 1 ? "tooth" : "teeth")} of the {drive.Kind}"
            : "";
    }
}
