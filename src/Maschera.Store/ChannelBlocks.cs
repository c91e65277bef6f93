using System.Buffers;
using System.Collections.Concurrent;
using Maschera.Core.Signals;
using Microsoft.Data.Sqlite;

namespace Maschera.Store;

/// <summary>Collects the samples of one channel into blocks, and its pyramid with them.</summary>
internal sealed class ChannelBlocks(StoredChannel row, double scale, TimeCollector axis)
{
    private readonly Pyramid _pyramid = new();
    private float[] _raw = ArrayPool<float>.Shared.Rent(SampleStore.BlockSamples);
    private double[] _times = ArrayPool<double>.Shared.Rent(SampleStore.BlockSamples);
    private int _count;
    private int _number;

    public StoredChannel Row => row;

    /// <summary>Adds samples; rows without a time are passed over. Full blocks go to <paramref name="rows"/>.</summary>
    public void Append(ReadOnlySpan<float> raw, ReadOnlySpan<double> times, BlockRows rows)
    {
        axis.Append(times);
        for (var i = 0; i < raw.Length; i++)
        {
            if (double.IsNaN(times[i])) continue;
            _raw[_count] = raw[i];
            _times[_count++] = times[i];
            if (_count == SampleStore.BlockSamples) HandOver(rows);
        }
    }

    /// <summary>Hands over what is left, and notes the axis in the row. Call once the rows are all written.</summary>
    public void Finish(BlockRows rows)
    {
        if (_count > 0) HandOver(rows);
        rows.Add(target => _pyramid.Finish((level, page, pairs, times) => target.Page(row.Id, level, page, pairs, axis.IsEven ? null : times)));
        var whole = axis.ToAxis();
        (row.Count, row.Start, row.Step, row.End, row.IsUniform) = (whole.Count, whole.Start, whole.Step, whole.End, whole.IsUniform);
    }

    private void HandOver(BlockRows rows)
    {
        var (raw, times, count, number, even) = (_raw, _times, _count, _number++, axis.IsEven);
        (_raw, _times, _count) = (ArrayPool<float>.Shared.Rent(SampleStore.BlockSamples), ArrayPool<double>.Shared.Rent(SampleStore.BlockSamples), 0);
        rows.Add(target =>
        {
            Write(target, raw.AsSpan(0, count), times.AsSpan(0, count), number, even);
            // Blocks come and go faster than the collector looks; they are used again.
            ArrayPool<float>.Shared.Return(raw);
            ArrayPool<double>.Shared.Return(times);
        });
    }

    private void Write(BlockRows.Target target, Span<float> raw, Span<double> times, int number, bool even)
    {
        target.Block(row.Id, number, raw.Length, times[0], times[^1], BlockCodec.Pack(raw, scale), even ? null : BlockCodec.Pack(times));
        if (scale != 1)
            for (var i = 0; i < raw.Length; i++) raw[i] = (float)(raw[i] * scale);
        _pyramid.Append(raw, times, (level, page, pairs, seconds) => target.Page(row.Id, level, page, pairs, even ? null : seconds));
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
            if (_work.IsCompleted) _work.GetAwaiter().GetResult();
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
        foreach (var work in _waiting.GetConsumingEnumerable()) Write(opened, target, work);
    }

    /// <summary>Writes what waits in one transaction, and never holds it while nothing does.</summary>
    private void Write(SqliteConnection opened, Target target, Action<Target> first)
    {
        using var transaction = opened.BeginTransaction();
        target.Use(transaction);
        first(target);
        for (var rows = 1; rows < RowsPerTransaction && _waiting.TryTake(out var next); rows++) next(target);
        transaction.Commit();
    }

    /// <summary>Where rows go.</summary>
    internal sealed class Target : IDisposable
    {
        private readonly SqliteCommand _block;
        private readonly SqliteCommand _page;

        public Target(SqliteConnection connection)
        {
            _block = Prepare(connection, "INSERT INTO Blocks (Key, Number, Count, FirstSeconds, LastSeconds, Samples, Times) VALUES ($0, $1, $2, $3, $4, $5, $6)", 7);
            _page = Prepare(connection, "INSERT INTO Levels (Key, Pairs, Times) VALUES ($0, $1, $2)", 3);
        }

        public void Use(SqliteTransaction transaction) => _block.Transaction = _page.Transaction = transaction;

        public void Block(int channel, int number, int count, double first, double last, byte[] samples, byte[]? times) =>
            Insert(_block, SampleStore.BlockKey(channel, number), number, count, first, last, samples, times);

        public void Page(int channel, int level, int page, byte[] pairs, byte[]? times) =>
            Insert(_page, SampleStore.PageKey(channel, level, page), pairs, times);

        public void Dispose()
        {
            _block.Dispose();
            _page.Dispose();
        }

        private static SqliteCommand Prepare(SqliteConnection connection, string text, int parameters)
        {
            var command = connection.CreateCommand();
            command.CommandText = text;
            for (var i = 0; i < parameters; i++) command.Parameters.Add(new SqliteParameter { ParameterName = $"${i}" });
            return command;
        }

        private static void Insert(SqliteCommand command, params object?[] values)
        {
            for (var i = 0; i < values.Length; i++) command.Parameters[i].Value = values[i] ?? DBNull.Value;
            command.ExecuteNonQuery();
        }
    }
}
