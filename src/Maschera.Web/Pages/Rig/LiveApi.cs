using Maschera.App.Live;
using Maschera.Core.Signals;
using Maschera.Instruments;
using Maschera.Rig.Instruments;
using Maschera.Web.Live;
using Maschera.Web.Pages.Bench;

namespace Maschera.Web.Pages.Rig;

/// <summary>The trigger as the page sets it.</summary>
public sealed record TriggerAsked(
    bool On,
    int Channel,
    TriggerKind Kind,
    double Level,
    bool Upwards,
    double Width,
    bool Longer,
    TriggerAction Action,
    double KeepSeconds
);

/// <summary>What a person does to a running instrument.</summary>
public static class LiveApi
{
    private const int MostColumns = 4_000;

    public static void MapLive(this WebApplication app)
    {
        app.MapHub<LiveHub>("/live/hub");
        app.MapPost(
            "/live/{id}/key",
            (string id, bool on, LiveService live) =>
                With(
                    id,
                    live,
                    session =>
                    {
                        if (session.Scope is StandInScope standIn)
                            standIn.Keyed = on;
                        return Results.NoContent();
                    }
                )
        );
        app.MapPost(
            "/live/{id}/trial",
            (string id, bool on, LiveService live) =>
                With(
                    id,
                    live,
                    session =>
                    {
                        session.Trial(on);
                        return Results.NoContent();
                    }
                )
        );
        app.MapPost(
            "/live/{id}/trigger",
            (string id, TriggerAsked asked, LiveService live) =>
                With(
                    id,
                    live,
                    session =>
                    {
                        session.Arm(
                            asked.On
                                ? new ArmedTrigger(
                                    asked.Channel,
                                    new TriggerSetting(asked.Kind, asked.Level, asked.Upwards, asked.Width, asked.Longer),
                                    asked.Action,
                                    asked.KeepSeconds
                                )
                                : null
                        );
                        return Results.NoContent();
                    }
                )
        );
        app.MapPost(
            "/live/{id}/keep",
            (string id, double seconds, LiveService live) => With(id, live, session => Results.Json(Told(session.KeepLast(seconds))))
        );
        app.MapPost("/live/{id}/record", (string id, LiveService live) => With(id, live, session => Results.Json(Told(session.Record()))));
        app.MapPost(
            "/live/{id}/finish",
            (string id, int keep, LiveService live) =>
                With(
                    id,
                    live,
                    session =>
                    {
                        session.Finish(keep);
                        return Results.NoContent();
                    }
                )
        );
        app.MapGet(
            "/live/{id}/keeps",
            (string id, LiveService live) => With(id, live, session => Results.Json(session.Keeps.Select(Told)))
        );
        app.MapGet(
            "/live/{id}/window",
            (string id, double from, double to, int columns, LiveService live) =>
                With(
                    id,
                    live,
                    session =>
                        !(to > from) || columns < 1
                            ? BenchMeasure.Wrong("from lies before to, and columns is at least 1.")
                            : Results.Bytes(Window(session, from, to, Math.Min(columns, MostColumns)), "application/octet-stream")
                )
        );
        app.MapPost(
            "/live/{id}/stop",
            async (string id, LiveService live) =>
            {
                if (live.Find(id) is { } session)
                    await live.StopAsync(session);
                return Results.NoContent();
            }
        );
    }

    /// <summary>GET /live/ID/window: for each channel in turn pairs of least and greatest as float32, one a column.</summary>
    private static byte[] Window(LiveSession session, double from, double to, int columns)
    {
        var (width, rate) = ((to - from) / columns, session.Settings.Rate);
        return session.Packed(
            columns,
            i => ((long)Math.Ceiling((from + i * width) * rate), (long)Math.Ceiling((from + (i + 1) * width) * rate))
        );
    }

    private static object Told(LiveKeep keep) =>
        new
        {
            keep.Id,
            keep.Name,
            keep.IsOver,
            keep.CaptureId,
            keep.Error,
        };

    private static IResult With(string id, LiveService live, Func<LiveSession, IResult> act)
    {
        if (live.Find(id) is not { } session)
            return Results.NotFound();
        session.SeenAt = DateTime.UtcNow;
        try
        {
            return act(session);
        }
        catch (ScopeException error)
        {
            return BenchMeasure.Wrong(error.Message);
        }
    }
}
