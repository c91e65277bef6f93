using Maschera.Core.Expressions;
using Maschera.Core.Signals;
using Maschera.Store.Upkeep;
using Microsoft.Data.Sqlite;

namespace Maschera.Store;

/// <summary>A stored channel, read block by block on connections of its own.</summary>
internal sealed class StoredReader(string connection, StoredChannel channel) : ISampleReader
{
    private const int BlockSamples = SampleStore.BlockSamples;

    public string Name => channel.Name;
    public string Unit => channel.Unit;
    public int Count => channel.Count;
    public double Start => channel.Start;
    public double Step => channel.Step;
    public double End => channel.End;
    public bool IsUniform => channel.IsUniform;
    public IReadOnlyList<string>? Words => channel.Words;
    public double? Range => channel.Range;

    public double TimeAt(int index)
    {
        if (IsUniform)
            return Start + index * Step;
        foreach (var piece in Read(index, 1))
            return piece.TimeOf(0);
        return End;
    }

    public int IndexAtOrAfter(double seconds)
    {
        if (IsUniform)
            return TimeAxis.Uniform(Start, Step, Count).IndexAtOrAfter(seconds);
        if (seconds <= Start)
            return 0;
        if (seconds > End)
            return Count;
        var block = BlockAt(seconds);
        foreach (var piece in Read(block * BlockSamples, BlockSamples))
            for (var i = 0; i < piece.Samples.Length; i++)
                if (piece.TimeOf(i) >= seconds)
                    return piece.First + i;
        return Math.Min(Count, (block + 1) * BlockSamples);
    }

    public IEnumerable<SamplePiece> Read(int first, int count)
    {
        first = Math.Max(0, first);
        var end = (int)Math.Min(Count, (long)first + count);
        if (end <= first)
            yield break;
        using var opened = SampleStore.Open(connection);
        using var command = opened.CreateCommand();
        command.CommandText =
            "SELECT Number, Count, FirstSeconds, LastSeconds, Samples, Times, Sum FROM Blocks WHERE Key BETWEEN $from AND $to ORDER BY Key";
        command.Parameters.AddWithValue("$from", SampleStore.BlockKey(channel.Id, first / BlockSamples));
        command.Parameters.AddWithValue("$to", SampleStore.BlockKey(channel.Id, (end - 1) / BlockSamples));
        using var rows = command.ExecuteReader();
        while (rows.Read())
            yield return Cut(rows, first, end);
    }

    private SamplePiece Cut(SqliteDataReader rows, int first, int end)
    {
        var start = rows.GetInt32(0) * BlockSamples;
        var count = rows.GetInt32(1);
        var packed = rows.GetFieldValue<byte[]>(4);
        var stamps = rows.IsDBNull(5) ? null : rows.GetFieldValue<byte[]>(5);
        if (!BlockSum.Holds(rows.IsDBNull(6) ? null : rows.GetInt64(6), packed, stamps))
            throw DamagedDataException.Of(channel, rows.GetDouble(2), rows.GetDouble(3));
        var samples = BlockCodec.Unpack(packed, count);
        var from = Math.Max(first, start) - start;
        var length = Math.Min(end, start + count) - start - from;
        var step =
            IsUniform ? Step
            : count > 1 ? (rows.GetDouble(3) - rows.GetDouble(2)) / (count - 1)
            : Step;
        var begin = IsUniform ? Start + start * Step : rows.GetDouble(2);
        var times = IsUniform || stamps is null ? default : BlockCodec.UnpackTimes(stamps, count).AsMemory(from, length);
        return new SamplePiece(start + from, samples.AsMemory(from, length), begin + from * step, step, times);
    }

    /// <summary>The block in which <paramref name="seconds"/> lies, found by halving.</summary>
    private int BlockAt(double seconds)
    {
        using var opened = SampleStore.Open(connection);
        using var command = opened.CreateCommand();
        command.CommandText = "SELECT LastSeconds FROM Blocks WHERE Key = $key";
        var key = command.Parameters.Add("$key", SqliteType.Integer);
        var (low, high) = (0, (Count - 1) / BlockSamples);
        while (low < high)
        {
            var middle = (low + high) / 2;
            key.Value = SampleStore.BlockKey(channel.Id, middle);
            if ((double)command.ExecuteScalar()! >= seconds)
                high = middle;
            else
                low = middle + 1;
        }

        return low;
    }
}
