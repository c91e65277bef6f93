using System.Globalization;
using System.Text.Json;
using Maschera.App;
using Maschera.Core.Expressions;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Bench;

/// <summary>A lane's smoothing as asked.</summary>
public sealed record SmoothAsked(int Channel, bool Standing, string? Smooth, double SmoothBy);

/// <summary>A derived channel as asked.</summary>
public sealed record DeriveAsked(string? Name, string? Unit, string? Expression);

/// <summary>The arrangement of lanes, and channels worked out from others.</summary>
public static class BenchChannels
{
    /// <summary>What is slower than this counts as the standing part, Hz: a usual corner of a scope's AC input.</summary>
    private const double StandingHz = 1;

    private const int MostArrangementBytes = 256 * 1024;

    public static void MapBenchChannels(this WebApplication app)
    {
        app.MapGet(
            "/bench/{id:int}/channels",
            async (int id, MascheraDb db) =>
                await BenchScene.CaptureAsync(db, id) is { } capture ? Results.Json(BenchScene.ChannelsOf(capture)) : Results.NotFound()
        );
        app.MapPut("/bench/{id:int}/arrangement", KeepArrangement);
        app.MapPost(
            "/bench/{id:int}/derived",
            (int id, DeriveAsked asked, DeriveService derive, MascheraDb db) =>
                Start(
                    id,
                    new DerivedChannel(
                        asked.Name?.Trim() ?? "",
                        string.IsNullOrWhiteSpace(asked.Unit) ? null : asked.Unit.Trim(),
                        asked.Expression ?? ""
                    ),
                    derive,
                    db
                )
        );
        app.MapPost("/bench/{id:int}/smoothed", Smoothed);
        app.MapPost("/bench/{id:int}/difference", Difference);
        app.MapGet(
            "/bench/derive/{token}",
            (string token, DeriveService derive) =>
                derive.Find(token) is { } run
                    ? Results.Json(
                        new
                        {
                            run.Share,
                            run.IsOver,
                            run.ChannelId,
                            run.Error,
                        }
                    )
                    : Results.NotFound()
        );
        app.MapDelete(
            "/bench/derive/{token}",
            (string token, DeriveService derive) =>
            {
                derive.Find(token)?.Stop();
                return Results.NoContent();
            }
        );
        app.MapDelete("/bench/{id:int}/derived/{channel:int}", RemoveDerived);
    }

    private static async Task<IResult> KeepArrangement(int id, HttpRequest request, MascheraDb db, CancellationToken cancel)
    {
        var body = new byte[MostArrangementBytes + 1];
        var length = await request.Body.ReadAtLeastAsync(body, body.Length, throwOnEndOfStream: false, cancel);
        if (length > MostArrangementBytes)
            return BenchMeasure.Wrong($"An arrangement has up to {MostArrangementBytes / 1024} kB.");
        Arrangement? arrangement;
        try
        {
            arrangement = JsonSerializer.Deserialize<Arrangement>(body.AsSpan(0, length), JsonSerializerOptions.Web);
        }
        catch (JsonException)
        {
            arrangement = null;
        }

        if (arrangement?.Lanes is null || arrangement.Lanes.Any(lane => lane?.Channels is null))
            return BenchMeasure.Wrong("An arrangement is a list of lanes with their channels.");
        if (await db.Captures.Include(c => c.Channels).FirstOrDefaultAsync(c => c.Id == id, cancel) is not { } capture)
            return Results.NotFound();
        if (arrangement.Problem(capture) is { } problem)
            return BenchMeasure.Wrong(problem);
        capture.ArrangementJson = JsonSerializer.Serialize(arrangement, JsonSerializerOptions.Web);
        await db.SaveChangesAsync(cancel);
        return Results.NoContent();
    }

    private static IResult Start(int id, DerivedChannel wanted, DeriveService derive, MascheraDb db)
    {
        if (!db.Captures.Any(c => c.Id == id))
            return Results.NotFound();
        try
        {
            return Results.Json(new { token = derive.Start(id, wanted) });
        }
        catch (ExpressionException error)
        {
            return BenchMeasure.Wrong(error.Message);
        }
    }

    /// <summary>A copy of a channel without its standing part, smoothed; an equal one that is there is taken again.</summary>
    private static async Task<IResult> Smoothed(int id, SmoothAsked asked, DeriveService derive, MascheraDb db)
    {
        if (
            await db.Channels.AsNoTracking().FirstOrDefaultAsync(c => c.Id == asked.Channel && c.CaptureId == id && !c.IsLaneCopy)
            is not { } channel
        )
            return Results.NotFound();
        var by = asked.SmoothBy.ToString(CultureInfo.InvariantCulture);
        var text = Expression.Written(channel.Name);
        if (asked.Standing)
            text = $"highpass({text}, {StandingHz})";
        if (asked.Smooth is "lowpass" or "median")
            text = $"{asked.Smooth}({text}, {by})";
        var there = await db.Channels.AsNoTracking().FirstOrDefaultAsync(c => c.CaptureId == id && c.IsLaneCopy && c.Expression == text);
        return there is not null
            ? Results.Json(new { channelId = there.Id })
            : Start(id, new DerivedChannel(channel.Name, channel.Unit, text, IsLaneCopy: true), derive, db);
    }

    /// <summary>A channel minus its namesake in the capture underneath.</summary>
    private static async Task<IResult> Difference(int id, LineUpAsked asked, DeriveService derive, MascheraDb db)
    {
        var here = await db.Channels.AsNoTracking().FirstOrDefaultAsync(c => c.Id == asked.Channel && c.CaptureId == id);
        var other = await db.Channels.AsNoTracking().FirstOrDefaultAsync(c => c.Id == asked.Other);
        if (here is null || other is null)
            return Results.NotFound();
        if (!(asked.Stretch > 0 && double.IsFinite(asked.Shift)))
            return BenchMeasure.Wrong("The capture underneath needs a shift in seconds and a stretch above zero.");
        var text = $"{Expression.Written(here.Name)} - \"other {other.Name}\"";
        var number = 1 + await db.Channels.CountAsync(c => c.CaptureId == id && c.Expression == text);
        return Start(
            id,
            new DerivedChannel(
                $"Difference of {here.Name}{(number > 1 ? $", {number}" : "")}",
                here.Unit,
                text,
                Under: new Comparison(other.CaptureId, asked.Shift, asked.Stretch)
            ),
            derive,
            db
        );
    }

    private static IResult RemoveDerived(int id, int channel, MascheraDb db)
    {
        if (!db.Channels.Any(c => c.Id == channel && c.CaptureId == id && c.Expression != null))
            return Results.NotFound();
        db.RemoveChannel(channel);
        return Results.NoContent();
    }
}
