using BenchmarkDotNet.Attributes;
using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Signals;
using Maschera.Formats;
using Maschera.Rig;

namespace Maschera.Benchmarks;

/// <summary>Every reading a stand-in can record a capture for, beside the plain read of the same capture as a CSV file.</summary>
[ShortRunJob]
[HideColumns("Job", "IterationCount", "LaunchCount", "WarmupCount", "Error")]
public class ReadingBenchmarks
{
    private static readonly Engine s_engine = EngineCatalogue.Orsa;

    private static readonly Dictionary<string, Func<Capture>> s_captures = new()
    {
        ["relative-compression"] = () =>
            CrankingRun
                .Record(
                    new CrankingPlan(s_engine)
                    {
                        Faults = [new(3, 2.6)],
                        SyncCylinder = 1,
                        Rate = 10_000,
                        Seed = 7,
                    }
                )
                .Capture,
        ["misfire"] = () => Idle(10),
        ["cam-timing"] = () => Idle(6),
        ["cylinder-pressure"] = () =>
            BreathingRun
                .Record(
                    new BreathingPlan(s_engine)
                    {
                        Measured = 1,
                        SpeedRpm = 800,
                        Seconds = 4,
                        Seed = 3,
                    }
                )
                .Capture,
        ["pulses"] = () =>
            BreathingRun
                .Record(
                    new BreathingPlan(s_engine)
                    {
                        Measured = null,
                        PickUps = true,
                        SpeedRpm = 800,
                        Seconds = 5,
                        Seed = 3,
                    }
                )
                .Capture,
        ["tracking"] = () => DriveLog.Record(new DrivePlan(s_engine) { Seed = 3 }),
        ["plausibility"] = () => DriveLog.Record(new DrivePlan(s_engine) { Seed = 3 }),
        ["duty"] = () => Idle(6),
    };

    private string _file = "";
    private IReading _reading = null!;
    private ReadingRequest _request = null!;

    public static IEnumerable<string> Kinds => s_captures.Keys;

    [ParamsSource(nameof(Kinds))]
    public string Kind { get; set; } = "";

    private static Capture Idle(double seconds) =>
        RunningRun
            .Record(
                new RunningPlan(s_engine)
                {
                    SpeedRpm = 800,
                    Seconds = seconds,
                    Rate = 50_000,
                    Seed = 3,
                }
            )
            .Capture;

    [GlobalSetup]
    public void Record()
    {
        var capture = s_captures[Kind]();
        _file = Path.Combine(Path.GetTempPath(), $"{Kind}-{Environment.ProcessId}.csv");
        using (var stream = File.Create(_file))
            CaptureExport.WriteCsv(stream, [.. capture.Channels.Select(c => new MemoryReader(c))]);
        _reading = ReadingRegistry.Find(Kind)!;
        _request = new ReadingRequest(CaptureFile.Load(_file))
        {
            Engine = s_engine,
            Reference = _reading.TakesReference ? s_captures[Kind]() : null,
            Channels = Kind == "duty" ? new Dictionary<string, string> { ["signal"] = "Crank sensor" } : [],
            Options = Kind == "pulses" ? new Dictionary<string, string> { ["at"] = "exhaust" } : [],
        };
        if (_reading.Read(_request) is { IsUnusable: true } unusable)
            throw new InvalidOperationException(unusable.Sentence);
    }

    [GlobalCleanup]
    public void Delete() => File.Delete(_file);

    [Benchmark(Baseline = true)]
    public Capture PlainRead() => CaptureFile.Load(_file);

    [Benchmark]
    public ReadingResult Reading() => _reading.Read(_request);
}
