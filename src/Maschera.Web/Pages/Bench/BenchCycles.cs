using System.Globalization;
using Maschera.App;
using Maschera.Core.Signals;
using Maschera.Core.Timing;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.Bench;

/// <summary>The bench's third axis: channels folded on one cycle.</summary>
public static class BenchCycles
{
    /// <summary>Samples a second that are enough for one value a degree up to 10,000 rpm.</summary>
    private const double FoldRate = 120_000;

    /// <summary>
    /// GET /bench/ID/cycles?channels=1,2: for each channel mean, spread (one standard deviation), some single cycles and the odd
    /// ones, one value a degree of 720, null where there is none. With `over`, the capture on which this one is laid, degrees are
    /// turned as its cams say.
    /// </summary>
    public static void MapBenchCycles(this WebApplication app) => app.MapGet("/bench/{id:int}/cycles", Cycles);

    private static async Task<IResult> Cycles(int id, string channels, int? over, MascheraDb db, SampleStore samples, ClockService clocks)
    {
        if (await FindAsync(db, id) is not { } capture)
            return Results.NotFound();
        var found = await Task.Run(() => clocks.Of(capture, samples));
        if (found.Clock is not { } clock)
            return BenchMeasure.Wrong(found.Notes[0].Text);
        var zero = await ZeroAsync(capture, found, over, db, samples, clocks);
        var wanted = channels.Split(',').Select(c => int.TryParse(c, CultureInfo.InvariantCulture, out var n) ? n : 0).ToHashSet();
        var loaded = capture
            .Channels.Where(c => wanted.Contains(c.Id))
            .Select(c => (c.Id, Channel: samples.Reader(c).LoadAtMost(FoldRate)))
            .ToList();
        var folded = await Task.Run(() =>
            loaded.AsParallel().AsOrdered().Select(c => (c.Id, Fold: CycleFold.Of(c.Channel, clock, zero))).ToList()
        );
        return folded.Exists(f => f.Fold is null)
            ? BenchMeasure.Wrong("Fewer than two whole cycles lie in this capture, so there is nothing to lay on each other.")
            : Results.Json(folded.Select(f => Sent(f.Id, f.Fold!)));
    }

    /// <summary>
    /// Degrees on a capture's clock at which its cycle begins: firing TDC of the first cylinder, else the first tooth behind the
    /// gap; turned by a whole turn where the cams say that the capture `over` began on the other one.
    /// </summary>
    internal static async Task<double> ZeroAsync(
        StoredCapture capture,
        CaptureClock found,
        int? over,
        MascheraDb db,
        SampleStore samples,
        ClockService clocks
    )
    {
        var above = over is { } other ? await FindAsync(db, other) : null;
        return (found.Tdc ?? 0) + (above is null ? 0 : await Task.Run(() => clocks.TurnAgainst(capture, above, samples)));
    }

    /// <summary>A capture with its channels and engine, to be read.</summary>
    internal static Task<StoredCapture?> FindAsync(MascheraDb db, int id) =>
        db
            .Captures.AsNoTracking()
            .Include(c => c.Channels)
            .Include(c => c.Job!.Engine)
            .FirstOrDefaultAsync(c => c.Id == id && c.DeletedAt == null);

    private static object Sent(int channel, CycleFold fold) =>
        new
        {
            channel,
            cycles = fold.Cycles,
            mean = Course(fold.Mean),
            spread = Course(fold.Spread),
            singles = fold.Singles.Select(Course),
            odd = fold.Odd.Select(o => new { seconds = o.Seconds, values = Course(o.Values) }),
        };

    /// <summary>Five digits are more than a picture shows.</summary>
    private static IEnumerable<double?> Course(float[] values) => values.Select(v => float.IsFinite(v) ? Rounded(v) : (double?)null);

    private static double Rounded(double value)
    {
        if (value == 0)
            return 0;
        var places = Math.Clamp(4 - (int)Math.Floor(Math.Log10(Math.Abs(value))), 0, 15);
        return Math.Round(value, places);
    }
}
