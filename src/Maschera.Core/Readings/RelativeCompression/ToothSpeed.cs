using Maschera.Core.Engines;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.RelativeCompression;

/// <summary>Crank speed from the spacing of the teeth of a trigger wheel.</summary>
internal static class ToothSpeed
{
    /// <summary>An interval this many times its neighbours' is a gap in the wheel.</summary>
    private const double GapRatio = 1.6;

    /// <summary>Speed in rpm at the middle of every tooth interval of a wheel that was recognised.</summary>
    public static Channel Of(AngleClock clock)
    {
        var seconds = clock.Seconds;
        var degrees = clock.Degrees;
        var (times, rpm) = (new double[seconds.Length - 1], new float[seconds.Length - 1]);
        for (var i = 0; i < rpm.Length; i++)
        {
            times[i] = (seconds[i] + seconds[i + 1]) / 2;
            rpm[i] = (float)((degrees[i + 1] - degrees[i]) / (seconds[i + 1] - seconds[i]) / 6);
        }

        return Speed(times, rpm);
    }

    private static Channel Speed(double[] times, float[] rpm) => new("Crank speed", "rpm", TimeAxis.FromStamps(times), rpm);

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
        var teeth = wheel?.Teeth ?? TeethBetweenGaps(pitches);
        if (teeth is null)
            return null;
        var times = new double[pitches.Length];
        var rpm = new float[pitches.Length];
        for (var i = 0; i < pitches.Length; i++)
        {
            times[i] = (falling[i] + falling[i + 1]) / 2;
            rpm[i] = (float)(60.0 / teeth.Value * pitches[i] / (falling[i + 1] - falling[i]));
        }

        return Speed(times, rpm);
    }

    /// <summary>How many tooth pitches each interval spans: 1, or more over a gap.</summary>
    private static int[] Pitches(double[] edges)
    {
        var pitches = new int[edges.Length - 1];
        for (var i = 0; i < pitches.Length; i++)
        {
            // Before a compression the starter's speed halves within some teeth: those beside a gap tell its width.
            var beside = Enumerable.Range(i - 1, 3).Where(j => j != i && j >= 0 && j < pitches.Length);
            var ratio = (edges[i + 1] - edges[i]) / beside.Average(j => edges[j + 1] - edges[j]);
            pitches[i] = ratio > GapRatio ? (int)Math.Round(ratio) : 1;
        }

        return pitches;
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
