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
    private readonly double[] _seconds;
    private readonly double[] _degrees;

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
    internal Crossing? InductiveCrossing { get; set; }

    /// <summary>How far the wheel's gaps look from what they are; see <see cref="GapWidth.Misfit"/>.</summary>
    internal double GapMisfit { get; set; }

    /// <summary>Times of the tooth edges, s.</summary>
    public ReadOnlySpan<double> Seconds => _seconds;

    /// <summary>Degrees of the tooth edges.</summary>
    public ReadOnlySpan<double> Degrees => _degrees;

    /// <summary>Mean speed from the first to the last edge, rpm.</summary>
    public double SpeedRpm => (_degrees[^1] - _degrees[0]) / (_seconds[^1] - _seconds[0]) / 6;

    /// <summary>Whole cycles of 720°.</summary>
    public int Cycles => (int)((_degrees[^1] - _degrees[0]) / 720);

    /// <summary>
    /// Makes the clock. <paramref name="engine"/> may know the wheel; <paramref name="marks"/> help where the wheel's
    /// pattern comes several times a turn or has no gap.
    /// </summary>
    /// <returns>The clock, or null with the reason.</returns>
    public static (AngleClock? Clock, Note? Problem) Make(Channel crank, Engine? engine, CycleMarks? marks = null) =>
        ClockMaker.Make(crank, SensorEdges.Find(crank), engine, marks);

    /// <summary>A clock from a wheel's teeth.</summary>
    /// <param name="seconds">Times of its edges, s.</param>
    /// <param name="places">Their places on the wheel, counted on from turn to turn.</param>
    /// <param name="jitter">How well an edge is dated, standard deviation in s.</param>
    internal static AngleClock OfWheel(double[] seconds, int[] places, WheelPattern wheel, double jitter, IReadOnlyList<Note> notes)
    {
        var degreesPerSecond = (places[^1] - places[0]) * wheel.Pitch / (seconds[^1] - seconds[0]);
        return new AngleClock(seconds, Array.ConvertAll(places, p => p * wheel.Pitch), wheel, notes)
        {
            StandardErrorDegrees = jitter * degreesPerSecond,
        };
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
}
