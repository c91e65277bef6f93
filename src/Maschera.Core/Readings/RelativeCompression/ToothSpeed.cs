using Maschera.Core.Engines;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.RelativeCompression;

/// <summary>Crank speed from the spacing of the teeth of a trigger wheel.</summary>
internal static class ToothSpeed
{
    /// <summary>An interval this many times its neighbours' is a gap in the wheel.</summary>
    private const double GapRatio = 1.6;

    /// <summary>The widest gap of a wheel, pitches.</summary>
    private const int MostPitches = 12;

    /// <summary>Speed in rpm over a wheel that was recognised.</summary>
    public static Channel Of(AngleClock clock)
    {
        var degrees = clock.Degrees.ToArray();
        return Speed(clock.Seconds.ToArray(), [.. degrees.Zip(degrees.Skip(1), (a, b) => b - a)], clock.Wheel.Pitch);
    }

    /// <summary>The same where the teeth make no whole wheel; null where none is to be seen.</summary>
    public static Channel? Of(Channel crank, CrankWheel? wheel)
    {
        var falling = PulseTrain
            .FindEdges(crank, PulseTrain.FindRails(crank.Samples))
            .Where(e => !e.Rising)
            .Select(e => e.Seconds)
            .ToArray();
        if (falling.Length < 40)
            return null;
        var pitches = Pitches(falling);
        if ((wheel?.Teeth ?? TeethBetweenGaps(pitches)) is not { } teeth)
            return null;
        var pitch = 360.0 / teeth;
        return Speed(falling, Array.ConvertAll(pitches, p => p * pitch), pitch);
    }

    /// <summary>
    /// Speed at the middle of every tooth interval. Over a gap, which may hide a whole compression's dip, it is the parabola in time
    /// that goes on from the teeth before and behind and turns as far as the gap is wide.
    /// </summary>
    private static Channel Speed(double[] seconds, double[] spans, double pitch)
    {
        double[] mean = [.. spans.Select((span, i) => span / (seconds[i + 1] - seconds[i]) / 6)];
        var times = new double[mean.Length];
        var rpm = new float[mean.Length];
        for (var i = 0; i < mean.Length; i++)
        {
            times[i] = (seconds[i] + seconds[i + 1]) / 2;
            rpm[i] = (float)(spans[i] < GapRatio * pitch || i < 2 || i + 2 >= mean.Length ? mean[i] : Middle(mean, i));
        }

        return new("Crank speed", "rpm", TimeAxis.FromStamps(times), rpm);
    }

    private static double Middle(double[] mean, int gap)
    {
        var ends = (1.5 * mean[gap - 1] - 0.5 * mean[gap - 2] + 1.5 * mean[gap + 1] - 0.5 * mean[gap + 2]) / 2;
        // The mean of a parabola lies two thirds of the way from its ends to its middle.
        return ends + 1.5 * (mean[gap] - ends);
    }

    /// <summary>How many tooth pitches each interval spans: 1, or more over a gap.</summary>
    private static int[] Pitches(double[] edges)
    {
        double[] speeds = [.. edges.Zip(edges.Skip(1), (a, b) => 1 / (b - a))];
        var pitches = new int[speeds.Length];
        for (var i = 0; i < pitches.Length; i++)
        {
            var beside = Enumerable.Range(i - 1, 3).Where(j => j != i && j >= 0 && j < speeds.Length).Average(j => 1 / speeds[j]);
            var ratio = 1 / speeds[i] / beside;
            pitches[i] =
                ratio <= GapRatio ? 1
                : i < 2 || i + 2 >= speeds.Length ? (int)Math.Round(ratio)
                : Wide(speeds, i);
        }

        return pitches;
    }

    /// <summary>
    /// Pitches of a gap, so that the parabola through the speeds before and behind it turns as far in its time: before a compression
    /// the starter's speed halves within some teeth, and the time alone would make it wider.
    /// </summary>
    /// <param name="speeds">One over the time of each interval, teeth a second where it is one pitch wide.</param>
    private static int Wide(double[] speeds, int gap)
    {
        var (into, outOf) = (speeds[gap - 1] - speeds[gap - 2], speeds[gap + 2] - speeds[gap + 1]);
        var ends = (speeds[gap - 1] + into / 2 + speeds[gap + 1] - outOf / 2) / 2;
        // The mean of a curve with these slopes at its ends lies by a twelfth of their difference over its width beside the ends'.
        double Turned(int pitches) => (ends + pitches * (into - outOf) / 12) / speeds[gap];
        return Enumerable.Range(2, MostPitches - 1).MinBy(pitches => Math.Abs(Turned(pitches) - pitches));
    }

    private static int? TeethBetweenGaps(int[] pitches)
    {
        var gaps = Enumerable.Range(0, pitches.Length).Where(i => pitches[i] > 1).ToArray();
        if (gaps.Length < 3)
            return null;
        var turns = gaps.Zip(gaps.Skip(1), (a, b) => (double)pitches[(a + 1)..(b + 1)].Sum());
        return (int)Math.Round(Statistics.Median(turns));
    }
}
