using Microsoft.Data.Sqlite;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Store.Upkeep;

/// <summary>What is wrong with a database and what to do; nothing where it is sound.</summary>
/// <param name="Jobs">Jobs that are there.</param>
/// <param name="Captures">Captures that are there.</param>
/// <param name="Blocks">Blocks of samples that were held against their checksum.</param>
public sealed record CheckedData(int Jobs, int Captures, long Blocks, IReadOnlyList<string> Problems)
{
    public bool IsSound => Problems.Count == 0;
}

/// <summary>Reads a database back: SQLite's own check, every channel's samples there, every block as it was written.</summary>
public static class DataCheck
{
    private const int MostProblems = 20;

    /// <summary>Checks a database file; it is only read.</summary>
    /// <param name="path">The file.</param>
    /// <param name="every">1 checks every block, n every n-th.</param>
    public static CheckedData Of(string path, int every = 1)
    {
        if (!File.Exists(path))
            return Broken($"There is no database {path}. Name the data folder with --data, or restore a backup.");
        try
        {
            using var connection = SampleStore.Open($"Data Source={path};Mode=ReadOnly;Pooling=False");
            return Integrity(connection) is { } problem
                ? Broken($"SQLite finds the database damaged: {problem}. Restore a backup.")
                : Read(connection, path, every);
        }
        catch (SqliteException error)
        {
            return Broken($"{path} can't be read as a database: {error.Message}. Restore a backup.");
        }
    }

    private static CheckedData Broken(string problem) => new(0, 0, 0, [problem]);

    private static string? Integrity(SqliteConnection connection)
    {
        using var command = connection.CreateCommand();
        command.CommandText = "PRAGMA integrity_check(1)";
        return command.ExecuteScalar() as string is var said and not "ok" ? said ?? "nothing was said" : null;
    }

    private static CheckedData Read(SqliteConnection connection, string path, int every)
    {
        using var db = new MascheraDb(MascheraDb.ForFile(path));
        if (db.Database.GetPendingMigrations().Any())
            return Broken("The database is of an earlier build: start the server once, which brings it up to date, then check again.");
        List<string> problems = [];
        long blocks = 0;
        foreach (var channel in db.Channels.AsNoTracking().Include(c => c.Capture).Where(c => c.Capture!.IsWhole).ToList())
            blocks += Check(connection, channel, every, problems);
        return new(
            db.LiveJobs.Count(),
            db.Captures.Count(),
            blocks,
            problems.Count <= MostProblems ? problems : [.. problems.Take(MostProblems), $"and {problems.Count - MostProblems} more."]
        );
    }

    private static long Check(SqliteConnection connection, StoredChannel channel, int every, List<string> problems)
    {
        using var command = connection.CreateCommand();
        command.CommandText =
            "SELECT Number, Count, FirstSeconds, LastSeconds, Samples, Times, Sum FROM Blocks WHERE Key BETWEEN $from AND $to";
        var (from, to) = SampleStore.KeysOf(channel.Id);
        command.Parameters.AddWithValue("$from", from);
        command.Parameters.AddWithValue("$to", to);
        using var rows = command.ExecuteReader();
        long samples = 0,
            blocks = 0;
        while (rows.Read())
        {
            samples += rows.GetInt32(1);
            if (rows.GetInt32(0) % every != 0)
                continue;
            blocks++;
            var times = rows.IsDBNull(5) ? null : rows.GetFieldValue<byte[]>(5);
            if (!BlockSum.Holds(rows.IsDBNull(6) ? null : rows.GetInt64(6), rows.GetFieldValue<byte[]>(4), times))
                problems.Add(Named(channel, DamagedDataException.Of(channel, rows.GetDouble(2), rows.GetDouble(3)).Message));
        }

        if (samples != channel.Count)
            problems.Add(Named(channel, $"'{channel.Name}' has {samples:N0} of its {channel.Count:N0} samples. Restore a backup."));
        return blocks;
    }

    private static string Named(StoredChannel channel, string problem) =>
        $"Capture {channel.CaptureId}, {channel.Capture!.Name}: {problem}";
}
