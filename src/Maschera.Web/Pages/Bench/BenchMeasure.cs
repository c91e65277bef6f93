using Maschera.App;
using Maschera.Core.Basics;
using Maschera.Core.Quantities;
using Maschera.Core.Signals;
using Maschera.Store;
using Maschera.Web.Drawing;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Bench;

/// <summary>What a caliper is asked to be.</summary>
public sealed record CaliperAsked(string? Name, int Channel, double From, double To, string? Unit);

/// <summary>A place to draw to.</summary>
public record SnapAsked(int Channel, double At, double Reach, SnapTo To, double Level);

/// <summary>The next place that something can be drawn to, or the one before.</summary>
public sealed record NextAsked(int Channel, double At, double Reach, SnapTo To, double Level, bool Back)
    : SnapAsked(Channel, At, Reach, To, Level);

/// <summary>A number of samples to go on from a place.</summary>
public sealed record StepAsked(int Channel, double At, int By);

/// <summary>Two edges to lay on each other: one near <paramref name="At"/>, one in the capture underneath.</summary>
public sealed record LineUpAsked(int Channel, double At, double Reach, int Other, double Shift, double Stretch);

/// <summary>Calipers, pins and the places they are drawn to.</summary>
public static class BenchMeasure
{
    private const int MostName = 60,
        MostRemark = 500,
        MostOfEach = 200;

    public static void MapBenchMeasure(this WebApplication app)
    {
        app.MapPost("/bench/{id:int}/calipers", AddCaliper);
        app.MapPut("/bench/{id:int}/calipers/{caliper:int}", MoveCaliper);
        app.MapDelete(
            "/bench/{id:int}/calipers/{caliper:int}",
            async (int id, int caliper, MascheraDb db) =>
                await db.Calipers.Where(c => c.Id == caliper && c.CaptureId == id).ExecuteDeleteAsync() > 0
                    ? Results.NoContent()
                    : Results.NotFound()
        );
        app.MapPost("/bench/{id:int}/pins", AddPin);
        app.MapPut("/bench/{id:int}/pins/{pin:int}", MovePin);
        app.MapDelete(
            "/bench/{id:int}/pins/{pin:int}",
            async (int id, int pin, MascheraDb db) =>
                await db.Pins.Where(p => p.Id == pin && p.CaptureId == id).ExecuteDeleteAsync() > 0
                    ? Results.NoContent()
                    : Results.NotFound()
        );
        app.MapPost(
            "/bench/{id:int}/snap",
            (int id, SnapAsked asked, MascheraDb db, SampleStore samples) =>
                Snapped(id, asked, db, samples, r => Snapping.Find(r, asked.At, asked.Reach, asked.To, asked.Level))
        );
        app.MapPost(
            "/bench/{id:int}/snap-next",
            (int id, NextAsked asked, MascheraDb db, SampleStore samples) =>
                Snapped(id, asked, db, samples, r => Snapping.Next(r, asked.At, asked.Reach, asked.To, asked.Level, asked.Back))
        );
        app.MapPost(
            "/bench/{id:int}/step",
            (int id, StepAsked asked, MascheraDb db, SampleStore samples) =>
                Reader(id, asked.Channel, db, samples) is { Count: > 0 } reader ? Results.Json(Stepped(reader, asked)) : Results.NotFound()
        );
        app.MapPost("/bench/{id:int}/line-up", LineUp);
    }

    private static IResult Snapped(int id, SnapAsked asked, MascheraDb db, SampleStore samples, Func<ISampleReader, Snap?> find) =>
        !(asked.Reach > 0 && double.IsFinite(asked.At + asked.Reach + asked.Level))
            ? Wrong("at, reach and level are numbers, reach above zero.")
        : Reader(id, asked.Channel, db, samples) is { } reader ? Results.Json(find(reader))
        : Results.NotFound();

    /// <summary>An answer that says what is wrong.</summary>
    internal static IResult Wrong(string problem) => Results.Json(new { error = problem }, statusCode: StatusCodes.Status400BadRequest);

    private static async Task<IResult> AddCaliper(
        int id,
        CaliperAsked asked,
        MascheraDb db,
        SampleStore samples,
        ClockService clocks,
        CancellationToken cancel
    )
    {
        if (await db.Calipers.CountAsync(c => c.CaptureId == id, cancel) >= MostOfEach)
            return Wrong($"A capture holds {MostOfEach} calipers; delete one first.");
        var caliper = new StoredCaliper { CaptureId = id };
        return await Keep(caliper, asked, db, samples, clocks, cancel);
    }

    private static async Task<IResult> MoveCaliper(
        int id,
        int caliper,
        CaliperAsked asked,
        MascheraDb db,
        SampleStore samples,
        ClockService clocks,
        CancellationToken cancel
    ) =>
        await db.Calipers.FirstOrDefaultAsync(c => c.Id == caliper && c.CaptureId == id, cancel) is { } kept
            ? await Keep(kept, asked, db, samples, clocks, cancel)
            : Results.NotFound();

    private static async Task<IResult> Keep(
        StoredCaliper caliper,
        CaliperAsked asked,
        MascheraDb db,
        SampleStore samples,
        ClockService clocks,
        CancellationToken cancel
    )
    {
        if (!double.IsFinite(asked.From) || !double.IsFinite(asked.To))
            return Wrong("A jaw stands at a number of seconds.");
        if (await Channel(caliper.CaptureId, asked.Channel, db) is not { } channel)
            return Results.NotFound();
        var name = asked.Name?.Trim() ?? "";
        if (name.Length > MostName)
            return Wrong($"A caliper's name has up to {MostName} letters.");
        caliper.Name =
            name.Length > 0 ? name
            : caliper.Name.Length > 0 ? caliper.Name
            : $"Caliper {1 + await db.Calipers.CountAsync(c => c.CaptureId == caliper.CaptureId, cancel)}";
        (caliper.ChannelId, caliper.From, caliper.To) = (asked.Channel, Math.Min(asked.From, asked.To), Math.Max(asked.From, asked.To));
        db.Calipers.Update(caliper);
        await db.SaveChangesAsync(cancel);
        var capture = await db
            .Captures.AsNoTracking()
            .Include(c => c.Channels)
            .Include(c => c.Job!.Engine)
            .FirstAsync(c => c.Id == caliper.CaptureId, cancel);
        return Results.Json(CaliperShown.Of(caliper, channel, asked.Unit, samples, clocks.Of(capture, samples), cancel));
    }

    private static async Task<IResult> AddPin(int id, PinShown asked, MascheraDb db)
    {
        if (!await db.Captures.AnyAsync(c => c.Id == id))
            return Results.NotFound();
        if (await db.Pins.CountAsync(p => p.CaptureId == id) >= MostOfEach)
            return Wrong($"A capture holds {MostOfEach} pins; delete one first.");
        return await Keep(new StoredPin { CaptureId = id }, asked, db);
    }

    private static async Task<IResult> MovePin(int id, int pin, PinShown asked, MascheraDb db) =>
        await db.Pins.FirstOrDefaultAsync(p => p.Id == pin && p.CaptureId == id) is { } kept
            ? await Keep(kept, asked, db)
            : Results.NotFound();

    private static async Task<IResult> Keep(StoredPin pin, PinShown asked, MascheraDb db)
    {
        if (!double.IsFinite(asked.At))
            return Wrong("A pin stands at a number of seconds.");
        if (asked.Remark is null || asked.Remark.Length > MostRemark)
            return Wrong($"A remark has up to {MostRemark} letters.");
        (pin.At, pin.Remark) = (asked.At, asked.Remark);
        db.Pins.Update(pin);
        await db.SaveChangesAsync();
        return Results.Json(new PinShown(pin.Id, pin.At, pin.Remark));
    }

    private static double Stepped(ISampleReader reader, StepAsked asked)
    {
        var at = reader.IndexAtOrAfter(asked.At);
        // From between two samples the first step back is the one just passed.
        var between = at < reader.Count && reader.TimeAt(at) > asked.At;
        var wanted = (long)at + asked.By + (between && asked.By > 0 ? -1 : 0);
        return reader.TimeAt((int)Math.Clamp(wanted, 0, reader.Count - 1));
    }

    private static async Task<IResult> LineUp(int id, LineUpAsked asked, MascheraDb db, SampleStore samples)
    {
        if (!(asked.Reach > 0 && asked.Stretch > 0 && double.IsFinite(asked.At + asked.Reach + asked.Shift)))
            return Wrong("at, reach, shift and stretch are numbers, reach and stretch above zero.");
        if (Reader(id, asked.Channel, db, samples) is not { } here || await db.Channels.FindAsync(asked.Other) is not { } other)
            return Results.NotFound();
        if (Snapping.Find(here, asked.At, asked.Reach, SnapTo.Edge) is not { } edge)
            return Wrong("There is no clear edge here to line up on. Zoom in on one.");
        var under = new MovedReader(samples.Reader(other), other.Name, asked.Shift, asked.Stretch);
        // The edge underneath may be further away than the pointer's reach.
        foreach (var reach in (double[])[asked.Reach, 4 * asked.Reach, 16 * asked.Reach])
            if (Snapping.Find(under, edge.Seconds, reach, edge.What == "rising edge" ? SnapTo.RisingEdge : SnapTo.FallingEdge) is { } match)
                return Results.Json(
                    new
                    {
                        shift = asked.Shift + edge.Seconds - match.Seconds,
                        at = edge.Seconds,
                        what = edge.What,
                    }
                );
        return Wrong($"The capture underneath has no {edge.What} near here. Move it closer by its handle first.");
    }

    private static async Task<StoredChannel?> Channel(int capture, int channel, MascheraDb db) =>
        await db.Channels.AsNoTracking().FirstOrDefaultAsync(c => c.Id == channel && c.CaptureId == capture);

    private static ISampleReader? Reader(int capture, int channel, MascheraDb db, SampleStore samples) =>
        db.Channels.AsNoTracking().FirstOrDefault(c => c.Id == channel && c.CaptureId == capture) is { } row ? samples.Reader(row) : null;
}
