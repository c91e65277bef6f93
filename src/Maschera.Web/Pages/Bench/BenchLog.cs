using Maschera.App;
using Maschera.Core.Expressions;
using Maschera.Core.Logs;
using Maschera.Core.Quantities;
using Maschera.Core.Signals;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Bench;

/// <summary>A condition to look for.</summary>
public sealed record FindAsked(string? Condition, double Least);

/// <summary>What a log can be asked beyond its lanes: stretches by condition, statistics, named events.</summary>
public static class BenchLog
{
    private const int MostStretches = 500;

    public static void MapBenchLog(this WebApplication app)
    {
        app.MapPost(
            "/bench/{id:int}/find",
            (int id, FindAsked asked, MascheraDb db, SampleStore samples) =>
            {
                if (Load(id, db, samples) is not { } channels)
                    return Results.NotFound();
                try
                {
                    var stretches = Condition.Parse(asked.Condition ?? "", channels).Stretches(Math.Max(0, asked.Least));
                    return Results.Json(
                        new
                        {
                            count = stretches.Count,
                            seconds = stretches.Sum(s => s.To - s.From),
                            stretches = stretches.Take(MostStretches),
                        }
                    );
                }
                catch (ExpressionException error)
                {
                    return BenchMeasure.Wrong(error.Message);
                }
            }
        );
        app.MapGet(
            "/bench/{id:int}/statistics",
            (int id, double from, double to, MascheraDb db, SampleStore samples) =>
                Load(id, db, samples) is not { } channels ? Results.NotFound()
                : !(to > from) ? BenchMeasure.Wrong("from lies before to.")
                : Results.Json(Rows(id, db).Zip(channels, (row, channel) => Statistic(row.Id, channel.Between(from, to))))
        );
        app.MapGet(
            "/bench/{id:int}/events",
            (int id, MascheraDb db, SampleStore samples) =>
                Load(id, db, samples) is { } channels
                    ? Results.Json(LogEvents.Find(channels, db.Corrections.AsNoTracking().ToDictionary(c => c.Name, c => c.Quantity)))
                    : Results.NotFound()
        );
        app.MapPost(
            "/bench/{id:int}/group",
            (int id, MascheraDb db) =>
            {
                var capture = db.Captures.Include(c => c.Channels).FirstOrDefault(c => c.Id == id && c.DeletedAt == null);
                if (capture is null)
                    return Results.NotFound();
                var kept = Arrangement.Of(capture);
                capture.ArrangementJson = System.Text.Json.JsonSerializer.Serialize(
                    kept with
                    {
                        Lanes = LaneGroups.Of(capture, kept, db.Corrections.AsNoTracking().ToDictionary(c => c.Name, c => c.Quantity)),
                    },
                    System.Text.Json.JsonSerializerOptions.Web
                );
                db.SaveChanges();
                return Results.NoContent();
            }
        );
    }

    /// <summary>The channels of a log in memory; null where there is none.</summary>
    internal static IReadOnlyList<Channel>? Load(int id, MascheraDb db, SampleStore samples)
    {
        var rows = Rows(id, db);
        return rows.Count > 0 ? [.. rows.Select(row => samples.Log(row, 1 / StoredCapture.LogStep))] : null;
    }

    private static List<StoredChannel> Rows(int id, MascheraDb db) =>
        [
            .. db
                .Channels.AsNoTracking()
                .Where(c => c.CaptureId == id && !c.IsLaneCopy && c.Capture!.DeletedAt == null)
                .OrderBy(c => c.Ordinal),
        ];

    private static object Statistic(int id, Channel channel)
    {
        var values = channel.Samples;
        int least = -1,
            most = -1,
            count = 0;
        double sum = 0,
            squares = 0;
        for (var i = 0; i < values.Length; i++)
        {
            if (!float.IsFinite(values[i]))
                continue;
            if (least < 0 || values[i] < values[least])
                least = i;
            if (most < 0 || values[i] > values[most])
                most = i;
            (sum, squares, count) = (sum + values[i], squares + (double)values[i] * values[i], count + 1);
        }

        if (count == 0)
            return new { id, count };
        var mean = sum / count;
        return new
        {
            id,
            count,
            mean,
            spread = Math.Sqrt(Math.Max(0, squares / count - mean * mean)),
            least = values[least],
            leastAt = channel.Time[least],
            most = values[most],
            mostAt = channel.Time[most],
        };
    }
}
