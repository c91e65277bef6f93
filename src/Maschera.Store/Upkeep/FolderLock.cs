namespace Maschera.Store.Upkeep;

/// <summary>
/// A data folder has one server at a time, a folder of backups one that writes to it: the locks are the system's and go with the process.
/// </summary>
public sealed class FolderLock : IDisposable
{
    /// <summary>Who was told to stop may need a moment.</summary>
    private const int MostTries = 10,
        TriesApart = 200;

    private readonly FileStream _file;

    private FolderLock(FileStream file) => _file = file;

    /// <summary>Takes the folder for a server.</summary>
    /// <exception cref="UpkeepException">Another server has it, or it can't be written.</exception>
    public static FolderLock Take(DataFolder data) =>
        Take(
            data.Root,
            "server.lock",
            FileOptions.None,
            "Another server runs on the data folder",
            "Stop it first, or name another with --data."
        );

    /// <summary>Takes the folder that backups are written to; nothing of the lock is left in it.</summary>
    /// <exception cref="UpkeepException">One is being written to it already, or it can't be written.</exception>
    public static FolderLock TakeForBackup(string to) =>
        Take(to, ".backup.lock", FileOptions.DeleteOnClose, "A backup is being written to the folder", "Wait until it is done.");

    private static FolderLock Take(string folder, string name, FileOptions options, string taken, string advice)
    {
        var file = Path.Combine(folder, name);
        for (var tries = 0; ; tries++)
            try
            {
                return new(new FileStream(file, FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None, 1, options));
            }
            catch (UnauthorizedAccessException error)
            {
                throw new UpkeepException($"The folder {folder} can't be written: {error.Message}");
            }
            catch (IOException) when (tries < MostTries)
            {
                Thread.Sleep(TriesApart);
            }
            catch (IOException)
            {
                throw new UpkeepException($"{taken} {folder}. {advice}");
            }
    }

    public void Dispose() => _file.Dispose();
}
