using Maschera.Core.Readings;
using Maschera.Core.Readings.Circuit;
using Maschera.Core.Signals;
using Maschera.Core.Vehicle;
using Maschera.Instruments;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;

namespace Maschera.App;

/// <summary>One line of a sheet: what is to be measured, and what was.</summary>
/// <param name="Component">The component's name.</param>
/// <param name="Row">What was measured; null while nothing was.</param>
public sealed record SheetLine(string Component, PlannedMeasure Measure, SheetRow? Row);

/// <summary>A measured level of a caliper that can be taken over into a sheet.</summary>
/// <param name="Name">The caliper and its channel.</param>
/// <param name="Value">The mean between the jaws.</param>
/// <param name="Unit">V or A.</param>
public sealed record CaliperLevel(string Name, double Value, string Unit);

/// <summary>Sheets of values measured at components with a meter: kept, judged again at every value.</summary>
public sealed class SheetService(MascheraDb db, ReadingService readings, SampleStore samples)
{
    /// <summary>A sheet takes no more values than that.</summary>
    public const int MostRows = 500;

    /// <summary>Keeps a new sheet; returns its number.</summary>
    public int Create(int job, string name, CircuitSheet sheet)
    {
        var row = StoredCapture.Of(job, name, new Conditions(null, null, null, null));
        row.Sheet = sheet;
        db.Captures.Add(row);
        db.SaveChanges();
        Judge(row);
        return row.Id;
    }

    /// <summary>Keeps what a sheet holds now, and judges it.</summary>
    /// <exception cref="ReadingException">It would hold more values than a sheet takes.</exception>
    public void Keep(StoredCapture row, CircuitSheet sheet)
    {
        if (sheet.Rows.Count > MostRows)
            throw new ReadingException($"A sheet takes {MostRows} values; start another one.");
        row.Sheet = sheet;
        db.SaveChanges();
        Judge(row);
    }

    private void Judge(StoredCapture row)
    {
        if (row.Sheet!.Rows.Count > 0)
            readings.Make(new ReadingAsked(row.Id, "circuit"));
        else
            db.Readings.Where(r => r.CaptureId == row.Id).ExecuteDelete();
    }

    /// <summary>What a sheet has to be filled with, component by component.</summary>
    public static IReadOnlyList<SheetLine> Lines(CircuitSheet sheet) =>
        [
            .. from component in sheet.Components
            from measure in SheetPlan.Of([.. component.Pins.Select(p => p.Terminal)])
            let row = sheet.Rows.LastOrDefault(r => IsOf(r, component.Name, measure) && measure.IsAnsweredBy(r))
            select new SheetLine(component.Name, measure, row),
        ];

    /// <summary>Rows that answer no line: measured beside what was planned.</summary>
    public static IReadOnlyList<SheetRow> Others(CircuitSheet sheet)
    {
        var planned = Lines(sheet).Select(l => l.Row).OfType<SheetRow>().ToHashSet();
        return [.. sheet.Rows.Where(r => !planned.Contains(r))];
    }

    /// <summary>What to measure next: the component and the line; null where everything is told.</summary>
    public static (string Component, PlannedMeasure Measure)? Next(CircuitSheet sheet)
    {
        foreach (var component in sheet.Components)
            if (SheetPlan.Next(sheet, component) is { } next)
                return (component.Name, next);
        return null;
    }

    /// <summary>The sheet with a line's value in place of an earlier one, or without it where <paramref name="value"/> is null.</summary>
    /// <param name="state">What the vehicle does while it is loaded: key on, running, cranking.</param>
    public static CircuitSheet With(CircuitSheet sheet, string component, PlannedMeasure measure, double? value, string state)
    {
        var rest = sheet.Rows.Where(r => !(IsOf(r, component, measure) && measure.IsAnsweredBy(r)));
        return sheet with { Rows = [.. rest, .. value is { } v ? [RowOf(component, measure, v, state)] : (SheetRow[])[]] };
    }

    /// <summary>The row a line is written as.</summary>
    public static SheetRow RowOf(string component, PlannedMeasure measure, double value, string state) =>
        new(
            measure.From,
            measure.To,
            measure.Quantity,
            value,
            measure.Unplugged ? PlannedMeasure.Off : $"{state}, loaded",
            Component: measure.ForAll ? "" : component
        );

    /// <summary>Measures with a meter: the next line, or one after another until all is told.</summary>
    /// <exception cref="MeterException">It can't measure.</exception>
    public static async Task<CircuitSheet> ProbeAsync(CircuitSheet sheet, IMeter meter, string state, bool all, CancellationToken cancel)
    {
        for (var taken = 0; taken < MostRows && Next(sheet) is var (component, measure); taken++)
        {
            var asked = RowOf(component, measure, double.NaN, state) with { Component = component };
            sheet = With(sheet, component, measure, await meter.MeasureAsync(asked, cancel), state);
            if (!all)
                break;
        }

        return sheet;
    }

    /// <summary>Levels of the calipers on a job's captures, the newest first.</summary>
    public IReadOnlyList<CaliperLevel> Levels(int job)
    {
        const int most = 12;
        var calipers = db
            .Calipers.AsNoTracking()
            .Include(c => c.Channel!.Capture)
            .Where(c => c.Channel!.Capture!.JobId == job && c.Channel.Capture.DeletedAt == null)
            .Where(c => c.Channel!.Unit == "V" || c.Channel.Unit == "A")
            .OrderByDescending(c => c.Id)
            .Take(most)
            .ToList();
        return
        [
            .. from caliper in calipers
            let mean = SpanMeasure.Of(samples.Reader(caliper.Channel!), caliper.From, caliper.To).Mean
            where mean is not null
            select new CaliperLevel($"{caliper.Name}: {caliper.Channel!.Name}", mean.Value, caliper.Channel.Unit),
        ];
    }

    private static bool IsOf(SheetRow row, string component, PlannedMeasure measure) =>
        measure.ForAll || row.Component == component || row.Component.Length == 0;
}
