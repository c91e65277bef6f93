using Maschera.Core.Expressions;
using Maschera.Core.Quantities;
using Maschera.Core.Signals;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Store.Tests;

/// <summary>Samples go in and come out whole; what is not finished is not there.</summary>
public sealed class SampleStoreTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("maschera").FullName;
    private readonly MascheraDb _db;

    public SampleStoreTests()
    {
        _db = Open();
        _db.Prepare();
        var engine = new StoredEngine { Name = "e", Json = """{"cylinders":1,"firingOrder":[1]}""" };
        _db.Jobs.Add(
            new Job
            {
                Vehicle = "v",
                Complaint = "c",
                Engine = engine,
                CreatedAt = DateTime.UtcNow,
            }
        );
        _db.SaveChanges();
    }

    public void Dispose()
    {
        _db.Dispose();
        using (var connection = new Microsoft.Data.Sqlite.SqliteConnection($"Data Source={Path.Combine(_folder, "t.db")}"))
            Microsoft.Data.Sqlite.SqliteConnection.ClearPool(connection);
        Directory.Delete(_folder, recursive: true);
    }

    [Theory]
    [InlineData(0.001)]
    [InlineData(0.4882813)]
    [InlineData(0)]
    public void Samples_come_back_bit_for_bit(double step)
    {
        var random = new Random(1);
        var samples = Enumerable
            .Range(0, 40_000)
            .Select(_ => step > 0 ? (float)(random.Next(-2000, 2000) * step) : random.NextSingle())
            .ToArray();
        samples[17] = float.NaN;
        var channel = Keep(samples, i => i * 1e-3);
        Assert.Equal(samples, new SampleStore(_db).Load(channel).Samples);
    }

    [Fact]
    public void Uneven_times_come_back_too()
    {
        var channel = Keep(
            Enumerable.Range(0, 40_000).Select(i => (float)i).ToArray(),
            i => i < 20_000 ? i * 0.01 : 200 + (i - 20_000) * 0.013 + (i % 7) * 1e-3
        );
        var loaded = new SampleStore(_db).Load(channel);
        Assert.False(loaded.Time.IsUniform);
        Assert.All(
            Enumerable.Range(0, 40_000),
            i => Assert.Equal(i < 20_000 ? i * 0.01 : 200 + (i - 20_000) * 0.013 + (i % 7) * 1e-3, loaded.Time[i], 9)
        );
    }

    [Theory]
    [InlineData(50)]
    [InlineData(700)]
    [InlineData(4000)]
    public void A_spike_of_one_sample_is_seen_at_every_zoom(int columns)
    {
        var samples = new float[2_000_000];
        const int spike = 1_234_567;
        samples[spike] = 5;
        samples[spike + 1000] = -3;
        var channel = Keep(samples, i => i * 1e-5);
        var store = new SampleStore(_db);
        foreach (var width in (double[])[20, 5, 0.5, 0.05, 0.022])
        {
            var trace = store.Window(channel, spike * 1e-5 - width / 2, spike * 1e-5 + width / 2, columns);
            Assert.Equal(5, trace.Values.Where(float.IsFinite).Max());
            Assert.Equal(-3, trace.Values.Where(float.IsFinite).Min());
            Assert.True(trace.Values.Length <= 3 * columns + 8);
        }
    }

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public void Every_column_holds_the_extremes_of_its_samples_at_any_zoom(bool uneven)
    {
        var random = new Random(9);
        const int count = 700_000;
        var samples = Enumerable.Range(0, count).Select(i => (float)Math.Round(random.NextDouble() * 100)).ToArray();
        samples[4321] = float.NaN;
        // Uneven: bursts, and a pause of an hour.
        double Time(int i) => uneven ? i * 1e-4 + (i / 50_000) * 0.7 + (i % 5) * 1e-5 + (i > 300_000 ? 3600 : 0) : i * 1e-4;
        var channel = Keep(samples, Time);
        var store = new SampleStore(_db);
        for (var round = 0; round < 60; round++)
        {
            var columns = random.Next(20, 900);
            var (a, b) = (random.NextDouble(), random.NextDouble());
            var (from, to) = (
                channel.Start + Math.Min(a, b) * (channel.End - channel.Start),
                channel.Start + Math.Max(a, b) * (channel.End - channel.Start)
            );
            if (store.Window(channel, from, to, columns) is not { Seconds: null } trace)
                continue;
            var width = (to - from) / columns;
            // A node may straddle columns, so what is in a column is in it or its neighbours, and nothing is made up.
            for (var c = 1; c < columns - 1; c++)
            {
                var inside = samples
                    .Where((v, i) => !float.IsNaN(v) && Time(i) >= from + c * width && Time(i) < from + (c + 1) * width)
                    .Take(1)
                    .ToArray();
                if (inside.Length > 0)
                    Assert.True(
                        Enumerable.Range(c - 1, 3).Any(n => trace.Values[2 * n] <= inside[0] && inside[0] <= trace.Values[2 * n + 1]),
                        $"column {c} of {columns}"
                    );
                if (c > 3)
                    break;
            }

            var shown = samples.Where((v, i) => !float.IsNaN(v) && Time(i) >= from && Time(i) <= to).ToArray();
            if (shown.Length == 0)
                continue;
            Assert.True(trace.Values.Where(float.IsFinite).Max() >= shown.Max());
            Assert.True(trace.Values.Where(float.IsFinite).Min() <= shown.Min());
        }
    }

    [Theory]
    [InlineData(1e-4, 0)]
    [InlineData(0.013, -3.7)]
    [InlineData(1.0 / 3, 1e4)]
    public void A_short_channel_s_columns_hold_exactly_the_extremes_of_their_samples(double step, double start)
    {
        var random = new Random(4);
        var samples = Enumerable.Range(0, 60_000).Select(i => i is > 900 and < 1_400 ? float.NaN : random.NextSingle()).ToArray();
        var channel = Keep(samples, i => start + i * step);
        var time = new SampleStore(_db).Load(channel).Time;
        for (var round = 0; round < 40; round++)
        {
            var columns = random.Next(5, 400);
            var from = start + (random.NextDouble() - 0.2) * 50_000 * step;
            var width = random.Next(3, 40) * step * (1 + random.NextDouble());
            if (new SampleStore(_db).Window(channel, from, from + columns * width, columns) is not { Seconds: null } trace)
                continue;
            var expected = Enumerable.Range(0, columns).Select(_ => (Low: float.PositiveInfinity, High: float.NegativeInfinity)).ToArray();
            for (var i = 0; i < samples.Length; i++)
                if (!float.IsNaN(samples[i]) && time[i] >= from && (int)((time[i] - from) / ColumnWidth()) is var c && c < columns)
                    expected[c] = (Math.Min(expected[c].Low, samples[i]), Math.Max(expected[c].High, samples[i]));
            for (var c = 0; c < columns; c++)
                if (float.IsFinite(expected[c].Low))
                    Assert.Equal(expected[c], (trace.Values[2 * c], trace.Values[2 * c + 1]));

            double ColumnWidth() => (from + columns * width - from) / columns;
        }
    }

    [Fact]
    public void A_missing_stretch_is_a_gap_and_an_empty_one_is_not()
    {
        var samples = Enumerable.Range(0, 100_000).Select(i => i is > 30_000 and < 40_000 ? float.NaN : 1).ToArray();
        var channel = Keep(samples, i => i < 60_000 ? i * 0.001 : i * 0.001 + 40);
        var values = new SampleStore(_db).Window(channel, 0, 140, 140).Values;
        Assert.True(float.IsNaN(values[2 * 35]));
        Assert.True(float.IsPositiveInfinity(values[2 * 80]));
        Assert.Equal(1, values[2 * 10]);
    }

    [Theory]
    [InlineData(8)]
    [InlineData(12)]
    [InlineData(16)]
    [InlineData(24)]
    public void A_converter_s_samples_take_no_more_room_than_its_bits(int bits)
    {
        var random = new Random(bits);
        var samples = Enumerable
            .Range(0, 163_840)
            .Select(_ => (float)random.Next(-(1 << bits - 1), 1 << bits - 1) / (1 << bits - 1))
            .ToArray();
        var capture = new StoredCapture { JobId = 1, Name = "c" };
        using (var writer = new CaptureWriter(_db, capture, _ => [new ChannelChoice("A", "V", 12.34, null)]))
        {
            writer.Begin([new ChannelInfo("A", "V", 0)], 1, 0);
            writer.Append(Block(samples, i => i * 1e-3));
            writer.Complete([]);
        }

        var channel = _db.Channels.AsNoTracking().Single(c => c.CaptureId == capture.Id);
        Assert.Equal(samples.Select(s => (float)(s * 12.34)), new SampleStore(_db).Load(channel).Samples);
        var bytes = _db.Database.SqlQueryRaw<long>("SELECT SUM(LENGTH(Samples)) AS Value FROM Blocks").Single();
        // Differences of white noise take a bit and their sign more than the noise.
        Assert.InRange(8.0 * bytes / samples.Length, bits - 1, bits + 2.5);
    }

    [Fact]
    public void Parts_of_a_channel_are_read_alone()
    {
        var samples = Enumerable.Range(0, 70_000).Select(i => (float)i).ToArray();
        foreach (var uneven in (bool[])[false, true])
        {
            var reader = new SampleStore(_db).Reader(Keep(samples, i => uneven ? i * 0.01 + (i % 3) * 1e-3 : i * 0.01));
            foreach (var (first, count) in ((int, int)[])[(0, 1), (16_383, 2), (40_000, 20_000), (69_999, 5), (70_000, 5)])
                Assert.Equal(samples.Skip(first).Take(count), reader.Load(first, count).Samples);
            foreach (var i in (int[])[0, 1, 16_384, 50_001, 69_999])
            {
                Assert.Equal(i, reader.IndexAtOrAfter(reader.TimeAt(i) - 1e-6));
                Assert.Equal(i + 1, reader.IndexAtOrAfter(reader.TimeAt(i) + 1e-4));
            }
        }
    }

    [Fact]
    public void Means_stand_at_the_middle_of_their_time()
    {
        var reader = new SampleStore(_db).Reader(Keep([.. Enumerable.Range(0, 50_000).Select(i => (float)(i % 10))], i => i * 1e-3));
        var coarse = reader.LoadAtMost(100);
        Assert.Equal(5_000, coarse.Samples.Length);
        Assert.All(coarse.Samples, v => Assert.Equal(4.5f, v));
        Assert.Equal((0.0045, 0.01), (Math.Round(coarse.Time.Start, 9), Math.Round(coarse.Time.Step, 9)));
    }

    [Fact]
    public void An_unfinished_capture_leaves_nothing()
    {
        using (var writer = new CaptureWriter(_db, new StoredCapture { JobId = 1, Name = "half" }))
        {
            writer.Begin([new ChannelInfo("A", "V", 0)], 1, 0);
            writer.Append(Block(new float[16_384], i => i));
        }

        using var fresh = Open();
        Assert.Empty(fresh.Captures);
        Assert.Empty(fresh.Channels);
        Assert.Equal(0, fresh.Database.SqlQueryRaw<int>("SELECT COUNT(*) AS Value FROM Blocks").Single());
    }

    [Fact]
    public void Scale_unit_and_choice_of_channels_are_kept()
    {
        var capture = new StoredCapture { JobId = 1, Name = "scaled" };
        using (
            var writer = new CaptureWriter(
                _db,
                capture,
                _ => [new ChannelChoice("Current", "A", 100, "current"), new ChannelChoice("Off", "V", 1, null, Keep: false)]
            )
        )
        {
            writer.Begin([new ChannelInfo("A", "V", 0), new ChannelInfo("B", "V", 0)], 1, 0);
            var block = new SampleBlock(1, 2, 4) { Count = 2 };
            (block.Values[0][0], block.Values[0][1], block.Times[0][1]) = (1.5f, 2f, 1);
            writer.Append(block);
            writer.Complete([]);
        }

        var channel = Assert.Single(_db.Channels.Where(c => c.CaptureId == capture.Id));
        Assert.Equal(("Current", "A", "current"), (channel.Name, channel.Unit, channel.Role));
        Assert.Equal([150f, 200f], new SampleStore(_db).Load(channel).Samples);
    }

    [Fact]
    public void What_was_deleted_stays_a_month_and_goes_then_with_its_samples()
    {
        var channel = Keep(new float[20_000], i => i);
        var capture = _db.Captures.First(c => c.Id == channel.CaptureId);
        capture.DeletedAt = DateTime.UtcNow;
        _db.SaveChanges();
        using var fresh = Open();
        fresh.Prepare();
        fresh.Sweep(DateTime.UtcNow.AddDays(29));
        Assert.Single(fresh.Captures);
        fresh.Sweep(DateTime.UtcNow.AddDays(31));
        Assert.Empty(fresh.Captures);
        Assert.Equal(0, fresh.Database.SqlQueryRaw<int>("SELECT COUNT(*) AS Value FROM Blocks").Single());
    }

    [Fact]
    public void Half_captures_of_dead_processes_go_after_a_week_and_those_of_living_ones_stay()
    {
        using var other = System.Diagnostics.Process.GetProcessById(1);
        foreach (var writer in (int?[])[int.MaxValue, other.Id, null])
            _db.Captures.Add(
                new StoredCapture
                {
                    JobId = 1,
                    Name = $"half of {writer}",
                    IsWhole = false,
                    WriterProcess = writer,
                    TakenAt = DateTime.UtcNow,
                }
            );
        _db.SaveChanges();
        _db.Sweep(DateTime.UtcNow);
        Assert.Equal(3, _db.Captures.IgnoreQueryFilters().Count(c => !c.IsWhole));
        _db.Sweep(DateTime.UtcNow.AddDays(8));
        Assert.Equal([$"half of {other.Id}"], _db.Captures.IgnoreQueryFilters().Where(c => !c.IsWhole).Select(c => c.Name));
    }

    private MascheraDb Open() => new(MascheraDb.ForFile(Path.Combine(_folder, "t.db")));

    private StoredChannel Keep(float[] samples, Func<int, double> time)
    {
        var capture = new StoredCapture { JobId = 1, Name = "c" };
        using var writer = new CaptureWriter(_db, capture);
        writer.Begin([new ChannelInfo("A", "V", 0)], 1, 1e-6);
        for (var first = 0; first < samples.Length; first += 10_000)
            writer.Append(Block(samples[first..Math.Min(samples.Length, first + 10_000)], i => time(first + i)));
        writer.Complete([]);
        return _db.Channels.AsNoTracking().Single(c => c.CaptureId == capture.Id);
    }

    private static SampleBlock Block(float[] samples, Func<int, double> time)
    {
        var block = new SampleBlock(1, 1, samples.Length) { Count = samples.Length };
        samples.CopyTo(block.Values[0], 0);
        for (var i = 0; i < samples.Length; i++)
            block.Times[0][i] = time(i);
        return block;
    }
}
