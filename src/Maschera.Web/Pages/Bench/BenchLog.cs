using Maschera.Core.Logs;
using Maschera.Core.Signals;
using Maschera.Store;
using Maschera.Web.Services;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Bench;

/// <summary>A condition to look for.</summary>
public sealed record FindAsked(string? Condition, double Least);

/// <summary>What a log can be asked beyond its lanes: stretches by condition, statistics, named events.</summary>
public static class BenchLog
{
    private const int MostStretches = 500;

    /// <summary>More lines than this in one lane can't be told apart.</summary>
    private const int MostInLane = 4;

    public static void MapBenchLog(this WebApplication app)
    {
        app.MapPost("/bench/{id:int}/find", (int id, FindAsked asked, MascheraDb db, SampleStore samples) =>
        {
            if (Load(id, db, samples) is not { } channels) return Results.NotFound();
            try
            {
                var stretches = Condition.Parse(asked.Condition ?? "", channels).Stretches(Math.Max(0, asked.Least));
                return Results.Json(new { count = stretches.Count, seconds = stretches.Sum(s => s.To - s.From), stretches = stretches.Take(MostStretches) });
            }
            catch (ConditionException error)
            {
                return BenchMeasure.Wrong(error.Message);
            }
        });
        app.MapGet("/bench/{id:int}/statistics", (int id, double from, double to, MascheraDb db, SampleStore samples) =>
            Load(id, db, samples) is not { } channels ? Results.NotFound() : !(to > from) ? BenchMeasure.Wrong("from lies before to.") : Results.Json(Rows(id, db).Zip(channels, (row, channel) => Statistic(row.Id, channel.Between(from, to)))));
        app.MapGet("/bench/{id:int}/events", (int id, MascheraDb db, SampleStore samples) =>
            Load(id, db, samples) is { } channels ? Results.Json(LogEvents.Find(channels, db.Corrections.AsNoTracking().ToDictionary(c => c.Name, c => c.Quantity))) : Results.NotFound());
        app.MapPost("/bench/{id:int}/group", (int id, MascheraDb db) =>
        {
            var capture = db.Captures.Include(c => c.Channels).FirstOrDefault(c => c.Id == id && c.DeletedAt == null);
            if (capture is null) return Results.NotFound();
            var kept = Arrangement.Of(capture);
            capture.ArrangementJson = System.Text.Json.JsonSerializer.Serialize(kept with { Lanes = Grouped(capture, kept, db.Corrections.AsNoTracking().ToDictionary(c => c.Name, c => c.Quantity)) }, System.Text.Json.JsonSerializerOptions.Web);
            db.SaveChanges();
            return Results.NoContent();
        });
    }

    /// <summary>One lane for each pair of desired and actual, and one for each quantity or unit that several channels share.</summary>
    public static IReadOnlyList<Lane> Grouped(StoredCapture capture, Arrangement kept, IReadOnlyDictionary<string, string>? corrected)
    {
        var drawn = kept.Lanes.SelectMany(l => l.Channels).ToDictionary(c => c.Channel);
        var pairs = QuantityPairs.Find([.. capture.OwnChannels.Select(c => c.Name)]);
        string Group(StoredChannel channel) => pairs.FirstOrDefault(p => p.Desired == channel.Name || p.Actual == channel.Name) is { } pair ? "pair " + pair.Stem
            : Quantities.Of(channel.Name, channel.Unit, corrected) is { Group: "Temperature" or "Demand" } known ? known.Group + channel.Unit
            : capture.OwnChannels.Count(c => c.Unit == channel.Unit && c.Unit.Length > 0) > 2 ? "unit " + channel.Unit : "own " + channel.Id;
        return [.. capture.OwnChannels.GroupBy(Group).SelectMany(g => g.Chunk(MostInLane)).Select(g => new Lane(null, [.. g.Select(c => drawn.GetValueOrDefault(c.Id) ?? new LaneChannel(c.Id))], Shared: true))];
    }

    /// <summary>The channels of a log in memory; null where there is none.</summary>
    internal static IReadOnlyList<Channel>? Load(int id, MascheraDb db, SampleStore samples)
    {
        var rows = Rows(id, db);
        return rows.Count > 0 ? [.. rows.Select(row => samples.Log(row, 1 / StoredCapture.LogStep))] : null;
    }

    private static List<StoredChannel> Rows(int id, MascheraDb db) =>
        [.. db.Channels.AsNoTracking().Where(c => c.CaptureId == id && !c.IsLaneCopy && c.Capture!.DeletedAt == null).OrderBy(c => c.Ordinal)];

    private static object Statistic(int id, Channel channel)
    {
        var values = channel.Samples;
        int least = -1, most = -1, count = 0;
        double sum = 0, squares = 0;
        for (var i = 0; i < values.Length; i++)
        {
            if (!float.IsFinite(values[i])) continue;
            if (least < 0 || values[i] < values[least]) least = i;
            if (most < 0 || values[i] > values[most]) most = i;
            (sum, squares, count) = (sum + values[i], squares + (double)values[i] * values[i], count + 1);
        }

        if (count == 0) return new { id, count };
        var mean = sum / count;
        return new { id, count, mean, spread = Math.Sqrt(Math.Max(0, squares / count - mean * mean)), least = values[least], leastAt = channel.Time[least], most = values[most], mostAt = channel.Time[most] };
    }
}
