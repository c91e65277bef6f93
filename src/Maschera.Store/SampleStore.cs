using System.Runtime.InteropServices;
using Maschera.Core.Signals;
using Microsoft.Data.Sqlite;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Store;

/// <summary>A stretch of a channel as it is drawn: times in s and values, ready for a line.</summary>
public sealed record Trace(double[] Seconds, float[] Values);

/// <summary>
/// Samples in blocks of <see cref="BlockSamples"/>, each with the least and greatest of every
/// <see cref="GroupSamples"/> of its samples, so that a wide window never reads them all and loses no spike.
/// </summary>
public sealed class SampleStore(MascheraDb db)
{
    /// <summary>Samples in a block.</summary>
    public const int BlockSamples = 16_384;

    /// <summary>Samples behind one pair of least and greatest.</summary>
    public const int GroupSamples = 64;

    internal const string Schema = """
        CREATE TABLE IF NOT EXISTS SampleBlocks (
          ChannelId INTEGER NOT NULL, Number INTEGER NOT NULL, Count INTEGER NOT NULL,
          FirstSeconds REAL NOT NULL, LastSeconds REAL NOT NULL,
          Samples BLOB NOT NULL, Times BLOB, Extremes BLOB NOT NULL,
          PRIMARY KEY (ChannelId, Number)) WITHOUT ROWID
        """;

    /// <summary>A whole channel in memory, for a reading.</summary>
    public Channel Load(StoredChannel channel)
    {
        var samples = new List<float>(channel.Count);
        var times = new List<double>();
        foreach (var block in Blocks(channel, double.NegativeInfinity, double.PositiveInfinity, samples: true))
        {
            samples.AddRange(block.Samples!);
            if (!channel.IsUniform) times.AddRange(Enumerable.Range(0, block.Count).Select(block.TimeOf));
        }

        var axis = channel.IsUniform ? TimeAxis.Uniform(channel.Start, channel.Step, samples.Count) : TimeAxis.FromStamps([.. times]);
        return new Channel(channel.Name, channel.Unit, axis, [.. samples]);
    }

    /// <summary>
    /// What to draw between <paramref name="from"/> and <paramref name="to"/> on <paramref name="columns"/> pixel
    /// columns: the samples themselves where they are few, else the least and greatest of each column.
    /// </summary>
    public Trace Window(StoredChannel channel, double from, double to, int columns)
    {
        var inside = channel.End > channel.Start ? channel.Count * Math.Min(1, (to - from) / (channel.End - channel.Start)) : channel.Count;
        if (inside <= 3.0 * columns) return Plain(channel, from, to);
        var grouped = inside > 4.0 * columns * GroupSamples;
        return Envelope(channel, from, to, columns, grouped);
    }

    private Trace Plain(StoredChannel channel, double from, double to)
    {
        var seconds = new List<double>();
        var values = new List<float>();
        foreach (var block in Blocks(channel, from - 2 * channel.Step, to + 2 * channel.Step, samples: true))
            for (var i = 0; i < block.Count; i++)
            {
                var time = block.TimeOf(i);
                if (time < from - 2 * channel.Step || time > to + 2 * channel.Step) continue;
                seconds.Add(time);
                values.Add(block.Samples![i]);
            }

        return new Trace([.. seconds], [.. values]);
    }

    private Trace Envelope(StoredChannel channel, double from, double to, int columns, bool grouped)
    {
        var least = new float[columns];
        var greatest = new float[columns];
        Array.Fill(least, float.PositiveInfinity);
        Array.Fill(greatest, float.NegativeInfinity);
        foreach (var block in Blocks(channel, from, to, samples: !grouped))
        {
            if (grouped)
                for (var g = 0; g * GroupSamples < block.Count; g++)
                    Put(block.TimeOf(Math.Min(block.Count - 1, g * GroupSamples + GroupSamples / 2)), block.Extremes[2 * g], block.Extremes[2 * g + 1]);
            else
                for (var i = 0; i < block.Count; i++)
                    Put(block.TimeOf(i), block.Samples![i], block.Samples[i]);
        }

        return Drawn(from, to, least, greatest);

        void Put(double time, float low, float high)
        {
            var column = (int)((time - from) / (to - from) * columns);
            if ((uint)column >= (uint)columns || float.IsNaN(low)) return;
            least[column] = Math.Min(least[column], low);
            greatest[column] = Math.Max(greatest[column], high);
        }
    }

    private static Trace Drawn(double from, double to, float[] least, float[] greatest)
    {
        var width = (to - from) / least.Length;
        var seconds = new List<double>();
        var values = new List<float>();
        for (var c = 0; c < least.Length; c++)
        {
            if (least[c] > greatest[c]) continue;
            seconds.Add(from + (c + 0.25) * width);
            values.Add(least[c]);
            seconds.Add(from + (c + 0.75) * width);
            values.Add(greatest[c]);
        }

        return new Trace([.. seconds], [.. values]);
    }

    /// <summary>A block; without times of its own its samples lie evenly between the first and the last.</summary>
    private sealed record Block(int Count, double First, double Last, float[]? Samples, double[]? Times, float[] Extremes)
    {
        public double TimeOf(int index) => Times is not null ? Times[index] : Count > 1 ? First + index * (Last - First) / (Count - 1) : First;
    }

    private IEnumerable<Block> Blocks(StoredChannel channel, double from, double to, bool samples)
    {
        db.Database.OpenConnection();
        using var command = ((SqliteConnection)db.Database.GetDbConnection()).CreateCommand();
        command.CommandText = $"SELECT Count, FirstSeconds, LastSeconds, {(samples ? "Samples" : "NULL")}, Times, Extremes FROM SampleBlocks WHERE ChannelId = $id AND LastSeconds >= $from AND FirstSeconds <= $to ORDER BY Number";
        command.Parameters.AddWithValue("$id", channel.Id);
        command.Parameters.AddWithValue("$from", Math.Max(from, -1e300));
        command.Parameters.AddWithValue("$to", Math.Min(to, 1e300));
        using var reader = command.ExecuteReader();
        while (reader.Read())
        {
            var count = reader.GetInt32(0);
            yield return new Block(count, reader.GetDouble(1), reader.GetDouble(2),
                samples ? BlockCodec.Unpack(reader.GetFieldValue<byte[]>(3), count) : null,
                reader.IsDBNull(4) ? null : BlockCodec.UnpackTimes(reader.GetFieldValue<byte[]>(4), count),
                MemoryMarshal.Cast<byte, float>(reader.GetFieldValue<byte[]>(5)).ToArray());
        }
    }
}
