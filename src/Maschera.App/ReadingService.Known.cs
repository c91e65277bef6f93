using Maschera.Core.Basics;
using Maschera.Core.Quantities;
using Maschera.Core.Readings;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;

namespace Maschera.App;

/// <summary>What a reading takes from the figures of the shelf where nobody says it: limits, and windows that move.</summary>
public sealed partial class ReadingService
{
    /// <summary>Limits that nobody said are taken from the figures of the shelf, and that is noted.</summary>
    private List<Note> AddKnownLimits(
        Dictionary<string, string> options,
        StoredCapture capture,
        IReading reading,
        IReadOnlyDictionary<string, string> channels
    )
    {
        List<Note> notes = [];
        foreach (var option in reading.Options.Where(o => o.Known is not null && !options.ContainsKey(o.Name)))
        {
            var limit = option.Known!;
            var name = channels.GetValueOrDefault(limit.Role);
            var row = db
                .Figures.AsNoTracking()
                .Where(f => f.EngineId == capture.Job!.EngineId && f.DeletedAt == null && f.Kind == reading.Kind && f.Most != null)
                .AsEnumerable()
                .FirstOrDefault(f => KnownFigures.IsFor(f, limit.Figure, capture.Conditions.State));
            // A role that nobody told is guessed by the reading; it is a channel that measures what the figure does.
            var channel = capture.OwnChannels.FirstOrDefault(c =>
                name is null ? row is not null && KnownFigures.WindowOf(row, c.Unit) is not null : c.Name == name
            );
            if (row is null || channel is null || KnownFigures.WindowOf(row, channel.Unit) is not { To: { } most })
                continue;
            options[option.Name] = limit.Written(most);
            notes.Add(
                new(
                    "known-limit",
                    string.Create(
                        System.Globalization.CultureInfo.InvariantCulture,
                        $"{limit.Figure}: the limit of {most:0.###} {channel.Unit} is a known-good figure of this engine "
                    ) + $"({KnownFigures.SourceOf(row)})."
                )
            );
        }

        return notes;
    }

    /// <summary>A window that nobody said is the one that is known to move with the same channel, and that is noted.</summary>
    private IEnumerable<Note> AddKnownWindows(
        Dictionary<string, string> options,
        StoredCapture capture,
        IReading reading,
        IReadOnlyDictionary<string, string> channels
    )
    {
        foreach (var option in reading.Options)
        {
            if (option.KnownOver is not { } roles || options.ContainsKey(option.Name))
                continue;
            var row = KnownFigures
                .Moving(db, capture.Job!.EngineId, reading.Kind, capture.Conditions.State)
                .FirstOrDefault(f =>
                    KnownFigures.Same(f.Name, channels.GetValueOrDefault(roles.Value, ""))
                    && KnownFigures.Same(f.About, channels.GetValueOrDefault(roles.Other, ""))
                );
            if (row is null || MovingWindow.Parse(row.Moves) is not { } window)
                continue;
            options[option.Name] = (window.Unit.Length > 0 ? window : window with { Unit = row.Unit }).Said;
            yield return new Note("known-window", $"The window is a known-good one of this engine ({KnownFigures.SourceOf(row)}).");
        }
    }

    /// <summary>A log that has both channels of a window that is known to move is read against it.</summary>
    private void MakeKnownWindows(StoredCapture capture, CancellationToken cancel)
    {
        var engine = db.Jobs.Where(j => j.Id == capture.JobId).Select(j => j.EngineId).First();
        foreach (var reading in ReadingRegistry.All)
        foreach (var option in reading.Options)
        foreach (var row in option.KnownOver is null ? [] : KnownFigures.Moving(db, engine, reading.Kind, capture.Conditions.State))
        {
            var value = capture.OwnChannels.FirstOrDefault(c => KnownFigures.Same(c.Name, row.Name));
            var other = capture.OwnChannels.FirstOrDefault(c => KnownFigures.Same(c.Name, row.About));
            if (value is not null && other is not null)
                MakeSuggested(
                    capture.Id,
                    reading,
                    new Suggestion(
                        new Dictionary<string, string>
                        {
                            [option.KnownOver!.Value.Value] = value.Name,
                            [option.KnownOver.Value.Other] = other.Name,
                        },
                        OnlyIfUsable: true
                    ),
                    cancel
                );
        }
    }
}
