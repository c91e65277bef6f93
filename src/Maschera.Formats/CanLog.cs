using System.Text;
using Maschera.Core.Basics;
using Maschera.Core.Signals;
using Maschera.Core.Vehicle;

namespace Maschera.Formats;

/// <summary>
/// A log of CAN frames as a capture: values of service $01 by SAE J1979, and signals of a DBC description. A log is gone through
/// frame by frame, once for its channels and once for their samples, so that its length takes no memory.
/// </summary>
public static class CanLog
{
    private delegate void Decoded(Found channel, double seconds, double value);

    /// <summary>A channel of the log.</summary>
    private sealed record Found(string Source, string Name, string Unit, bool IsDescribed)
    {
        public int Index { get; set; }

        /// <summary>Time of its newest sample, s.</summary>
        public double Last { get; set; } = double.NegativeInfinity;
    }

    /// <summary>The channels that can be decoded, each on its own times.</summary>
    /// <exception cref="CaptureFormatException">Nothing of the log can be decoded.</exception>
    public static Capture Decode(string text, string name, DbcFile? description)
    {
        var sink = new MemorySink();
        return sink.ToCapture(name, Read(() => new MemoryStream(Encoding.Latin1.GetBytes(text)), name, description, sink));
    }

    /// <summary>The channels that can be decoded, and every doubt about the log.</summary>
    /// <exception cref="CaptureFormatException">Nothing of the log can be decoded.</exception>
    public static (IReadOnlyList<ChannelInfo> Channels, IReadOnlyList<Note> Notes) Inspect(
        Stream log,
        string name,
        DbcFile? description,
        CancellationToken cancel = default
    )
    {
        var walk = new Walk(name, description);
        var notes = walk.Through(log, (_, _, _) => { }, _ => { }, cancel);
        return (walk.Channels(), notes);
    }

    /// <summary>Streams a log into a sink, each channel on its own times.</summary>
    /// <param name="open">Opens the log from its beginning; it is gone through twice.</param>
    /// <param name="progress">Is told the bytes read so far, each way counting half.</param>
    /// <exception cref="CaptureFormatException">Nothing of the log can be decoded.</exception>
    public static IReadOnlyList<Note> Read(
        Func<Stream> open,
        string name,
        DbcFile? description,
        ICaptureSink sink,
        IProgress<long>? progress = null,
        CancellationToken cancel = default
    )
    {
        var walk = new Walk(name, description);
        using (var first = open())
            walk.Through(first, (_, _, _) => { }, at => progress?.Report(at / 2), cancel);
        var channels = walk.Channels();
        sink.Begin(channels, channels.Count, 1e-6);
        var rows = new Rows(channels.Count, sink);
        using var again = open();
        var notes = walk.Through(
            again,
            (channel, seconds, value) => rows.Add(channel.Index, seconds, (float)value),
            at => progress?.Report((again.Length + at) / 2),
            cancel
        );
        rows.Flush();
        return notes;
    }

    /// <summary>Goes through a log and names its channels; the second time they are known.</summary>
    private sealed class Walk(string name, DbcFile? description)
    {
        private readonly Dictionary<(string Source, string Name), Found> _found = [];

        /// <summary>The channel of each described signal: found once, and not by its names again for every frame.</summary>
        private readonly Dictionary<object, Found> _described = new(ReferenceEqualityComparer.Instance);

        public IReadOnlyList<Note> Through(Stream log, Decoded decoded, Action<long> passed, CancellationToken cancel)
        {
            const int piece = 1 << 16;
            using var lines = new StreamReader(log, Encoding.Latin1, detectEncodingFromByteOrderMarks: true, piece, leaveOpen: true);
            var last = 0L;
            foreach (var channel in _found.Values)
                channel.Last = double.NegativeInfinity;
            List<Note> notes = [];
            var (assembler, answered) = (new MessageAssembler(), 0);
            foreach (var frame in CandumpFile.Frames(lines, name, notes))
            {
                if (log.Position != last)
                {
                    passed(last = log.Position);
                    cancel.ThrowIfCancellationRequested();
                }

                if (frame.MayAnswer)
                    assembler.Take(frame);
                for (; answered < assembler.Messages.Count; answered++)
                    Answer(assembler.Messages[answered], decoded);
                if (description?.Find(frame.Id, frame.IsExtended) is { } known)
                    foreach (var (signal, value) in known.Decode(frame.Data))
                    {
                        if (!_described.TryGetValue(signal, out var channel))
                            _described[signal] = channel = Known(new Found(known.Name, signal.Name, signal.Unit, IsDescribed: true));
                        Tell(channel, frame.Seconds, value, decoded);
                    }
            }

            assembler.Finish();
            if (_found.Count == 0)
                throw new CaptureFormatException(
                    name,
                    description is null
                        ? "holds no values of service $01. To read the vehicle's own messages give the DBC file that describes them as "
                            + "well."
                        : "none of its frames is described by the DBC file, and it holds no values of service $01."
                );
            return [.. notes, .. assembler.Notes, .. description?.Notes ?? []];
        }

        private void Answer(DiagnosticMessage message, Decoded decoded)
        {
            foreach (var (value, number) in LiveData.Decode(message.Data))
                Tell(Known(new Found(message.Ecu ?? "", value.Name, value.Unit, IsDescribed: false)), message.Seconds, number, decoded);
        }

        private Found Known(Found told)
        {
            if (_found.TryGetValue((told.Source, told.Name), out var known))
                return known;
            FileLimits.CheckCount(name, 1, _found.Count + 1);
            return _found[(told.Source, told.Name)] = told;
        }

        /// <summary>A channel's times only go on; a bus that repeats a moment keeps its first value.</summary>
        private static void Tell(Found channel, double seconds, double value, Decoded decoded)
        {
            if (seconds <= channel.Last)
                return;
            channel.Last = seconds;
            decoded(channel, seconds, value);
        }

        /// <summary>The channels in order, values of service $01 first; names that several senders use tell the sender.</summary>
        public IReadOnlyList<ChannelInfo> Channels()
        {
            var twice = _found
                .Keys.GroupBy(k => k.Name, StringComparer.OrdinalIgnoreCase)
                .Where(g => g.Count() > 1)
                .Select(g => g.Key)
                .ToHashSet(StringComparer.OrdinalIgnoreCase);
            var ordered = _found.Values.OrderBy(c => c.IsDescribed).ToList();
            for (var i = 0; i < ordered.Count; i++)
                ordered[i].Index = i;
            return [.. ordered.Select((c, i) => new ChannelInfo(twice.Contains(c.Name) ? $"{c.Name} {c.Source}" : c.Name, c.Unit, i))];
        }
    }

    /// <summary>Samples on their way into a sink; a channel that has fewer than another ends a block with empty places.</summary>
    private sealed class Rows(int channels, ICaptureSink sink)
    {
        private const int MostRows = 2_048;

        private readonly SampleBlock _block = new(channels, channels, MostRows);
        private readonly int[] _counts = new int[channels];

        public void Add(int channel, double seconds, float value)
        {
            var at = _counts[channel]++;
            (_block.Times[channel][at], _block.Values[channel][at]) = (seconds, value);
            if (_counts[channel] == MostRows)
                Flush();
        }

        public void Flush()
        {
            _block.Count = _counts.Max();
            for (var c = 0; c < channels; c++)
            {
                Array.Fill(_block.Times[c], double.NaN, _counts[c], _block.Count - _counts[c]);
                Array.Fill(_block.Values[c], float.NaN, _counts[c], _block.Count - _counts[c]);
            }

            if (_block.Count > 0)
                sink.Append(_block);
            Array.Clear(_counts);
        }
    }
}
