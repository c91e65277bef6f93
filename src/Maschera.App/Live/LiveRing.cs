namespace Maschera.App.Live;

/// <summary>
/// The newest samples of all channels as converter counts, and the least and greatest of every <see cref="Group"/> of
/// them. One thread writes, many read; who reads what is being overwritten is told so.
/// </summary>
public sealed class LiveRing
{
    /// <summary>Samples behind one pair of least and greatest.</summary>
    public const int Group = 256;

    /// <summary>Memory for the samples, all channels together.</summary>
    private const long Bytes = 256L << 20;

    private readonly short[][] _counts;
    private readonly short[][] _extremes;
    private long _written;

    public LiveRing(int channels)
    {
        // Whole groups, so that a group never wraps round.
        Capacity = (int)(Bytes / sizeof(short) / channels / Group * Group);
        _counts = [.. Enumerable.Range(0, channels).Select(_ => new short[Capacity])];
        _extremes = [.. Enumerable.Range(0, channels).Select(_ => new short[Capacity / Group * 2])];
    }

    /// <summary>Samples held of each channel.</summary>
    public int Capacity { get; }

    /// <summary>Samples taken since the start.</summary>
    public long Written => Volatile.Read(ref _written);

    /// <summary>The oldest sample that is surely whole; a second block's worth of room is left to the writer.</summary>
    public long Oldest(long room) => Math.Max(0, Written - Capacity + room);

    /// <summary>Adds a block: one array a channel, all as long, shorter than the ring.</summary>
    public void Append(short[][] block)
    {
        for (var c = 0; c < _counts.Length; c++)
        {
            var at = (int)(_written % Capacity);
            var first = Math.Min(block[c].Length, Capacity - at);
            block[c].AsSpan(0, first).CopyTo(_counts[c].AsSpan(at));
            block[c].AsSpan(first).CopyTo(_counts[c]);
        }

        var end = _written + block[0].Length;
        for (var group = _written / Group; (group + 1) * Group <= end; group++)
            Summarise(group);
        Volatile.Write(ref _written, end);
    }

    /// <summary>Copies counts of a channel from sample number <paramref name="first"/>; false where they are no longer held.</summary>
    public bool TryCopy(int channel, long first, Span<short> into)
    {
        if (first < 0 || first + into.Length > Written)
            return false;
        var at = (int)(first % Capacity);
        var head = Math.Min(into.Length, Capacity - at);
        _counts[channel].AsSpan(at, head).CopyTo(into);
        _counts[channel].AsSpan(0, into.Length - head).CopyTo(into[head..]);
        return first >= Oldest(Group);
    }

    /// <summary>
    /// Least and greatest count of a channel from sample <paramref name="first"/> up to <paramref name="end"/>; null where
    /// nothing is held.
    /// </summary>
    public (short Low, short High)? Extremes(int channel, long first, long end)
    {
        first = Math.Max(first, Oldest(Group));
        end = Math.Min(end, Written);
        if (end <= first)
            return null;
        short low = short.MaxValue,
            high = short.MinValue;
        for (var at = first; at < end; )
        {
            var place = (int)(at % Capacity);
            if (place % Group == 0 && at + Group <= end)
            {
                low = Math.Min(low, _extremes[channel][place / Group * 2]);
                high = Math.Max(high, _extremes[channel][place / Group * 2 + 1]);
                at += Group;
                continue;
            }

            var count = _counts[channel][place];
            low = Math.Min(low, count);
            high = Math.Max(high, count);
            at++;
        }

        return (low, high);
    }

    private void Summarise(long group)
    {
        var at = (int)(group * Group % Capacity);
        for (var c = 0; c < _counts.Length; c++)
        {
            short low = short.MaxValue,
                high = short.MinValue;
            foreach (var count in _counts[c].AsSpan(at, Group))
            {
                low = Math.Min(low, count);
                high = Math.Max(high, count);
            }

            (_extremes[c][at / Group * 2], _extremes[c][at / Group * 2 + 1]) = (low, high);
        }
    }
}
