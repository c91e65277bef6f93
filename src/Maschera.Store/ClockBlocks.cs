using System.Buffers;
using System.Collections.Concurrent;
using Maschera.Core.Expressions;
using Maschera.Core.Signals;
using Maschera.Store.Upkeep;
using Microsoft.Data.Sqlite;

namespace Maschera.Store;

/// <summary>A channel on its way into blocks.</summary>
/// <param name="Row">Its row.</param>
/// <param name="Index">Where its values stand in the blocks that come in.</param>
/// <param name="Scale">What they are multiplied by.</param>
internal sealed record ChannelTarget(StoredChannel Row, int Index, double Scale);

/// <summary>Collects the samples of the channels that share one clock into blocks, and their pyramids with them.</summary>
internal sealed class ClockBlocks(TimeCollector axis, IReadOnlyList<ChannelTarget> channels)
{
    private readonly Pyramid[] _pyramids = [.. channels.Select(_ => new Pyramid())];
    private readonly BlockCodec[] _codecs = [.. channels.Select(c => new BlockCodec(c.Scale))];
    private readonly float[][] _raw = [.. channels.Select(_ => ArrayPool<float>.Shared.Rent(SampleStore.BlockSamples))];
    private double[] _times = ArrayPool<double>.Shared.Rent(SampleStore.BlockSamples);
    private int _count;
    private int _number;

    /// <summary>Adds the samples of all channels; rows without a time are passed over. Full blocks go to <paramref name="rows"/>.</summary>
    public void Append(ReadOnlySpan<double> times, float[][] values, BlockRows rows)
    {
        axis.Append(times);
        for (var first = 0; first < times.Length; )
        {
            var run = times[first..];
            var missing = run.IndexOfAnyExceptInRange(double.NegativeInfinity, double.PositiveInfinity);
            if (missing == 0)
            {
                first++;
                continue;
            }

            first += Take(missing < 0 ? run : run[..missing], values, first, rows);
        }
    }

    /// <summary>Hands over what is left, and notes the axis in the rows. Call <see cref="BlockRows.Complete"/> afterwards.</summary>
    public void Finish(BlockRows rows)
    {
        if (_count > 0)
            HandOver(rows);
        var whole = axis.ToAxis();
        for (var c = 0; c < channels.Count; c++)
        {
            var (row, pyramid) = (channels[c].Row, _pyramids[c]);
            rows.Add(target =>
                pyramid.Finish((level, page, pairs, times) => target.Page(row.Id, level, page, pairs, whole.IsUniform ? null : times))
            );
            (row.Count, row.Start, row.Step, row.End, row.IsUniform) = (whole.Count, whole.Start, whole.Step, whole.End, whole.IsUniform);
        }
    }

    /// <summary>Copies what fits into the block; returns how much.</summary>
    private int Take(ReadOnlySpan<double> times, float[][] values, int first, BlockRows rows)
    {
        var count = Math.Min(times.Length, SampleStore.BlockSamples - _count);
        times[..count].CopyTo(_times.AsSpan(_count));
        for (var c = 0; c < channels.Count; c++)
            values[channels[c].Index].AsSpan(first, count).CopyTo(_raw[c].AsSpan(_count));
        _count += count;
        if (_count == SampleStore.BlockSamples)
            HandOver(rows);
        return count;
    }

    private void HandOver(BlockRows rows)
    {
        var (times, count, number, even) = (_times, _count, _number++, axis.IsEven);
        for (var c = 0; c < channels.Count; c++)
        {
            var (channel, raw) = (c, _raw[c]);
            _raw[c] = ArrayPool<float>.Shared.Rent(SampleStore.BlockSamples);
            rows.Add(target =>
            {
                Write(target, channel, raw.AsSpan(0, count), times.AsSpan(0, count), number, even);
                // Blocks come and go faster than the collector looks; they are used again.
                ArrayPool<float>.Shared.Return(raw);
                if (channel == channels.Count - 1)
                    ArrayPool<double>.Shared.Return(times);
            });
        }

        (_times, _count) = (ArrayPool<double>.Shared.Rent(SampleStore.BlockSamples), 0);
    }

    private void Write(BlockRows.Target target, int channel, Span<float> raw, Span<double> times, int number, bool even)
    {
        var (row, _, scale) = channels[channel];
        target.Block(row.Id, number, raw.Length, times[0], times[^1], _codecs[channel].Pack(raw), even ? null : BlockCodec.Pack(times));
        if (scale != 1)
            for (var i = 0; i < raw.Length; i++)
                raw[i] = (float)(raw[i] * scale);
        _pyramids[channel]
            .Append(raw, times, (level, page, pairs, seconds) => target.Page(row.Id, level, page, pairs, even ? null : seconds));
    }
}

/// <summary>
/// Packs and writes blocks on a thread beside the one that reads, in transactions of a few hundred rows, so that
/// nobody waits long for the database.
/// </summary>
internal sealed class BlockRows : IDisposable
{
    private const int RowsPerTransaction = 512;

    private readonly BlockingCollection<Action<Target>> _waiting = new(64);
    private readonly Task _work;

    public BlockRows(string connection) => _work = Task.Run(() => Work(connection));

    /// <summary>Queues work; what went wrong in earlier work is thrown here.</summary>
    public void Add(Action<Target> work)
    {
        while (!_waiting.TryAdd(work, 100))
            if (_work.IsCompleted)
                _work.GetAwaiter().GetResult();
    }

    /// <summary>Waits until everything is written and committed.</summary>
    public void Complete()
    {
        _waiting.CompleteAdding();
        _work.GetAwaiter().GetResult();
    }

    public void Dispose()
    {
        _waiting.CompleteAdding();
        while (_waiting.TryTake(out _)) { }
        _work.ContinueWith(_ => { }, TaskScheduler.Default).Wait();
        _waiting.Dispose();
    }

    private void Work(string connection)
    {
        using var opened = SampleStore.Open(connection);
        using var target = new Target(opened);
        foreach (var work in _waiting.GetConsumingEnumerable())
            Write(opened, target, work);
    }

    /// <summary>Writes what waits in one transaction, and never holds it while nothing does.</summary>
    private void Write(SqliteConnection opened, Target target, Action<Target> first)
    {
        using var transaction = opened.BeginTransaction();
        target.Use(transaction);
        first(target);
        for (var rows = 1; rows < RowsPerTransaction && _waiting.TryTake(out var next); rows++)
            next(target);
        transaction.Commit();
    }

    /// <summary>Where rows go.</summary>
    internal sealed class Target : IDisposable
    {
        private readonly SqliteCommand _block;
        private readonly SqliteCommand _page;

        public Target(SqliteConnection connection)
        {
            _block = Prepare(
                connection,
                "INSERT INTO Blocks (Key, Number, Count, FirstSeconds, LastSeconds, Samples, Times, Sum) "
                    + "VALUES ($0, $1, $2, $3, $4, $5, $6, $7)",
                8
            );
            _page = Prepare(connection, "INSERT INTO Levels (Key, Pairs, Times, Sum) VALUES ($0, $1, $2, $3)", 4);
        }

        public void Use(SqliteTransaction transaction) => _block.Transaction = _page.Transaction = transaction;

        public void Block(int channel, int number, int count, double first, double last, byte[] samples, byte[]? times) =>
            Insert(_block, SampleStore.BlockKey(channel, number), number, count, first, last, samples, times, BlockSum.Of(samples, times));

        public void Page(int channel, int level, int page, byte[] pairs, byte[]? times) =>
            Insert(_page, SampleStore.PageKey(channel, level, page), pairs, times, BlockSum.Of(pairs, times));

        public void Dispose()
        {
            _block.Dispose();
            _page.Dispose();
        }

        private static SqliteCommand Prepare(SqliteConnection connection, string text, int parameters)
        {
            var command = connection.CreateCommand();
            command.CommandText = text;
            for (var i = 0; i < parameters; i++)
                command.Parameters.Add(new SqliteParameter { ParameterName = $"${i}" });
            return command;
        }

        private static void Insert(SqliteCommand command, params object?[] values)
        {
            for (var i = 0; i < values.Length; i++)
                command.Parameters[i].Value = values[i] ?? DBNull.Value;
            command.ExecuteNonQuery();
        }
    }
}
