using System.Text.Json;
using Maschera.Core.Readings;
using Maschera.Core.Readings.CylinderPressure;
using Maschera.Core.Readings.Duty;
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
            Options = new[] { "sync-kind", "sync-cylinder" }
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
