using Maschera.Core.Expressions;
using Maschera.Core.Quantities;
using Maschera.Core.Signals;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Infrastructure;
using Microsoft.EntityFrameworkCore.Migrations;

namespace Maschera.Store;

/// <summary>
/// Takes over databases of the builds before migrations: brings them to the first migration's shape and marks that one as done.
/// Those of the first build had their samples in one table with a single level of extremes; those of the second knew no trouble
/// codes; those of the third lack nothing.
/// </summary>
internal static class EarlierBuilds
{
    private const string AddedColumns = """
        ALTER TABLE Captures ADD COLUMN IsWhole INTEGER NOT NULL DEFAULT 1;
        ALTER TABLE Captures ADD COLUMN WriterProcess INTEGER;
        ALTER TABLE Captures ADD COLUMN ArrangementJson TEXT;
        ALTER TABLE Captures ADD COLUMN ShelvedAt TEXT;
        ALTER TABLE Captures ADD COLUMN ShelfReason TEXT;
        ALTER TABLE Captures ADD COLUMN ShelfBy TEXT;
        ALTER TABLE Channels ADD COLUMN Expression TEXT;
        ALTER TABLE Channels ADD COLUMN IsLaneCopy INTEGER NOT NULL DEFAULT 0;
        """;

    private const string AddedTables = """
        CREATE TABLE IF NOT EXISTS Calipers (Id INTEGER NOT NULL CONSTRAINT PK_Calipers PRIMARY KEY AUTOINCREMENT,
          CaptureId INTEGER NOT NULL REFERENCES Captures (Id) ON DELETE CASCADE, Name TEXT NOT NULL,
          ChannelId INTEGER NOT NULL REFERENCES Channels (Id) ON DELETE CASCADE, "From" REAL NOT NULL, "To" REAL NOT NULL);
        CREATE TABLE IF NOT EXISTS Pins (Id INTEGER NOT NULL CONSTRAINT PK_Pins PRIMARY KEY AUTOINCREMENT,
          CaptureId INTEGER NOT NULL REFERENCES Captures (Id) ON DELETE CASCADE, "At" REAL NOT NULL, Remark TEXT NOT NULL);
        """;

    private const string IntakeColumns = """
        ALTER TABLE Jobs ADD COLUMN CodesClearedAt TEXT;
        ALTER TABLE Jobs ADD COLUMN BatteryOffAt TEXT;
        ALTER TABLE Jobs ADD COLUMN BatteryVolts REAL;
        ALTER TABLE Captures ADD COLUMN Exchange TEXT;
        CREATE TABLE Codes (Id INTEGER NOT NULL CONSTRAINT PK_Codes PRIMARY KEY AUTOINCREMENT,
          JobId INTEGER NOT NULL REFERENCES Jobs (Id) ON DELETE CASCADE,
          Code TEXT NOT NULL, Text TEXT NOT NULL, Module TEXT NOT NULL, State TEXT NOT NULL,
          FrozenJson TEXT, SeenAt TEXT NOT NULL, DeletedAt TEXT);
        CREATE TABLE Corrections (Id INTEGER NOT NULL CONSTRAINT PK_Corrections PRIMARY KEY AUTOINCREMENT,
          Name TEXT NOT NULL, Quantity TEXT NOT NULL);
        CREATE INDEX IX_Codes_JobId ON Codes (JobId);
        CREATE UNIQUE INDEX IX_Corrections_Name ON Corrections (Name);
        """;

    /// <summary>Takes over a database that was made before there were migrations; leaves every other alone.</summary>
    public static void TakeOver(MascheraDb db)
    {
        if (!HasTable(db, "Jobs") || HasTable(db, HistoryRepository.DefaultTableName))
            return;
        using (var transaction = db.Database.BeginTransaction())
        {
            if (HasTable(db, "SampleBlocks") && !HasTable(db, "Calipers"))
                db.Database.ExecuteSqlRaw(AddedColumns + AddedTables);
            if (!HasTable(db, "Codes"))
                db.Database.ExecuteSqlRaw(IntakeColumns);
            db.Database.ExecuteSqlRaw(SampleStore.Schema);
            transaction.Commit();
        }

        var history = db.GetService<IHistoryRepository>();
        db.Database.ExecuteSqlRaw(history.GetCreateIfNotExistsScript());
        db.Database.ExecuteSqlRaw(history.GetInsertScript(new HistoryRow(db.Database.GetMigrations().First(), ProductInfo.GetVersion())));
    }

    /// <summary>True while the first build's samples still stand where it kept them.</summary>
    public static bool HasOldSamples(MascheraDb db) => HasTable(db, "SampleBlocks");

    /// <summary>Moves the first build's samples over, then drops their table; every migration has to be made before.</summary>
    public static void MoveSamples(MascheraDb db)
    {
        if (!HasOldSamples(db))
            return;
        db.Database.ExecuteSqlRaw("DELETE FROM Blocks; DELETE FROM Levels");
        foreach (var channel in db.Channels.ToList())
            Move(db, channel);
        db.SaveChanges();
        db.Database.ExecuteSqlRaw("DROP TABLE SampleBlocks");
    }

    private static void Move(MascheraDb db, StoredChannel channel)
    {
        using var rows = new BlockRows(db.Database.GetConnectionString()!);
        var blocks = new ClockBlocks(new TimeCollector(0), [new ChannelTarget(channel, 0, 1)]);
        using (var connection = SampleStore.Open(db.Database.GetConnectionString()!))
        using (var command = connection.CreateCommand())
        {
            command.CommandText =
                "SELECT Count, Samples, Times, FirstSeconds, LastSeconds FROM SampleBlocks WHERE ChannelId = $id ORDER BY Number";
            command.Parameters.AddWithValue("$id", channel.Id);
            using var old = command.ExecuteReader();
            for (var first = 0; old.Read(); first += old.GetInt32(0))
            {
                var count = old.GetInt32(0);
                var times = old.IsDBNull(2)
                    ? Line(channel, first, count, old.GetDouble(3), old.GetDouble(4))
                    : BlockCodec.UnpackTimes(old.GetFieldValue<byte[]>(2), count);
                blocks.Append(times, [BlockCodec.Unpack(old.GetFieldValue<byte[]>(1), count)], rows);
            }
        }

        blocks.Finish(rows);
        rows.Complete();
    }

    private static double[] Line(StoredChannel channel, int first, int count, double from, double to)
    {
        var times = new double[count];
        for (var i = 0; i < count; i++)
            times[i] = channel.IsUniform ? channel.Start + (first + i) * channel.Step : from + i * (to - from) / Math.Max(1, count - 1);
        return times;
    }

    private static bool HasTable(MascheraDb db, string name) =>
        db.Database.SqlQuery<int>($"SELECT COUNT(*) AS Value FROM sqlite_master WHERE type = 'table' AND name = {name}").Single() > 0;
}
