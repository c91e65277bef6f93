namespace Maschera.Store.Upkeep;

/// <summary>One server a data folder: the lock is the system's and goes with the process, however it ends.</summary>
public sealed class FolderLock : IDisposable
{
    /// <summary>A server that was told to stop may need a moment.</summary>
    private const int MostTries = 10,
        TriesApart = 200;

    private readonly FileStream _file;

    private FolderLock(FileStream file) => _file = file;

    /// <summary>Takes the folder.</summary>
    /// <exception cref="UpkeepException">Another server has it, or it can't be written.</exception>
    public static FolderLock Take(DataFolder data)
    {
        for (var tries = 0; ; tries++)
            try
            {
                var file = Path.Combine(data.Root, "server.lock");
                return new(new FileStream(file, FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None));
            }
            catch (UnauthorizedAccessException error)
            {
                throw new UpkeepException($"The data folder {data.Root} can't be written: {error.Message}");
            }
            catch (IOException) when (tries < MostTries)
            {
                Thread.Sleep(TriesApart);
            }
            catch (IOException)
            {
                throw new UpkeepException(
                    $"Another server runs on the data folder {data.Root}. Stop it first, or name another with --data."
                );
            }
    }

    public void Dispose() => _file.Dispose();
}
