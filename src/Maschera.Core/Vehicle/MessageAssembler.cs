using Maschera.Core.Basics;

namespace Maschera.Core.Vehicle;

/// <summary>
/// Puts diagnostic messages together from CAN frames (ISO 15765-2, normal addressing). A message with a lost, repeated
/// or swapped frame gives nothing but a note; messages of several modules may lie between each other.
/// </summary>
public sealed class MessageAssembler
{
    private sealed class Pending(double seconds, int length)
    {
        public double Seconds { get; } = seconds;
        public byte[] Data { get; } = new byte[length];
        public int Filled { get; set; }
        public int Next { get; set; } = 1;
    }

    private readonly Dictionary<(string Bus, uint Id, bool Extended), Pending> _pending = [];
    private readonly List<DiagnosticMessage> _messages = [];
    private readonly List<Note> _notes = [];

    /// <summary>The whole messages so far, in the order in which they were complete.</summary>
    public IReadOnlyList<DiagnosticMessage> Messages => _messages;

    /// <summary>Every message that was lost, and why.</summary>
    public IReadOnlyList<Note> Notes => _notes;

    /// <summary>All messages of a log.</summary>
    public static MessageAssembler Of(IEnumerable<CanFrame> frames)
    {
        var assembler = new MessageAssembler();
        foreach (var frame in frames)
            assembler.Take(frame);
        assembler.Finish();
        return assembler;
    }

    /// <summary>Takes the next frame of the bus.</summary>
    public void Take(CanFrame frame)
    {
        if (frame.Data.Length == 0)
            return;
        switch (frame.Data[0] >> 4)
        {
            case 0:
                Single(frame);
                break;
            case 1:
                First(frame);
                break;
            case 2:
                Consecutive(frame);
                break;
            // 3 is flow control, the tester's; above that nothing is defined.
        }
    }

    /// <summary>Tells of messages that the end of the log cut off.</summary>
    public void Finish()
    {
        foreach (var (key, pending) in _pending)
            Lost(key, pending, "is cut off by the end of the log");
        _pending.Clear();
    }

    private static (string, uint, bool) Key(CanFrame frame) => (frame.Bus, frame.Id, frame.IsExtended);

    private void Single(CanFrame frame)
    {
        // A frame of CAN FD says its length in the second byte.
        var (length, start) = (frame.Data[0] & 15) is 0 && frame.Data.Length > 8 ? (frame.Data[1], 2) : (frame.Data[0] & 15, 1);
        Interrupted(frame);
        if (length == 0)
            return;
        if (length > frame.Data.Length - start)
        {
            _notes.Add(
                new(
                    "broken-frame",
                    $"A frame of {frame.IdText} at {frame.Seconds:0.000} s says it holds {length} bytes and is shorter: left out."
                )
            );
            return;
        }

        _messages.Add(new DiagnosticMessage(frame.Seconds, frame.IdText, frame.Data[start..(start + length)]));
    }

    private void First(CanFrame frame)
    {
        Interrupted(frame);
        var length = (frame.Data[0] & 15) << 8 | (frame.Data.Length > 1 ? frame.Data[1] : 0);
        if (length < 8 || frame.Data.Length < 8)
        {
            _notes.Add(new("broken-frame", $"A first frame of {frame.IdText} at {frame.Seconds:0.000} s makes no sense: left out."));
            return;
        }

        var pending = new Pending(frame.Seconds, length);
        pending.Filled = Math.Min(length, frame.Data.Length - 2);
        frame.Data.AsSpan(2, pending.Filled).CopyTo(pending.Data);
        _pending[Key(frame)] = pending;
    }

    private void Consecutive(CanFrame frame)
    {
        if (!_pending.TryGetValue(Key(frame), out var pending))
            return;
        if ((frame.Data[0] & 15) != pending.Next)
        {
            var why = (frame.Data[0] & 15) == (pending.Next + 15) % 16 ? "repeats a frame" : "misses a frame or has two of them swapped";
            _pending.Remove(Key(frame));
            Lost(Key(frame), pending, why);
            return;
        }

        var count = Math.Min(frame.Data.Length - 1, pending.Data.Length - pending.Filled);
        // Only the last frame may be short.
        if (frame.Data.Length < 8 && pending.Filled + count < pending.Data.Length)
        {
            _pending.Remove(Key(frame));
            Lost(Key(frame), pending, "has a frame that is too short");
            return;
        }

        frame.Data.AsSpan(1, count).CopyTo(pending.Data.AsSpan(pending.Filled));
        pending.Filled += count;
        pending.Next = (pending.Next + 1) % 16;
        if (pending.Filled < pending.Data.Length)
            return;
        _pending.Remove(Key(frame));
        _messages.Add(new DiagnosticMessage(pending.Seconds, frame.IdText, pending.Data));
    }

    /// <summary>A new message of the same sender ends the one before.</summary>
    private void Interrupted(CanFrame frame)
    {
        if (_pending.Remove(Key(frame), out var pending))
            Lost(Key(frame), pending, "was never finished");
    }

    private void Lost((string Bus, uint Id, bool Extended) key, Pending pending, string why) =>
        _notes.Add(
            new(
                "message-lost",
                $"A message of {key.Id.ToString(key.Extended ? "X8" : "X3", System.Globalization.CultureInfo.InvariantCulture)} at "
                    + $"{pending.Seconds:0.000} s {why}: no value is taken from it."
            )
        );
}
