using Maschera.Core.Basics;
using Maschera.Core.Readings;
using Maschera.Core.Signals;
using Maschera.Core.Vehicle;
using Maschera.Formats;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;

namespace Maschera.App;

/// <summary>What is asked of a stored capture.</summary>
/// <param name="Capture">Its number.</param>
/// <param name="Kind">The reading.</param>
public sealed record ReadingAsked(int Capture, string Kind)
{
    /// <summary>Role to channel name; the channels' stored roles where null.</summary>
    public IReadOnlyDictionary<string, string>? Roles { get; init; }

    /// <summary>A known-good capture to compare with, or <see cref="ReadingService.WholeShelf"/>; channels by their stored roles.</summary>
    public int? Reference { get; init; }

    /// <summary>A reading of the capture whose place the answer takes whatever it was made of; null for none.</summary>
    public int? Replaces { get; init; }

    /// <summary>The reading's own options, beside what the conditions tell.</summary>
    public IReadOnlyDictionary<string, string?> Options { get; init; } = new Dictionary<string, string?>();
}

/// <summary>Makes readings on stored captures and keeps them.</summary>
public sealed partial class ReadingService(MascheraDb db, SampleStore samples)
{
    /// <summary>Stands for all known-good captures of the same engine on the shelf.</summary>
    public const int WholeShelf = 0;

    /// <summary>Makes a reading; an earlier one that answers the same question on the same capture is replaced.</summary>
    /// <exception cref="ReadingException">The request can't be understood.</exception>
    public StoredReading Make(ReadingAsked asked, CancellationToken cancel = default)
    {
        var (capture, reading) = Find(asked);
        return Keep(capture, reading, Read(capture, reading, asked, cancel), asked.Replaces);
    }

    /// <summary>
    /// Makes every reading that offers itself for a capture. What a reading can't understand is left for the person to ask;
    /// what goes wrong otherwise is returned, one sentence each, for the capture is there all the same.
    /// </summary>
    public IReadOnlyList<string> MakeSuggested(int captureId, CancellationToken cancel = default)
    {
        var capture = db.Captures.AsNoTracking().Include(c => c.Channels).First(c => c.Id == captureId);
        var problems = new List<string>();
        foreach (var reading in ReadingRegistry.All)
        foreach (var suggestion in reading.Suggest(capture.Facts))
        {
            try
            {
                MakeSuggested(captureId, reading, suggestion, cancel);
            }
            catch (ReadingException)
            {
                // The bench offers the reading with its channels open to choice, and says there what is missing.
            }
            catch (Exception error) when (error is not OperationCanceledException)
            {
                problems.Add($"The capture is kept, but {reading.Title.ToLowerInvariant()} could not be read: {error.Message}");
            }
        }

        MakeKnownWindows(capture, cancel);
        return problems;
    }

    /// <summary>
    /// Makes every reading of a capture again from the channels it was made of, against the whole shelf where it compares, for
    /// what holds for the capture has changed. What can't be read now keeps its old answer and is returned, one sentence each.
    /// </summary>
    public IReadOnlyList<string> MakeAgain(int captureId, CancellationToken cancel = default)
    {
        var problems = new List<string>();
        foreach (var stored in db.Readings.AsNoTracking().Where(r => r.CaptureId == captureId).OrderBy(r => r.Id).ToList())
        {
            if (ReadingRegistry.Find(stored.Kind) is not { ReadsSheet: false } reading)
                continue;
            try
            {
                Make(
                    new ReadingAsked(captureId, stored.Kind)
                    {
                        Roles = ChannelsOf(stored).Where(c => reading.Roles.Any(r => r.Name == c.Key)).ToDictionary(),
                        Reference = WholeShelf,
                    },
                    cancel
                );
            }
            catch (ReadingException error)
            {
                problems.Add($"{reading.Title} keeps its old answer: {error.Message}");
            }
        }

        return problems;
    }

    private void MakeSuggested(int captureId, IReading reading, Suggestion suggestion, CancellationToken cancel)
    {
        var asked = new ReadingAsked(captureId, reading.Kind)
        {
            Roles = suggestion.Channels,
            Reference = suggestion.AgainstShelf ? WholeShelf : null,
        };
        var (capture, _) = Find(asked);
        var result = Read(capture, reading, asked, cancel);
        if (!result.IsUnusable || !suggestion.OnlyIfUsable)
            Keep(capture, reading, result);
    }

    private (StoredCapture Capture, IReading Reading) Find(ReadingAsked asked) =>
        (
            db.Captures.Include(c => c.Channels).Include(c => c.Job!.Engine).First(c => c.Id == asked.Capture),
            ReadingRegistry.Find(asked.Kind) ?? throw new ReadingException($"There is no reading '{asked.Kind}'.")
        );

    private ReadingResult Read(StoredCapture capture, IReading reading, ReadingAsked asked, CancellationToken cancel)
    {
        var known = reading.Roles.Select(r => r.Name).ToHashSet();
        var good = reading.TakesReference ? Known(capture, asked.Reference, reading) : [];
        var channels = asked.Roles ?? StoredRoles(capture, known);
        var options = Options(capture.Conditions, reading, asked.Options);
        var limits = AddKnownLimits(options, capture, reading, channels);
        if (good.Count == 0)
            limits.AddRange(AddKnownWindows(options, capture, reading, channels));
        var result = reading.Read(
            new ReadingRequest(Load(capture, reading.UsefulRate))
            {
                Engine = capture.Job!.Engine!.ToEngine(),
                Channels = channels,
                Options = options,
                Supplies = capture.Conditions.Supplies ?? new Dictionary<string, double>(),
                Quantities = db.Corrections.AsNoTracking().ToDictionary(c => c.Name, c => c.Quantity),
                Messages = reading.ReadsMessages ? CandumpFile.ReadMessages(capture.Exchange ?? "", capture.Name) : MessageLog.Empty,
                Sheet = reading.ReadsSheet ? capture.Sheet ?? CircuitSheet.Empty : CircuitSheet.Empty,
                Reference = good.Count > 0 ? Load(good[0], reading.UsefulRate) : null,
                ReferenceChannels = good.Count > 0 ? StoredRoles(good[0], known) : [],
                MoreReferences = [.. good.Skip(1).Select(g => new KnownGood(Load(g, reading.UsefulRate), StoredRoles(g, known)))],
            },
            cancel
        );
        return limits.Count == 0 || result.IsUnusable ? result : result with { Notes = [.. result.Notes, .. limits] };
    }

    private StoredReading Keep(StoredCapture capture, IReading reading, ReadingResult result, int? replaces = null)
    {
        var replaced = db
            .Readings.Where(r => r.CaptureId == capture.Id && r.Kind == reading.Kind)
            .AsEnumerable()
            .Where(r => r.Id == replaces || reading.Identity(ChannelsOf(r)) == reading.Identity(result.Channels))
            .ToList();
        var stored = StoredReading.Of(result, capture.JobId, capture.Id);
        db.Readings.RemoveRange(replaced);
        db.Readings.Add(stored);
        Counters.Readings.Add(1);
        // One save is one transaction: the old answer goes with the new one or not at all.
        db.SaveChanges();
        return stored;
    }

    private static IReadOnlyDictionary<string, string> ChannelsOf(StoredReading stored) =>
        stored.Result?.Channels ?? new Dictionary<string, string>();

    /// <summary>The captures to compare with: one, or all on the shelf for this engine that hold the signals it compares.</summary>
    private List<StoredCapture> Known(StoredCapture capture, int? reference, IReading reading)
    {
        var all = db.Captures.AsNoTracking().Include(c => c.Channels).Where(c => c.Id != capture.Id && c.DeletedAt == null);
        return reference switch
        {
            null => [],
            WholeShelf =>
            [
                .. all.Where(c => c.ShelvedAt != null && c.Job!.EngineId == capture.Job!.EngineId)
                    .OrderBy(c => c.Id)
                    .AsEnumerable()
                    .Where(c => c.Holds(reading.ReferenceRoles)),
            ],
            { } id => [.. all.Where(c => c.Id == id)],
        };
    }

    private Capture Load(StoredCapture capture, double rate) =>
        new(capture.Name, [.. capture.OwnChannels.Select(c => samples.Reader(c).LoadAtMost(rate))], capture.Notes);

    /// <summary>What the person said, and what the conditions tell where nothing was said.</summary>
    private static Dictionary<string, string> Options(Conditions conditions, IReading reading, IReadOnlyDictionary<string, string?> said)
    {
        var options = said.Where(o => !string.IsNullOrWhiteSpace(o.Value)).ToDictionary(o => o.Key, o => o.Value!.Trim());
        foreach (var option in reading.Options)
            if (conditions.Tell(option.Name) is { } told)
                options.TryAdd(option.Name, told);
        return options.Where(o => reading.Options.Any(known => known.Name == o.Key)).ToDictionary();
    }

    private static Dictionary<string, string> StoredRoles(StoredCapture capture, HashSet<string> known) =>
        capture
            .Channels.Where(c => c.Role is not null && known.Contains(c.Role))
            .GroupBy(c => c.Role!)
            .ToDictionary(g => g.Key, g => g.First().Name);
}
