using System.Globalization;
using System.Text;
using Maschera.App;
using Maschera.Core.Signals;
using Maschera.Formats;
using Maschera.Store;
using Maschera.Web.Drawing;
using Maschera.Web.People;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Bench;

/// <summary>Captures on their way out: files of samples, and the picture of a view.</summary>
public static class BenchExport
{
    public static void MapBenchExport(this WebApplication app)
    {
        app.MapGet("/bench/{id:int}/export", Export).WithMetadata(new HeavyWorkAttribute());
        app.MapGet("/bench/{id:int}/picture.svg", Picture);
    }

    /// <summary>GET /bench/ID/export?format=csv|wav|bundle with from and to for a window, whole without.</summary>
    private static async Task<IResult> Export(
        int id,
        string format,
        double? from,
        double? to,
        MascheraDb db,
        SampleStore samples,
        DataFolder data,
        CancellationToken cancel
    )
    {
        if (await Find(id, db) is not { } capture)
            return Results.NotFound();
        if (format is not ("csv" or "wav" or "bundle"))
            return BenchMeasure.Wrong($"'{format}' is no format; there are csv, wav and bundle.");
        if (from >= to)
            return BenchMeasure.Wrong("The window ends before it begins.");
        var channels = ChannelsOf(capture, samples, from, to);
        if (channels.Count == 0)
            return BenchMeasure.Wrong("No samples lie in this window.");
        var name =
            FileName(capture)
            + format switch
            {
                "bundle" => ".zip",
                var f => "." + f,
            };
        var file = data.Outgoing();
        try
        {
            await Task.Run(() => Write(format, file, name, capture, channels, cancel), cancel);
            file.Position = 0;
            return Results.File(
                file,
                format switch
                {
                    "csv" => "text/csv",
                    "wav" => "audio/wav",
                    _ => "application/zip",
                },
                name
            );
        }
        catch (CaptureFormatException error)
        {
            await file.DisposeAsync();
            return BenchMeasure.Wrong(error.Message);
        }
        catch
        {
            await file.DisposeAsync();
            throw;
        }
    }

    private static void Write(
        string format,
        Stream file,
        string name,
        StoredCapture capture,
        List<OutgoingChannel> channels,
        CancellationToken cancel
    )
    {
        if (format == "bundle")
            WriteBundle(file, capture, channels, cancel);
        else if (format == "csv")
            CaptureExport.WriteCsv(file, [.. channels.Select(c => c.Reader)], cancel);
        else
            CaptureExport.WriteWav(file, name, [.. channels.Select(c => c.Reader)], cancel);
    }

    /// <summary>Writes a capture with all its channels as a bundle.</summary>
    internal static void WriteBundle(Stream file, StoredCapture capture, SampleStore samples, CancellationToken cancel) =>
        WriteBundle(file, capture, ChannelsOf(capture, samples, null, null), cancel);

    private static void WriteBundle(Stream file, StoredCapture capture, List<OutgoingChannel> channels, CancellationToken cancel) =>
        BundleFile.Write(file, capture.Name, capture.TakenAt, Said(capture.Conditions), capture.Notes, channels, cancel);

    /// <summary>A capture's channels that have samples between two times, s; null for its ends.</summary>
    private static List<OutgoingChannel> ChannelsOf(StoredCapture capture, SampleStore samples, double? from, double? to) =>
        [
            .. capture
                .OwnChannels.Select(c => new OutgoingChannel(samples.Reader(c).Cut(from, to), c.Role, c.Expression))
                .Where(c => c.Reader.Count > 0),
        ];

    private static async Task<IResult> Picture(int id, double from, double to, MascheraDb db, SampleStore samples)
    {
        if (!(from < to) || !double.IsFinite(to - from))
            return BenchMeasure.Wrong("The view ends before it begins.");
        if (await Find(id, db) is not { } capture)
            return Results.NotFound();
        await db.Entry(capture).Collection(c => c.Calipers).LoadAsync();
        await db.Entry(capture).Collection(c => c.Pins).LoadAsync();
        var arranged = Arrangement.Of(capture);
        var under = arranged.Compare is { } compare ? await Find(compare.Capture, db) : null;
        var svg = BenchPicture.Draw(capture, arranged, samples, from, to, under);
        return Results.File(Encoding.UTF8.GetBytes(svg), "image/svg+xml", FileName(capture) + ".svg");
    }

    private static Task<StoredCapture?> Find(int id, MascheraDb db) =>
        db.Captures.Include(c => c.Channels).Include(c => c.Job).FirstOrDefaultAsync(c => c.Id == id && c.DeletedAt == null);

    private static Dictionary<string, string> Said(Conditions c) =>
        new (string Key, string? Value)[]
        {
            ("state", c.State),
            ("coolantCelsius", c.CoolantCelsius?.ToString(CultureInfo.InvariantCulture)),
            ("disabled", c.Disabled),
            ("remark", c.Remark),
            ("syncKind", c.SyncKind),
            ("syncCylinder", c.SyncCylinder?.ToString(CultureInfo.InvariantCulture)),
        }
            .Where(pair => pair.Value is not null)
            .ToDictionary(pair => pair.Key, pair => pair.Value!);

    internal static string FileName(StoredCapture capture) =>
        string.Concat($"{capture.Job!.Vehicle} {capture.Name}".Select(c => char.IsLetterOrDigit(c) || c is ' ' or '.' or '-' ? c : '_'))
            .Trim();
}
