using Maschera.Core.Basics;
using Maschera.Core.Quantities;
using Maschera.Core.Readings;
using Maschera.Core.Signals;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;

namespace Maschera.App;

/// <summary>A channel as the bench draws it.</summary>
/// <param name="Marked">True where the marks of a result stand on it.</param>
/// <param name="Desired">True for a desired value.</param>
/// <param name="Read">True where that result was read from it.</param>
public sealed record SceneChannel(
    int Id,
    string Name,
    string Unit,
    IReadOnlyList<UnitChoice> Units,
    int Ink,
    string? Expression,
    bool Marked,
    bool Desired,
    bool Read,
    double? Range
);

/// <summary>A capture that can be laid underneath.</summary>
/// <param name="Good">True where it lies on the shelf for the same engine.</param>
/// <param name="Alike">True where the engine was in the same state, or that is not known of one.</param>
public sealed record SceneOther(int Id, string Name, string Job, bool Good, bool Alike, IEnumerable<SceneOtherChannel> Channels);

/// <summary>A channel of it.</summary>
public sealed record SceneOtherChannel(int Id, string Name, string Unit);

/// <summary>A pin as asked or shown.</summary>
public sealed record PinShown(int Id, double At, string Remark);

/// <summary>What the bench draws: the client's scene.ts has the same shape.</summary>
/// <param name="Used">The stretch that the marked result was read from, s; null without one.</param>
public sealed record BenchScene(
    int Id,
    double From,
    double To,
    IReadOnlyList<SceneChannel> Channels,
    Arrangement Arrangement,
    IReadOnlyList<LaneMark> Marks,
    Stretch? Used,
    IReadOnlyList<CaliperShown> Calipers,
    IReadOnlyList<PinShown> Pins,
    IReadOnlyList<SceneOther> Others
)
{
    private const int Inks = 6;

    /// <summary>Captures offered to be laid underneath.</summary>
    private const int MostOthers = 200;

    /// <summary>A capture with everything that is shown of it; null where it is not there, or its job is deleted.</summary>
    public static async Task<StoredCapture?> CaptureAsync(MascheraDb db, int id)
    {
        var capture = await db
            .Captures.AsNoTracking()
            .AsSplitQuery()
            .Include(c => c.Channels.OrderBy(x => x.Ordinal))
            .Include(c => c.Job!.Engine)
            .Include(c => c.Calipers)
            .Include(c => c.Pins)
            .FirstOrDefaultAsync(c => c.Id == id && c.DeletedAt == null && c.Job!.DeletedAt == null);
        capture?.Readings.AddRange(await HeldReadings.OfAsync(db, db.Readings.Where(r => r.CaptureId == id)));
        foreach (var reading in capture?.Readings ?? [])
            reading.Capture = capture;
        return capture;
    }

    /// <summary>Captures to compare with, those of the same job first.</summary>
    /// <remarks>Only what tells them apart: their samples, notes and results are looked up once one is laid underneath.</remarks>
    public static async Task<List<StoredCapture>> OthersAsync(MascheraDb db, StoredCapture capture)
    {
        var others = await db
            .Captures.AsNoTracking()
            .Where(c => c.Id != capture.Id && c.DeletedAt == null && c.Job!.DeletedAt == null)
            .Where(c => c.Exchange == null && c.SheetJson == null)
            .OrderByDescending(c => c.JobId == capture.JobId)
            .ThenByDescending(c => c.Id)
            .Take(MostOthers)
            .Select(c => new StoredCapture
            {
                Id = c.Id,
                Name = c.Name,
                JobId = c.JobId,
                Job = new Job { Vehicle = c.Job!.Vehicle, EngineId = c.Job.EngineId },
                ShelvedAt = c.ShelvedAt,
                ConditionsJson = c.ConditionsJson,
            })
            .ToListAsync();
        var ids = others.Select(c => c.Id).ToList();
        var channels = await db
            .Channels.AsNoTracking()
            .Where(c => ids.Contains(c.CaptureId) && !c.IsLaneCopy)
            .Select(c => new StoredChannel
            {
                Id = c.Id,
                CaptureId = c.CaptureId,
                Ordinal = c.Ordinal,
                Name = c.Name,
                Unit = c.Unit,
                Role = c.Role,
            })
            .ToListAsync();
        var byCapture = channels.ToLookup(c => c.CaptureId);
        others.ForEach(c => c.Channels.AddRange(byCapture[c.Id]));
        return others;
    }

    /// <summary>A capture's channels as the bench draws them.</summary>
    public static IReadOnlyList<SceneChannel> ChannelsOf(StoredCapture capture)
    {
        var marked = Marked(capture);
        var desired = QuantityPairs.Find([.. capture.OwnChannels.Select(c => c.Name)]).Select(p => p.Desired).ToHashSet();
        return
        [
            .. capture.OwnChannels.Select(
                (c, i) =>
                    new SceneChannel(
                        c.Id,
                        c.Name,
                        c.Unit,
                        UnitConversion.For(c.Unit),
                        i % Inks,
                        c.Expression,
                        marked is not null && (marked.MarkedChannel is null || marked.MarkedChannel == c.Name),
                        desired.Contains(c.Name),
                        marked?.Channels.Values.Contains(c.Name) == true,
                        c.Range
                    )
            ),
        ];
    }

    /// <summary>The newest result that marks stretches of the capture; null for none.</summary>
    private static ReadingResult? Marked(StoredCapture capture) =>
        capture.Readings.OrderByDescending(r => r.Id).Select(r => r.Result).FirstOrDefault(r => r?.Marks.Count > 0);

    /// <summary>Its stretch, and what its marks reach over it: a compression that ends in the first cycle begins before it.</summary>
    private static Stretch UsedBy(ReadingResult marked) =>
        new(Math.Min(marked.Span.From, marked.Marks.Min(m => m.From)), Math.Max(marked.Span.To, marked.Marks.Max(m => m.To)));

    /// <summary>The scene of a capture, its calipers measured.</summary>
    public static BenchScene Of(StoredCapture capture, IReadOnlyList<StoredCapture> others, SampleStore samples, ClockService clocks)
    {
        var marked = Marked(capture);
        var arranged = Arrangement.Of(capture);
        var units = arranged.Lanes.SelectMany(lane => lane.Channels).ToDictionary(c => c.Channel, c => c.Unit);
        var clock = capture.Calipers.Count > 0 ? clocks.Of(capture, samples) : null;
        return new BenchScene(
            capture.Id,
            capture.OwnChannels.Select(c => c.Start).DefaultIfEmpty(0).Min(),
            capture.OwnChannels.Select(c => c.End).DefaultIfEmpty(1).Max(),
            ChannelsOf(capture),
            arranged,
            marked?.Marks ?? [],
            marked is null || marked.Span == default ? null : UsedBy(marked),
            [
                .. capture.Calipers.Select(c =>
                    CaliperShown.Of(
                        c,
                        capture.Channels.First(x => x.Id == c.ChannelId),
                        units.GetValueOrDefault(c.ChannelId),
                        samples,
                        clock
                    )
                ),
            ],
            [.. capture.Pins.OrderBy(p => p.At).Select(p => new PinShown(p.Id, p.At, p.Remark))],
            [
                .. others.Select(c => new SceneOther(
                    c.Id,
                    c.Name,
                    c.Job!.Vehicle,
                    c.ShelvedAt is not null && c.Job.EngineId == capture.Job!.EngineId,
                    c.Conditions.State is not { Length: > 0 } state || (capture.Conditions.State ?? state) == state,
                    c.OwnChannels.Select(x => new SceneOtherChannel(x.Id, x.Name, x.Unit))
                )),
            ]
        );
    }
}

/// <summary>A caliper with what it measures.</summary>
public sealed record CaliperShown(
    int Id,
    string Name,
    int Channel,
    double From,
    double To,
    string Label,
    IReadOnlyList<Figure> Figures,
    SpanMeasure Measure
)
{
    /// <summary>A kept caliper with its figures, in the unit its channel is shown in.</summary>
    public static CaliperShown Of(
        StoredCaliper caliper,
        StoredChannel channel,
        string? unit,
        SampleStore samples,
        CaptureClock? clock,
        CancellationToken cancel = default
    )
    {
        var measure = SpanMeasure.Of(samples.Reader(channel), caliper.From, caliper.To, cancel);
        var choice = UnitConversion.For(channel.Unit).FirstOrDefault(u => u.Unit == unit);
        if (choice.Unit is null)
            choice = new UnitChoice(channel.Unit, 1, 0);
        return new CaliperShown(
            caliper.Id,
            caliper.Name,
            caliper.ChannelId,
            caliper.From,
            caliper.To,
            App.Figures.Label(measure, choice),
            App.Figures.Of(measure, choice, clock?.Clock),
            measure
        );
    }
}
