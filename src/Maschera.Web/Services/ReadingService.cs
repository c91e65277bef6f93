using Maschera.Core.Readings;
using Maschera.Core.Signals;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Services;

/// <summary>Makes readings on stored captures and keeps them.</summary>
public sealed class ReadingService(MascheraDb db, SampleStore samples)
{
    /// <summary>Makes a reading; an earlier one of the same kind on the same capture is replaced.</summary>
    /// <param name="roles">Role to channel name; the channels' stored roles where null.</param>
    /// <exception cref="ReadingException">The request can't be understood.</exception>
    /// <param name="reference">A known-good capture to compare with, or <see cref="WholeShelf"/>; channels by their stored roles.</param>
    public StoredReading Make(int captureId, string kind, IReadOnlyDictionary<string, string>? roles = null, int? reference = null, CancellationToken cancel = default)
    {
        var capture = db.Captures.Include(c => c.Channels).Include(c => c.Job!.Engine).First(c => c.Id == captureId);
        var reading = ReadingRegistry.Find(kind) ?? throw new ReadingException($"There is no reading '{kind}'.");
        var known = reading.Roles.Select(r => r.Name).ToHashSet();
        var channels = roles ?? StoredRoles(capture, known);
        var good = reading.TakesReference ? Known(capture, reference) : [];
        var result = reading.Read(new ReadingRequest(Load(capture, reading.UsefulRate))
        {
            Engine = capture.Job!.Engine!.ToEngine(),
            Channels = channels,
            Options = Options(capture.Conditions, reading),
            Reference = good.Count > 0 ? Load(good[0], reading.UsefulRate) : null,
            ReferenceChannels = good.Count > 0 ? StoredRoles(good[0], known) : [],
            MoreReferences = [.. good.Skip(1).Select(g => new KnownGood(Load(g, reading.UsefulRate), StoredRoles(g, known)))],
        }, cancel);
        db.Readings.Where(r => r.CaptureId == captureId && r.Kind == kind).ExecuteDelete();
        var stored = StoredReading.Of(result, capture.JobId, captureId);
        db.Readings.Add(stored);
        db.SaveChanges();
        return stored;
    }

    /// <summary>Stands for all known-good captures of the same engine on the shelf.</summary>
    public const int WholeShelf = 0;

    /// <summary>The captures to compare with: one, or all on the shelf for this engine.</summary>
    private List<StoredCapture> Known(StoredCapture capture, int? reference)
    {
        var all = db.Captures.AsNoTracking().Include(c => c.Channels).Where(c => c.Id != capture.Id && c.DeletedAt == null);
        return reference switch
        {
            null => [],
            WholeShelf => [.. all.Where(c => c.ShelvedAt != null && c.Job!.EngineId == capture.Job!.EngineId).OrderBy(c => c.Id)],
            { } id => [.. all.Where(c => c.Id == id)],
        };
    }

    /// <summary>
    /// Makes what a capture asks for by itself: relative compression where the starter turned the engine, misfires where
    /// it idled with a crank sensor and a sync. Whatever can't be made is left for the person to ask.
    /// </summary>
    public void MakeObvious(int captureId)
    {
        var capture = db.Captures.AsNoTracking().Include(c => c.Channels).First(c => c.Id == captureId);
        var roles = capture.Channels.Select(c => c.Role).ToHashSet();
        var kind = capture.Conditions.State switch
        {
            "cranking" => "relative-compression",
            "idle" when roles.Contains("crank") && roles.Contains("sync") => "misfire",
            _ => null,
        };
        if (kind is null) return;
        try
        {
            Make(captureId, kind);
        }
        catch (ReadingException)
        {
            // The bench offers the reading with its channels open to choice, and says there what is missing.
        }
    }

    private Capture Load(StoredCapture capture, double rate) =>
        new(capture.Name, [.. capture.OwnChannels.Select(c => samples.Reader(c).LoadAtMost(rate))], capture.Notes);

    private static Dictionary<string, string> Options(Conditions conditions, IReading reading)
    {
        var options = new Dictionary<string, string>();
        if (conditions.SyncKind is { } kind) options["sync-kind"] = kind;
        if (conditions.SyncCylinder is { } cylinder) options["sync-cylinder"] = cylinder.ToString(System.Globalization.CultureInfo.InvariantCulture);
        return options.Where(o => reading.Options.Contains(o.Key)).ToDictionary();
    }

    private static Dictionary<string, string> StoredRoles(StoredCapture capture, HashSet<string> known) =>
        capture.Channels.Where(c => c.Role is not null && known.Contains(c.Role)).GroupBy(c => c.Role!).ToDictionary(g => g.Key, g => g.First().Name);
}
