using Maschera.Core.Signals;
using Maschera.Core.Vehicle;

namespace Maschera.Formats;

/// <summary>A log of CAN frames as a capture: values of service $01 by SAE J1979, and signals of a DBC description.</summary>
public static class CanLog
{
    private sealed record Values(string Name, string Unit, List<double> Seconds, List<float> Numbers);

    /// <summary>The channels that can be decoded, each on its own times.</summary>
    /// <exception cref="CaptureFormatException">Nothing of the log can be decoded.</exception>
    public static Capture Decode(string text, string name, DbcFile? description)
    {
        var log = CandumpFile.Read(text, name);
        var assembler = MessageAssembler.Of(log.Frames);
        var channels = new Dictionary<(string Source, string Name), Values>();
        void Add(string source, string signal, string unit, double seconds, double value)
        {
            if (!channels.TryGetValue((source, signal), out var channel))
            {
                channels[(source, signal)] = channel = new Values(signal, unit, [], []);
                FileLimits.CheckCount(name, 1, channels.Count);
            }

            // A channel's times only go on; a bus that repeats a moment keeps its first value.
            if (channel.Seconds.Count > 0 && seconds <= channel.Seconds[^1])
                return;
            channel.Seconds.Add(seconds);
            channel.Numbers.Add((float)value);
        }

        foreach (var message in assembler.Messages.OrderBy(m => m.Seconds))
        foreach (var (value, number) in LiveData.Decode(message.Data))
            Add(message.Ecu ?? "", value.Name, value.Unit, message.Seconds, number);
        if (description is not null)
            foreach (var frame in log.Frames)
                if (description.Find(frame.Id, frame.IsExtended) is { } known)
                    foreach (var (signal, value) in known.Decode(frame.Data))
                        Add(known.Name, signal.Name, signal.Unit, frame.Seconds, value);
        if (channels.Count == 0)
            throw new CaptureFormatException(
                name,
                description is null
                    ? "holds no values of service $01. To read the vehicle's own messages give the DBC file that describes them as well."
                    : "none of its frames is described by the DBC file, and it holds no values of service $01."
            );
        return new Capture(
            name,
            [.. Named(channels).Select(c => new Channel(c.Name, c.Unit, TimeAxis.FromStamps([.. c.Seconds]), [.. c.Numbers]))],
            [.. log.Notes, .. assembler.Notes, .. description?.Notes ?? []]
        );
    }

    /// <summary>Names that several senders use are told apart by the sender.</summary>
    private static IEnumerable<Values> Named(Dictionary<(string Source, string Name), Values> channels)
    {
        var twice = channels
            .Keys.GroupBy(k => k.Name, StringComparer.OrdinalIgnoreCase)
            .Where(g => g.Count() > 1)
            .Select(g => g.Key)
            .ToHashSet(StringComparer.OrdinalIgnoreCase);
        return channels.Select(c => twice.Contains(c.Key.Name) ? c.Value with { Name = $"{c.Value.Name} {c.Key.Source}" } : c.Value);
    }

    /// <summary>Hands a capture whose channels have times of their own to a sink.</summary>
    public static void Into(ICaptureSink sink, Capture capture)
    {
        const int rows = 4_096;
        var channels = capture.Channels;
        sink.Begin([.. channels.Select((c, i) => new ChannelInfo(c.Name, c.Unit, i))], channels.Count, 1e-6);
        var block = new SampleBlock(channels.Count, channels.Count, rows);
        var longest = channels.Max(c => c.Samples.Length);
        for (var first = 0; first < longest; first += rows)
        {
            block.Count = Math.Min(rows, longest - first);
            for (var c = 0; c < channels.Count; c++)
            for (var i = 0; i < block.Count; i++)
            {
                var there = first + i < channels[c].Samples.Length;
                (block.Times[c][i], block.Values[c][i]) = there
                    ? (channels[c].Time[first + i], channels[c].Samples[first + i])
                    : (double.NaN, float.NaN);
            }

            sink.Append(block);
        }
    }
}
