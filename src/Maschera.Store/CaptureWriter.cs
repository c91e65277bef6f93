using System.Text.Json;
using Maschera.Core.Basics;
using Maschera.Core.Readings;
using Maschera.Core.Signals;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Store;

/// <summary>A channel as the person corrected it.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Unit">The unit after scaling.</param>
/// <param name="Scale">What the file's values are multiplied by.</param>
/// <param name="Role">What it is, in a reading's words; null for nothing in particular.</param>
/// <param name="Keep">False to leave it out.</param>
public sealed record ChannelChoice(string Name, string Unit, double Scale, string? Role, bool Keep = true);

/// <summary>What becomes of a file's channels, in their order.</summary>
public delegate IReadOnlyList<ChannelChoice> ChannelChooser(IReadOnlyList<ChannelInfo> channels);

/// <summary>
/// Writes a capture block by block: until <see cref="Complete"/> nobody sees it. Disposing it before that takes
/// everything away again; what a crash or a kill leaves half done is cleared at the next start.
/// </summary>
public sealed class CaptureWriter : ICaptureSink, IDisposable
{
    private readonly MascheraDb _db;
    private readonly StoredCapture _capture;
    private readonly ChannelChooser _choose;
    private readonly BlockRows _rows;
    private readonly List<StoredChannel> _channels = [];
    private readonly List<(int Clock, ClockBlocks Blocks)> _clocks = [];
    private bool _complete;

    /// <summary>Begins the capture; the channels come as they are, without roles, where nobody chooses.</summary>
    public CaptureWriter(MascheraDb db, StoredCapture capture, ChannelChooser? choose = null)
    {
        _db = db;
        _capture = capture;
        _choose = choose ?? (channels => [.. channels.Select(c => new ChannelChoice(c.Name, c.Unit, 1, null))]);
        (capture.IsWhole, capture.WriterProcess) = (false, Environment.ProcessId);
        db.Captures.Add(capture);
        db.SaveChanges();
        _rows = new BlockRows(db.Database.GetConnectionString()!);
    }

    public void Begin(IReadOnlyList<ChannelInfo> channels, int clocks, double timeQuantum)
    {
        var choices = _choose(channels);
        var targets = new List<ChannelTarget>();
        for (var i = 0; i < channels.Count; i++)
        {
            var choice = choices[i];
            if (choice.Keep)
                targets.Add(
                    new ChannelTarget(
                        new StoredChannel
                        {
                            CaptureId = _capture.Id,
                            Ordinal = i,
                            Name = choice.Name,
                            Unit = choice.Unit,
                            Role = choice.Role,
                            Range = channels[i].Range * Math.Abs(choice.Scale),
                        },
                        i,
                        choice.Scale
                    )
                );
        }

        _channels.AddRange(targets.Select(t => t.Row));
        _clocks.AddRange(
            targets
                .GroupBy(t => channels[t.Index].Clock)
                .Select(g => (g.Key, new ClockBlocks(new TimeCollector(timeQuantum, channels[g.First().Index].Step), [.. g])))
        );
        _db.Channels.AddRange(_channels);
        _db.SaveChanges();
    }

    public void Append(SampleBlock block)
    {
        foreach (var (clock, blocks) in _clocks)
            blocks.Append(block.Times[clock].AsSpan(0, block.Count), block.Values, _rows);
    }

    public void Name(int channel, IReadOnlyList<string> words)
    {
        if (_channels.Find(c => c.Ordinal == channel) is { } row)
            row.WordsJson = JsonSerializer.Serialize(words);
    }

    /// <summary>Makes the capture visible.</summary>
    public void Complete(IReadOnlyList<Note> notes)
    {
        FinishSamples();
        _capture.NotesJson = JsonSerializer.Serialize(notes, StoreJson.Options);
        (_capture.IsWhole, _capture.WriterProcess) = (true, null);
        _db.SaveChanges();
        _complete = true;
    }

    /// <summary>
    /// Gives the one channel written to another capture, on the very axis it was worked out on, and forgets the rest.
    /// </summary>
    public StoredChannel CompleteInto(int capture, ISampleReader axis, string expression, bool isLaneCopy)
    {
        FinishSamples();
        var row = _channels.Single();
        if (row.Count == axis.Count)
            (row.Start, row.Step, row.End, row.IsUniform) = (axis.Start, axis.Step, axis.End, axis.IsUniform);
        (row.CaptureId, row.Expression, row.IsLaneCopy) = (capture, expression, isLaneCopy);
        row.Ordinal = 1 + _db.Channels.Where(c => c.CaptureId == capture).Max(c => c.Ordinal);
        using var transaction = _db.Database.BeginTransaction();
        _db.SaveChanges();
        _db.Captures.IgnoreQueryFilters().Where(c => c.Id == _capture.Id).ExecuteDelete();
        transaction.Commit();
        _db.Entry(_capture).State = EntityState.Detached;
        _complete = true;
        return row;
    }

    private void FinishSamples()
    {
        foreach (var (_, blocks) in _clocks)
            blocks.Finish(_rows);
        _rows.Complete();
    }

    public void Dispose()
    {
        _rows.Dispose();
        if (_complete)
            return;
        _db.ChangeTracker.Clear();
        _db.Remove([_capture.Id]);
    }
}
