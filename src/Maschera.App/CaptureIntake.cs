using System.Text.Json;
using Maschera.Core.Basics;
using Maschera.Core.Signals;
using Maschera.Store;

namespace Maschera.App;

/// <summary>
/// The one way in for a capture, wherever it comes from: page, command line, live, a recording, the vehicle, the demo data. Roles
/// that nobody told are guessed, and every reading that offers itself is made.
/// </summary>
public sealed class CaptureIntake(MascheraDb db, ReadingService readings)
{
    /// <summary>
    /// Writes the samples and makes the suggested readings; returns the capture's number. Until the samples are whole nothing is
    /// kept where it fails; from there on the capture stays, and what a reading ran into stands among its notes.
    /// </summary>
    /// <param name="capture">The row, with job, name and conditions.</param>
    /// <param name="choices">The channels as the person corrected them; guessed where null.</param>
    /// <param name="fill">Writes the samples into the sink and returns the doubts of it.</param>
    public int Take(
        StoredCapture capture,
        IReadOnlyList<ChannelChoice>? choices,
        Func<ICaptureSink, IReadOnlyList<Note>> fill,
        CancellationToken cancel = default
    )
    {
        Write(capture, choices, fill);
        try
        {
            MakeSuggested(capture, cancel);
        }
        catch (OperationCanceledException)
        {
            // Whoever stops now has the capture; the readings left are theirs to ask for.
        }

        return capture.Id;
    }

    private void Write(StoredCapture capture, IReadOnlyList<ChannelChoice>? choices, Func<ICaptureSink, IReadOnlyList<Note>> fill)
    {
        using var writer = new CaptureWriter(db, capture, channels => choices ?? IntakeGuess.Choices(channels));
        writer.Complete(fill(writer));
    }

    /// <summary>Takes a capture that is already in memory, all its channels on one axis.</summary>
    public int Take(StoredCapture row, Capture capture) => Take(row, null, sink => CaptureCopy.Into(sink, capture));

    /// <summary>The same for one that only serves to be compared with: nothing is read from it by itself.</summary>
    public int TakeForComparison(StoredCapture row, Capture capture)
    {
        Write(row, null, sink => CaptureCopy.Into(sink, capture));
        return row.Id;
    }

    /// <summary>Takes an exchange with a vehicle; its codes are the caller's to keep.</summary>
    public int TakeExchange(StoredCapture capture)
    {
        db.Captures.Add(capture);
        db.SaveChanges();
        MakeSuggested(capture, CancellationToken.None);
        return capture.Id;
    }

    private void MakeSuggested(StoredCapture capture, CancellationToken cancel)
    {
        var problems = readings.MakeSuggested(capture.Id, cancel);
        if (problems.Count == 0)
            return;
        capture.NotesJson = JsonSerializer.Serialize(
            capture.Notes.Concat(problems.Select(p => new Note("reading-failed", p))),
            JsonSerializerOptions.Web
        );
        db.SaveChanges();
    }
}
