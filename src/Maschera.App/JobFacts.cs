using Maschera.Core.Basics;
using Maschera.Core.Readings;
using Maschera.Core.Vehicle;
using Maschera.Store;

namespace Maschera.App;

/// <summary>One reading's column in the ledger.</summary>
public sealed record LedgerColumn(string Title, string Capture, string Unit, IReadOnlyDictionary<int, LedgerEntry> Cells);

/// <summary>The same question before and after a repair.</summary>
/// <param name="Name">What is asked about.</param>
/// <param name="Before">The earlier capture.</param>
/// <param name="After">The later one.</param>
public sealed record BeforeAfter(string Name, string Before, string After, IReading Kind, ReadingResult First, ReadingResult Last)
{
    /// <summary>A figure that differs by more than this share has changed.</summary>
    private const double Changed = 0.1;

    public Verdict FirstVerdict => Kind.VerdictOf(First.Verdict);
    public Verdict LastVerdict => Kind.VerdictOf(Last.Verdict);

    /// <summary>The figures, those that changed by more than a tenth marked.</summary>
    public IEnumerable<(string Name, double? Before, double? After, string Unit, bool Changed)> Figures =>
        First.Figures.Zip(
            Last.Figures,
            (before, after) => (before.Name, before.Value, after.Value, before.Unit, HasChanged(before.Value, after.Value))
        );

    private static bool HasChanged(double? before, double? after) =>
        before is { } b && after is { } a
            ? Math.Abs(a - b) > Changed * Math.Max(Math.Abs(a), Math.Abs(b))
            : before is null != after is null;
}

/// <summary>What follows from all that is known of a job.</summary>
public static class JobFacts
{
    /// <summary>The job's readings whose captures are there, oldest first.</summary>
    public static IReadOnlyList<StoredReading> ReadingsOf(Job job)
    {
        var there = job.Captures.Where(c => c.DeletedAt is null).Select(c => c.Id).ToHashSet();
        return [.. job.Readings.Where(r => there.Contains(r.CaptureId)).OrderBy(r => r.Id)];
    }

    /// <summary>The reading that tells most of a job in one line: the newest that found a fault, else the newest; null for none.</summary>
    public static StoredReading? Telling(Job job) =>
        job.Readings.Where(r => !r.IsUnusable).OrderByDescending(r => ToneOf(r) == Tone.Fault).ThenByDescending(r => r.Id).FirstOrDefault()
        ?? job.Readings.MaxBy(r => r.Id);

    private static Tone? ToneOf(StoredReading reading) => ReadingRegistry.Find(reading.Kind)?.VerdictOf(reading.Verdict).Tone;

    /// <summary>The ledger's columns: every reading that names cylinders, in the order they were made.</summary>
    public static IReadOnlyList<LedgerColumn> LedgerOf(Job job, IEnumerable<StoredReading> readings) =>
        [
            .. readings
                .Where(r => r.Result?.Ledger.Count > 0)
                .Select(r => new LedgerColumn(
                    ReadingRegistry.Find(r.Kind)!.Title,
                    NameOf(job, r.CaptureId),
                    r.Result!.Ledger[0].Unit,
                    r.Result.Ledger.ToDictionary(e => e.Cylinder)
                )),
        ];

    /// <summary>Questions asked on more than one capture of the job: the earliest answer against the latest.</summary>
    public static IReadOnlyList<BeforeAfter> Compared(Job job, IEnumerable<StoredReading> readings) =>
        [
            .. readings
                .Select(r => (Row: r, Kind: ReadingRegistry.Find(r.Kind), r.Result))
                .Where(r => r.Kind is { ComparesVisits: true } && r.Result is { IsUnusable: false })
                .GroupBy(r => (r.Row.Kind, Identity: r.Kind!.Identity(r.Result!.Channels)))
                .Where(g => g.Select(r => r.Row.CaptureId).Distinct().Count() > 1)
                .Select(g => (Name: g.Key.Identity, First: g.MinBy(r => r.Row.CaptureId), Last: g.MaxBy(r => r.Row.CaptureId)))
                .Select(p => new BeforeAfter(
                    p.Name.Length > 0 ? p.Name : p.First.Kind!.Title,
                    NameOf(job, p.First.Row.CaptureId),
                    NameOf(job, p.Last.Row.CaptureId),
                    p.First.Kind!,
                    p.First.Result!,
                    p.Last.Result!
                )),
        ];

    /// <summary>What follows from a job's codes and its intake.</summary>
    public static IReadOnlyList<Note> RemarksOf(Job job) =>
        IntakeRemarks.Of(
            new IntakeFacts(
                [.. job.Codes.Where(c => c.DeletedAt == null).Select(c => (c.Code, c.State))],
                job.CodesClearedAt,
                job.BatteryOffAt,
                job.BatteryVolts,
                job.EarlierRepairs
            )
        );

    private static string NameOf(Job job, int capture) => job.Captures.First(c => c.Id == capture).Name;
}
