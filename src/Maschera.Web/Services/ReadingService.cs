using Maschera.Core.Logs;
using Maschera.Core.Readings;
using Maschera.Core.Readings.Tracking;
using Maschera.Core.Signals;
using Maschera.Core.Vehicle;
using Maschera.Formats;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Services;

/// <summary>Makes readings on stored captures and keeps them.</summary>
public sealed class ReadingService(MascheraDb db, SampleStore samples)
{
    private static readonly string[] s_cylinder = ["cyl", "zyl", "cilindro"];

    /// <summary>Makes a reading; an earlier one of the same kind on the same capture is replaced.</summary>
    /// <param name="roles">Role to channel name; the channels' stored roles where null.</param>
    /// <exception cref="ReadingException">The request can't be understood.</exception>
    /// <param name="options">The reading's own options, beside the sync that the conditions tell.</param>
    /// <param name="reference">A known-good capture to compare with, or <see cref="WholeShelf"/>; channels by their stored roles.</param>
    public StoredReading Make(int captureId, string kind, IReadOnlyDictionary<string, string>? roles = null, int? reference = null, IReadOnlyDictionary<string, string?>? options = null, CancellationToken cancel = default)
    {
        var capture = db.Captures.Include(c => c.Channels).Include(c => c.Job!.Engine).First(c => c.Id == captureId);
        var reading = ReadingRegistry.Find(kind) ?? throw new ReadingException($"There is no reading '{kind}'.");
        var known = reading.Roles.Select(r => r.Name).ToHashSet();
        var channels = roles ?? StoredRoles(capture, known);
        var good = reading.TakesReference ? Known(capture, reference, reading) : [];
        var result = reading.Read(new ReadingRequest(Load(capture, reading.UsefulRate))
        {
            Engine = capture.Job!.Engine!.ToEngine(),
            Channels = channels,
            Options = Options(capture.Conditions, reading, options),
            Supplies = capture.Conditions.Supplies ?? new Dictionary<string, double>(),
            Quantities = db.Corrections.AsNoTracking().ToDictionary(c => c.Name, c => c.Quantity),
            Messages = reading.ReadsMessages ? CandumpFile.ReadMessages(capture.Exchange ?? "", capture.Name) : MessageLog.Empty,
            Reference = good.Count > 0 ? Load(good[0], reading.UsefulRate) : null,
            ReferenceChannels = good.Count > 0 ? StoredRoles(good[0], known) : [],
            MoreReferences = [.. good.Skip(1).Select(g => new KnownGood(Load(g, reading.UsefulRate), StoredRoles(g, known)))],
        }, cancel);
        var replaced = db.Readings.Where(r => r.CaptureId == captureId && r.Kind == kind).ToList().Where(r => IsOfSamePair(r, result)).Select(r => r.Id).ToList();
        db.Readings.Where(r => replaced.Contains(r.Id)).ExecuteDelete();
        db.ChangeTracker.Entries<StoredReading>().Where(e => replaced.Contains(e.Entity.Id)).ToList().ForEach(e => e.State = EntityState.Detached);
        var stored = StoredReading.Of(result, capture.JobId, captureId);
        db.Readings.Add(stored);
        db.SaveChanges();
        return stored;
    }

    /// <summary>A log may have many pairs of desired and actual: each has a reading of its own.</summary>
    private static bool IsOfSamePair(StoredReading stored, ReadingResult result) =>
        result is not TrackingResult { IsUnusable: false } || stored.Result is not { IsUnusable: false } there || there.Channels.GetValueOrDefault("desired") == result.Channels.GetValueOrDefault("desired");

    /// <summary>What a log asks for: whether it can be true, each pair of desired and actual, the balance of the cylinders.</summary>
    private void MakeOfLog(StoredCapture capture)
    {
        const int mostPairs = 8;
        TryMake(capture.Id, "plausibility");
        foreach (var pair in QuantityPairs.Find([.. capture.OwnChannels.Select(c => c.Name)]).Take(mostPairs))
            TryMake(capture.Id, "tracking", new Dictionary<string, string> { ["desired"] = pair.Desired, ["actual"] = pair.Actual });
        if (capture.OwnChannels.Count(c => s_cylinder.Any(word => c.Name.Contains(word, StringComparison.OrdinalIgnoreCase))) >= 3) TryMake(capture.Id, "contribution");
    }

    private void TryMake(int capture, string kind, IReadOnlyDictionary<string, string>? roles = null)
    {
        try
        {
            var stored = Make(capture, kind, roles);
            // A log need not hold what this reading wants; then nothing is said of it.
            if (stored.Verdict != ReadingResult.Unusable) return;
            db.Readings.Remove(stored);
            db.SaveChanges();
        }
        catch (ReadingException)
        {
            // The bench offers the reading with its channels open to choice, and says there what is missing.
        }
    }

    /// <summary>Stands for all known-good captures of the same engine on the shelf.</summary>
    public const int WholeShelf = 0;

    /// <summary>The captures to compare with: one, or all on the shelf for this engine that hold the signals it compares.</summary>
    private List<StoredCapture> Known(StoredCapture capture, int? reference, IReading reading)
    {
        var all = db.Captures.AsNoTracking().Include(c => c.Channels).Where(c => c.Id != capture.Id && c.DeletedAt == null);
        return reference switch
        {
            null => [],
            WholeShelf => [.. all.Where(c => c.ShelvedAt != null && c.Job!.EngineId == capture.Job!.EngineId).OrderBy(c => c.Id).AsEnumerable().Where(c => c.Holds(reading.ReferenceRoles))],
            { } id => [.. all.Where(c => c.Id == id)],
        };
    }

    /// <summary>
    /// Makes what a capture asks for by itself: in-cylinder pressure or pulses where such a channel is there, relative compression where the starter turned the engine, misfires where
    /// it idled with a crank sensor and a sync, and on a log all that can be read from one. Whatever can't be made is left for the person to ask.
    /// </summary>
    public void MakeObvious(int captureId)
    {
        var capture = db.Captures.AsNoTracking().Include(c => c.Channels).First(c => c.Id == captureId);
        if (capture.IsLog)
        {
            MakeOfLog(capture);
            return;
        }

        var roles = capture.Channels.Select(c => c.Role).ToHashSet();
        var kind = capture.Conditions.State switch
        {
            _ when roles.Contains("pressure") => "cylinder-pressure",
            _ when roles.Contains("pulse") && roles.Contains("sync") => "pulses",
            "cranking" => "relative-compression",
            "idle" when roles.Contains("crank") && roles.Contains("sync") => "misfire",
            _ => null,
        };
        if (kind is null) return;
        try
        {
            Make(captureId, kind, reference: kind == "cylinder-pressure" ? WholeShelf : null);
        }
        catch (ReadingException)
        {
            // The bench offers the reading with its channels open to choice, and says there what is missing.
        }
    }

    private Capture Load(StoredCapture capture, double rate) =>
        new(capture.Name, [.. capture.OwnChannels.Select(c => samples.Reader(c).LoadAtMost(rate))], capture.Notes);

    private static Dictionary<string, string> Options(Conditions conditions, IReading reading, IReadOnlyDictionary<string, string?>? said)
    {
        var options = said?.Where(o => !string.IsNullOrWhiteSpace(o.Value)).ToDictionary(o => o.Key, o => o.Value!.Trim()) ?? [];
        if (conditions.SyncKind is { } kind) options["sync-kind"] = kind;
        if (conditions.SyncCylinder is { } cylinder)
        {
            options["sync-cylinder"] = cylinder.ToString(System.Globalization.CultureInfo.InvariantCulture);
            // The transducer takes the place of the plug whose lead carries the sync, unless somebody says otherwise.
            options.TryAdd("cylinder", options["sync-cylinder"]);
        }

        return options.Where(o => reading.Options.Contains(o.Key)).ToDictionary();
    }

    private static Dictionary<string, string> StoredRoles(StoredCapture capture, HashSet<string> known) =>
        capture.Channels.Where(c => c.Role is not null && known.Contains(c.Role)).GroupBy(c => c.Role!).ToDictionary(g => g.Key, g => g.First().Name);
}
