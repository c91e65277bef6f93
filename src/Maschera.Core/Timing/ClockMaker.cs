using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Signals;

namespace Maschera.Core.Timing;

/// <summary>Makes an angle clock of a trigger wheel's edges: which edges to go by, which wheel it is, which tooth is which.</summary>
internal static class ClockMaker
{
    /// <summary>Fewer teeth than this are no wheel to go by.</summary>
    private const int LeastEdges = 12;

    /// <summary>Gaps off whole pitches by more than this are no gaps of a wheel.</summary>
    private const double MostMisfit = 0.28;

    /// <summary>Gaps off whole pitches by less than this are told one by one.</summary>
    private const double SureMisfit = 0.15;

    /// <summary>No starter turns an engine faster, rpm; a pattern looked for comes at most so often a turn.</summary>
    private const double FastestStarter = 400,
        MostPatterns = 3;

    /// <summary>Gaps at uneven places with fewer teeth to each may be compressions within a tooth.</summary>
    private const int FewTeeth = 8;

    /// <summary>Slower than this the crank stands, or rocks back against compression, rpm.</summary>
    private const double SlowestRpm = 25;

    /// <summary>With fewer samples a tooth a wheel that is not found may be there all the same.</summary>
    private const double FewSamples = 5;

    /// <summary>Teeth are mostly alike: nine in ten are no longer than so many times the usual one.</summary>
    private const double LikeTeeth = 1.6;

    /// <summary>Teeth of a wheel that nothing tells.</summary>
    private const int UsualTeeth = 60;

    /// <summary>An inductive sensor's crossings are told from the other ones where they are off by less than this share of those.</summary>
    private const double CrossingSure = 0.3;

    /// <summary>... and where they lie at whole pitches across a gap within the first, and the other ones don't by the second.</summary>
    private const double EvenlyThrough = 0.12,
        UnevenlyThrough = 0.015;

    /// <summary>Makes the clock from edges that are found already; see <see cref="AngleClock.Make"/>.</summary>
    /// <param name="rising">Which crossing of an inductive sensor to go by; the one that lies evenly where null.</param>
    /// <param name="told">The wheel, where it is known from elsewhere than the engine.</param>
    public static (AngleClock? Clock, Note? Problem) Make(
        Channel crank,
        SensorEdges sensor,
        Engine? engine,
        CycleMarks? marks = null,
        bool? rising = null,
        WheelPattern? told = null
    )
    {
        told ??= Told(engine);
        if (sensor.Edges.Count < 2 * LeastEdges)
            return (
                null,
                new Note(
                    "no-teeth",
                    $"'{crank.Name}' shows fewer than {LeastEdges} teeth. Check the sensor and its hook-up, or capture longer."
                )
            );
        var ways = Ways(sensor, rising);
        var made = ways.Select(way => (way.Rising, Way: Of(crank, way.Train, sensor.Jitter, engine, marks, told))).ToList();
        // Crossings that lie unevenly may hide the gap.
        var clocks = made.Where(m => m.Way.Clock is not null)
            .OrderByDescending(m => m.Way.Clock!.Wheel.HasMark)
            .ThenBy(m => m.Way.Clock!.GapMisfit)
            .ToList();
        if (clocks.Count == 0)
            return made[0].Way;
        var best = clocks[0].Way.Clock!;
        if (sensor.IsInductive)
            best.InductiveCrossing = new AngleClock.Crossing(clocks[0].Rising, clocks.Count == 2 && IsSure(best, clocks[1].Way.Clock!));
        return (best, null);
    }

    private static (AngleClock? Clock, Note? Problem) Of(
        Channel crank,
        ToothTrain all,
        double jitter,
        Engine? engine,
        CycleMarks? marks,
        WheelPattern? told
    )
    {
        var found = WheelFinder.Find(all);
        var teeth =
            told?.Teeth
            ?? engine?.CrankWheel?.Teeth
            ?? (found is { Teeth: > 0 } ? found : WheelFold.Find(all.Seconds, FiringsPerTurn(engine)))?.Teeth;
        var (train, stop) = Turning(all, teeth ?? UsualTeeth);
        if (train.Seconds.Length < LeastEdges)
            return (null, new Note("standing", $"The crank hardly turns on '{crank.Name}': it stands or rocks for most of the capture."));
        if (train != all)
            found = WheelFinder.Find(train);
        if (engine?.CrankWheel is not { Missing.Count: 0 } && IsToBeLaid(train, found, told))
            if (Laid(train, told, engine, marks) is { } laid)
                return (Run(laid.Train, laid.Wheel, jitter, engine, stop), null);
        // A wheel that is told to have no gap has none, whatever a starter that halves its speed makes of it.
        if ((found is null || train.Misfit > MostMisfit) && engine?.CrankWheel is { Missing.Count: 0, Extra: 0 })
            (train, found) = (train.WithoutGaps(), new WheelPattern(0, [], []));
        if (train.Misfit > MostMisfit || found is null)
            return (null, NoWheel(crank, train));
        if (WheelTurn.Of(found, train, engine, marks) is not { } wheel)
            return (
                null,
                new Note(
                    "plain-wheel",
                    $"The teeth on '{crank.Name}' have no gap, and neither the engine file nor a cam tells how many make one turn. "
                        + $"Give the engine its crankWheel, or capture the cam as well."
                )
            );
        return (Run(train, wheel, jitter, engine, stop), null);
    }

    /// <summary>A wheel laid on all edges together: the one that is told, else the one whose gaps come again over all turns.</summary>
    private static (ToothTrain Train, WheelPattern Wheel)? Laid(ToothTrain train, WheelPattern? told, Engine? engine, CycleMarks? marks)
    {
        if (told is not null && WheelLay.Of(train, told) is { } fits)
            return (fits, told);
        var times = 1;
        for (var pass = 0; ; pass++)
        {
            if (
                WheelFold.Find(train.Seconds, FiringsPerTurn(engine) / times) is not { } found
                || WheelLay.Of(train, found) is not { } laid
                || WheelTurn.Of(found, laid, engine, marks) is not { } wheel
            )
                return null;
            // A pattern that comes several times a turn was measured as if it were a turn.
            if (wheel.Teeth == times * found.Teeth || pass > 0)
                return (laid, wheel);
            times = wheel.Teeth / found.Teeth;
        }
    }

    /// <summary>The engine file's wheel, its gaps spread evenly; null where it has none with gaps alone.</summary>
    private static WheelPattern? Told(Engine? engine) =>
        engine?.CrankWheel is { Missing.Count: > 0, Extra: 0 } wheel && wheel.Teeth % wheel.Missing.Count == 0
            ? new WheelPattern(
                wheel.Teeth,
                [.. wheel.Missing],
                [.. Enumerable.Range(0, wheel.Missing.Count).Select(gap => gap * wheel.Teeth / wheel.Missing.Count)]
            )
            : null;

    /// <summary>True unless the gaps, each taken for itself, are those of the wheel that is told, or a tooth too many marks it.</summary>
    private static bool IsToBeLaid(ToothTrain train, WheelPattern? found, WheelPattern? told) =>
        found is null
        || !found.HasExtraTooth
            && (
                train.Misfit > SureMisfit
                || (told is null ? train.Rpm(found.Teeth) < MostPatterns * FastestStarter : told.Teeth % Math.Max(1, found.Teeth) != 0)
            );

    private static bool MayBeCompressions(ToothTrain train, WheelPattern wheel) =>
        wheel.Teeth < FewTeeth * wheel.Missing.Count
        && wheel.Symmetry == 1
        // One gap may be every second compression of a turn, which goes by in half the time.
        && train.Rpm(wheel.Teeth) < (wheel.Missing.Count > 1 ? 1 : 2) * FastestStarter;

    private static double? FiringsPerTurn(Engine? engine) => engine?.FiresEvenly() == true ? engine.Cylinders / 2.0 : null;

    /// <summary>
    /// The edges to go by: of a hall sensor those that end a gap, of an inductive one those that are asked for, or either, of which those
    /// that lie evenly through the gap are taken. So a sensor the other way round gives the same angles.
    /// </summary>
    private static List<(bool Rising, ToothTrain Train)> Ways(SensorEdges sensor, bool? rising)
    {
        (bool Rising, ToothTrain Train) Way(bool up) => (up, ToothTrain.Of(sensor.Times(up)));
        if (!sensor.IsInductive)
            return [Way(sensor.GapIsLow())];
        return rising is { } asked ? [Way(asked)] : [Way(true), Way(false)];
    }

    private static bool IsSure(AngleClock even, AngleClock other) =>
        even.Wheel.HasMark && !other.Wheel.HasMark
        || even.GapMisfit < Math.Min(EvenlyThrough, CrossingSure * other.GapMisfit) && other.GapMisfit > UnevenlyThrough;

    /// <summary>
    /// The longest stretch in which the crank turns on: where it stops it rocks back, and a sensor does not tell which way.
    /// </summary>
    private static (ToothTrain Train, Note? Stop) Turning(ToothTrain train, int teeth)
    {
        var slow = 360.0 / teeth / (6 * SlowestRpm);
        // A long stand counts as many steps; a wheel's gap is a few teeth at the most.
        var breaks = Enumerable
            .Range(0, train.Steps.Length)
            .Where(i => train.Seconds[i + 1] - train.Seconds[i] > slow * Math.Min(train.Steps[i], GapWidth.MostPitches))
            .ToList();
        if (breaks.Count == 0)
            return (train, null);
        int[] starts = [0, .. breaks.Select(b => b + 1)];
        int[] ends = [.. breaks.Select(b => b + 1), train.Seconds.Length];
        var (from, to) = starts.Zip(ends).MaxBy(s => s.Second - s.First);
        var turning = ToothTrain.Of(train.Seconds[from..to]);
        var note = new Note(
            "stopped",
            $"The crank stands, or rocks back on stopping, outside of {train.Seconds[from]:0.00} to {train.Seconds[to - 1]:0.00} s; "
                + $"only that stretch, where it turns on, has angles."
        );
        return (turning, train.Seconds.Length - (to - from) > 2 ? note : null);
    }

    private static Note NoWheel(Channel crank, ToothTrain train)
    {
        var lengths = Statistics.Sorted(train.Seconds.Zip(train.Seconds.Skip(1), (a, b) => (b - a) / crank.Time.Step));
        var samples = Statistics.Quantile(lengths, 0.5);
        if (samples < FewSamples && Statistics.Quantile(lengths, 0.9) < LikeTeeth * samples)
            return new Note(
                "coarse",
                $"'{crank.Name}' has {samples:0.#} samples a tooth, too few to tell its gaps by. Capture at a higher rate or lower speed."
            );
        return new Note(
            "no-wheel",
            $"The teeth on '{crank.Name}' fit no wheel: their gaps don't repeat turn by turn. Check that this is the crank sensor, "
                + $"that none of its edges are lost, and that the engine turned steadily; give an engine whose wheel has no gap its "
                + $"crankWheel."
        );
    }

    private static AngleClock Run(ToothTrain train, WheelPattern wheel, double jitter, Engine? engine, Note? stop)
    {
        List<Note> notes = stop is null ? [] : [stop];
        var places = wheel.HasMark ? ToothCount.Aligned(train, wheel, notes) : [.. train.Places];
        if (train.Lost > 0)
            notes.Add(new("lost-edges", $"{train.Lost} tooth edges are missing; the teeth are counted on by those beside them."));
        var extra = wheel.HasExtraTooth
            ? train.Extras.Count(e => e < places.Length && ToothCount.Modulo(places[e], wheel.Teeth) != 0)
            : train.Extra;
        if (extra > 0)
            notes.Add(
                new(
                    "extra-edges",
                    $"{extra} edges of the crank sensor split a tooth in two and are left out: look for interference on its wire."
                )
            );
        if (
            engine?.CrankWheel is { } known
            && (known.Teeth != wheel.Teeth || known.Missing.Sum() != wheel.Missing.Sum() || known.Extra == 1 != wheel.HasExtraTooth)
        )
            notes.Add(
                new(
                    "wheel-differs",
                    $"The engine file has a wheel of {known.Teeth} with {known.Missing.Sum()} missing and {known.Extra} extra; the "
                        + $"signal shows {wheel.Teeth} with {wheel.Missing.Sum()} missing and {(wheel.HasExtraTooth ? 1 : 0)} extra, "
                        + $"and that is used."
                )
            );
        notes.AddRange(ToothCount.TeethOff(train, places, wheel));
        if (engine?.CrankWheel is null && MayBeCompressions(train, wheel))
            notes.Add(
                new(
                    "wheel-guessed",
                    $"On so coarse a wheel a compression on the starter looks like a gap, and {wheel.Said} may be fewer. Give the engine "
                        + $"its crankWheel, or capture it running."
                )
            );
        if (wheel.Doubt is { } doubt)
            notes.Add(new("wheel-guessed", $"{doubt} Give the engine its crankWheel."));
        if (!wheel.HasMark)
            notes.Add(new("plain-wheel", "The wheel has no gap: angles are only known up to whole teeth against another capture."));
        var clock = AngleClock.OfWheel(train.Seconds, places, wheel, jitter, notes);
        clock.GapMisfit = GapWidth.Misfit(train, wheel.Teeth, FiringsPerTurn(engine));
        return clock;
    }
}
