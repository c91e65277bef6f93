using System.Text.Json;
using Maschera.Core.Engines;
using Maschera.Core.Logs;
using Maschera.Core.Readings;
using Maschera.Core.Signals;
using Maschera.Rig;

namespace Maschera.Core.Tests;

/// <summary>
/// Captures of the stand-ins, damaged at random as leads, probes and ranges damage them: every reading says something whole of
/// each, throws nothing, and prints no number that is none.
/// </summary>
public class DamagedCaptureTests
{
    private static readonly Engine[] s_engines = [EngineCatalogue.Orsa, EngineCatalogue.Ghiro, EngineCatalogue.Tasso];

    /// <summary>Eight captures; as many as MASCHERA_DAMAGES says where it does.</summary>
    public static TheoryData<int> Seeds =>
        [.. Enumerable.Range(0, int.TryParse(Environment.GetEnvironmentVariable("MASCHERA_DAMAGES"), out var many) ? many : 8)];

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Every_reading_stands_every_damage(int seed)
    {
        var random = new Random(seed);
        var engine = s_engines[seed % s_engines.Length];
        var capture = s_captures[seed % s_captures.Length](engine, random);
        var damaged = Damaged(capture, random, out var how);
        foreach (var reading in ReadingRegistry.All.Where(r => !r.ReadsMessages))
            Stands(reading, damaged, engine, $"seed {seed}, {capture.Name}, {how}");
    }

    private static void Stands(IReading reading, Capture capture, Engine engine, string what)
    {
        ReadingResult result;
        try
        {
            result = reading.Read(
                new ReadingRequest(capture)
                {
                    Engine = engine,
                    Channels = Named(reading, capture),
                    Options = reading.Kind == "pulses" ? new Dictionary<string, string> { ["at"] = "exhaust" } : [],
                }
            );
        }
        catch (Exception error) when (error is not ReadingException)
        {
            Assert.Fail($"{reading.Kind}, {what}: {error}");
            return;
        }

        Assert.Contains(reading.Verdicts, v => v.Word == result.Verdict);
        Assert.True(result.Sentence.Length > 0, $"{reading.Kind}, {what}: no sentence");
        // Strict JSON refuses a number that is none.
        var json = JsonSerializer.Serialize(result, reading.ResultJson);
        Assert.DoesNotContain("NaN", json, StringComparison.Ordinal);
        Assert.DoesNotContain("∞", json, StringComparison.Ordinal);
        if (result.IsUnusable)
            Assert.True(result.Notes.Count > 0, $"{reading.Kind}, {what}: unusable without a reason");
    }

    private static Dictionary<string, string> Named(IReading reading, Capture capture) =>
        reading
            .Roles.Select(role => (role.Name, capture.Channels.FirstOrDefault(c => RoleGuess.Of(c.Name, c.Unit) == role.Name)))
            .Where(pair => pair.Item2 is not null)
            .ToDictionary(pair => pair.Name, pair => pair.Item2!.Name);

    private static readonly Func<Engine, Random, Capture>[] s_captures = [Cranking, Running, Breathing, Driving];

    private static Capture Cranking(Engine engine, Random random) =>
        CrankingRun
            .Record(
                new CrankingPlan(engine)
                {
                    SyncCylinder = 1,
                    CrankSensor = true,
                    Rate = 5_000,
                    Cranking = 3,
                    Seed = random.Next(),
                }
            )
            .Capture;

    private static Capture Running(Engine engine, Random random) =>
        RunningRun
            .Record(
                new RunningPlan(engine)
                {
                    SpeedRpm = 700 + random.Next(1_500),
                    Seconds = 2,
                    Rate = 25_000,
                    Seed = random.Next(),
                }
            )
            .Capture;

    private static Capture Breathing(Engine engine, Random random) =>
        BreathingRun
            .Record(
                new BreathingPlan(engine)
                {
                    PickUps = true,
                    CrankSensor = random.Next(2) == 0,
                    Seconds = 2.5,
                    SpeedRpm = 700 + random.Next(900),
                    Seed = random.Next(),
                }
            )
            .Capture;

    private static Capture Driving(Engine engine, Random random) => DriveLog.Record(new DrivePlan(engine) { Seed = random.Next() });

    /// <summary>Two or three kinds of damage, each on a channel or on all.</summary>
    private static Capture Damaged(Capture capture, Random random, out string how)
    {
        var said = new List<string>();
        for (var n = 2 + random.Next(2); n > 0; n--)
        {
            var (name, damage) = s_damages[random.Next(s_damages.Length)];
            var only = random.Next(3) == 0 ? -1 : random.Next(capture.Channels.Count);
            said.Add($"{name} on {(only < 0 ? "all" : capture.Channels[only].Name)}");
            capture = capture with
            {
                Channels =
                [
                    .. capture.Channels.Select((c, i) => only < 0 || i == only ? c with { Samples = damage(c.Samples, random) } : c),
                ],
            };
        }

        var (whole, change) = s_wholes[random.Next(s_wholes.Length)];
        how = string.Join(", ", said.Append(whole));
        return capture with { Channels = change(capture.Channels, random) };
    }

    /// <summary>Damage to a whole capture: columns under each other's names, cut short, of times that lie apart.</summary>
    private static readonly (string Name, Func<IReadOnlyList<Channel>, Random, Channel[]> Change)[] s_wholes =
    [
        ("whole", (channels, _) => [.. channels]),
        (
            "names swapped",
            (channels, _) => [.. channels.Select((c, i) => c with { Samples = channels[^(i + 1)].Samples, Time = channels[^(i + 1)].Time })]
        ),
        ("cut short", (channels, random) => [.. channels.Select(c => c.Between(c.Time.Start, c.Time.Start + random.NextDouble()))]),
        ("times apart", (channels, _) => [.. channels.Select((c, i) => c with { Time = Later(c.Time, 1_000 * i) })]),
        ("a thousand times slower", (channels, _) => [.. channels.Select(c => c with { Time = Slower(c.Time) })]),
    ];

    private static TimeAxis Later(TimeAxis time, double by) =>
        time.IsUniform
            ? TimeAxis.Uniform(time.Start + by, time.Step, time.Count)
            : TimeAxis.FromStamps([.. Enumerable.Range(0, time.Count).Select(i => time[i] + by)]);

    private static TimeAxis Slower(TimeAxis time) =>
        time.IsUniform
            ? TimeAxis.Uniform(time.Start, 1_000 * time.Step, time.Count)
            : TimeAxis.FromStamps([.. Enumerable.Range(0, time.Count).Select(i => 1_000 * time[i])]);

    private static readonly (string Name, Func<float[], Random, float[]> Damage)[] s_damages =
    [
        ("a gap", (s, random) => Within(s, random, 0.3, _ => float.NaN)),
        ("many gaps", (s, random) => [.. s.Select(v => random.Next(20) == 0 ? float.NaN : v)]),
        ("a lead off", (s, random) => Within(s, random, 0.5, _ => 0)),
        ("clipping", (s, _) => Clipped(s)),
        ("steps", (s, _) => Stepped(s, 12)),
        ("noise", (s, random) => Noisy(s, random, 0.4)),
        ("spikes", (s, random) => Spiked(s, random, 50 * Reach(s))),
        ("a drift", (s, _) => Drifting(s, 2 * Reach(s))),
        ("upside down", (s, _) => Array.ConvertAll(s, v => -v)),
        ("frozen", (s, random) => Frozen(s, random)),
        ("infinite", (s, random) => Within(s, random, 0.01, _ => float.PositiveInfinity)),
        ("huge", (s, _) => Array.ConvertAll(s, v => v * 1e9f)),
        ("beyond sense", (s, _) => Array.ConvertAll(s, v => v * 1e30f)),
        ("flat", (s, _) => [.. Enumerable.Repeat(s[s.Length / 2], s.Length)]),
        ("backwards", (s, _) => [.. s.Reverse()]),
        ("tiny", (s, _) => Array.ConvertAll(s, v => v * 1e-9f)),
        ("swapped ends", (s, _) => [.. s.Skip(s.Length / 2), .. s.Take(s.Length / 2)]),
    ];

    private static float Reach(float[] samples)
    {
        var finite = samples.Where(float.IsFinite).DefaultIfEmpty(0).ToArray();
        return finite.Max() - finite.Min();
    }

    private static float[] Spiked(float[] samples, Random random, float by) =>
        Array.ConvertAll(samples, v => random.Next(500) == 0 ? v + by : v);

    private static float[] Drifting(float[] samples, float by) => [.. samples.Select((v, i) => v + by * i / samples.Length)];

    private static float[] Within(float[] samples, Random random, double most, Func<float, float> change)
    {
        var length = (int)(samples.Length * most * random.NextDouble());
        var from = random.Next(Math.Max(1, samples.Length - length));
        return [.. samples.Select((v, i) => i >= from && i < from + length ? change(v) : v)];
    }

    private static float[] Clipped(float[] samples)
    {
        var finite = samples.Where(float.IsFinite).DefaultIfEmpty(0).ToArray();
        var (low, high) = (finite.Min(), finite.Max());
        return Array.ConvertAll(samples, v => Math.Clamp(v, low + 0.2f * (high - low), high - 0.3f * (high - low)));
    }

    private static float[] Stepped(float[] samples, int steps)
    {
        var step = Reach(samples) / steps;
        return step > 0 ? Array.ConvertAll(samples, v => step * MathF.Round(v / step)) : samples;
    }

    private static float[] Noisy(float[] samples, Random random, double share)
    {
        var reach = Reach(samples);
        return [.. samples.Select(v => v + (float)(share * reach * (random.NextDouble() - 0.5)))];
    }

    private static float[] Frozen(float[] samples, Random random)
    {
        var from = random.Next(samples.Length);
        return [.. samples.Select((v, i) => i < from ? v : samples[from])];
    }
}
