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
        _db.Jobs.Add(new Job { Vehicle = "v", Complaint = "c", Engine = engine, CreatedAt = DateTime.UtcNow });
        _db.SaveChanges();
    }

    public void Dispose()
    {
        _db.Dispose();
        Microsoft.Data.Sqlite.SqliteConnection.ClearAllPools();
        Directory.Delete(_folder, recursive: true);
    }

    [Theory]
    [InlineData(0.001)]
    [InlineData(0.4882813)]
    [InlineData(0)]
    public void Samples_come_back_bit_for_bit(double step)
    {
        var random = new Random(1);
        var samples = Enumerable.Range(0, 40_000).Select(_ => step > 0 ? (float)(random.Next(-2000, 2000) * step) : random.NextSingle()).ToArray();
        samples[17] = float.NaN;
        var channel = Keep(samples, i => i * 1e-3);
        Assert.Equal(samples, new SampleStore(_db).Load(channel).Samples);
    }

    [Fact]
    public void Uneven_times_come_back_too()
    {
        var channel = Keep(Enumerable.Range(0, 40_000).Select(i => (float)i).ToArray(), i => i < 20_000 ? i * 0.01 : 200 + (i - 20_000) * 0.013 + (i % 7) * 1e-3);
        var loaded = new SampleStore(_db).Load(channel);
        Assert.False(loaded.Time.IsUniform);
        Assert.All(Enumerable.Range(0, 40_000), i => Assert.Equal(i < 20_000 ? i * 0.01 : 200 + (i - 20_000) * 0.013 + (i % 7) * 1e-3, loaded.Time[i], 9));
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
            Assert.Equal(5, trace.Values.Max());
            Assert.Equal(-3, trace.Values.Min());
            Assert.True(trace.Values.Length <= 3 * columns + 8);
            Assert.Equal(trace.Seconds.Order(), trace.Seconds);
        }
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
        Assert.Equal(0, fresh.Database.SqlQueryRaw<int>("SELECT COUNT(*) AS Value FROM SampleBlocks").Single());
    }

    [Fact]
    public void Scale_unit_and_choice_of_channels_are_kept()
    {
        var capture = new StoredCapture { JobId = 1, Name = "scaled" };
        using (var writer = new CaptureWriter(_db, capture, [new ChannelChoice("Current", "A", 100, "current"), new ChannelChoice("Off", "V", 1, null, Keep: false)]))
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
    public void What_was_deleted_goes_at_the_next_start_with_its_samples()
    {
        var channel = Keep(new float[20_000], i => i);
        var capture = _db.Captures.First(c => c.Id == channel.CaptureId);
        capture.DeletedAt = DateTime.UtcNow;
        _db.SaveChanges();
        using var fresh = Open();
        fresh.Prepare();
        Assert.Empty(fresh.Captures);
        Assert.Equal(0, fresh.Database.SqlQueryRaw<int>("SELECT COUNT(*) AS Value FROM SampleBlocks").Single());
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
        for (var i = 0; i < samples.Length; i++) block.Times[0][i] = time(i);
        return block;
    }
}
