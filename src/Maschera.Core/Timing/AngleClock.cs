using System.Numerics;
using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Expressions;
using Maschera.Core.Signals;

namespace Maschera.Core.Timing;

/// <summary>
/// The map from time to crank degrees, from a trigger wheel. Degrees grow with time; 0 is the first tooth edge after
/// the first gap somewhere at the start of the capture, and each turn adds 360. Which of two turns is which within
/// a cycle the crank alone does not tell.
/// </summary>
public sealed class AngleClock
{
    /// <summary>Fewer teeth than this are no wheel to go by.</summary>
    private const int LeastEdges = 12;

    /// <summary>Gaps off whole pitches by more than this are no gaps of a wheel.</summary>
    private const double MostMisfit = 0.28;

    /// <summary>The largest gap of a wheel, teeth.</summary>
    private const int MostMissing = 12;

    private readonly double[] _seconds;
    private readonly double[] _degrees;

    /// <summary>Slower than this the crank stands, or rocks back against compression, rpm.</summary>
    private const double SlowestRpm = 25;

    /// <summary>Teeth of a wheel that nothing tells.</summary>
    private const int UsualTeeth = 60;

    /// <summary>A tooth further off its place than this share of a pitch is remarked on.</summary>
    private const double ToothOff = 0.12;

    /// <summary>An inductive sensor's crossings are told from the other ones where they are off by less than this share of those.</summary>
    private const double CrossingSure = 0.5;

    /// <summary>On a wheel without gaps no stand of the signal is this many times longer than the usual one.</summary>
    private const double PlainStands = 1.5;

    private AngleClock(double[] seconds, double[] degrees, WheelPattern wheel, IReadOnlyList<Note> notes) =>
        (_seconds, _degrees, Wheel, Notes) = (seconds, degrees, wheel, notes);

    /// <summary>
    /// A clock without a wheel, from marks of known angle: sparks, injections, compressions. Between the marks the speed
    /// is only known on average, so the doubt is far larger than with a wheel.
    /// </summary>
    /// <param name="seconds">Times of the marks, rising, s; at least three.</param>
    /// <param name="degrees">Their degrees, rising.</param>
    /// <param name="source">What they are, for a person.</param>
    /// <param name="rippleDegrees">What speed changes between the marks can do to the angle, standard deviation in degrees.</param>
    public static AngleClock FromMarks(double[] seconds, double[] degrees, string source, double rippleDegrees)
    {
        var off = Enumerable
            .Range(1, seconds.Length - 2)
            .Select(i =>
                degrees[i]
                - degrees[i - 1]
                - (seconds[i] - seconds[i - 1]) / (seconds[i + 1] - seconds[i - 1]) * (degrees[i + 1] - degrees[i - 1])
            )
            .ToArray();
        // A mark's own scatter shows in the distance from the line through its neighbours with 3/2 of its variance.
        var scatter = Math.Sqrt(off.Average(d => d * d) / 1.5);
        var error = Math.Sqrt(scatter * scatter + rippleDegrees * rippleDegrees);
        var note = new Note(
            "no-wheel-clock",
            $"Degrees come from {source} alone, without a trigger wheel: known to about ± {error:0.#}°, and best at the marks."
        );
        return new AngleClock(seconds, degrees, new WheelPattern(1, [], []), [note]) { Source = source, StandardErrorDegrees = error };
    }

    /// <summary>What the clock runs on where there is no wheel; null with one.</summary>
    public string? Source { get; private init; }

    /// <summary>What the clock runs on, in words.</summary>
    public string Said => Source is null ? Wheel.Said : $"degrees from {Source}";

    /// <summary>The wheel found.</summary>
    public WheelPattern Wheel { get; }

    /// <summary>Doubts: lost or extra edges, a wheel that differs from the engine's.</summary>
    public IReadOnlyList<Note> Notes { get; }

    /// <summary>How well a single tooth edge is known, standard deviation in degrees at the mean speed.</summary>
    public double StandardErrorDegrees { get; private init; }

    /// <summary>The crossings of an inductive sensor it goes by; null of any other.</summary>
    internal Crossing? InductiveCrossing { get; private set; }

    /// <summary>Times of the tooth edges, s.</summary>
    public ReadOnlySpan<double> Seconds => _seconds;

    /// <summary>Degrees of the tooth edges.</summary>
    public ReadOnlySpan<double> Degrees => _degrees;

    /// <summary>Mean speed from the first to the last edge, rpm.</summary>
    public double SpeedRpm => (_degrees[^1] - _degrees[0]) / (_seconds[^1] - _seconds[0]) / 6;

    /// <summary>Whole cycles of 720°.</summary>
    public int Cycles => (int)((_degrees[^1] - _degrees[0]) / 720);

    /// <summary>
    /// Makes the clock. <paramref name="engine"/> may know the wheel; <paramref name="repeats"/> helps where the wheel's
    /// pattern comes several times a turn or has no gap: given tooth places since the start at some times, it tells
    /// the least number of places after which the engine's cycle repeats, or null.
    /// </summary>
    /// <returns>The clock, or null with the reason.</returns>
    public static (AngleClock? Clock, Note? Problem) Make(Channel crank, Engine? engine, Func<ToothPlaces, int?>? repeats = null) =>
        Make(crank, SensorEdges.Find(crank), engine, repeats);

    /// <summary>The same from edges that are found already.</summary>
    /// <param name="rising">Which crossing of an inductive sensor to go by; the one that lies evenly where null.</param>
    internal static (AngleClock? Clock, Note? Problem) Make(
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
            var made = Make(crank, way.Train, sensor.Jitter, engine, repeats);
            if (made.Clock is { } clock)
            {
                clock.InductiveCrossing = sensor.IsInductive ? new Crossing(way.Rising, IsSure(ways)) : null;
                return made;
            }

            first = first.Problem is null ? made : first;
        }

        return first;
    }

    private static (AngleClock? Clock, Note? Problem) Make(
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
            return (null, NoWheel(crank));
        if (train != all)
            found = WheelFinder.Find(train);
        if (found is null)
            return (null, NoWheel(crank));
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

    /// <summary>Degrees at a time: through the teeth by parabolas, beyond them by the last speed.</summary>
    public double At(double seconds)
    {
        var i = Array.BinarySearch(_seconds, seconds);
        if (i >= 0)
            return _degrees[i];
        i = Math.Clamp(~i - 1, 0, _seconds.Length - 2);
        var (t0, t1) = (_seconds[i], _seconds[i + 1]);
        var step = t1 - t0;
        var share = (seconds - t0) / step;
        var rise = _degrees[i + 1] - _degrees[i];
        if (share is < 0 or > 1)
            return _degrees[i] + share * rise;
        // Cubic Hermite: value and slope at both teeth.
        var (s0, s1) = (Slope(i) * step, Slope(i + 1) * step);
        return _degrees[i] + share * (s0 + share * (3 * rise - 2 * s0 - s1 + share * (s0 + s1 - 2 * rise)));
    }

    /// <summary>The time at which the crank stands at <paramref name="degrees"/>; NaN outside of the clock.</summary>
    public double TimeAt(double degrees)
    {
        if (degrees < _degrees[0] || degrees > _degrees[^1])
            return double.NaN;
        var i = Array.BinarySearch(_degrees, degrees);
        if (i >= 0)
            return _seconds[i];
        i = ~i - 1;
        var (low, high) = (_seconds[i], _seconds[i + 1]);
        var at = low + (degrees - _degrees[i]) / (_degrees[i + 1] - _degrees[i]) * (high - low);
        // The parabola differs little from the line, so a few steps of Newton are plenty.
        for (var pass = 0; pass < 3; pass++)
            at = Math.Clamp(at - (At(at) - degrees) * (high - low) / (_degrees[i + 1] - _degrees[i]), low, high);
        return at;
    }

    /// <summary>Degrees at every sample of an axis, written into <paramref name="into"/>. Times must rise.</summary>
    public void Fill(TimeAxis time, Span<double> into)
    {
        var n = 0;
        for (; n < into.Length && time[n] < _seconds[0]; n++)
            into[n] = At(time[n]);
        for (var i = 0; i + 1 < _seconds.Length && n < into.Length; i++)
        {
            var end = Math.Min(into.Length, time.IndexAtOrAfter(_seconds[i + 1]));
            if (end <= n)
                continue;
            if (time.IsUniform)
                FillEven(Cubic(i), time[n] - _seconds[i], time.Step, into[n..end]);
            else
                for (var k = n; k < end; k++)
                    into[k] = Value(Cubic(i), time[k] - _seconds[i]);
            n = end;
        }

        for (; n < into.Length; n++)
            into[n] = At(time[n]);
    }

    private static double Value((double C0, double C1, double C2, double C3) c, double d) => c.C0 + d * (c.C1 + d * (c.C2 + d * c.C3));

    /// <summary>The polynomial at even steps, several at a time.</summary>
    private static void FillEven((double C0, double C1, double C2, double C3) c, double start, double step, Span<double> into)
    {
        var wide = Vector<double>.Count;
        var (c0, c1, c2, c3) = (new Vector<double>(c.C0), new Vector<double>(c.C1), new Vector<double>(c.C2), new Vector<double>(c.C3));
        var lanes = Vector<double>.Indices * step;
        var k = 0;
        for (; k <= into.Length - wide; k += wide)
        {
            var d = new Vector<double>(start + k * step) + lanes;
            (c0 + d * (c1 + d * (c2 + d * c3))).CopyTo(into[k..]);
        }

        for (; k < into.Length; k++)
            into[k] = Value(c, start + k * step);
    }

    /// <summary>The polynomial between tooth <paramref name="i"/> and the next, by seconds since tooth i.</summary>
    private (double, double, double, double) Cubic(int i)
    {
        var step = _seconds[i + 1] - _seconds[i];
        var rise = _degrees[i + 1] - _degrees[i];
        var (s0, s1) = (Slope(i) * step, Slope(i + 1) * step);
        return (_degrees[i], s0 / step, (3 * rise - 2 * s0 - s1) / (step * step), (s0 + s1 - 2 * rise) / (step * step * step));
    }

    /// <summary>Degrees a second at tooth <paramref name="i"/>: of the parabola through it and its neighbours.</summary>
    private double Slope(int i)
    {
        if (i == 0 || i == _seconds.Length - 1)
        {
            var at = i == 0 ? 0 : i - 1;
            return (_degrees[at + 1] - _degrees[at]) / (_seconds[at + 1] - _seconds[at]);
        }

        var (before, after) = (_seconds[i] - _seconds[i - 1], _seconds[i + 1] - _seconds[i]);
        var (v0, v1) = ((_degrees[i] - _degrees[i - 1]) / before, (_degrees[i + 1] - _degrees[i]) / after);
        return (v0 * after + v1 * before) / (before + after);
    }

    /// <summary>Which crossings of an inductive sensor the clock goes by.</summary>
    /// <param name="Rising">Those that go up.</param>
    /// <param name="IsSure">True where the other ones lie clearly less evenly.</param>
    internal sealed record Crossing(bool Rising, bool IsSure);

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
        ways.Count == 2 && ways[0].Train.Misfit < CrossingSure * ways[1].Train.Misfit;

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

    private static Note NoWheel(Channel crank) =>
        new(
            "no-wheel",
            $"The teeth on '{crank.Name}' fit no wheel: their gaps don't repeat turn by turn. Check that this is the crank sensor, "
                + $"that none of its edges are lost, and that the engine turned steadily."
        );

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
        var places = wheel.HasMark ? Aligned(train, wheel, notes) : [.. train.Places];
        var extra = wheel.HasExtraTooth ? train.Extras.Count(e => e < places.Length && Modulo(places[e], wheel.Teeth) != 0) : train.Extra;
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
        notes.AddRange(TeethOff(train, places, wheel));
        if (!wheel.HasMark)
            notes.Add(new("plain-wheel", "The wheel has no gap: angles are only known up to whole teeth against another capture."));
        var degreesPerSecond = (places[^1] - places[0]) * wheel.Pitch / (train.Seconds[^1] - train.Seconds[0]);
        return new AngleClock(train.Seconds, Array.ConvertAll(places, p => p * wheel.Pitch), wheel, notes)
        {
            StandardErrorDegrees = jitter * degreesPerSecond,
        };
    }

    /// <summary>
    /// Teeth that stand off their place turn after turn: chipped, cracked or bent. A tooth's place is told from both
    /// neighbours, so that speed changes cancel; the neighbours of a bad one seem half as far off the other way.
    /// </summary>
    private static IEnumerable<Note> TeethOff(ToothTrain train, int[] places, WheelPattern wheel)
    {
        if (!wheel.HasMark || wheel.Teeth < 6)
            yield break;
        var (sums, squares, counts) = (new double[wheel.Teeth], new double[wheel.Teeth], new int[wheel.Teeth]);
        for (var i = 1; i + 1 < places.Length; i++)
        {
            if (train.Steps[i - 1] != 1 || train.Steps[i] != 1)
                continue;
            var off = 2 * (train.Seconds[i] - train.Seconds[i - 1]) / (train.Seconds[i + 1] - train.Seconds[i - 1]) - 1;
            var place = Modulo(places[i], wheel.Teeth);
            sums[place] += off;
            squares[place] += off * off;
            counts[place]++;
        }

        double Mean(int place) =>
            counts[Modulo(place, counts.Length)] >= 3 ? sums[Modulo(place, counts.Length)] / counts[Modulo(place, counts.Length)] : 0;
        for (var place = 0; place < counts.Length; place++)
        {
            var (mean, size) = (Mean(place), Math.Abs(Mean(place)));
            if (size < ToothOff || size <= Math.Abs(Mean(place - 1)) || size <= Math.Abs(Mean(place + 1)))
                continue;
            // Off in every turn, not now and then.
            if (Math.Sqrt(Math.Max(0, squares[place] / counts[place] - mean * mean)) > size / 3)
                continue;
            yield return new Note(
                "tooth-off",
                $"Tooth {place + 1} after the {(wheel.HasExtraTooth ? "extra tooth" : "gap")} comes {size * wheel.Pitch:0.0}° "
                    + $"{(mean > 0 ? "late" : "early")} in every turn: chipped, cracked or bent. Look at the wheel."
            );
        }
    }

    /// <summary>
    /// Places counted so that gaps fall where the wheel has them. Where an edge was lost or one too many came, the count
    /// is put right at the next gap.
    /// </summary>
    private static int[] Aligned(ToothTrain train, WheelPattern wheel, List<Note> notes)
    {
        var marks = train.Marks(wheel).ToList();
        // The shift under which most gaps fall into place.
        var shift = marks
            .SelectMany(m => wheel.Marks.Where(w => w.Size == m.Size).Select(w => Modulo(w.Place - train.Places[m.Edge], wheel.Teeth)))
            .GroupBy(s => s)
            .OrderByDescending(g => g.Count())
            .ThenBy(g => g.Key)
            .First()
            .Key;
        var places = new int[train.Places.Length];
        int correction = shift,
            slips = 0,
            next = 0;
        for (var i = 0; i < places.Length; i++)
        {
            if (next < marks.Count && marks[next].Edge == i)
            {
                var off = Off(train.Places[i] + correction, marks[next].Size, wheel);
                // A small slip of the count; a large one is a gap that is none.
                if (off != 0 && Math.Abs(off) <= 2)
                {
                    correction += off;
                    slips++;
                }

                next++;
            }

            places[i] = train.Places[i] + correction;
        }

        if (slips > 0)
            notes.Add(
                new("lost-edges", $"{slips} times a tooth edge was lost or one too many came; the count was put right at the next gap.")
            );
        return places;
    }

    /// <summary>What has to be added to a place for a gap of that size to stand where the wheel has one.</summary>
    private static int Off(int place, int missing, WheelPattern wheel)
    {
        var best = int.MaxValue;
        foreach (var (at, size) in wheel.Marks)
        {
            if (size != missing)
                continue;
            var off = Modulo(at - place + wheel.Teeth / 2, wheel.Teeth) - wheel.Teeth / 2;
            if (Math.Abs(off) < Math.Abs(best))
                best = off;
        }

        return best;
    }

    private static int Modulo(int a, int n) => (a % n + n) % n;
}
