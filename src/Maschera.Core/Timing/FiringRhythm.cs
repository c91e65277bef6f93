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

    /// <summary>The rhythm of an even engine stands out of every other that could be by so many times where it is believed.</summary>
    public const double Clear = 2;

    /// <summary>
    /// How often a pattern comes in a cycle of an even engine, up to once a firing, and by how many times its rhythm stands out of every
    /// other that could be; null where there is none.
    /// </summary>
    /// <param name="pattern">Its length, tooth places.</param>
    public static (int Times, double Clearness)? Find(ToothTrain train, int pattern, Engine? engine)
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
        if (!(lines[0].Power > chance))
            return null;
        return (lines[0].Times, lines.Count == 1 ? double.PositiveInfinity : Math.Sqrt(lines[0].Power / lines[1].Power));
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
