using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.RelativeCompression;

/// <summary>What the sync channel says: which place of the firing order is its cylinder's, and every doubt.</summary>
/// <param name="Shift">
/// How many places the fitted position 1 lies after the firing order's first cylinder; null where it can't be told.
/// </param>
internal readonly record struct Naming(int? Shift, IReadOnlyList<Note> Doubts);

/// <summary>Names cylinders through a signal that marks one of them.</summary>
internal static class CylinderNaming
{
    /// <summary>
    /// Degrees from the mark to the firing TDC of its cylinder while cranking: a spark some 8° before TDC, a pressure
    /// tower at TDC, a petrol injector round the gas-exchange TDC, a diesel one just before firing TDC.
    /// </summary>
    private static double DegreesToTdc(string kind, Engine engine) =>
        kind switch
        {
            "ignition" => 8,
            "pressure" => 0,
            "injector" => engine.IsDiesel ? 5 : 360,
            _ => 0,
        };

    /// <summary>Places the fitted positions against the marks.</summary>
    /// <param name="marks">Degrees of every mark on the folded axis.</param>
    /// <param name="tdcDegrees">Firing TDC of the fitted position 1 on the same axis.</param>
    public static Naming Name(IReadOnlyList<double> marks, string kind, int syncCylinder, Engine engine, double tdcDegrees)
    {
        if (marks.Count < 2)
            return Unnamed(
                "sync-silent",
                "The sync channel shows no clear mark a cycle, so positions can't be named. Put the sync clamp on one plug lead or "
                    + "injector wire."
            );
        var (mean, spread) = Statistics.Circular(marks, 720);
        if (spread > 60)
        {
            var (_, halfSpread) = Statistics.Circular(marks, 360);
            return halfSpread < 40
                ? Unnamed(
                    "wasted-spark",
                    "The sync marks every revolution, not every second one: it names a pair of cylinders, not one. Sync on an "
                        + "injector or on in-cylinder pressure instead."
                )
                : Unnamed("sync-scattered", "The sync marks fall all over the cycle, so positions can't be named.");
        }

        return Match(mean + DegreesToTdc(kind, engine), kind, syncCylinder, engine, tdcDegrees);
    }

    private static Naming Match(double syncTdc, string kind, int syncCylinder, Engine engine, double tdcDegrees)
    {
        var angles = engine.Angles();
        var n = angles.Length;
        var syncPlace = engine.FiringOrder.ToList().IndexOf(syncCylinder);
        // On an even engine any place may be the fitted position 1; an odd-fire pattern has found its own start.
        var shifts = Enumerable.Range(0, n).Where(shift => FitsRotated(angles, shift));
        var best = shifts
            .Select(shift => (Shift: shift, Off: Off(syncTdc, tdcDegrees + angles[(syncPlace - shift + n) % n])))
            .MinBy(x => Math.Abs(x.Off));
        var doubts = new List<Note>();
        if (Math.Abs(best.Off) > 0.33 * 720 / n)
            doubts.Add(
                new Note(
                    "sync-doubtful",
                    $"The sync lies {Math.Abs(best.Off):0}° from the nearest compression it could belong to: check that it is on "
                        + $"cylinder {syncCylinder}."
                )
            );
        if (kind is "injector" && !engine.IsDiesel)
            doubts.Add(
                new Note(
                    "sync-injector",
                    "Named through an injector, taken to open round the gas-exchange TDC of its cylinder; simultaneous or early "
                        + "injection while cranking would shift the names."
                )
            );
        if (kind is "cam")
            doubts.Add(new Note("sync-cam", $"Named through a cam mark taken to lie at the compression of cylinder {syncCylinder}."));
        return new Naming(best.Shift, doubts);
    }

    /// <summary>True where the firing angles look the same counted from another place.</summary>
    private static bool FitsRotated(double[] angles, int shift)
    {
        var n = angles.Length;
        return Enumerable.Range(0, n).All(i => Math.Abs(Off(angles[(i + shift) % n] - angles[shift], angles[i])) < 0.5);
    }

    private static double Off(double a, double b) => Math.IEEERemainder(a - b, 720);

    private static Naming Unnamed(string code, string text) => new(null, [new Note(code, text)]);
}
