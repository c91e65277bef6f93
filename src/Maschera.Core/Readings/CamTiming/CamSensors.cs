using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.CamTiming;

/// <summary>One capture's clock and its cams on it.</summary>
/// <param name="Cams">Each cam's pattern by its role.</param>
/// <param name="Choices">
/// What the pattern may be made of: all edges of a hall sensor; of an inductive one its rising crossings, its falling ones, and its
/// half waves. Null where no pattern repeats.
/// </param>
internal sealed record CamSensors(AngleClock Clock, Dictionary<string, CamPattern> Cams, Dictionary<string, CamPattern?[]> Choices)
{
    public static (CamSensors?, Note?) Measure(
        Dictionary<string, Channel> channels,
        Engine? engine,
        bool? rising = null,
        WheelPattern? told = null
    )
    {
        var (crank, cam) = (channels["crank"], channels["cam"]);
        var sensors = channels.ToDictionary(c => c.Key, c => SensorEdges.Find(c.Value));
        var cams = sensors.Where(s => s.Key.StartsWith("cam", StringComparison.Ordinal)).ToDictionary(s => s.Key, s => Usable(s.Value));
        var (clock, problem) = ClockMaker.Make(
            crank,
            sensors["crank"],
            engine,
            // Half waves hold every edge; of the crossings one kind is not sharp.
            new CycleMarks(() => [.. cams["cam"].Reverse()]),
            rising,
            told
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
        var choices = cams.ToDictionary(c => c.Key, c => c.Value.Select(edges => CamPattern.Of(edges, clock)).ToArray());
        var patterns = choices
            .Select(c => (c.Key, Pattern: c.Value.OfType<CamPattern>().MinBy(Scatter)))
            .Where(c => c.Pattern is not null)
            .ToDictionary(c => c.Key, c => c.Pattern!);
        return patterns.ContainsKey("cam")
            ? (new CamSensors(clock, patterns, choices), null)
            : (
                null,
                new Note("no-cam-pattern", $"The edges of '{cam.Name}' don't repeat from cycle to cycle. Check the cam sensor's hook-up.")
            );
    }

    /// <summary>
    /// The edges to go by: all of a hall sensor. Of an inductive one those that go up or those that go down, where they are sharp, as in
    /// the middle of a narrow tooth; or the half waves, where long segments keep the crossings far from any edge.
    /// </summary>
    private static IReadOnlyList<Edge>[] Usable(SensorEdges sensor) =>
        sensor.IsInductive ? [Sharp(sensor, rising: true), Sharp(sensor, rising: false), sensor.Crests] : [sensor.Edges];

    private static Edge[] Sharp(SensorEdges sensor, bool rising) =>
        sensor.IsSharp(rising) ? [.. sensor.Edges.Where(e => e.Rising == rising)] : [];

    /// <summary>The sharpest pattern of a cam with as many edges as a stored one; the sharpest of all where none has.</summary>
    public CamPattern Like(string role, CamPattern stored) =>
        Choices[role].OfType<CamPattern>().Where(c => c.Edges.Count == stored.Edges.Count).MinBy(Scatter) ?? Cams[role];

    private static double Scatter(CamPattern pattern) => pattern.Edges.Average(e => e.Spread);

    /// <summary>Both with the patterns that are sharpest in the two together, so that like is laid on like.</summary>
    public static (CamSensors Measured, CamSensors Reference) SameEdges(CamSensors measured, CamSensors reference)
    {
        var (mine, theirs) = (new Dictionary<string, CamPattern>(measured.Cams), new Dictionary<string, CamPattern>(reference.Cams));
        foreach (var (role, own) in measured.Choices)
        {
            if (!reference.Choices.TryGetValue(role, out var good) || own.Length != good.Length)
                continue;
            var pairs = own.Zip(good)
                .Where(p => p.First is not null && p.First.Edges.Count == p.Second?.Edges.Count)
                .OrderBy(p => Scatter(p.First!) + Scatter(p.Second!))
                .ToList();
            if (pairs.Count > 0)
                (mine[role], theirs[role]) = (pairs[0].First!, pairs[0].Second!);
        }

        return (measured with { Cams = mine }, reference with { Cams = theirs });
    }

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
    /// Two captures of one engine have one wheel. Where nothing tells it and its gap looks wider in one than in the other, the wheel
    /// of either is laid on the other, and the one whose gaps look more like what they are is taken.
    /// </summary>
    public static (CamSensors Measured, CamSensors Reference) SameWheel(
        Dictionary<string, Channel> channels,
        Dictionary<string, Channel> theirs,
        CamSensors measured,
        CamSensors reference,
        Engine? engine
    )
    {
        if (engine?.CrankWheel is not null || measured.Clock.Wheel.IsLike(reference.Clock.Wheel))
            return (measured, reference);
        var mine = Measure(channels, engine, told: reference.Clock.Wheel).Item1;
        var good = Measure(theirs, engine, told: measured.Clock.Wheel).Item1;
        (CamSensors Measured, CamSensors Reference)[] pairs = [(mine ?? measured, reference), (measured, good ?? reference)];
        return pairs
            .Where(p => p.Measured.Clock.Wheel.IsLike(p.Reference.Clock.Wheel))
            .OrderBy(p => p.Measured.Clock.GapMisfit + p.Reference.Clock.GapMisfit)
            .FirstOrDefault((measured, reference));
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
        if (!own.IsSure && Measure(channels, engine, good.Rising, reference.Clock.Wheel).Item1 is { } mine)
            return (mine, reference);
        return good.IsSure
            ? (measured, reference)
            : (measured, Measure(theirs, engine, own.Rising, measured.Clock.Wheel).Item1 ?? reference);
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
