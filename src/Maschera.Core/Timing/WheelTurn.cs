using Maschera.Core.Engines;

namespace Maschera.Core.Timing;

/// <summary>
/// The wheel of a whole turn, from a pattern of gaps that may come several times in it, or from none: by the engine file, by what comes
/// again with the cycle, by the rhythm of the firings.
/// </summary>
internal static class WheelTurn
{
    /// <summary>Like parts of a turn between its gaps, at the most.</summary>
    private const int MostPatterns = 6;

    /// <summary>Against the gaps a rhythm has to stand out of the others by so many times.</summary>
    private const double SureRhythm = 4;

    /// <summary>Faster than this few captures are made, rpm: half of it is as likely.</summary>
    private const double Racing = 3_000;

    /// <summary>The wheel, with what is to be doubted of it; null where nothing tells how many teeth make a turn.</summary>
    public static WheelPattern? Of(WheelPattern found, ToothTrain train, Engine? engine, CycleMarks? marks)
    {
        var known = engine?.CrankWheel;
        if (found.HasExtraTooth)
            return found;
        if (found.Missing.Count == 0)
        {
            if (known is { Missing.Count: 0 })
                return new WheelPattern(known.Teeth, [], []);
            return marks?.Least(new ToothPlaces(train)) is { } least ? Plain(least, train, engine) : null;
        }

        if (known is not null && known.Teeth % found.Teeth == 0 && known.Missing.Count == found.Missing.Count * (known.Teeth / found.Teeth))
            return WheelFinder.Repeated(found, known.Teeth / found.Teeth);
        return known is not null || marks is null ? found : Marked(found, train, engine, marks);
    }

    /// <summary>A wheel with gaps: after so many of its patterns the marks come again.</summary>
    private static WheelPattern Marked(WheelPattern found, ToothTrain train, Engine? engine, CycleMarks marks)
    {
        var places = new ToothPlaces(train);
        var times = Enumerable.Range(1, MostPatterns).FirstOrDefault(times => marks.ComeAgain(places, 2 * times * found.Teeth));
        if (times > 1)
            return WheelFinder.Repeated(found, times);
        if (times == 0)
            return found;
        // Like segments come again with the gaps, however often those come in a turn.
        var rhythm = FiringRhythm.Find(train, 2 * found.Teeth, engine);
        if (rhythm is { Times: 2 or 3, Clearness: > SureRhythm } and { Times: var more })
            return WheelFinder.Repeated(found, more) with
            {
                Doubt =
                    $"The gaps come {more} times a turn if the engine fires as its rhythm says: {more * found.Teeth} tooth places. Should "
                    + $"two cylinders opposite in the firing order be dead, it may be {more} times fewer, and the speed and all degrees "
                    + "as much larger.",
            };
        return
            train.Rpm(found.Teeth) > Racing
            && marks.Least(places) is { IsOneSegment: true }
            && rhythm is not { Times: 1, Clearness: > FiringRhythm.Clear }
            ? found with
            {
                Doubt =
                    $"{found.Said} make one turn only if the engine really turns at {train.Rpm(found.Teeth):0} rpm. Should the gap come "
                    + "twice a turn, speed and degrees are half of what is said.",
            }
            : found;
    }

    /// <summary>A wheel without a gap, by what comes again with the cycle; one segment of that may come once a firing.</summary>
    private static WheelPattern Plain((int Places, bool IsOneSegment) least, ToothTrain train, Engine? engine)
    {
        int? times =
            !least.IsOneSegment ? 1
            : FiringRhythm.Find(train, least.Places, engine) is { Clearness: > FiringRhythm.Clear } rhythm ? rhythm.Times
            : null;
        var teeth = least.Places * (times ?? (least.Places % 2 == 0 ? 1 : 2)) / 2;
        return new WheelPattern(teeth, [], [])
        {
            Doubt = times is null
                ? $"How many of the teeth make one turn is told by one segment that comes again and again, taken for once a cycle: {teeth} "
                    + "teeth. Should it come more often, the speed and all degrees are as much too large."
                : null,
        };
    }
}
