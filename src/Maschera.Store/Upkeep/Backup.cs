using System.Globalization;
using Microsoft.Data.Sqlite;

namespace Maschera.Store.Upkeep;

/// <summary>A folder that can't be backed up or restored; its message is a sentence for the person.</summary>
public sealed class UpkeepException(string message) : Exception(message);

/// <summary>What a backup left behind.</summary>
/// <param name="File">The backup.</param>
/// <param name="Removed">Older ones that were taken away.</param>
public sealed record BackedUp(string File, CheckedData Checked, IReadOnlyList<string> Removed);

/// <summary>Copies a data folder's database while a server runs on it, reads the copy back, and brings one back.</summary>
public static class Backup
{
    private const string Prefix = "maschera-",
        Stamp = "yyyyMMdd-HHmmss",
        Part = ".part";

    /// <summary>Of a large copy every so many blocks are held against their checksums while backing up; doctor takes all.</summary>
    private const int Sample = 8;

    /// <summary>Makes a backup; nothing is left of one that fails, and older ones stay then.</summary>
    /// <param name="now">The present, UTC.</param>
    /// <param name="keepDays">Backups older than so many days go; the newest always stays.</param>
    /// <exception cref="UpkeepException">The folder holds no database, the copy can't be written, or it is damaged.</exception>
    public static BackedUp Make(string dataFolder, string to, DateTime now, int keepDays)
    {
        if (!File.Exists(Path.Combine(dataFolder, DataFolder.DatabaseName)))
            throw new UpkeepException($"There is no database in {dataFolder}. Name the data folder with --data.");
        var file = Path.Combine(to, Prefix + now.ToString(Stamp, CultureInfo.InvariantCulture) + ".db");
        try
        {
            Directory.CreateDirectory(to);
            using var alone = FolderLock.TakeForBackup(to);
            return new(file, Write(dataFolder, file), RemoveOlder(to, file, now.AddDays(-keepDays)));
        }
        catch (Exception error) when (error is IOException or UnauthorizedAccessException or SqliteException)
        {
            throw new UpkeepException($"The backup could not be written to {to}: {error.Message}");
        }
    }

    /// <summary>Writes the copy under a name of its own until it was read back; nothing of it is left if it is damaged.</summary>
    private static CheckedData Write(string dataFolder, string file)
    {
        var to = Path.GetDirectoryName(file)!;
        DiscardParts(to);
        try
        {
            Copy(Path.Combine(dataFolder, DataFolder.DatabaseName), file + Part, Path.Combine(dataFolder, DataFolder.CorrectionsName));
            var found = DataCheck.Of(file + Part, Sample);
            if (!found.IsSound)
                throw new UpkeepException($"The backup is not kept, for what it holds is damaged. {found.Problems[0]}");
            File.Move(file + Part, file, overwrite: true);
            return found;
        }
        finally
        {
            DiscardParts(to);
        }
    }

    /// <summary>Takes away what this backup, or one that was killed, wrote and did not finish.</summary>
    private static void DiscardParts(string to)
    {
        foreach (var rest in Directory.GetFiles(to, $"{Prefix}*.db{Part}*"))
            File.Delete(rest);
    }

    /// <summary>
    /// Brings a backup back into a data folder that no server runs on. What was there is moved aside, not overwritten; the backup is
    /// checked whole before anything is touched. Returns where the earlier database lies now; null where there was none.
    /// </summary>
    /// <exception cref="UpkeepException">The backup is damaged or not there, or a server runs on the folder.</exception>
    public static string? Restore(string file, DataFolder data, DateTime now)
    {
        using var alone = FolderLock.Take(data);
        var found = DataCheck.Of(file);
        if (!found.IsSound)
            throw new UpkeepException($"{file} is not restored. {found.Problems[0]}");
        try
        {
            var fresh = data.Database + Part;
            File.Copy(file, fresh, overwrite: true);
            var (told, corrections) = TakeCorrections(fresh);
            var stamp = "before-" + now.ToString(Stamp, CultureInfo.InvariantCulture);
            var aside = MoveAside(data, stamp);
            File.Move(fresh, data.Database);
            if (told)
                PutCorrections(data, stamp, corrections);
            return aside;
        }
        catch (Exception error) when (error is IOException or UnauthorizedAccessException or SqliteException)
        {
            throw new UpkeepException($"The backup could not be restored to {data.Root}: {error.Message}");
        }
    }

    private static (bool Told, string? Text) TakeCorrections(string copy)
    {
        using var opened = SampleStore.Open($"Data Source={copy};Pooling=False");
        return CorrectionsCopy.Take(opened);
    }

    private static void PutCorrections(DataFolder data, string stamp, string? text)
    {
        if (File.Exists(data.Corrections))
            File.Move(data.Corrections, Path.Combine(data.Root, $"{stamp}-{DataFolder.CorrectionsName}"));
        if (text is not null)
            File.WriteAllText(data.Corrections, text);
    }

    private static string? MoveAside(DataFolder data, string stamp)
    {
        if (!File.Exists(data.Database))
            return null;
        var aside = Path.Combine(data.Root, stamp + ".db");
        // What stands in the journal belongs to the database.
        foreach (var end in (string[])["", "-wal", "-shm"])
            if (File.Exists(data.Database + end))
                File.Move(data.Database + end, aside + end);
        return aside;
    }

    private static void Copy(string source, string target, string corrections)
    {
        using var from = SampleStore.Open($"Data Source={source};Mode=ReadOnly;Pooling=False");
        using var to = SampleStore.Open($"Data Source={target};Pooling=False");
        from.BackupDatabase(to);
        CorrectionsCopy.Put(to, corrections);
        using var command = to.CreateCommand();
        command.CommandText = "PRAGMA journal_mode = DELETE";
        command.ExecuteNonQuery();
    }

    private static List<string> RemoveOlder(string folder, string newest, DateTime before)
    {
        List<string> removed = [];
        foreach (var file in Directory.GetFiles(folder, Prefix + "*.db").Where(f => f != newest))
            if (
                DateTime.TryParseExact(
                    Path.GetFileNameWithoutExtension(file)[Prefix.Length..],
                    Stamp,
                    CultureInfo.InvariantCulture,
                    DateTimeStyles.AssumeUniversal | DateTimeStyles.AdjustToUniversal,
                    out var made
                )
                && made < before
            )
            {
                File.Delete(file);
                removed.Add(file);
            }

        return removed;
    }
}
