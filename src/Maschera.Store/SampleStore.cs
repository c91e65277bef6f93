using System.Globalization;
using System.Numerics;
using System.Runtime.InteropServices;
using Maschera.Core.Expressions;
using Maschera.Core.Signals;
using Maschera.Store.Upkeep;
using Microsoft.Data.Sqlite;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Store;

/// <summary>
/// A stretch of a channel as it is drawn. With <see cref="Seconds"/>: points of a line. Without: <see cref="Values"/>
/// holds the least and greatest of every pixel column in turn: NaN where all its samples are missing, infinity and
/// minus infinity where no sample falls into it.
/// </summary>
public sealed record Trace(double[]? Seconds, float[] Values);

/// <summary>
/// Samples in blocks of <see cref="BlockSamples"/>, and a pyramid of least and greatest over them, so that a window of
/// any width costs its pixels and not its samples, and no spike is lost.
/// </summary>
public sealed class SampleStore(MascheraDb db)
{
    /// <summary>Samples in a block.</summary>
    public const int BlockSamples = 16_384;

    /// <summary>Below so many samples a pixel column the samples themselves are drawn.</summary>
    private const double PlainSamples = 2;

    internal const string Schema = """
        CREATE TABLE IF NOT EXISTS Blocks (
          Key INTEGER PRIMARY KEY, Number INTEGER NOT NULL, Count INTEGER NOT NULL,
          FirstSeconds REAL NOT NULL, LastSeconds REAL NOT NULL, Samples BLOB NOT NULL, Times BLOB);
        CREATE TABLE IF NOT EXISTS Levels (Key INTEGER PRIMARY KEY, Pairs BLOB NOT NULL, Times BLOB)
        """;

    private readonly string _connection = db.Database.GetConnectionString()!;

    /// <summary>The row of a block: channels lie one behind the other, so a window is one run of rows.</summary>
    internal static long BlockKey(int channel, int number) => (long)channel << 32 | (uint)number;

    /// <summary>The row of a page of a level.</summary>
    internal static long PageKey(int channel, int level, int page) => (long)channel << 32 | (long)level << 26 | (uint)page;

    /// <summary>Rows of a channel, in both tables.</summary>
    internal static (long From, long To) KeysOf(int channel) => ((long)channel << 32, ((long)channel + 1 << 32) - 1);

    internal static SqliteConnection Open(string connection)
    {
        var opened = new SqliteConnection(connection);
        opened.Open();
        return opened;
    }

    /// <summary>What drawing needs of channels, by number; one that is not there is left out.</summary>
    /// <remarks>Asked for with every move of a window: a query of the model costs as much as the window itself.</remarks>
    public IReadOnlyDictionary<int, StoredChannel> Find(IEnumerable<int> channels)
    {
        using var opened = Open(_connection);
        using var command = opened.CreateCommand();
        command.CommandText =
            "SELECT Id, CaptureId, Name, Unit, \"Count\", \"Start\", Step, \"End\", IsUniform FROM Channels WHERE Id IN ("
            + string.Join(',', channels.Select(c => c.ToString(CultureInfo.InvariantCulture)))
            + ")";
        using var rows = command.ExecuteReader();
        var found = new Dictionary<int, StoredChannel>();
        while (rows.Read())
            found[rows.GetInt32(0)] = new StoredChannel
            {
                Id = rows.GetInt32(0),
                CaptureId = rows.GetInt32(1),
                Name = rows.GetString(2),
                Unit = rows.GetString(3),
                Count = rows.GetInt32(4),
                Start = rows.GetDouble(5),
                Step = rows.GetDouble(6),
                End = rows.GetDouble(7),
                IsUniform = rows.GetBoolean(8),
            };
        return found;
    }

    /// <summary>A channel to be read piece by piece.</summary>
    public ISampleReader Reader(StoredChannel channel) => new StoredReader(_connection, channel);

    /// <summary>A whole channel in memory, for a reading.</summary>
    public Channel Load(StoredChannel channel) => Reader(channel).Load();

    /// <summary>
    /// What to draw between <paramref name="from"/> and <paramref name="to"/> on <paramref name="columns"/> pixel
    /// columns: the samples themselves where they are few, else the least and greatest of each column.
    /// </summary>
    public Trace Window(StoredChannel channel, double from, double to, int columns)
    {
        if (channel.Count <= HeldChannels.MostSamples)
            return Window(HeldChannels.Of(_connection, channel, () => Load(channel)), from, to, columns);
        var reader = new StoredReader(_connection, channel);
        var first = reader.IndexAtOrAfter(from);
        var end = reader.IndexAtOrAfter(to);
        var perColumn = (end - first) / (double)columns;
        return perColumn <= PlainSamples
            ? Plain(reader, first - 1, end + 1)
            : Envelope(reader, channel, new Columns(from, to, columns), first, end);
    }

    /// <summary>A channel as it is for a log: held whole where it is short, else thinned to a rate.</summary>
    public Channel Log(StoredChannel channel, double rate) =>
        channel.Count <= HeldChannels.MostSamples
            ? HeldChannels.Of(_connection, channel, () => Load(channel))
            : Reader(channel).LoadAtMost(rate);

    /// <summary>The same from a channel in memory.</summary>
    private static Trace Window(Channel channel, double from, double to, int columns)
    {
        var (time, samples) = (channel.Time, channel.Samples);
        int first = time.IndexAtOrAfter(from),
            end = time.IndexAtOrAfter(to);
        if ((end - first) / (double)columns <= PlainSamples)
        {
            (first, end) = (Math.Max(0, first - 1), Math.Min(samples.Length, end + 1));
            var seconds = new double[end - first];
            for (var i = 0; i < seconds.Length; i++)
                seconds[i] = time[first + i];
            return new Trace(seconds, samples[first..end]);
        }

        var drawn = new Columns(from, to, columns);
        if (time.IsUniform)
            drawn.PutEven(channel, first, end);
        else
            for (var i = first; i < end; i++)
                drawn.Put(time[i], samples[i], samples[i]);
        return new Trace(null, drawn.Drawn());
    }

    private static Trace Plain(StoredReader reader, int first, int end)
    {
        first = Math.Max(0, first);
        var channel = reader.Load(first, end - first);
        var seconds = new double[channel.Samples.Length];
        for (var i = 0; i < seconds.Length; i++)
            seconds[i] = channel.Time[i];
        return new Trace(seconds, channel.Samples);
    }

    private Trace Envelope(StoredReader reader, StoredChannel channel, Columns columns, int first, int end)
    {
        var level = 0;
        while (level < Pyramid.Highest && Pyramid.SamplesBelow(level + 1) * (long)columns.Count <= end - first)
            level++;
        Fill(reader, channel, columns, level, first, end);
        return new Trace(null, columns.Drawn());
    }

    /// <summary>
    /// Puts the samples from <paramref name="first"/> up to <paramref name="end"/> into columns, from nodes of a level.
    /// Where uneven sampling makes a node wider than a column, the level below is asked.
    /// </summary>
    private void Fill(StoredReader reader, StoredChannel channel, Columns columns, int level, long first, long end)
    {
        if (level == 0)
        {
            foreach (var piece in reader.Read((int)first, (int)(end - first)))
                Put(piece, columns);
            return;
        }

        var below = Pyramid.SamplesBelow(level);
        var coarse = new List<(long First, long End)>();
        foreach (var page in Pages(channel, level, first / below, (end - 1) / below))
            page.Put(reader, columns, first / below, (end - 1) / below, below, coarse);
        foreach (var (from, to) in coarse)
            Fill(reader, channel, columns, level - 1, Math.Max(first, from), Math.Min(end, to));
    }

    private static void Put(SamplePiece piece, Columns columns)
    {
        var samples = piece.Samples.Span;
        for (var i = 0; i < samples.Length; i++)
            columns.Put(piece.TimeOf(i), samples[i], samples[i]);
    }

    private List<Page> Pages(StoredChannel channel, int level, long firstNode, long lastNode)
    {
        using var opened = Open(_connection);
        using var command = opened.CreateCommand();
        command.CommandText = "SELECT Key, Pairs, Times, Sum FROM Levels WHERE Key BETWEEN $from AND $to ORDER BY Key";
        command.Parameters.AddWithValue("$from", PageKey(channel.Id, level, (int)(firstNode / Pyramid.PageNodes)));
        command.Parameters.AddWithValue("$to", PageKey(channel.Id, level, (int)(lastNode / Pyramid.PageNodes)));
        using var rows = command.ExecuteReader();
        var pages = new List<Page>();
        while (rows.Read())
        {
            var (pairs, times) = (rows.GetFieldValue<byte[]>(1), rows.IsDBNull(2) ? null : rows.GetFieldValue<byte[]>(2));
            if (!BlockSum.Holds(rows.IsDBNull(3) ? null : rows.GetInt64(3), pairs, times))
                throw DamagedDataException.Of(channel, channel.Start, channel.End);
            pages.Add(new Page((rows.GetInt64(0) & 0x3FF_FFFF) * Pyramid.PageNodes, pairs, times));
        }

        return pages;
    }

    /// <summary>A page of a level; times are only kept where sampling is uneven.</summary>
    private sealed record Page(long FirstNode, byte[] Pairs, byte[]? Times)
    {
        public void Put(
            StoredReader reader,
            Columns columns,
            long firstNode,
            long lastNode,
            long below,
            List<(long First, long End)> coarse
        )
        {
            var pairs = MemoryMarshal.Cast<byte, float>(Pairs);
            var count = pairs.Length / 2;
            var times = Times is null ? Even(reader, below, count) : MemoryMarshal.Cast<byte, double>(Times);
            var from = Math.Max(0, firstNode - FirstNode);
            var to = Math.Min(count - 1, lastNode - FirstNode);
            for (var i = (int)from; i <= to; i++)
            {
                if (times[2 * i + 1] - times[2 * i] > 1.5 * columns.Width)
                    coarse.Add(((FirstNode + i) * below, (FirstNode + i + 1) * below));
                else
                    columns.Put(
                        Math.Clamp((times[2 * i] + times[2 * i + 1]) / 2, columns.From, columns.Last),
                        pairs[2 * i],
                        pairs[2 * i + 1]
                    );
            }
        }

        /// <summary>First and last second of each node where the samples of the page lie evenly.</summary>
        private double[] Even(StoredReader reader, long below, int count)
        {
            var first = FirstNode * below;
            var last = Math.Min(reader.Count - 1, first + count * below - 1);
            var start = reader.TimeAt((int)first);
            var step = last > first ? (reader.TimeAt((int)last) - start) / (last - first) : 0;
            var times = new double[2 * count];
            for (var i = 0; i < count; i++)
                (times[2 * i], times[2 * i + 1]) = (start + i * below * step, start + (Math.Min(last - first, (i + 1) * below - 1)) * step);
            return times;
        }
    }

    /// <summary>The pixel columns of a window, with the least and greatest that fell into each.</summary>
    private sealed class Columns
    {
        private readonly float[] _pairs;
        private readonly bool[] _gaps;

        public Columns(double from, double to, int count)
        {
            (From, Count, Width) = (from, count, (to - from) / count);
            Last = Math.BitDecrement(to);
            (_pairs, _gaps) = (new float[2 * count], new bool[count]);
            for (var i = 0; i < count; i++)
                (_pairs[2 * i], _pairs[2 * i + 1]) = (float.PositiveInfinity, float.NegativeInfinity);
        }

        public double From { get; }
        public double Last { get; }
        public int Count { get; }

        /// <summary>Seconds in a column.</summary>
        public double Width { get; }

        private int ColumnAt(double time) => (int)((time - From) / Width);

        /// <summary>The samples of an evenly sampled channel, a column at a time: one division a column instead of one a sample.</summary>
        public void PutEven(Channel channel, int first, int end)
        {
            var (time, samples) = (channel.Time, channel.Samples);
            for (var i = first; i < end; )
            {
                var column = ColumnAt(time[i]);
                var next = Math.Clamp(time.IndexAtOrAfter(From + (column + 1) * Width), i + 1, end);
                while (next < end && ColumnAt(time[next]) == column)
                    next++;
                while (next > i + 1 && ColumnAt(time[next - 1]) != column)
                    next--;
                var (low, high) = Extremes(samples.AsSpan(i, next - i), out var hasGap);
                if ((uint)column < (uint)Count)
                    Widen(column, low, high, hasGap);
                i = next;
            }
        }

        /// <summary>The least and greatest of samples, several at once; missing ones change neither.</summary>
        private static (float Low, float High) Extremes(ReadOnlySpan<float> samples, out bool hasGap)
        {
            var (lows, highs) = (new Vector<float>(float.PositiveInfinity), new Vector<float>(float.NegativeInfinity));
            var there = Vector<int>.AllBitsSet;
            var packed = MemoryMarshal.Cast<float, Vector<float>>(samples);
            foreach (var some in packed)
            {
                lows = Vector.ConditionalSelect(Vector.LessThan(some, lows), some, lows);
                highs = Vector.ConditionalSelect(Vector.GreaterThan(some, highs), some, highs);
                there &= Vector.Equals(some, some);
            }

            hasGap = there != Vector<int>.AllBitsSet;
            var (low, high) = (float.PositiveInfinity, float.NegativeInfinity);
            for (var i = 0; packed.Length > 0 && i < Vector<float>.Count; i++)
                (low, high) = (Math.Min(low, lows[i]), Math.Max(high, highs[i]));
            foreach (var sample in samples[(packed.Length * Vector<float>.Count)..])
            {
                low = sample < low ? sample : low;
                high = sample > high ? sample : high;
                hasGap |= float.IsNaN(sample);
            }

            return (low, high);
        }

        public void Put(double time, float low, float high)
        {
            var column = ColumnAt(time);
            if ((uint)column < (uint)Count)
                Widen(column, low, high, float.IsNaN(low));
        }

        private void Widen(int column, float low, float high, bool hasGap)
        {
            if (hasGap)
                _gaps[column] = true;
            if (low < _pairs[2 * column])
                _pairs[2 * column] = low;
            if (high > _pairs[2 * column + 1])
                _pairs[2 * column + 1] = high;
        }

        public float[] Drawn()
        {
            for (var i = 0; i < Count; i++)
                if (_gaps[i] && _pairs[2 * i] > _pairs[2 * i + 1])
                    (_pairs[2 * i], _pairs[2 * i + 1]) = (float.NaN, float.NaN);
            return _pairs;
        }
    }
}
