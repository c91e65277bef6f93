namespace Maschera.Store.Upkeep;

/// <summary>A data folder has one server and one backup at a time: the locks are the system's and go with the process.</summary>
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
        Take(data.Root, "server.lock", "Another server runs on", "Stop it first, or name another with --data.");

    /// <summary>Takes the folder for a backup, beside the server that may run on it.</summary>
    /// <exception cref="UpkeepException">It is being backed up already, or it can't be written.</exception>
    public static FolderLock TakeForBackup(string dataFolder) =>
        Take(dataFolder, "backup.lock", "A backup is being made of", "Wait until it is done.");

    private static FolderLock Take(string folder, string name, string taken, string advice)
    {
        for (var tries = 0; ; tries++)
            try
            {
                return new(new FileStream(Path.Combine(folder, name), FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None));
            }
            catch (UnauthorizedAccessException error)
            {
                throw new UpkeepException($"The data folder {folder} can't be written: {error.Message}");
            }
            catch (IOException) when (tries < MostTries)
            {
                Thread.Sleep(TriesApart);
            }
            catch (IOException)
            {
                throw new UpkeepException($"{taken} the data folder {folder}. {advice}");
            }
    }

    public void Dispose() => _file.Dispose();
}
