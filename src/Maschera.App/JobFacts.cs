using System.Globalization;
using Maschera.Core.Basics;
using Maschera.Core.Readings;
using Maschera.Core.Vehicle;
using Maschera.Store;

namespace Maschera.App;

/// <summary>One reading's column in the ledger.</summary>
public sealed record LedgerColumn(string Title, string Brief, string Capture, string Unit, IReadOnlyDictionary<int, LedgerEntry> Cells);

/// <summary>A figure before and after.</summary>
/// <param name="Changed">True where it differs by more than twice what both scatter; by more than a tenth where that is not known.</param>
public sealed record FigureChange(string Name, double? Before, double? After, string Unit, bool Changed);

/// <summary>The same question before and after a repair.</summary>
/// <param name="Name">What is asked about.</param>
/// <param name="Before">The earlier capture.</param>
/// <param name="After">The later one.</param>
public sealed record BeforeAfter(
    string Name,
    StoredCapture Before,
    StoredCapture After,
    IReading Kind,
    ReadingResult First,
    ReadingResult Last
)
{
    /// <summary>Where no spread is known, a figure that differs by more than this share has changed.</summary>
    private const double Share = 0.1;

    private const double Clear = 2;

    /// <summary>Coolant so far apart is another condition, °C.</summary>
    private const double MostCelsius = 25;

    public Verdict FirstVerdict => Kind.VerdictOf(First);
    public Verdict LastVerdict => Kind.VerdictOf(Last);

    /// <summary>The figures both have.</summary>
    public IEnumerable<FigureChange> Figures =>
        from before in First.Compared
        join after in Last.Compared on (before.Name, before.Unit) equals (after.Name, after.Unit)
        select new FigureChange(before.Name, before.Value, after.Value, before.Unit, HasChanged(before, after));

    /// <summary>What was not alike when both were captured; empty where nothing is known to differ.</summary>
    public string Unlike
    {
        get
        {
            var (a, b) = (Before.Conditions, After.Conditions);
            string?[] unlike =
            [
                Differ(a.State, b.State) ? $"{a.State}, then {b.State}" : null,
                a.CoolantCelsius is { } cold && b.CoolantCelsius is { } warm && Math.Abs(warm - cold) > MostCelsius
                    ? $"{Celsius(cold)}, then {Celsius(warm)}"
                    : null,
                Differ(a.Disabled, b.Disabled) ? $"disabled {a.Disabled ?? "nothing"}, then {b.Disabled ?? "nothing"}" : null,
            ];
            return string.Join("; ", unlike.OfType<string>());
        }
    }

    private static string Celsius(double value) =>
        value.ToString("0", CultureInfo.InvariantCulture).Replace("-", "−", StringComparison.Ordinal) + " °C";

    private static bool Differ(string? a, string? b) => !string.Equals(a ?? "", b ?? "", StringComparison.OrdinalIgnoreCase);

    private static bool HasChanged(KeyFigure before, KeyFigure after)
    {
        if (before.Value is not { } b || after.Value is not { } a)
            return before.Value is null != after.Value is null;
        return before.Spread is { } first && after.Spread is { } last
            ? Math.Abs(a - b) > Clear * Math.Sqrt(first * first + last * last)
            : Math.Abs(a - b) > Share * Math.Max(Math.Abs(a), Math.Abs(b));
    }
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

    /// <summary>The tone of a reading's verdict by itself; null where its kind is no longer known.</summary>
    internal static Tone? ToneOf(StoredReading reading) => ReadingRegistry.Find(reading.Kind)?.VerdictOf(reading.Verdict).Tone;

    /// <summary>The ledger's columns: every reading that names cylinders, in the order they were made.</summary>
    public static IReadOnlyList<LedgerColumn> LedgerOf(Job job, IEnumerable<StoredReading> readings) =>
        [
            .. readings
                .Where(r => r.Result?.Ledger.Count > 0)
                .Select(r => new LedgerColumn(
                    ReadingRegistry.Find(r.Kind)!.Title,
                    ReadingRegistry.Find(r.Kind)!.Brief,
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
                .Where(r => r.Kind is not null && r.Result is { IsUnusable: false, Compared.Count: > 0 })
                .GroupBy(r => (r.Row.Kind, Identity: r.Kind!.Identity(r.Result!.Channels), r.Result.About))
                .Where(g => g.Select(r => r.Row.CaptureId).Distinct().Count() > 1)
                .Select(g => (Name: g.Key.Identity, First: g.MinBy(r => r.Row.CaptureId), Last: g.MaxBy(r => r.Row.CaptureId)))
                .Select(p => new BeforeAfter(
                    p.Name.Length > 0 ? p.Name : p.First.Kind!.Title,
                    job.Captures.First(c => c.Id == p.First.Row.CaptureId),
                    job.Captures.First(c => c.Id == p.Last.Row.CaptureId),
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
