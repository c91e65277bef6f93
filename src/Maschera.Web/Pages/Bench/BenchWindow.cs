using System.Globalization;
using System.Runtime.InteropServices;
using Maschera.App;
using Maschera.Store;

namespace Maschera.Web.Pages.Bench;

/// <summary>What the bench draws: channels between two times at a width in pixels, as bytes.</summary>
public static class BenchWindow
{
    private const int MostColumns = 4_000;
    private const int MostChannels = 128;
    private const int KindColumns = 0,
        KindPoints = 1;

    /// <summary>
    /// GET /bench/window?channels=1,2&amp;from=&amp;to=&amp;columns=: for each channel in turn, little-endian: int32 kind, int32 n.
    /// Kind 0: n pairs of least and greatest as float32, one for each pixel column, NaN where empty.
    /// Kind 1: n seconds relative to `from` as float32, then n values as float32.
    /// </summary>
    public static void MapBenchWindow(this WebApplication app) =>
        app.MapGet(
            "/bench/window",
            (string channels, double from, double to, int columns, SampleStore samples) =>
            {
                if (!(to > from) || columns < 1 || !double.IsFinite(to - from))
                    return Results.BadRequest("from lies before to, and columns is at least 1.");
                var ids = channels
                    .Split(',')
                    .Select(text => int.TryParse(text, CultureInfo.InvariantCulture, out var id) ? id : -1)
                    .ToList();
                if (ids.Count > MostChannels || ids.Contains(-1))
                    return Results.BadRequest($"channels are up to {MostChannels} numbers with commas between.");
                var rows = samples.Find(ids);
                if (ids.Any(id => !rows.ContainsKey(id)))
                    return Results.NotFound();
                Counters.Windows.Add(1);
                var traces = ids.ConvertAll(id => samples.Window(rows[id], from, to, Math.Min(columns, MostColumns)));
                var bytes = new MemoryStream(traces.Sum(BytesOf));
                traces.ForEach(trace => Pack(trace, from, bytes));
                return Results.Bytes(bytes.GetBuffer(), "application/octet-stream");
            }
        );

    private static int BytesOf(Trace trace) => 2 * sizeof(int) + sizeof(float) * (trace.Values.Length + (trace.Seconds?.Length ?? 0));

    private static void Pack(Trace trace, double from, MemoryStream into)
    {
        var columns = trace.Seconds is null;
        Write(into, [columns ? KindColumns : KindPoints, columns ? trace.Values.Length / 2 : trace.Values.Length]);
        if (trace.Seconds is { } seconds)
            Write(into, Array.ConvertAll(seconds, s => (float)(s - from)));
        Write(into, trace.Values);
    }

    private static void Write<T>(MemoryStream into, T[] values)
        where T : unmanaged => into.Write(MemoryMarshal.AsBytes<T>(values));
}
