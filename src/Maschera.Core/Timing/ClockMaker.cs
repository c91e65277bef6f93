using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Expressions;
using Maschera.Core.Signals;

namespace Maschera.Core.Timing;

/// <summary>Makes an angle clock of a trigger wheel's edges: which edges to go by, which wheel it is, which tooth is which.</summary>
internal static class ClockMaker
{
    /// <summary>Fewer teeth than this are no wheel to go by.</summary>
    private const int LeastEdges = 12;

    /// <summary>Gaps off whole pitches by more than this are no gaps of a wheel.</summary>
    private const double MostMisfit = 0.28;

    /// <summary>The largest gap of a wheel, teeth.</summary>
    private const int MostMissing = 12;

    /// <summary>Slower than this the crank stands, or rocks back against compression, rpm.</summary>
    private const double SlowestRpm = 25;

    /// <summary>With fewer samples a tooth a wheel that is not found may be there all the same.</summary>
    private const double FewSamples = 5;

    /// <summary>Teeth are mostly alike: nine in ten are no longer than so many times the usual one.</summary>
    private const double LikeTeeth = 1.6;

    /// <summary>Teeth of a wheel that nothing tells.</summary>
    private const int UsualTeeth = 60;

    /// <summary>An inductive sensor's crossings are told from the other ones where they are off by less than this share of those.</summary>
    private const double CrossingSure = 0.5;

    /// <summary>... and where they themselves lie at whole pitches across a gap within the first, and the other ones don't by the second.</summary>
    private const double EvenlyThrough = 0.06,
        UnevenlyThrough = 0.03;

    /// <summary>On a wheel without gaps no stand of the signal is this many times longer than the usual one.</summary>
    private const double PlainStands = 1.5;

    /// <summary>Makes the clock from edges that are found already; see <see cref="AngleClock.Make"/>.</summary>
    /// <param name="rising">Which crossing of an inductive sensor to go by; the one that lies evenly where null.</param>
    public static (AngleClock? Clock, Note? Problem) Make(
        Channel crank,
        SensorEdges sensor,
        Engine? engine,
        Func<ToothPlaces, int?>? repeats = null,
        bool? rising = null
    )
    {
        if (sensor.Edges.Count < 2 * LeastEdges)
            return (
                null,
                new Note(
                    "no-teeth",
                    $"'{crank.Name}' shows fewer than {LeastEdges} teeth. Check the sensor and its hook-up, or capture longer."
                )
            );
        (AngleClock? Clock, Note? Problem) first = default;
        var ways = Ways(sensor, rising);
        foreach (var way in ways)
        {
            var made = Of(crank, way.Train, sensor.Jitter, engine, repeats);
            if (made.Clock is { } clock)
            {
                clock.InductiveCrossing = sensor.IsInductive ? new AngleClock.Crossing(way.Rising, IsSure(ways)) : null;
                return made;
            }

            first = first.Problem is null ? made : first;
        }

        return first;
    }

    private static (AngleClock? Clock, Note? Problem) Of(
        Channel crank,
        ToothTrain all,
        double jitter,
        Engine? engine,
        Func<ToothPlaces, int?>? repeats
    )
    {
        var found = WheelFinder.Find(all);
        var (train, stop) = Turning(all, engine?.CrankWheel?.Teeth ?? (found is { Teeth: > 0 } ? found.Teeth : UsualTeeth));
        if (train.Seconds.Length < LeastEdges)
            return (null, new Note("standing", $"The crank hardly turns on '{crank.Name}': it stands or rocks for most of the capture."));
        if (train.Misfit > MostMisfit)
            return (null, NoWheel(crank, train));
        if (train != all)
            found = WheelFinder.Find(train);
        if (found is null)
            return (null, NoWheel(crank, train));
        if (Whole(found, train, engine, repeats) is not { } wheel)
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

    /// <summary>
    /// The edges to go by, the likelier first: of a hall sensor those that end a gap, of an inductive one those that lie evenly
    /// through it, or those that are asked for. So a sensor the other way round gives the same angles.
    /// </summary>
    private static List<(bool Rising, ToothTrain Train)> Ways(SensorEdges sensor, bool? rising)
    {
        (bool Rising, ToothTrain Train) Way(bool up) => (up, ToothTrain.Of(sensor.Times(up)));
        if (!sensor.IsInductive)
            return [Way(GapIsLow(sensor.Edges))];
        return rising is { } asked ? [Way(asked)] : [.. new[] { Way(true), Way(false) }.OrderBy(w => w.Train.Misfit)];
    }

    private static bool IsSure(List<(bool Rising, ToothTrain Train)> ways) =>
        ways.Count == 2
        && ways[0].Train.Misfit < Math.Min(EvenlyThrough, CrossingSure * ways[1].Train.Misfit)
        && ways[1].Train.Misfit > UnevenlyThrough;

    /// <summary>
    /// The longest stretch in which the crank turns on: where it stops it rocks back, and a sensor does not tell which way.
    /// </summary>
    private static (ToothTrain Train, Note? Stop) Turning(ToothTrain train, int teeth)
    {
        var slow = 360.0 / teeth / (6 * SlowestRpm);
        // A long stand counts as many steps; a wheel's gap is a few teeth at the most.
        var breaks = Enumerable
            .Range(0, train.Steps.Length)
            .Where(i => train.Seconds[i + 1] - train.Seconds[i] > slow * Math.Min(train.Steps[i], MostMissing + 1))
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

    /// <summary>
    /// True where the signal is low between the teeth: its long stands are low, the sensor sees a gap there; on a wheel
    /// without gaps its short ones, an extra tooth splits them.
    /// </summary>
    private static bool GapIsLow(IReadOnlyList<Edge> edges)
    {
        var stands = Enumerable
            .Range(1, edges.Count - 1)
            .Select(i => (Low: edges[i].Rising, Length: edges[i].Seconds - edges[i - 1].Seconds))
            .ToList();
        double[] Lengths(bool low) => Statistics.Sorted(stands.Where(s => s.Low == low).Select(s => s.Length));
        double Against(double[] lengths, double quantile) => Statistics.Quantile(lengths, quantile) / Statistics.Quantile(lengths, 0.5);
        var (low, high) = (Lengths(low: true), Lengths(low: false));
        var (longLow, longHigh) = (Against(low, 0.995), Against(high, 0.995));
        return Math.Max(longLow, longHigh) > PlainStands ? longLow >= longHigh : Against(low, 0.005) <= Against(high, 0.005);
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
                + $"that none of its edges are lost, and that the engine turned steadily."
        );
    }

    /// <summary>The wheel of a whole turn, from a pattern that may come several times a turn.</summary>
    private static WheelPattern? Whole(WheelPattern found, ToothTrain train, Engine? engine, Func<ToothPlaces, int?>? repeats)
    {
        var known = engine?.CrankWheel;
        if (found.HasExtraTooth)
            return found;
        if (found.Missing.Count == 0)
        {
            if (known is { Missing.Count: 0 })
                return new WheelPattern(known.Teeth, [], []);
            return repeats?.Invoke(new ToothPlaces(train)) is { } cycle and > 1 && cycle % 2 == 0
                ? new WheelPattern(cycle / 2, [], [])
                : null;
        }

        if (known is not null && known.Teeth % found.Teeth == 0 && known.Missing.Count == found.Missing.Count * (known.Teeth / found.Teeth))
            return WheelFinder.Repeated(found, known.Teeth / found.Teeth);
        if (known is not null || repeats is null)
            return found;
        return
            repeats(new ToothPlaces(train)) is { } places && places % (2 * found.Teeth) == 0 && places / (2 * found.Teeth) is > 1 and <= 6
            ? WheelFinder.Repeated(found, places / (2 * found.Teeth))
            : found;
    }

    private static AngleClock Run(ToothTrain train, WheelPattern wheel, double jitter, Engine? engine, Note? stop)
    {
        List<Note> notes = stop is null ? [] : [stop];
        var places = wheel.HasMark ? ToothCount.Aligned(train, wheel, notes) : [.. train.Places];
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
        if (!wheel.HasMark)
            notes.Add(new("plain-wheel", "The wheel has no gap: angles are only known up to whole teeth against another capture."));
        return AngleClock.OfWheel(train.Seconds, places, wheel, jitter, notes);
    }
}
