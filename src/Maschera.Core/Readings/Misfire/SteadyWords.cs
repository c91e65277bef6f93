using Maschera.Core.Basics;
using Maschera.Core.Engines;

namespace Maschera.Core.Readings.Misfire;

/// <summary>What cylinders that lack the same at every firing are said to do.</summary>
internal static class SteadyWords
{
    /// <summary>Less than this share of a firing is a difference, not worth a word.</summary>
    private const double Worth = 0.25;

    /// <summary>What is open about them, and how it is known.</summary>
    public static IEnumerable<Note> Notes(IReadOnlyList<SteadyLack> steady, Engine engine)
    {
        foreach (var weak in steady.Where(IsWorth))
            yield return new(
                "fires-weakly",
                (
                    weak.Share is { } share
                        ? $"Cylinder {Number(weak, engine)} lacks about {100 * share:0} % of a firing's work at every one of its firings. "
                        : $"Cylinder {Number(weak, engine)} gives less than the others at every one of its firings. "
                )
                    + "It fires weakly, and that is not counted as misfires. How much a whole firing is "
                    + (
                        weak.Share is null ? "can't be told from the crank's speed on a diesel, so its work in percent is rough."
                        : weak.IsByMisfires ? "is told by the firings that are missing."
                        : "is judged by the swing of the crank's speed, to about a third, for a petrol engine at light load."
                    )
                    + " Look at what it has for itself: injector, spark or glow plug, compression."
            );
        if (Numbers(steady.Where(s => s.IsOpen), engine) is { Length: > 0 } open)
            yield return new(
                "weak-or-missing",
                $"Cylinder {open} lacks the same at every firing. The speed of the crank does not tell here whether it misfires each time "
                    + "or fires weakly. Capture at idle, or take its plug or injector lead off there: where nothing changes, it does "
                    + "not fire."
            );
    }

    /// <summary>The same for the sentence; empty where there is nothing to say.</summary>
    public static string Said(IReadOnlyList<SteadyLack> steady, Engine engine)
    {
        var weak = Numbers(steady.Where(IsWorth), engine);
        return (weak.Length > 0 ? $" Cylinder {weak} fires weakly each time." : "")
            + (steady.Any(s => s.IsOpen) ? " It may be weak firings instead: see below." : "");
    }

    private static bool IsWorth(SteadyLack lack) => lack.IsWeak && !(lack.Share <= Worth) && (lack.Share is not null || !lack.IsMissing);

    private static int Number(SteadyLack lack, Engine engine) => engine.FiringOrder[lack.Place];

    private static string Numbers(IEnumerable<SteadyLack> lacks, Engine engine) =>
        string.Join(" and ", lacks.Select(lack => Number(lack, engine)));
}
