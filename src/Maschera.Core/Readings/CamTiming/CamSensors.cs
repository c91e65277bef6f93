using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.CamTiming;

/// <summary>One capture's clock and its cams on it.</summary>
internal sealed record CamSensors(AngleClock Clock, Dictionary<string, CamPattern> Cams)
{
    public static (CamSensors?, Note?) Measure(Dictionary<string, Channel> channels, Engine? engine, bool? rising = null)
    {
        var (crank, cam) = (channels["crank"], channels["cam"]);
        var sensors = channels.ToDictionary(c => c.Key, c => SensorEdges.Find(c.Value));
        var cams = sensors.Where(s => s.Key.StartsWith("cam", StringComparison.Ordinal)).ToDictionary(s => s.Key, s => Usable(s.Value));
        var (clock, problem) = ClockMaker.Make(
            crank,
            sensors["crank"],
            engine,
            places => cams["cam"].Select(edges => CamPattern.Repeats(edges, places)).FirstOrDefault(count => count is not null),
            rising
        );
        if (Swapped(crank, sensors["crank"], cam, sensors["cam"], engine))
            return (
                null,
                new Note(
                    "swapped",
                    $"Crank and cam seem to be swapped: '{cam.Name}' shows many more teeth than '{crank.Name}'. Name them the "
                        + $"other way round."
                )
            );
        if (clock is null)
            return (null, problem);
        if (clock.Cycles < 2)
            return (
                null,
                new Note(
                    "short",
                    $"The capture holds {(clock.Degrees[^1] - clock.Degrees[0]) / 720:0.0} cycles; at least two whole ones are "
                        + $"needed, better twenty. Capture longer."
                )
            );
        var patterns = cams.Select(c => (c.Key, Pattern: Sharpest(c.Value, clock)))
            .Where(c => c.Pattern is not null)
            .ToDictionary(c => c.Key, c => c.Pattern!);
        return patterns.ContainsKey("cam")
            ? (new CamSensors(clock, patterns), null)
            : (
                null,
                new Note("no-cam-pattern", $"The edges of '{cam.Name}' don't repeat from cycle to cycle. Check the cam sensor's hook-up.")
            );
    }

    /// <summary>
    /// The edges to go by: all of a hall sensor; of an inductive one either those that go up or those that go down, for
    /// only the crossing in the middle of a tooth is sharp, and the other lies somewhere in the rest before it.
    /// </summary>
    private static IReadOnlyList<Edge>[] Usable(SensorEdges sensor) =>
        sensor.IsInductive
            ?
            [
                [.. sensor.Edges.Where(e => e.Rising)],
                [.. sensor.Edges.Where(e => !e.Rising)],
            ]
            : [sensor.Edges];

    /// <summary>The pattern whose edges scatter least.</summary>
    private static CamPattern? Sharpest(IReadOnlyList<Edge>[] choices, AngleClock clock) =>
        choices.Select(edges => CamPattern.Of(edges, clock)).OfType<CamPattern>().MinBy(pattern => pattern.Edges.Average(e => e.Spread));

    private static bool Swapped(Channel crank, SensorEdges crankEdges, Channel cam, SensorEdges camEdges, Engine? engine)
    {
        var (few, many) = (crankEdges.Edges.Count, camEdges.Edges.Count);
        return few > 3 && many > 3 * few && many > 60
            || many > 2 * few
                && few > 0
                && ClockMaker.Make(cam, camEdges, engine).Clock is not null
                && ClockMaker.Make(crank, crankEdges, engine).Clock is null;
    }

    /// <summary>
    /// The crossing in the middle of an inductive tooth and the one between teeth lie half a tooth apart. Where one capture does not
    /// tell which is which it takes the one of the other, for the sensor is wired alike in both.
    /// </summary>
    public static (CamSensors Measured, CamSensors Reference) SameCrossing(
        Dictionary<string, Channel> channels,
        Dictionary<string, Channel> theirs,
        CamSensors measured,
        CamSensors reference,
        Engine? engine
    )
    {
        if (
            measured.Clock.InductiveCrossing is not { } own
            || reference.Clock.InductiveCrossing is not { } good
            || own.Rising == good.Rising
            || own.IsSure && good.IsSure
        )
            return (measured, reference);
        return own.IsSure
            ? (measured, CamSensors.Measure(theirs, engine, own.Rising).Item1 ?? reference)
            : (CamSensors.Measure(channels, engine, good.Rising).Item1 ?? measured, reference);
    }

    /// <summary>What the sensors' kinds leave open between capture and reference; null where nothing.</summary>
    public static Note? HalfTooth(CamSensors measured, CamSensors reference)
    {
        var (own, good) = (measured.Clock.InductiveCrossing, reference.Clock.InductiveCrossing);
        var half = measured.Clock.Wheel.Pitch / 2;
        if (own is null != good is null)
            return new Note(
                "other-sensor",
                $"One capture's crank sensor is inductive, the other's a hall sensor: their edges stand at other places of a tooth, so "
                    + $"the offset is only known to about half a tooth, {half:0.0}°. Compare with a capture of the same kind of sensor."
            );
        if (own is not null && good is not null && own.Rising != good.Rising)
            return new Note(
                "half-tooth",
                own.IsSure && good.IsSure
                    ? "The crank sensor is wired the other way round than in the known-good; the middle of the teeth is taken in both."
                    : $"Which crossing of the crank sensor is the middle of a tooth is not sure: the offset may be off by half a tooth, "
                        + $"{half:0.0}°. Capture longer, at a higher rate."
            );
        return null;
    }
}
