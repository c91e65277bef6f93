using Maschera.Core.Basics;
using Maschera.Core.Signals;
using Maschera.Store;

namespace Maschera.App;

/// <summary>Pours a capture in memory into a sink.</summary>
public static class CaptureCopy
{
    /// <summary>Begins the sink and writes every sample; the channels share the first one's axis. Returns the capture's doubts.</summary>
    public static IReadOnlyList<Note> Into(ICaptureSink sink, Capture capture)
    {
        var channels = capture.Channels;
        sink.Begin([.. channels.Select(c => new ChannelInfo(c.Name, c.Unit, 0, Range: c.Range))], 1, 0);
        var time = channels[0].Time;
        var block = new SampleBlock(1, channels.Count, SampleStore.BlockSamples);
        for (var first = 0; first < time.Count; first += block.Capacity)
        {
            block.Count = Math.Min(block.Capacity, time.Count - first);
            for (var i = 0; i < block.Count; i++)
                block.Times[0][i] = time[first + i];
            for (var c = 0; c < channels.Count; c++)
                channels[c].Samples.AsSpan(first, block.Count).CopyTo(block.Values[c]);
            sink.Append(block);
        }

        return capture.Notes;
    }
}
