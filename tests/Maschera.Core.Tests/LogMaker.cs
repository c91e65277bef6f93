using Maschera.Core.Expressions;
using Maschera.Core.Signals;

namespace Maschera.Core.Tests;

/// <summary>Makes logs of a made-up drive, and of values that follow a desired one, with noise and uneven steps.</summary>
internal static class LogMaker
{
    /// <summary>A drive of two minutes at ten values a second; <paramref name="spoil"/> may change any value by channel and time.</summary>
    public static Capture Drive(int seed, Func<string, double, double, double>? spoil = null, double keyOnFor = 0)
    {
        var random = new Random(seed);
        var times = Times(random, 120, 0.1);
        var pedalAt = Enumerable.Range(0, 16).Select(_ => random.NextDouble() < 0.3 ? 0 : random.NextDouble() * 98).ToArray();
        var channels = new Dictionary<string, (string Unit, float[] Samples)>
        {
            ["Engine speed"] = ("rpm", new float[times.Length]),
            ["Accelerator pedal"] = ("%", new float[times.Length]),
            ["Air mass flow"] = ("g/s", new float[times.Length]),
            ["Manifold pressure"] = ("kPa", new float[times.Length]),
            ["Coolant temperature"] = ("°C", new float[times.Length]),
            ["Intake air temperature"] = ("°C", new float[times.Length]),
            ["Battery voltage"] = ("V", new float[times.Length]),
            ["Barometric pressure"] = ("kPa", new float[times.Length]),
            ["Throttle sensor signal"] = ("V", new float[times.Length]),
            ["Fuel pressure signal"] = ("V", new float[times.Length]),
            ["Vehicle speed"] = ("km/h", new float[times.Length]),
        };
        double rpm = 780,
            speed = 0;
        for (var i = 0; i < times.Length; i++)
        {
            var t = times[i];
            var off = t < keyOnFor;
            var place = t / 8;
            var at = (int)place;
            var pedal = off || pedalAt[at] == 0 ? 0 : pedalAt[at] + (pedalAt[Math.Min(15, at + 1)] - pedalAt[at]) * (place - at);
            var step = i > 0 ? t - times[i - 1] : 0.1;
            rpm = off ? 0 : rpm + (780 + 26 * pedal - rpm) * step / 1.6;
            speed += ((off ? 0 : pedal * 1.5) - speed) * step / 9;
            var manifold = off ? 98 : Math.Clamp(33 + 0.62 * pedal, 30, 97);
            Set("Engine speed", Math.Round(rpm + (off ? 0 : Noise(6))));
            Set("Accelerator pedal", Math.Round(pedal, 1));
            Set("Air mass flow", Math.Max(0, Math.Round(rpm * manifold / 4_200 + (off ? 0 : Noise(0.2)), 2)));
            Set("Manifold pressure", Math.Round(manifold + (off ? 0 : Noise(0.6))));
            Set("Coolant temperature", Math.Round(84 + 4 * Math.Sin(t / 60)));
            Set("Intake air temperature", Math.Round(31 + t / 50));
            Set("Battery voltage", Math.Round(off ? 12.3 : 14.1 + Noise(0.05), 1));
            Set("Barometric pressure", 98);
            Set("Throttle sensor signal", Math.Round(0.7 + 0.039 * Math.Min(98, pedal + 3) + Noise(0.01), 2));
            Set("Fuel pressure signal", Math.Round(1.2 + rpm / 3_600 + Noise(0.01), 2));
            Set("Vehicle speed", Math.Round(speed));

            void Set(string name, double value) => channels[name].Samples[i] = (float)(spoil?.Invoke(name, t, value) ?? value);
        }

        return new Capture(
            "drive.csv",
            [.. channels.Select(c => new Channel(c.Key, c.Value.Unit, TimeAxis.FromStamps(times), c.Value.Samples))],
            []
        );

        double Noise(double size) => size * Gaussian(random);
    }

    /// <summary>How an actual value follows a desired one that steps to and fro.</summary>
    /// <param name="Natural">Natural angular frequency of the follower, 1/s.</param>
    /// <param name="Damping">Damping ratio; under 0.45 it overshoots by more than 20 %.</param>
    public sealed record Follower(double Natural, double Damping)
    {
        public double Delay { get; init; } = 0.15;
        public double Gain { get; init; } = 1;
        public double Offset { get; init; }
        public double Swing { get; init; }
        public bool IsStuck { get; init; }
    }

    /// <summary>A log of desired and actual; truth is what the follower does without noise and sampling.</summary>
    public static Capture Follow(
        int seed,
        Follower follower,
        double low = 20,
        double high = 100,
        double interval = 0.05,
        double noise = 0.004
    )
    {
        var random = new Random(seed);
        var times = Times(random, 90, interval);
        double position = low,
            velocity = 0,
            t = 0;
        const double dt = 1e-3;
        double[] switches = [.. Enumerable.Range(0, 7).Select(k => 6 + 13.0 * k + 2 * random.NextDouble())];
        double Desired(double at) => switches.Count(s => s <= at) % 2 == 1 ? high : low;
        var (desired, actual) = (new float[times.Length], new float[times.Length]);
        for (var i = 0; i < times.Length; i++)
        {
            for (; t < times[i]; t += dt)
            {
                var wanted = low + (Desired(t - follower.Delay) - low) * follower.Gain;
                velocity +=
                    (follower.Natural * follower.Natural * (wanted - position) - 2 * follower.Damping * follower.Natural * velocity) * dt;
                position += velocity * dt;
            }

            desired[i] = (float)Desired(times[i]);
            var clean = follower.IsStuck ? (low + high) / 2 : position + follower.Offset + follower.Swing * Math.Sin(5 * t);
            actual[i] = (float)(clean + noise * (high - low) * Gaussian(random));
        }

        var axis = TimeAxis.FromStamps(times);
        return new Capture(
            "follow.csv",
            [new("Boost pressure desired", "kPa", axis, desired), new("Boost pressure actual", "kPa", axis, actual)],
            []
        );
    }

    private static double[] Times(Random random, double seconds, double interval)
    {
        var times = new List<double>();
        for (var t = 0.0; t < seconds; t += interval * (0.8 + 0.4 * random.NextDouble()))
            times.Add(t);
        return [.. times];
    }

    public static double Gaussian(Random random) =>
        Math.Sqrt(-2 * Math.Log(1 - random.NextDouble())) * Math.Cos(Math.Tau * random.NextDouble());
}
