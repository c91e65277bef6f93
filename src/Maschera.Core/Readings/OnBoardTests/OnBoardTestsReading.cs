using System.Globalization;
using System.Text.Json;
using System.Text.Json.Serialization;
using System.Text.Json.Serialization.Metadata;
using Maschera.Core.Basics;
using Maschera.Core.Expressions;
using Maschera.Core.Vehicle;

namespace Maschera.Core.Readings.OnBoardTests;

/// <summary>One test of a monitor with its limits, in its unit; <paramref name="Passed"/> null where it has not run.</summary>
public sealed record OnBoardTest(
    string Monitor,
    string MonitorName,
    string Test,
    string TestName,
    string? Ecu,
    int? Cylinder,
    double Value,
    string Unit,
    double Minimum,
    double Maximum,
    bool? Passed
)
{
    /// <summary>Room to the nearer limit as a share of the distance between both, negative beyond one; null where it has not run.</summary>
    public double? Margin =>
        Passed is null || !(Maximum > Minimum) ? null : Math.Min(Value - Minimum, Maximum - Value) / (Maximum - Minimum);
}

/// <summary>Misfires one cylinder's counters hold; null where a counter was not sent.</summary>
public sealed record MisfireCounts(int Cylinder, int? LastCycle, int? TenCycleAverage, string? Ecu);

/// <summary>What the vehicle's own tests say.</summary>
public sealed record OnBoardTestsResult : ReadingResult
{
    public IReadOnlyList<OnBoardTest> Tests { get; init; } = [];
    public IReadOnlyList<MisfireCounts> Misfires { get; init; } = [];

    [JsonIgnore]
    public override IReadOnlyList<LedgerEntry> Ledger =>
        [
            .. Misfires
                .Where(m => m.LastCycle is not null || m.TenCycleAverage is not null)
                .GroupBy(m => m.Cylinder)
                .Select(g => g.First())
                .Select(m => new LedgerEntry(m.Cylinder, Math.Max(m.LastCycle ?? 0, m.TenCycleAverage ?? 0), null, "counts", IsOdd(m))),
        ];

    /// <summary>A counter stands out where it holds most of what all hold, and more than a stray few.</summary>
    private bool IsOdd(MisfireCounts counts)
    {
        const int stray = 20;
        var own = Math.Max(counts.LastCycle ?? 0, counts.TenCycleAverage ?? 0);
        return own > stray
            && own
                > 3.0
                    * Misfires
                        .Where(m => m.Cylinder != counts.Cylinder)
                        .Select(m => Math.Max(m.LastCycle ?? 0, m.TenCycleAverage ?? 0))
                        .DefaultIfEmpty(0)
                        .Average();
    }
}

/// <summary>How it is written as JSON, worked out when building.</summary>
[JsonSourceGenerationOptions(JsonSerializerDefaults.Web)]
[JsonSerializable(typeof(OnBoardTestsResult))]
internal sealed partial class OnBoardTestsJson : JsonSerializerContext;

/// <summary>Decodes service $06 of SAE J1979 on CAN: each monitor's tests with limits, and the misfire counters.</summary>
public sealed class OnBoardTestsReading : ReadingOf<OnBoardTestsResult>
{
    private const byte Answer = 0x46,
        Refusal = 0x7F,
        Service = 0x06;

    /// <summary>Monitor, test, unit-and-scaling id, and three values of two bytes.</summary>
    private const int GroupBytes = 9;

    public override string Method =>
        "Answers of service $06 are put together frame by frame (ISO 15765-2) and taken apart by SAE J1979: monitor, test, "
        + "unit-and-scaling id, value, minimum, maximum.\n"
        + "A test passes where its value lies from minimum to maximum; one with all three at zero has not run. A message with a frame "
        + "missing gives nothing.";

    public override JsonTypeInfo ResultJson => OnBoardTestsJson.Default.OnBoardTestsResult;
    public override string Kind => "on-board-tests";
    public override string Title => "On-board tests";
    public override string Brief => "counted";

    public override JobStep Step => JobStep.Look;
    public override IReadOnlyList<Verdict> Verdicts { get; } =
    [new("pass", Tone.Fine, "all tests passed"), new("fail", Tone.Fault, "a test failed"), Verdict.Unusable];

    public override IEnumerable<Suggestion> Suggest(CaptureFacts capture) => capture.Messages ? [new(OnlyIfUsable: true)] : [];

    public override bool ReadsMessages => true;

    protected override OnBoardTestsResult Make(ReadingRequest request, CancellationToken cancel)
    {
        List<Note> notes = [.. request.Messages.Notes];
        var tests = new Dictionary<(string?, byte, byte), OnBoardTest>();
        var repeated = 0;
        foreach (var message in request.Messages.Messages.Where(m => IsAnswer(m, notes)))
        foreach (var (key, test) in Tests(message, notes))
        {
            if (!tests.TryAdd(key, test))
                repeated++;
            tests[key] = test;
        }

        if (repeated > 0)
            notes.Add(new("asked-again", $"{repeated} tests were asked for more than once; the last answer of each counts."));
        if (tests.Count == 0)
            return Unusable(
                NoChannels,
                new Note(
                    "no-tests",
                    "There is no whole answer of service $06 in this file. Read the on-board test results again with the engine "
                        + "control unit awake, and record the whole exchange."
                ),
                notes
            );
        return Build([.. tests.Values], notes);
    }

    private static bool IsAnswer(DiagnosticMessage message, List<Note> notes)
    {
        if (message.Data is [Refusal, Service, var why, ..] && why != 0x78)
            notes.Add(new("refused", $"{message.Ecu ?? "The module"} refuses service $06 (reason {why:X2})."));
        return message.Data is [Answer, _, ..];
    }

    private static IEnumerable<((string?, byte, byte), OnBoardTest)> Tests(DiagnosticMessage message, List<Note> notes)
    {
        var data = message.Data.AsMemory(1);
        // A monitor id that is a multiple of 32 answers which monitors there are, not with tests.
        if (data.Span[0] % 0x20 == 0 && data.Length % 5 == 0)
            yield break;
        if (data.Length % GroupBytes != 0)
        {
            notes.Add(
                new(
                    "wrong-length",
                    $"An answer{(message.Ecu is null ? "" : " of " + message.Ecu)} about monitor {data.Span[0]:X2} has "
                        + $"{message.Data.Length} bytes, which is no whole number of tests: no value is taken from it."
                )
            );
            yield break;
        }

        for (var at = 0; at < data.Length; at += GroupBytes)
        {
            var test = One(data.Slice(at, GroupBytes).ToArray(), message.Ecu, notes);
            yield return ((message.Ecu, data.Span[at], data.Span[at + 1]), test);
        }
    }

    private static OnBoardTest One(byte[] group, string? ecu, List<Note> notes)
    {
        var (monitor, test, id) = (group[0], group[1], group[2]);
        int Number(int at) => UnitAndScaling.Number(id, group[at], group[at + 1]);
        var (value, low, high) = (Number(3), Number(5), Number(7));
        var scaling = UnitAndScaling.Find(id);
        if (scaling is null)
            notes.Add(
                new(
                    "unknown-scaling",
                    $"The unit-and-scaling id {id:X2} of monitor {monitor:X2} is not in the standard: the figures are raw."
                )
            );
        double Scaled(int number) => scaling?.Scaled(number) ?? number;
        bool? passed = value == 0 && low == 0 && high == 0 ? null : value >= low && value <= high;
        return new OnBoardTest(
            $"{monitor:X2}",
            OnBoardMonitors.Name(monitor),
            $"{test:X2}",
            OnBoardMonitors.TestName(test),
            ecu,
            OnBoardMonitors.Cylinder(monitor),
            Scaled(value),
            scaling?.Unit ?? "",
            Scaled(low),
            Scaled(high),
            passed
        );
    }

    private static OnBoardTestsResult Build(List<OnBoardTest> tests, List<Note> notes)
    {
        var misfires = tests
            .Where(t => t.Cylinder is not null)
            .GroupBy(t => (t.Cylinder, t.Ecu))
            .Select(g => new MisfireCounts(
                g.Key.Cylinder!.Value,
                Count(g, OnBoardMonitors.LastCycle),
                Count(g, OnBoardMonitors.TenCycleAverage),
                g.Key.Ecu
            ))
            .OrderBy(m => m.Cylinder)
            .ToList();
        var idle = tests.Count(t => t.Passed is null);
        if (idle > 0)
            notes.Add(
                new(
                    "not-run",
                    $"{idle} test{(idle == 1 ? " has" : "s have")} value and limits all zero: not run since the codes were cleared."
                )
            );
        if (misfires.Count > 0 && misfires.All(m => m is { LastCycle: null or 0, TenCycleAverage: null or 0 }))
            notes.Add(
                new(
                    "counters-zero",
                    "All misfire counters are zero. That proves nothing where codes were just cleared, the battery was off, or the "
                        + "monitor is suspended (fuel level low or its sender faulty): drive first, then read again."
                )
            );
        var verdict =
            tests.Any(t => t.Passed == false) ? "fail"
            : tests.Any(t => t.Passed == true) ? "pass"
            : Verdict.UnusableWord;
        return new OnBoardTestsResult
        {
            Verdict = verdict,
            Sentence = Sentence(verdict, tests, misfires),
            Notes = notes,
            Tests = tests,
            Misfires = misfires,
        };
    }

    private static int? Count(IEnumerable<OnBoardTest> tests, byte test) =>
        tests.FirstOrDefault(t => t.Test == test.ToString("X2", CultureInfo.InvariantCulture)) is { } found ? (int)found.Value : null;

    private static string? Counted(int? count, string when) => count is { } told ? $"{told} {when}" : null;

    private static string Sentence(string verdict, List<OnBoardTest> tests, List<MisfireCounts> misfires)
    {
        var most = misfires.MaxBy(m => Math.Max(m.LastCycle ?? 0, m.TenCycleAverage ?? 0));
        string?[] counts = [Counted(most?.LastCycle, "in the last cycle"), Counted(most?.TenCycleAverage, "on average")];
        var counted =
            most is null || Math.Max(most.LastCycle ?? 0, most.TenCycleAverage ?? 0) == 0
                ? ""
                : $" Most misfires: cylinder {most.Cylinder}, {string.Join(", ", counts.OfType<string>())}.";
        var failed = tests.Where(t => t.Passed == false).ToList();
        return verdict switch
        {
            "fail" => $"{failed.Count} of {tests.Count(t => t.Passed is not null)} tests fail: "
                + $"{string.Join("; ", failed.Select(t => t.MonitorName).Distinct().Take(4))}.{counted}",
            "pass" => $"All {tests.Count(t => t.Passed is not null)} tests that have run pass.{counted}",
            _ => "None of the tests has run since the codes were cleared: drive the vehicle, then read again.",
        };
    }
}
