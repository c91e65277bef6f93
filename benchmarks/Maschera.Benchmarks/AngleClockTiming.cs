using System.Diagnostics;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Benchmarks;

/// <summary>
/// Angle of every sample from a crank sensor: samples a second on one core, beside the same steps in numpy (angle_clock.py).
/// </summary>
internal static class AngleClockTiming
{
    public static void Run(string file)
    {
        const double rate = 500_000;
        var bytes = File.ReadAllBytes(file);
        var samples = System.Runtime.InteropServices.MemoryMarshal.Cast<byte, float>(bytes).ToArray();
        var crank = new Channel("Crank sensor", "V", TimeAxis.Uniform(0, 1 / rate, samples.Length), samples);
        var degrees = new double[samples.Length];
        var seconds = new List<double>();
        for (var round = 0; round < 7; round++)
        {
            var watch = Stopwatch.StartNew();
            var (clock, problem) = AngleClock.Make(crank, null);
            if (clock is null)
                throw new InvalidOperationException(problem!.Text);
            clock.Fill(crank.Time, degrees);
            seconds.Add(watch.Elapsed.TotalSeconds);
        }

        seconds.Sort();
        Console.WriteLine(
            $"{samples.Length / 1e6:0} million samples in {seconds[seconds.Count / 2]:0.000} s (median of {seconds.Count}): "
                + $"{samples.Length / seconds[seconds.Count / 2] / 1e6:0} million a second; last angle {degrees[^1]:0.000}"
        );
    }
}
