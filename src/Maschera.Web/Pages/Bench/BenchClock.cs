using Maschera.App;
using Maschera.Core.Engines;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Bench;

/// <summary>The bench in crank degrees.</summary>
public static class BenchClock
{
    /// <summary>Degrees between the marks sent; between them the speed hardly changes.</summary>
    private const double Every = 30;

    private const int MostMarks = 400_000;

    /// <summary>
    /// GET /bench/ID/clock: the seconds at which the crank passes each 30°, from `first` degrees on. 0 is the firing TDC
    /// of the first cylinder of the firing order where the cycle is known, else the first tooth behind the gap. With `over`
    /// it is turned by a whole turn where the cams say that the other capture began on the other one.
    /// </summary>
    public static void MapBenchClock(this WebApplication app) =>
        app.MapGet(
            "/bench/{id:int}/clock",
            async (int id, int? over, MascheraDb db, SampleStore samples, ClockService clocks) =>
            {
                if (await BenchCycles.FindAsync(db, id) is not { } capture)
                    return Results.NotFound();
                var found = await Task.Run(() => clocks.Of(capture, samples));
                if (found.Clock is not { } clock)
                    return BenchMeasure.Wrong(found.Notes[0].Text);
                var zero = await BenchCycles.ZeroAsync(capture, found, over, db, samples, clocks);
                var first = Math.Ceiling((clock.Degrees[0] - zero) / Every) * Every;
                var count = Math.Min(MostMarks, 1 + (int)((clock.Degrees[^1] - zero - first) / Every));
                var engine = capture.Job!.Engine!.ToEngine();
                var asked = await db
                    .Readings.AsNoTracking()
                    .Where(r => r.JobId == capture.JobId && r.Capture!.DeletedAt == null)
                    .ToListAsync();
                return Results.Json(
                    new
                    {
                        first,
                        every = Every,
                        seconds = Enumerable.Range(0, count).Select(i => clock.TimeAt(zero + first + i * Every)),
                        known = found.Tdc is not null,
                        firing = engine.FiringOrder.Zip(
                            engine.Angles(),
                            (cylinder, degrees) =>
                                new
                                {
                                    cylinder,
                                    degrees,
                                    seat = Seat.Of(engine, cylinder),
                                }
                        ),
                        valves = engine.ValveTiming,
                        odd = asked.SelectMany(r => r.Result?.Ledger ?? []).Where(e => e.Odd).Select(e => e.Cylinder).Distinct(),
                        speed = clock.Source is null
                            ? new { channel = capture.OwnChannels.First(c => c.Role == "crank").Name, teeth = clock.Wheel.Teeth }
                            : null,
                        said = $"{clock.Said}, {clock.SpeedRpm:0} rpm, each {(clock.Source is null ? "edge" : "mark")} known to ± "
                            + $"{clock.StandardErrorDegrees:0.00}°",
                        notes = found.Notes.Select(n => n.Text),
                    }
                );
            }
        );
}
