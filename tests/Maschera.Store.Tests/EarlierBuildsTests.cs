using Maschera.Core.Signals;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Store.Tests;

/// <summary>Databases of the builds before migrations are taken over with everything in them; one of each.</summary>
public sealed class EarlierBuildsTests : IDisposable
{
    private const int Samples = 20_000;

    /// <summary>What the third build, the last without migrations, lacks: its history, and what came by migrations.</summary>
    private static readonly string[] s_third =
    [
        "DROP TABLE __EFMigrationsHistory",
        "ALTER TABLE Channels DROP COLUMN WordsJson",
        "ALTER TABLE Channels DROP COLUMN \"Range\"",
        "ALTER TABLE Engines DROP COLUMN DeletedAt",
        "ALTER TABLE Captures DROP COLUMN SheetJson",
        "DROP TABLE Observations",
        "DROP TABLE Figures",
        "DROP TABLE Remarks",
        "DROP TABLE Work",
        "DROP TABLE Practice",
        "ALTER TABLE Jobs DROP COLUMN FoundFault",
        "ALTER TABLE Jobs DROP COLUMN FoundCylinder",
        "ALTER TABLE Jobs DROP COLUMN FoundWheel",
        "ALTER TABLE Jobs DROP COLUMN FoundAt",
        "ALTER TABLE Jobs DROP COLUMN \"By\"",
        "ALTER TABLE Readings DROP COLUMN \"By\"",
        "ALTER TABLE Codes DROP COLUMN \"By\"",
        "DROP TABLE ReportLinks",
        "ALTER TABLE Blocks DROP COLUMN Sum",
        "ALTER TABLE Levels DROP COLUMN Sum",
    ];

    /// <summary>What the second lacks beside that: codes and corrections.</summary>
    private static readonly string[] s_second =
    [
        .. s_third,
        "DROP TABLE Codes",
        "DROP TABLE Corrections",
        "ALTER TABLE Captures DROP COLUMN Exchange",
        "ALTER TABLE Jobs DROP COLUMN CodesClearedAt",
        "ALTER TABLE Jobs DROP COLUMN BatteryOffAt",
        "ALTER TABLE Jobs DROP COLUMN BatteryVolts",
    ];

    /// <summary>What the first lacks beside that: the bench's tables, and samples in blocks of today's kind.</summary>
    private static readonly string[] s_first =
    [
        .. s_second,
        "DROP TABLE Calipers",
        "DROP TABLE Pins",
        "DROP TABLE Blocks",
        "DROP TABLE Levels",
        "ALTER TABLE Channels DROP COLUMN Expression",
        "ALTER TABLE Channels DROP COLUMN IsLaneCopy",
        "ALTER TABLE Captures DROP COLUMN IsWhole",
        "ALTER TABLE Captures DROP COLUMN WriterProcess",
        "ALTER TABLE Captures DROP COLUMN ArrangementJson",
        "ALTER TABLE Captures DROP COLUMN ShelvedAt",
        "ALTER TABLE Captures DROP COLUMN ShelfReason",
        "ALTER TABLE Captures DROP COLUMN ShelfBy",
        "CREATE TABLE SampleBlocks (ChannelId INTEGER NOT NULL, Number INTEGER NOT NULL, Count INTEGER NOT NULL, "
            + "FirstSeconds REAL NOT NULL, LastSeconds REAL NOT NULL, Samples BLOB NOT NULL, Times BLOB, Extremes BLOB "
            + "NOT NULL, PRIMARY KEY (ChannelId, Number)) WITHOUT ROWID",
    ];

    private readonly string _folder = Directory.CreateTempSubdirectory("maschera").FullName;
    private readonly float[] _samples = [.. Enumerable.Range(0, Samples).Select(i => i % 100 * 0.5f)];

    public void Dispose()
    {
        using (var connection = new Microsoft.Data.Sqlite.SqliteConnection($"Data Source={Path.Combine(_folder, "t.db")}"))
            Microsoft.Data.Sqlite.SqliteConnection.ClearPool(connection);
        Directory.Delete(_folder, recursive: true);
    }

    [Theory]
    [InlineData(1)]
    [InlineData(2)]
    [InlineData(3)]
    public void A_database_of_an_earlier_build_is_taken_over_with_all_it_holds(int build)
    {
        using (var db = Open())
            Make(db, build);
        using (var fresh = Open())
        {
            fresh.Prepare();
            var row = fresh.Channels.Single();
            var loaded = new SampleStore(fresh).Load(row);
            Assert.Equal(_samples, loaded.Samples);
            Assert.Equal((1.0, 20.999), (loaded.Time.Start, Math.Round(loaded.Time.End, 9)));
            Assert.Equal(49.5f, new SampleStore(fresh).Window(row, 1, 21, 50).Values.Where(float.IsFinite).Max());
            var capture = fresh.Captures.Include(c => c.Job!.Engine).Single();
            Assert.Equal(("c", "v", 1), (capture.Name, capture.Job!.Vehicle, capture.Job.Engine!.ToEngine().Cylinders));
            Assert.True(capture.IsWhole);
            Assert.Equal(["even"], fresh.Readings.Select(r => r.Verdict));
            fresh.Jobs.Single().Codes.Add(new StoredCode { Code = "P0340", SeenAt = DateTime.UtcNow });
            fresh.Corrections.Add(new StoredCorrection { Name = "T3", Quantity = "Oil temperature" });
            fresh.SaveChanges();
            Assert.Equal(0, Count(fresh, "SampleBlocks"));
            Assert.Empty(fresh.Database.GetPendingMigrations());
        }

        using var again = Open();
        again.Prepare();
        Assert.Equal(_samples, new SampleStore(again).Load(again.Channels.Single()).Samples);
        Assert.Single(again.Codes);
    }

    [Fact]
    public void The_migrations_make_the_model_as_it_is()
    {
        using var db = Open();
        db.Prepare();
        Assert.False(db.Database.HasPendingModelChanges(), "The model has changed: write a migration with tools/Maschera.Migrations.");
        Assert.Empty(db.Database.GetPendingMigrations());
    }

    [Fact]
    public void What_a_killed_migration_leaves_locks_nobody_out()
    {
        using (var db = Open())
        {
            db.Database.ExecuteSqlRaw("CREATE TABLE __EFMigrationsLock (Id INTEGER PRIMARY KEY, Timestamp TEXT NOT NULL)");
            db.Database.ExecuteSqlRaw("INSERT INTO __EFMigrationsLock VALUES (1, '2026-01-01')");
        }

        using var fresh = Open();
        fresh.Prepare();
        Assert.Empty(fresh.Jobs);
    }

    [Fact]
    public async Task Several_processes_may_prepare_one_folder_at_once()
    {
        await Task.WhenAll(
            Enumerable
                .Range(0, 4)
                .Select(_ =>
                    Task.Run(() =>
                    {
                        using var db = Open();
                        db.Prepare();
                    })
                )
        );
        using var fresh = Open();
        Assert.Equal(fresh.Database.GetMigrations(), fresh.Database.GetAppliedMigrations());
    }

    /// <summary>A database as a build left it: one job, one capture of one channel, one reading.</summary>
    private void Make(MascheraDb db, int build)
    {
        db.Prepare();
        var job = new Job
        {
            Vehicle = "v",
            Complaint = "c",
            CreatedAt = DateTime.UtcNow,
            Engine = new StoredEngine { Name = "e", Json = """{"cylinders":1,"firingOrder":[1]}""" },
        };
        db.Jobs.Add(job);
        db.SaveChanges();
        var capture = StoredCapture.Of(job.Id, "c", new Conditions("idle", null, null, null));
        using (var writer = new CaptureWriter(db, capture))
        {
            writer.Begin([new ChannelInfo("A", "V", 0, 0.001)], 1, 0);
            for (var first = 0; first < Samples; first += SampleStore.BlockSamples)
            {
                var block = new SampleBlock(1, 1, SampleStore.BlockSamples) { Count = Math.Min(SampleStore.BlockSamples, Samples - first) };
                _samples.AsSpan(first, block.Count).CopyTo(block.Values[0]);
                for (var i = 0; i < block.Count; i++)
                    block.Times[0][i] = 1 + (first + i) * 0.001;
                writer.Append(block);
            }

            writer.Complete([]);
        }

        db.Readings.Add(
            new StoredReading
            {
                JobId = job.Id,
                CaptureId = capture.Id,
                Kind = "relative-compression",
                Verdict = "even",
                MadeAt = DateTime.UtcNow,
            }
        );
        db.SaveChanges();
        var channel = db.Channels.Single().Id;
        foreach (
            var statement in build == 1 ? s_first
            : build == 2 ? s_second
            : s_third
        )
            db.Database.ExecuteSqlRaw(statement);
        if (build == 1)
            WriteAsBefore(db, channel);
    }

    private void WriteAsBefore(MascheraDb db, int channel)
    {
        for (var (number, first) = (0, 0); first < Samples; number++, first += SampleStore.BlockSamples)
        {
            var block = _samples[first..Math.Min(Samples, first + SampleStore.BlockSamples)];
            db.Database.ExecuteSqlRaw(
                "INSERT INTO SampleBlocks VALUES ({0}, {1}, {2}, {3}, {4}, {5}, NULL, x'00')",
                channel,
                number,
                block.Length,
                1 + first * 0.001,
                1 + (first + block.Length - 1) * 0.001,
                PackedAsBefore(block)
            );
        }
    }

    private static int Count(MascheraDb db, string table) =>
        db.Database.SqlQuery<int>($"SELECT COUNT(*) AS Value FROM sqlite_master WHERE name = {table}").Single();

    /// <summary>
    /// A block as the first build wrote plain floats: a kind byte, sixteen unused ones, and the bytes of equal weight side by
    /// side, deflated.
    /// </summary>
    private static byte[] PackedAsBefore(float[] block)
    {
        var plain = System.Runtime.InteropServices.MemoryMarshal.AsBytes<float>(block).ToArray();
        using var packed = new MemoryStream();
        packed.Write(new byte[17]);
        using (
            var deflate = new System.IO.Compression.DeflateStream(packed, System.IO.Compression.CompressionLevel.Fastest, leaveOpen: true)
        )
            for (var b = 0; b < 4; b++)
            for (var i = 0; i < block.Length; i++)
                deflate.WriteByte(plain[4 * i + b]);
        return packed.ToArray();
    }

    private MascheraDb Open() => new(MascheraDb.ForFile(Path.Combine(_folder, "t.db")));
}
