using System.Numerics;
using Maschera.Core.Engines;
using Maschera.Core.Signals;

namespace Maschera.Core.Timing;

/// <summary>The rhythm of the firings in the lengths of the teeth: the crank slows down before each and speeds up behind it.</summary>
internal static class FiringRhythm
{
    /// <summary>Speeds an engine has, rpm.</summary>
    private const double SlowestRpm = 40,
        FastestRpm = 9_000;

    /// <summary>What a wheel's teeth are unlike by looks like a rhythm too: share of the speed, and so many times chance's power.</summary>
    private const double LeastSwing = 0.004,
        AboveChance = 24;

    /// <summary>
    /// How often a pattern comes in a cycle of an even engine, up to once a firing; null where the rhythm does not tell.
    /// </summary>
    /// <param name="pattern">Its length, tooth places.</param>
    /// <param name="clear">By how many times the rhythm has to stand out of every other that could be.</param>
    public static int? Times(ToothTrain train, int pattern, Engine? engine, double clear = 2)
    {
        if (engine?.FiresEvenly() != true)
            return null;
        var logs = ToothTrain.LogIntervals(train.Seconds).Zip(train.Steps, (log, steps) => log - Math.Log(steps)).ToArray();
        var patterns = (double)train.Places[^1] / pattern;
        var candidates = Enumerable
            .Range(1, engine.Cylinders)
            .Where(times => pattern * times % 2 == 0 && train.Rpm(pattern * times / 2) is >= SlowestRpm and <= FastestRpm)
            .ToList();
        // A rhythm faster than every second tooth shows as a slower one; where that is another count's, both are as strong: neither tells.
        if (candidates.Count == 0 || patterns < 2 * candidates[^1])
            return null;
        var lines = candidates
            .Select(times => (Times: times, Power: Power(train, logs, (double)engine.Cylinders / (pattern * times))))
            .OrderByDescending(line => line.Power)
            .ToList();
        var chance = Math.Max(LeastSwing * LeastSwing / 4, AboveChance * Math.Pow(Statistics.StandardDeviation(logs), 2) / logs.Length);
        return lines[0].Power > chance && (lines.Count == 1 || lines[0].Power > clear * clear * lines[1].Power) ? lines[0].Times : null;
    }

    /// <summary>The square of half a line's amplitude, through a window that falls to nothing at both ends.</summary>
    private static double Power(ToothTrain train, double[] logs, double frequency)
    {
        var (line, weights, mean) = (Complex.Zero, 0.0, Statistics.Mean(logs));
        for (var i = 0; i < logs.Length; i++)
        {
            var weight = 1 - Math.Cos(2 * Math.PI * (i + 0.5) / logs.Length);
            line += weight * (logs[i] - mean) * Complex.FromPolarCoordinates(1, -2 * Math.PI * frequency * train.Places[i]);
            weights += weight;
        }

        var half = line.Magnitude / weights;
        return half * half;
    }
}
