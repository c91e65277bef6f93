using Maschera.Core.Basics;
using Maschera.Core.Diagnosis;
using Maschera.Core.Quantities;
using Maschera.Core.Readings;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;

namespace Maschera.App;

/// <summary>One measurement of a figure over a vehicle's visits.</summary>
/// <param name="Point">The figure.</param>
/// <param name="Capture">What it was read from.</param>
public sealed record VisitPoint(CoursePoint Point, StoredCapture Capture);

/// <summary>A figure over a vehicle's visits.</summary>
/// <param name="Question">The reading, and what it is about.</param>
/// <param name="Name">The figure.</param>
/// <param name="Unit">Its unit.</param>
/// <param name="Points">In the order of time.</param>
/// <param name="Repairs">When parts were renewed.</param>
public sealed record VisitFigure(
    string Question,
    string Name,
    string Unit,
    IReadOnlyList<VisitPoint> Points,
    IReadOnlyList<(DateTime When, string What)> Repairs
)
{
    /// <summary>How it goes.</summary>
    public Course Course { get; } = FigureCourse.Of([.. Points.Select(p => p.Point)]);

    /// <summary>The same in a sentence.</summary>
    public string Said { get; } = FigureCourse.Said([.. Points.Select(p => p.Point)], Unit, [.. Repairs.Select(r => r.When)]);
}

/// <summary>A vehicle: all jobs with its plate.</summary>
/// <param name="Plate">As the newest job writes it.</param>
/// <param name="Jobs">The newest first.</param>
/// <param name="Figures">Those measured more than once, what moves first.</param>
public sealed record VehicleVisits(string Plate, IReadOnlyList<Job> Jobs, IReadOnlyList<VisitFigure> Figures);

/// <summary>What a vehicle's visits say together.</summary>
public static class Visits
{
    /// <summary>A plate without what people write differently; empty for none.</summary>
    public static string KeyOf(string? plate) => string.Concat((plate ?? "").Where(char.IsLetterOrDigit)).ToUpperInvariant();

    /// <summary>How many jobs a vehicle has; 0 without a plate.</summary>
    public static int CountOf(MascheraDb db, string? plate) =>
        KeyOf(plate) is { Length: > 0 } key ? db.LiveJobs.Select(j => j.Plate).AsEnumerable().Count(p => KeyOf(p) == key) : 0;

    /// <summary>A vehicle by its plate; null where no job has it.</summary>
    public static async Task<VehicleVisits?> OfAsync(MascheraDb db, string plate)
    {
        var key = KeyOf(plate);
        var plates = await db.LiveJobs.Select(j => new { j.Id, j.Plate }).ToListAsync();
        var ids = plates.Where(j => key.Length > 0 && KeyOf(j.Plate) == key).Select(j => j.Id).ToList();
        if (ids.Count == 0)
            return null;
        var jobs = await db
            .LiveJobs.AsNoTracking()
            .AsSplitQuery()
            .Include(j => j.Readings.Where(r => r.Capture!.DeletedAt == null))
            .Include(j => j.Observations.Where(o => o.DeletedAt == null))
            .Include(j => j.Captures.Where(c => c.DeletedAt == null))
            .Where(j => ids.Contains(j.Id))
            .OrderByDescending(j => j.CreatedAt)
            .ToListAsync();
        return new(jobs[0].Plate!, jobs, FiguresOf(jobs));
    }

    private static List<VisitFigure> FiguresOf(List<Job> jobs)
    {
        var repairs = jobs.SelectMany(RepairsOf).OrderBy(r => r.When).ToList();
        var captures = jobs.SelectMany(j => j.Captures).ToDictionary(c => c.Id);
        var read =
            from reading in jobs.SelectMany(j => j.Readings)
            let kind = ReadingRegistry.Find(reading.Kind)
            where kind is not null && captures.ContainsKey(reading.CaptureId) && reading.Result is { IsUnusable: false }
            let about = KnownFigures.AboutOf(reading.Result!)
            from figure in reading.Result!.Compared
            where figure.Value is not null
            select (Question: about.Length > 0 ? $"{kind.Title}: {about}" : kind.Title, figure, Row: reading);
        return
        [
            .. read.GroupBy(r => (r.Question, r.figure.Name, Measures: FamilyOf(r.figure.Unit)))
                .Select(g => (Group: g, g.Key.Question, g.Key.Name, g.First().figure.Unit))
                .Select(g => new VisitFigure(
                    g.Question,
                    g.Name,
                    g.Unit,
                    [
                        // The newest answer of each capture.
                        .. g
                            .Group.GroupBy(r => r.Row.CaptureId)
                            .Select(c => c.MaxBy(r => r.Row.Id))
                            .Select(r => new VisitPoint(PointOf(r.figure, g.Unit, captures[r.Row.CaptureId]), captures[r.Row.CaptureId]))
                            .OrderBy(p => p.Point.When),
                    ],
                    repairs
                ))
                .Where(f => f.Points.Count > 1)
                .OrderBy(f =>
                    f.Course is Course.Drifts or Course.Jumped ? 0
                    : f.Course == Course.Steady ? 2
                    : 1
                )
                .ThenBy(f => f.Question),
        ];
    }

    private static CoursePoint PointOf(KeyFigure figure, string unit, StoredCapture capture)
    {
        var factor = UnitConversion.Factor(figure.Unit, unit) ?? 1;
        return new(capture.TakenAt, figure.Value!.Value * factor, figure.Spread * factor);
    }

    /// <summary>One word for all units that measure the same, so that bar and kPa lie in one chart; temperatures stay apart.</summary>
    private static string FamilyOf(string unit)
    {
        var units = UnitConversion.For(unit);
        return units.Any(u => u.Offset != 0) ? unit : units.Select(u => u.Unit).Min(StringComparer.Ordinal)!;
    }

    private static IEnumerable<(DateTime When, string What)> RepairsOf(Job job) =>
        job
            .Observations.Where(o => o.IsReplacedPart)
            .Select(part => (part.SeenAt, Likelihoods.Usual.Parts.GetValueOrDefault(part.Word, part.Word)));
}
