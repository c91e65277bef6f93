using Maschera.Core.Signals;
using Maschera.Store.Upkeep;
using Microsoft.Data.Sqlite;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Store.Tests;

/// <summary>Backups, their way back, the doctor, and bytes that changed on the disk.</summary>
public sealed class UpkeepTests : IDisposable
{
    private const int Samples = 60_000;

    private static readonly DateTime s_now = new(2026, 11, 26, 3, 0, 0, DateTimeKind.Utc);

    private readonly string _root = Directory.CreateTempSubdirectory("upkeep").FullName;
    private readonly DataFolder _data;
    private readonly string _to;

    public UpkeepTests()
    {
        _data = new DataFolder(Path.Combine(_root, "data"));
        _to = Path.Combine(_root, "backups");
        using var db = Open();
        db.Prepare();
        Keep(db, "first");
    }

    public void Dispose()
    {
        SqliteConnection.ClearAllPools();
        Directory.Delete(_root, recursive: true);
    }

    [Fact]
    public void A_backup_while_somebody_writes_is_whole_and_comes_back_elsewhere()
    {
        using var writing = Open();
        using var transaction = writing.Database.BeginTransaction();
        writing.Jobs.First().Complaint = "half said";
        writing.SaveChanges();
        var done = Backup.Make(_data.Root, _to, s_now, 30);
        Assert.True(done.Checked.IsSound);
        Assert.Equal((1, 1), (done.Checked.Jobs, done.Checked.Captures));
        transaction.Rollback();

        var elsewhere = new DataFolder(Path.Combine(_root, "elsewhere"));
        Assert.Null(Backup.Restore(done.File, elsewhere, s_now));
        using var restored = new MascheraDb(MascheraDb.ForFile(elsewhere.Database));
        restored.Prepare();
        Assert.Equal("c", restored.Jobs.Single().Complaint);
        var channel = new SampleStore(restored).Load(restored.Channels.Single());
        Assert.Equal(Value(Samples - 1), channel.Samples[^1]);
    }

    [Fact]
    public void Restoring_moves_what_was_there_aside_and_keeps_what_its_journal_held()
    {
        var done = Backup.Make(_data.Root, _to, s_now, 30);
        using (var db = Open())
            Keep(db, "second");
        SqliteConnection.ClearAllPools();
        var aside = Backup.Restore(done.File, _data, s_now);
        using (var db = Open())
            Assert.Equal("first", db.Captures.Single().Name);
        using var before = new MascheraDb(MascheraDb.ForFile(aside!));
        Assert.Equal(["first", "second"], before.Captures.Select(c => c.Name).Order());
    }

    [Fact]
    public void The_strengths_a_workshop_corrected_come_back_with_the_backup()
    {
        const string corrections = "accident 0.05\n# our own\n";
        File.WriteAllText(_data.Corrections, corrections);
        var done = Backup.Make(_data.Root, _to, s_now, 30);
        Assert.True(DataCheck.Of(done.File).IsSound);

        var elsewhere = new DataFolder(Path.Combine(_root, "elsewhere"));
        Backup.Restore(done.File, elsewhere, s_now);
        Assert.Equal(corrections, File.ReadAllText(elsewhere.Corrections));
        Assert.Equal(0L, Tables(elsewhere.Database, "KeptCorrections"));
        // A backup of the restored folder, and one that says that there were none.
        File.Delete(elsewhere.Corrections);
        var none = Backup.Make(elsewhere.Root, _to, s_now.AddHours(1), 30);
        Backup.Restore(none.File, _data, s_now.AddHours(1));
        Assert.False(File.Exists(_data.Corrections));
        var aside = Assert.Single(Directory.GetFiles(_data.Root, "before-*-likelihoods.txt"));
        Assert.Equal(corrections, File.ReadAllText(aside));
    }

    [Fact]
    public void A_backup_of_a_build_that_left_the_strengths_out_leaves_those_that_stand()
    {
        var done = Backup.Make(_data.Root, _to, s_now, 30);
        using (var old = new SqliteConnection($"Data Source={done.File};Pooling=False"))
        {
            old.Open();
            using var command = old.CreateCommand();
            command.CommandText = "DROP TABLE KeptCorrections";
            command.ExecuteNonQuery();
        }

        File.WriteAllText(_data.Corrections, "accident 0.05");
        SqliteConnection.ClearAllPools();
        Backup.Restore(done.File, _data, s_now);
        Assert.Equal("accident 0.05", File.ReadAllText(_data.Corrections));
    }

    private static long Tables(string file, string name)
    {
        using var opened = new SqliteConnection($"Data Source={file};Pooling=False");
        opened.Open();
        using var command = opened.CreateCommand();
        command.CommandText = $"SELECT COUNT(*) FROM sqlite_master WHERE name = '{name}'";
        return (long)command.ExecuteScalar()!;
    }

    [Fact]
    public void Old_backups_go_by_their_days_and_the_newest_stays()
    {
        var old = Backup.Make(_data.Root, _to, s_now.AddDays(-40), 30).File;
        var kept = Backup.Make(_data.Root, _to, s_now.AddDays(-10), 30).File;
        File.WriteAllText(Path.Combine(_to, "maschera-notes.db"), "not ours");
        var done = Backup.Make(_data.Root, _to, s_now, 30);
        Assert.Equal([old], done.Removed);
        Assert.True(File.Exists(kept) && File.Exists(done.File));
        Assert.Equal(4 - 1, Directory.GetFiles(_to).Length);
    }

    [Fact]
    public void What_a_killed_backup_left_goes_with_the_next_and_two_at_once_are_refused()
    {
        Directory.CreateDirectory(_to);
        foreach (var end in (string[])["", "-journal", "-wal"])
            File.WriteAllText(Path.Combine(_to, $"maschera-20261125-030000.db.part{end}"), "half");
        File.WriteAllText(Path.Combine(_to, "notes.part"), "not ours");
        var half = Path.Combine(_to, "maschera-20261125-030000.db.part");
        using (FolderLock.TakeForBackup(_to))
        {
            var error = Assert.Throws<UpkeepException>(() => Backup.Make(_data.Root, _to, s_now, 30));
            Assert.Contains($"A backup is being written to the folder {_to}", error.Message, StringComparison.Ordinal);
            Assert.True(File.Exists(half), "Another's half is not touched.");
            Assert.True(File.Exists(Backup.Make(_data.Root, _to + "2", s_now, 30).File));
        }

        var done = Backup.Make(_data.Root, _to, s_now, 30);
        Assert.Equal([Path.GetFileName(done.File), "notes.part"], Directory.GetFiles(_to).Select(Path.GetFileName).Order());
    }

    [Fact]
    public void A_flipped_byte_is_named_with_capture_channel_and_stretch_and_no_backup_of_it_is_kept()
    {
        Flip("Blocks", "Samples", 1);
        using (var db = Open())
        {
            var error = Assert.Throws<DamagedDataException>(() => new SampleStore(db).Load(db.Channels.Single()));
            Assert.Contains("'Current' from 1.638 to 3.277 s", error.Message, StringComparison.Ordinal);
        }

        var found = DataCheck.Of(_data.Database);
        var problem = Assert.Single(found.Problems);
        Assert.Contains("first: The samples of 'Current' from 1.638", problem, StringComparison.Ordinal);
        Flip("Blocks", "Samples", 0);
        Assert.Throws<UpkeepException>(() => Backup.Make(_data.Root, _to, s_now, 30));
        Assert.Empty(Directory.GetFiles(_to));
    }

    [Fact]
    public void A_flipped_byte_of_the_overview_is_not_drawn_either()
    {
        using var db = Open();
        Keep(db, "long", 4 * Samples);
        var row = db.Channels.OrderBy(c => c.Id).Last();
        Assert.NotEmpty(new SampleStore(db).Window(row, 0, 24, 100).Values);
        Flip("Levels", "Pairs", null);
        Assert.Throws<DamagedDataException>(() => new SampleStore(db).Window(row, 0, 24, 100));
    }

    [Fact]
    public void Missing_blocks_garbage_and_nothing_at_all_are_said()
    {
        Execute("DELETE FROM Blocks WHERE Number = 1");
        Assert.Contains("43,616 of its 60,000 samples", Assert.Single(DataCheck.Of(_data.Database).Problems), StringComparison.Ordinal);
        SqliteConnection.ClearAllPools();
        var bytes = File.ReadAllBytes(_data.Database);
        File.WriteAllBytes(Path.Combine(_root, "half.db"), bytes[..(bytes.Length / 2)]);
        Assert.False(DataCheck.Of(Path.Combine(_root, "half.db")).IsSound);
        File.WriteAllText(Path.Combine(_root, "text.db"), new string('x', 5_000));
        Assert.Contains("can't be read as a database", DataCheck.Of(Path.Combine(_root, "text.db")).Problems[0], StringComparison.Ordinal);
        Assert.Contains("There is no database", DataCheck.Of(Path.Combine(_root, "none.db")).Problems[0], StringComparison.Ordinal);
        var error = Assert.Throws<UpkeepException>(() => Backup.Restore(Path.Combine(_root, "half.db"), _data, s_now));
        Assert.Contains("is not restored", error.Message, StringComparison.Ordinal);
        Assert.Throws<UpkeepException>(() => Backup.Make(Path.Combine(_root, "nowhere"), _to, s_now, 30));
    }

    [Fact]
    public void Nothing_is_restored_under_a_server_and_a_database_of_a_newer_build_is_left_alone()
    {
        var done = Backup.Make(_data.Root, _to, s_now, 30);
        using (FolderLock.Take(_data))
        {
            Assert.Throws<UpkeepException>(() => FolderLock.Take(_data));
            Assert.Throws<UpkeepException>(() => Backup.Restore(done.File, _data, s_now));
        }

        Execute("INSERT INTO __EFMigrationsHistory VALUES ('29990101000000_Later', '99.0')");
        using var db = Open();
        Assert.Contains("newer build", Assert.Throws<UpkeepException>(db.Prepare).Message, StringComparison.Ordinal);
    }

    private MascheraDb Open() => new(MascheraDb.ForFile(_data.Database));

    private static float Value(int i) => (float)Math.Sin(i * 0.001);

    private static void Keep(MascheraDb db, string name, int samples = Samples)
    {
        var job =
            db.Jobs.FirstOrDefault()
            ?? new Job
            {
                Vehicle = "v",
                Complaint = "c",
                Engine = new StoredEngine { Name = "e" },
            };
        if (job.Id == 0)
            db.Jobs.Add(job);
        db.SaveChanges();
        var row = StoredCapture.Of(job.Id, name, new Conditions(null, null, null, null));
        using var writer = new CaptureWriter(db, row, channels => [.. channels.Select(c => new ChannelChoice(c.Name, c.Unit, 1, null))]);
        writer.Begin([new ChannelInfo("Current", "A", 0, 1e-4)], 1, 0);
        var block = new SampleBlock(1, 1, samples) { Count = samples };
        for (var i = 0; i < samples; i++)
            (block.Times[0][i], block.Values[0][i]) = (i * 1e-4, Value(i));
        writer.Append(block);
        writer.Complete([]);
    }

    private void Execute(string text)
    {
        using var db = Open();
        db.Database.ExecuteSqlRaw(text);
    }

    /// <summary>Turns one byte over in the middle of a block's samples, or of every page.</summary>
    private void Flip(string table, string column, int? number)
    {
        using var connection = new SqliteConnection($"Data Source={_data.Database}");
        connection.Open();
        using var read = connection.CreateCommand();
        read.CommandText = $"SELECT Key, {column} FROM {table}" + (number is null ? "" : $" WHERE Number = {number}");
        List<(long Key, byte[] Bytes)> rows = [];
        using (var found = read.ExecuteReader())
            while (found.Read())
                rows.Add((found.GetInt64(0), found.GetFieldValue<byte[]>(1)));
        foreach (var (key, bytes) in rows)
        {
            bytes[bytes.Length / 2] ^= 0x10;
            using var write = connection.CreateCommand();
            write.CommandText = $"UPDATE {table} SET {column} = $bytes WHERE Key = $key";
            write.Parameters.AddWithValue("$bytes", bytes);
            write.Parameters.AddWithValue("$key", key);
            write.ExecuteNonQuery();
        }
    }
}
