using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Signals;

namespace Maschera.Core.Timing;

/// <summary>Where a firing TDC of the first cylinder lies on a clock; null with the reason where it can't be told.</summary>
public readonly record struct CyclePhase(double? Tdc, Note? Doubt)
{
    /// <summary>Degrees from a running engine's sync to the firing TDC of its cylinder.</summary>
    internal static double DegreesToTdc(string kind, Engine engine) =>
        kind switch
        {
            // The spark of a running engine comes some 18° before TDC: between idle and light load.
            "ignition" => 18,
            "injector" => engine.IsDiesel ? 5 : 360,
            _ => 0,
        };

    /// <summary>Sync marks closer to their cylinder's TDC than this leave no doubt which turn it is, degrees.</summary>
    private const double SureWithin = 120;

    /// <summary>... and where the wheel has gaps alike, when it lies by so much further from where the next one would have it.</summary>
    private const double SureApart = 30;

    /// <summary>Finds it from a signal that marks one cylinder.</summary>
    /// <param name="sync">The signal; null where there is none.</param>
    /// <param name="kind">What it is on: ignition, injector, cam or pressure.</param>
    /// <param name="cylinder">The cylinder it marks.</param>
    public static CyclePhase Find(AngleClock clock, Engine engine, Channel? sync, string kind, int cylinder)
    {
        if (sync is null)
            return new CyclePhase(
                null,
                new Note(
                    "no-sync",
                    "The crank alone does not tell which of its two turns fires which cylinder. Capture an ignition, injector, cam or "
                        + "pressure signal of one cylinder as well."
                )
            );
        var marks = SyncEvents
            .Marks(sync, kind, 0.25 * 120 / clock.SpeedRpm)
            .Select(clock.At)
            .Where(d => d >= clock.Degrees[0] && d <= clock.Degrees[^1])
            .ToList();
        if (marks.Count < 2)
            return new CyclePhase(
                null,
                new Note("sync-silent", $"'{sync.Name}' shows no clear mark a cycle. Put the sync probe on one plug lead or injector wire.")
            );
        var (mean, spread) = Statistics.Circular(marks, 720);
        if (spread > 60)
            return Statistics.Circular(marks, 360).Spread < 40
                ? new CyclePhase(
                    null,
                    new Note(
                        "wasted-spark",
                        "The sync marks every turn, not every second one: it names a pair of cylinders, not one. Sync on an injector, "
                            + "a cam or in-cylinder pressure instead."
                    )
                )
                : new CyclePhase(null, new Note("sync-scattered", "The sync marks fall all over the cycle, so cylinders can't be named."));
        var place = engine.FiringOrder.ToList().IndexOf(cylinder);
        var guess = mean + DegreesToTdc(kind, engine) - engine.Angles()[place];
        if (engine.CrankWheel?.GapToTdc is not { } gap || !clock.Wheel.HasMark)
            return new CyclePhase(
                guess,
                new Note(
                    "tdc-by-sync",
                    $"The engine file does not say where TDC lies after the wheel's gap; it is taken {DegreesToTdc(kind, engine):0}° "
                        + $"after the sync mark."
                )
            );
        // Of gaps alike any may be the one the file counts from: the mark tells which it is.
        var offs = FirstGaps(clock.Wheel, engine.CrankWheel)
            .Select(first => guess - gap - first)
            .OrderBy(o => Math.Abs(Math.IEEERemainder(o, 360)))
            .ToList();
        var off = Math.IEEERemainder(offs[0], 360);
        var next = offs.Count > 1 ? Math.Abs(Math.IEEERemainder(offs[1], 360)) : double.PositiveInfinity;
        var doubt =
            Math.Abs(off) > SureWithin || next - Math.Abs(off) < SureApart
                ? new Note(
                    "sync-doubtful",
                    $"The sync mark lies {Math.Abs(off):0}° from where cylinder {cylinder} should have it: check that it is on that "
                        + $"cylinder, and the engine file's gapToTdc."
                )
                : (Note?)null;
        return new CyclePhase(guess - off, doubt);
    }

    /// <summary>
    /// Degrees behind the clock's zero of the gaps the file's first one may be: those from which its gaps follow in order.
    /// </summary>
    private static List<double> FirstGaps(WheelPattern wheel, CrankWheel told)
    {
        var count = wheel.Missing.Count;
        var firsts = Enumerable
            .Range(0, count)
            .Where(g =>
                told.Missing.Count == count && Enumerable.Range(0, count).All(i => wheel.Missing[(g + i) % count] == told.Missing[i])
            )
            .Select(g => wheel.GapPlaces[g] * wheel.Pitch)
            .ToList();
        return firsts.Count > 0 ? firsts : [0];
    }
}
