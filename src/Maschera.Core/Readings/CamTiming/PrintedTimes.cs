namespace Maschera.Core.Readings.CamTiming;

/// <summary>What one reads off a printed capture: the time of two crank turns, and the time from their start to the cam's edge.</summary>
/// <param name="TwoTurns">Time of 720°, in any unit.</param>
/// <param name="ToEdge">Time from the start of the two turns to the edge, in the same unit.</param>
/// <param name="Resolution">The last place the times are written to, in the same unit; each is known to half of it.</param>
public readonly record struct PrintedTimes(double TwoTurns, double ToEdge, double Resolution)
{
    /// <summary>Where the edge lies, crank degrees on 0-720.</summary>
    public double Degrees => 720 * ToEdge / TwoTurns;

    /// <summary>How well that is known from the written places alone, degrees: both times off by half a place, the wrong way.</summary>
    public double DoubtDegrees => 720 * (Resolution / 2) / TwoTurns * (1 + ToEdge / TwoTurns);

    /// <summary>What makes no sense; null where nothing is wrong.</summary>
    public string? Problem =>
        !(TwoTurns > 0) ? "The time of two turns is above zero."
        : !(ToEdge >= 0 && ToEdge <= TwoTurns) ? "The edge lies within the two turns: its time is from zero to theirs."
        : null;

    /// <summary>How much later the edge lies here than on the known-good engine, degrees within ±360, and the doubt from both.</summary>
    public static (double OffsetDegrees, double DoubtDegrees) Compare(PrintedTimes good, PrintedTimes here) =>
        (Math.IEEERemainder(here.Degrees - good.Degrees, 720), good.DoubtDegrees + here.DoubtDegrees);
}
