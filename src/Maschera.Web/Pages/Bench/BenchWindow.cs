using System.Runtime.InteropServices;
using Maschera.Store;

namespace Maschera.Web.Pages.Bench;

/// <summary>What the bench draws: one channel between two times at a width in pixels, as bytes.</summary>
public static class BenchWindow
{
    private const int MostColumns = 4_000;

    /// <summary>
    /// GET /bench/window/CHANNEL?from=&amp;to=&amp;columns=: the count n as an int32, n seconds relative to `from` as float32,
    /// n values as float32, little-endian.
    /// </summary>
    public static void MapBenchWindow(this WebApplication app) =>
        app.MapGet("/bench/window/{channel:int}", (int channel, double from, double to, int columns, MascheraDb db, SampleStore samples) =>
        {
            if (!(to > from) || columns < 1 || !double.IsFinite(to - from)) return Results.BadRequest("from lies before to, and columns is at least 1.");
            var row = db.Channels.Find(channel);
            return row is null ? Results.NotFound() : Results.Bytes(Pack(samples.Window(row, from, to, Math.Min(columns, MostColumns)), from), "application/octet-stream");
        });

    private static byte[] Pack(Trace trace, double from)
    {
        var n = trace.Values.Length;
        var bytes = new byte[4 + 8 * n];
        BitConverter.TryWriteBytes(bytes, n);
        var seconds = MemoryMarshal.Cast<byte, float>(bytes.AsSpan(4, 4 * n));
        for (var i = 0; i < n; i++) seconds[i] = (float)(trace.Seconds[i] - from);
        MemoryMarshal.AsBytes<float>(trace.Values).CopyTo(bytes.AsSpan(4 + 4 * n));
        return bytes;
    }
}
