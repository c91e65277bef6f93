using System.Runtime.InteropServices;
using System.Text.Json;
using Maschera.Core.Readings;
using Maschera.Core.Signals;
using Microsoft.Data.Sqlite;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Storage;

namespace Maschera.Store;

/// <summary>A channel as the person corrected it.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Unit">The unit after scaling.</param>
/// <param name="Scale">What the file's values are multiplied by.</param>
/// <param name="Role">What it is, in a reading's words; null for nothing in particular.</param>
/// <param name="Keep">False to leave it out.</param>
public sealed record ChannelChoice(string Name, string Unit, double Scale, string? Role, bool Keep = true);

/// <summary>
/// Writes a capture block by block inside one transaction: until <see cref="Complete"/> nothing of it is seen, and
/// disposing it before that, a crash or a kill leaves nothing behind.
/// </summary>
public sealed class CaptureWriter : ICaptureSink, IDisposable
{
    private readonly MascheraDb _db;
    private readonly StoredCapture _capture;
    private readonly IReadOnlyList<ChannelChoice>? _choices;
    private readonly IDbContextTransaction _transaction;
    private readonly SqliteCommand _insert;
    private readonly List<ChannelWriter> _channels = [];

    /// <summary>Begins the capture; <paramref name="choices"/> stand in the order of the file's channels.</summary>
    public CaptureWriter(MascheraDb db, StoredCapture capture, IReadOnlyList<ChannelChoice>? choices = null)
    {
        _db = db;
        _capture = capture;
        _choices = choices;
        _transaction = db.Database.BeginTransaction();
        db.Captures.Add(capture);
        db.SaveChanges();
        _insert = ((SqliteConnection)db.Database.GetDbConnection()).CreateCommand();
        _insert.Transaction = (SqliteTransaction)_transaction.GetDbTransaction();
        _insert.CommandText = "INSERT INTO SampleBlocks (ChannelId, Number, Count, FirstSeconds, LastSeconds, Samples, Times, Extremes) VALUES ($c, $n, $k, $f, $l, $s, $t, $e)";
        foreach (var name in (string[])["$c", "$n", "$k", "$f", "$l", "$s", "$t", "$e"]) _insert.Parameters.Add(new SqliteParameter { ParameterName = name });
    }

    public void Begin(IReadOnlyList<ChannelInfo> channels, int clocks, double timeQuantum)
    {
        for (var i = 0; i < channels.Count; i++)
        {
            var choice = _choices?[i] ?? new ChannelChoice(channels[i].Name, channels[i].Unit, 1, null);
            if (!choice.Keep) continue;
            var row = new StoredChannel { CaptureId = _capture.Id, Ordinal = i, Name = choice.Name, Unit = choice.Unit, Role = choice.Role };
            _channels.Add(new ChannelWriter(row, i, channels[i].Clock, choice.Scale, new TimeCollector(timeQuantum)));
        }

        _db.Channels.AddRange(_channels.Select(c => c.Row));
        _db.SaveChanges();
    }

    public void Append(SampleBlock block)
    {
        foreach (var channel in _channels) channel.Append(block, Insert);
    }

    /// <summary>Makes the capture visible.</summary>
    public void Complete(IReadOnlyList<Note> notes)
    {
        foreach (var channel in _channels) channel.Finish(Insert);
        _capture.NotesJson = JsonSerializer.Serialize(notes, StoreJson.Options);
        _db.SaveChanges();
        _transaction.Commit();
    }

    public void Dispose()
    {
        _insert.Dispose();
        _transaction.Dispose();
        if (_db.Entry(_capture).State != EntityState.Detached) _db.ChangeTracker.Clear();
    }

    private void Insert(int channel, int number, int count, double first, double last, byte[] samples, byte[]? times, byte[] extremes)
    {
        object?[] values = [channel, number, count, first, last, samples, times ?? (object)DBNull.Value, extremes];
        for (var i = 0; i < values.Length; i++) _insert.Parameters[i].Value = values[i];
        _insert.ExecuteNonQuery();
    }

    private delegate void InsertBlock(int channel, int number, int count, double first, double last, byte[] samples, byte[]? times, byte[] extremes);

    /// <summary>Fills blocks of one channel. Times go with the blocks until the axis proves even at the end.</summary>
    private sealed class ChannelWriter(StoredChannel row, int index, int clock, double scale, TimeCollector axis)
    {
        private readonly float[] _samples = new float[SampleStore.BlockSamples];
        private readonly double[] _times = new double[SampleStore.BlockSamples];
        private int _count;
        private int _number;

        public StoredChannel Row => row;

        public void Append(SampleBlock block, InsertBlock insert)
        {
            var times = block.Times[clock].AsSpan(0, block.Count);
            axis.Append(times);
            for (var i = 0; i < block.Count; i++)
            {
                if (double.IsNaN(times[i])) continue;
                _samples[_count] = (float)(block.Values[index][i] * scale);
                _times[_count++] = times[i];
                if (_count == _samples.Length) Flush(insert);
            }
        }

        public void Finish(InsertBlock insert)
        {
            if (_count > 0) Flush(insert);
            var whole = axis.ToAxis();
            row.Count = whole.Count;
            row.Start = whole.Start;
            row.Step = whole.Step;
            row.End = whole.End;
            row.IsUniform = whole.IsUniform;
        }

        private void Flush(InsertBlock insert)
        {
            var samples = _samples.AsSpan(0, _count);
            var times = _times.AsSpan(0, _count);
            insert(row.Id, _number++, _count, times[0], times[^1], BlockCodec.Pack(samples), axis.IsEven ? null : BlockCodec.Pack(times), Extremes(samples));
            _count = 0;
        }

        private static byte[] Extremes(ReadOnlySpan<float> samples)
        {
            var groups = (samples.Length + SampleStore.GroupSamples - 1) / SampleStore.GroupSamples;
            var extremes = new float[2 * groups];
            for (var g = 0; g < groups; g++)
            {
                var group = samples.Slice(g * SampleStore.GroupSamples, Math.Min(SampleStore.GroupSamples, samples.Length - g * SampleStore.GroupSamples));
                float low = float.PositiveInfinity, high = float.NegativeInfinity;
                foreach (var value in group)
                {
                    if (float.IsNaN(value)) continue;
                    low = Math.Min(low, value);
                    high = Math.Max(high, value);
                }

                (extremes[2 * g], extremes[2 * g + 1]) = low > high ? (float.NaN, float.NaN) : (low, high);
            }

            return MemoryMarshal.AsBytes<float>(extremes).ToArray();
        }
    }
}
