using Maschera.Core.Signals;

namespace Maschera.Core.Readings.CylinderPressure;

/// <summary>One cylinder among those compared.</summary>
/// <param name="Cylinder">Its number.</param>
/// <param name="Result">Its reading.</param>
/// <param name="PeakRatio">Peak over the intake's pressure, both absolute: what is left of the peak when manifold pressures differ.</param>
/// <param name="Course">Its mean course over the intake's pressure, a value a degree after firing TDC.</param>
public sealed record ComparedCylinder(int Cylinder, CylinderPressureResult Result, double PeakRatio, float[] Course);

/// <summary>Cylinders of one engine against each other, normalised for speed (degrees) and manifold pressure.</summary>
/// <param name="Cylinders">Every cylinder that was measured, by its number.</param>
/// <param name="Odd">The one that differs; null where none does.</param>
/// <param name="Sentence">What differs, and by how much.</param>
public sealed record PressureComparison(IReadOnlyList<ComparedCylinder> Cylinders, int? Odd, string Sentence)
{
    /// <summary>
    /// Differences from the median of the others that no sound engine has: share of the peak ratio, points of leakage, of which each of two
    /// is good to three, degrees.
    /// </summary>
    private const double PeakFrom = 0.06,
        LeakFrom = 4,
        EventFrom = 5,
        LevelFrom = 0.1;

    /// <summary>Compares the newest usable reading of each cylinder; null with fewer than two.</summary>
    public static PressureComparison? Of(IEnumerable<CylinderPressureResult> results)
    {
        var cylinders = results
            .Where(r => !r.IsUnusable && r is { Cylinder: not null, Course: not null })
            .GroupBy(r => r.Cylinder!.Value)
            .OrderBy(g => g.Key)
            .Select(g => Compared(g.Key, g.Last()))
            .ToList();
        if (cylinders.Count < 2)
            return null;
        var features = cylinders
            .SelectMany(own => Features(own, [.. cylinders.Where(c => c != own)]))
            .OrderByDescending(f => f.Size)
            .ToList();
        if (features.Count == 0 || features[0].Size < 1)
            return new PressureComparison(
                cylinders,
                null,
                $"Cylinders {string.Join(", ", cylinders.Select(c => c.Cylinder))} run alike once speed and manifold pressure are "
                    + $"allowed for."
            );
        // Of two cylinders each differs from the other; the one that a fault explains is named.
        var worst =
            cylinders.Count == 2
                ? features.Where(f => f.Size >= 0.95 * features[0].Size).OrderByDescending(f => f.IsWorse).First()
                : features[0];
        return new PressureComparison(cylinders, worst.Cylinder, $"Cylinder {worst.Cylinder} differs: {worst.Said}.");
    }

    private static ComparedCylinder Compared(int cylinder, CylinderPressureResult result)
    {
        // With the intake shut or nearly so, the level of the others' stroke is not to be had: then absolute pressures serve.
        var intake = result.IntakeAbsoluteBar ?? 1;
        var zero = intake - result.IntakeBar ?? 1;
        return new ComparedCylinder(
            cylinder,
            result,
            ((result.PeakBar ?? 0) + zero) / intake,
            [.. result.Course!.Mean.Select(p => (float)((p + zero) / intake))]
        );
    }

    /// <summary>
    /// What a cylinder loses, beside a known-good beyond that one's: what heat takes is parted from a leak anew in each fit, alike in both.
    /// </summary>
    private static double? Lost(Leakage? leakage, bool beyond) => beyond ? leakage?.Percent - leakage?.ReferencePercent : leakage?.Percent;

    private sealed record Feature(int Cylinder, double Size, bool IsWorse, string Said);

    private static IEnumerable<Feature> Features(ComparedCylinder own, IReadOnlyList<ComparedCylinder> others)
    {
        double? Off(Func<ComparedCylinder, double?> of) =>
            of(own) is { } mine && others.Select(of).OfType<double>().ToList() is { Count: > 0 } theirs
                ? mine - Statistics.Median(theirs)
                : null;
        if (own.Result.Verdict.EndsWith("stays-shut", StringComparison.Ordinal))
            yield return new(own.Cylinder, 100, true, "a valve stays shut");
        if (Off(c => c.PeakRatio) is { } peak && peak / (own.PeakRatio - peak) is var share)
            yield return new(
                own.Cylinder,
                Math.Abs(share) / PeakFrom,
                share < 0,
                $"its peak is {100 * Math.Abs(share):0} % {(share < 0 ? "lower" : "higher")} for the same manifold pressure"
            );
        if (Off(c => Lost(c.Result.Leakage, own.Result.Leakage?.ReferencePercent is not null)) is { } leak)
            yield return new(
                own.Cylinder,
                Math.Abs(leak) / LeakFrom,
                leak > 0,
                $"it loses {Math.Abs(leak):0} points {(leak > 0 ? "more" : "less")} of its charge"
            );
        if (Off(c => c.Result.Events?.Evo?.Degrees) is { } evo)
            yield return new(
                own.Cylinder,
                Math.Abs(evo) / (2 * EventFrom),
                Math.Abs(evo) > 0,
                $"its exhaust opens {Math.Abs(evo):0}° {(evo > 0 ? "later" : "earlier")}"
            );
        if (Off(c => c.Result.Events?.Ivo?.Degrees) is { } ivo)
            yield return new(
                own.Cylinder,
                Math.Abs(ivo) / (2 * EventFrom),
                Math.Abs(ivo) > 0,
                $"its intake opens {Math.Abs(ivo):0}° {(ivo > 0 ? "later" : "earlier")}"
            );
        if (Off(c => c.Result.ExhaustAbsoluteBar) is { } exhaust)
            yield return new(
                own.Cylinder,
                Math.Abs(exhaust) / LevelFrom,
                exhaust > 0,
                $"its exhaust stands {Math.Abs(exhaust):0.00} bar {(exhaust > 0 ? "higher" : "lower")}"
            );
    }
}
