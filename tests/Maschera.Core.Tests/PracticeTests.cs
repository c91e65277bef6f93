using System.Text.Json;
using Maschera.Core.Readings;
using Maschera.Core.Readings.CamTiming;
using Maschera.Core.Readings.Contribution;
using Maschera.Core.Readings.CylinderPressure;
using Maschera.Core.Readings.Duty;
using Maschera.Core.Readings.Misfire;
using Maschera.Core.Readings.Pulses;
using Maschera.Core.Readings.RelativeCompression;
using Maschera.Formats;

namespace Maschera.Core.Tests;

/// <summary>Captures made elsewhere, with their truth, where the checkout has them beside it.</summary>
public class PracticeTests
{
    private static readonly string? s_folder = FindFolder();

    [Fact]
    public void Relative_compression()
    {
        Assert.SkipWhen(s_folder is null, "The practice captures are not beside this checkout.");
        foreach (var (name, request, truth) in Cases("relative-compression"))
        {
            var result = (RelativeCompressionResult)new RelativeCompressionReading().Read(request);
            Assert.False(result.IsUnusable, $"{name}: {result.Sentence}");
            var wanted = truth.GetProperty("low").EnumerateArray().Select(e => e.GetInt32()).ToArray();
            Assert.True(wanted.Length == result.Low.Count, $"{name}: {result.Sentence}");
            Assert.InRange(result.CrankingSpeedRpm!.Value / truth.GetProperty("rpm").GetDouble(), 0.95, 1.05);
            if (!truth.GetProperty("synced").GetBoolean())
                continue;
            Assert.Equal(wanted, result.Low.Select(l => l.Cylinder!.Value).Order());
            Assert.All(
                result.Positions,
                p => Assert.InRange(p.Percent - truth.GetProperty("percent").GetProperty($"{p.Cylinder}").GetDouble(), -5, 5)
            );
        }
    }

    [Fact]
    public void Duty()
    {
        Assert.SkipWhen(s_folder is null, "The practice captures are not beside this checkout.");
        foreach (var (name, request, truth) in Cases("duty"))
        {
            var result = (DutyResult)new DutyReading().Read(request);
            Assert.True(Math.Abs(result.DutyPercent!.Value - truth.GetProperty("duty").GetDouble()) < 0.2, name);
            Assert.InRange(result.FrequencyHz!.Value / truth.GetProperty("f").GetDouble(), 0.9985, 1.0015);
            Assert.Equal(truth.GetProperty("drop").ValueKind != JsonValueKind.Null, result.Dropouts.Count > 0);
        }
    }

    [Fact]
    public void Dialects()
    {
        Assert.SkipWhen(s_folder is null, "The practice captures are not beside this checkout.");
        foreach (var test in Truth("dialects"))
        {
            var truth = test.GetProperty("truth");
            var file = Path.Combine(s_folder!, "dialects", test.GetProperty("args")[1].GetString()!);
            if (truth.TryGetProperty("refuse", out _))
            {
                Assert.ThrowsAny<Exception>(() => new DutyReading().Read(Request(file, test, null)));
                continue;
            }

            var result = (DutyResult)new DutyReading().Read(Request(file, test, null));
            Assert.InRange(result.DutyPercent!.Value - truth.GetProperty("duty").GetDouble(), -0.5, 0.5);
            Assert.InRange(result.FrequencyHz!.Value / truth.GetProperty("f").GetDouble(), 0.995, 1.005);
        }
    }

    [Fact]
    public void Cylinder_pressure()
    {
        Assert.SkipWhen(s_folder is null, "The practice captures are not beside this checkout.");
        foreach (var (name, request, truth) in Cases("cylinder-pressure"))
        {
            var result = (CylinderPressureResult)new CylinderPressureReading().Read(request);
            var (fault, amount) = (truth.GetProperty("fault").GetString(), truth.GetProperty("amount").GetDouble());
            Assert.True(
                result.Verdict
                    == fault switch
                    {
                        "none" => "normal",
                        "leak" => "leaks",
                        "both" => "valve-timing",
                        "no-exhaust" => "exhaust-valve-stays-shut",
                        _ => $"{fault}-timing",
                    },
                $"{name}: {result.Sentence}"
            );
            Assert.InRange(result.PeakBar!.Value / truth.GetProperty("cap").GetProperty("peak").GetDouble(), 0.98, 1.02);
            if (fault is not ("none" or "intake" or "exhaust" or "both"))
                continue;
            Assert.InRange(result.IntakeShiftDegrees!.Value - (fault is "intake" or "both" ? amount : 0), -2, 2);
            Assert.InRange(result.ExhaustShiftDegrees!.Value - (fault is "exhaust" or "both" ? amount : 0), -2, 2);
        }
    }

    [Fact]
    public void Cam_timing()
    {
        Assert.SkipWhen(s_folder is null, "The practice captures are not beside this checkout.");
        foreach (var (name, request, truth) in Cases("cam-timing"))
        {
            var result = (CamTimingResult)new CamTimingReading().Read(request);
            Assert.False(result.IsUnusable, $"{name}: {result.Sentence}");
            Assert.Equal(truth.GetProperty("teeth").GetInt32(), result.Wheel!.Teeth);
            Assert.InRange(
                result.OffsetDegrees!.Value - truth.GetProperty("offset").GetDouble(),
                -truth.GetProperty("tol").GetDouble(),
                truth.GetProperty("tol").GetDouble()
            );
            Assert.InRange(result.SpeedRpm!.Value / truth.GetProperty("rpm").GetDouble(), 0.97, 1.03);
        }
    }

    [Fact]
    public void Misfire()
    {
        Assert.SkipWhen(s_folder is null, "The practice captures are not beside this checkout.");
        foreach (var (name, request, truth) in Cases("misfire"))
        {
            var result = (MisfireResult)new MisfireReading().Read(request);
            Assert.False(result.IsUnusable, $"{name}: {result.Sentence}");
            var (missed, invented) = (0, 0);
            foreach (var own in result.Cylinders)
            {
                var real = truth.GetProperty("misfires").GetProperty($"{own.Cylinder}").GetInt32();
                missed += Math.Max(0, real - own.Misfires);
                invented += Math.Max(0, own.Misfires - real);
            }

            var all = truth.GetProperty("misfires").EnumerateObject().Sum(c => c.Value.GetInt32());
            var firings = truth.GetProperty("firings").EnumerateObject().Sum(c => c.Value.GetInt32());
            Assert.True(missed <= Math.Max(1, 0.02 * all), $"{name}: {missed} of {all} missed");
            Assert.True(invented <= Math.Max(1, firings / 500.0), $"{name}: {invented} of {firings} invented");
        }
    }

    [Fact]
    public void Pulses()
    {
        Assert.SkipWhen(s_folder is null, "The practice captures are not beside this checkout.");
        foreach (var (name, request, truth) in Cases("pulses"))
        {
            var result = (PulsesResult)new PulsesReading().Read(request);
            var kind = truth.GetProperty("kind").GetString();
            if (kind is "flat" or "short" or "two-cylinders")
            {
                Assert.True(result.IsUnusable && result.Cylinders.Count == 0 && result.Notes.Count > 0, name);
                continue;
            }

            var odd = truth.GetProperty("odd").EnumerateArray().Select(e => e.GetInt32()).ToList();
            var named = result.Cylinders.Where(c => c.IsOdd).Select(c => c.Cylinder).ToList();
            // A misfire need not show at the intake, but is laid on nobody else.
            var mayPass = kind is "misfire" or "weak" && result.At == "intake";
            Assert.True(named.SequenceEqual(odd) || mayPass && named.Count == 0, $"{name}: {result.Sentence}");
        }
    }

    [Fact]
    public void Contribution()
    {
        Assert.SkipWhen(s_folder is null, "The practice captures are not beside this checkout.");
        foreach (var (name, request, truth) in Cases("contribution"))
        {
            var result = (ContributionResult)new ContributionReading().Read(request);
            var kind = truth.GetProperty("kind").GetString();
            if (kind is "missing-all" or "one-column")
            {
                Assert.True(result.IsUnusable && result.Cylinders.Count == 0, name);
                continue;
            }

            var odd = truth.GetProperty("odd").EnumerateObject().Select(o => (int.Parse(o.Name), o.Value.GetDouble() < 0)).Order();
            Assert.Equal(odd, result.Cylinders.Where(c => c.IsOdd).Select(c => (c.Cylinder, c.Weak > 0)));
            Assert.Equal(kind == "missing-one", result.Notes.Any(n => n.Code == "no-column"));
        }
    }

    [Fact]
    public void Pressure_through_a_hose()
    {
        Assert.SkipWhen(s_folder is null, "The practice captures are not beside this checkout.");
        foreach (var (name, request, truth) in Cases("pressure-hose"))
        {
            var result = (CylinderPressureResult)new CylinderPressureReading().Read(request);
            var wanted = (truth.GetProperty("fault").GetString(), truth.GetProperty("ref").GetString()) switch
            {
                (_, "alone") => (string[])["normal", "unusable"],
                ("none", "mixed") => ["normal", "differs", "unusable"],
                (_, "mixed") => ["leaks", "differs", "unusable"],
                ("none", _) => ["normal"],
                ("leak", _) => ["leaks"],
                ("no-intake", _) => ["intake-valve-stays-shut"],
                (var fault, _) => [$"{fault}-timing"],
            };
            Assert.True(wanted.Contains(result.Verdict), $"{name}: {result.Sentence}");
        }
    }

    private static IEnumerable<(string Name, ReadingRequest Request, JsonElement Truth)> Cases(string kind)
    {
        foreach (var test in Truth(kind))
        {
            var words = Words(test);
            var engine = words.IndexOf("--engine") is var at and >= 0 ? Path.Combine(s_folder!, kind, words[at + 1]) : null;
            yield return (
                test.GetProperty("name").GetString()!,
                Request(Path.Combine(s_folder!, kind, words[1]), test, engine),
                test.GetProperty("truth")
            );
        }
    }

    private static ReadingRequest Request(string file, JsonElement test, string? engine)
    {
        var words = Words(test);
        var after = (string option) => words.Select((w, i) => (w, i)).Where(x => x.w == option).Select(x => words[x.i + 1]);
        return new ReadingRequest(CaptureFile.Load(file))
        {
            Engine = engine is null ? null : EngineFile.Load(engine),
            Channels = after("--channel").Select(w => w.Split('=')).ToDictionary(w => w[0], w => w[1]),
            Reference = after("--reference").FirstOrDefault() is { } good
                ? CaptureFile.Load(Path.Combine(Path.GetDirectoryName(file)!, good))
                : null,
            Options = new[] { "sync-kind", "sync-cylinder", "at", "transit", "weak-is", "cylinder" }
                .SelectMany(name => after("--" + name).Select(value => (name, value)))
                .ToDictionary(),
        };
    }

    private static List<string> Words(JsonElement test) => [.. test.GetProperty("args").EnumerateArray().Select(e => e.GetString()!)];

    private static List<JsonElement> Truth(string kind) =>
        [.. JsonDocument.Parse(File.ReadAllText(Path.Combine(s_folder!, kind, "truth.json"))).RootElement.EnumerateArray()];

    private static string? FindFolder()
    {
        for (var folder = new DirectoryInfo(AppContext.BaseDirectory); folder is not null; folder = folder.Parent)
            if (Directory.Exists(Path.Combine(folder.FullName, "shared", "practice")))
                return Path.Combine(folder.FullName, "shared", "practice");
        return null;
    }
}
