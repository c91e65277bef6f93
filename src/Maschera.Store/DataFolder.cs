namespace Maschera.Store;

/// <summary>Where the database and files on their way in are kept.</summary>
public sealed class DataFolder
{
    /// <summary>Uploads that nobody brought in and exports that were stopped stay this long.</summary>
    public static readonly TimeSpan LeftoverStays = TimeSpan.FromDays(1);

    public DataFolder(string path)
    {
        Root = Path.GetFullPath(path);
        Directory.CreateDirectory(Incoming);
    }

    public string Root { get; }

    /// <summary>The database file.</summary>
    public string Database => Path.Combine(Root, DatabaseName);

    /// <summary>Its file's name.</summary>
    public const string DatabaseName = "maschera.db";

    /// <summary>The workshop's own strengths of evidence, to be edited by hand too; not there while it has none.</summary>
    public string Corrections => Path.Combine(Root, CorrectionsName);

    /// <summary>Their file's name.</summary>
    public const string CorrectionsName = "likelihoods.txt";

    /// <summary>Uploads that are not imported yet.</summary>
    public string Incoming => Path.Combine(Root, "incoming");

    /// <summary>
    /// A file for what is given out: it is written whole before it leaves, so that nobody gets half a download, and is gone once it is
    /// closed.
    /// </summary>
    public FileStream Outgoing() =>
        new(
            Path.Combine(Incoming, $"export-{Guid.NewGuid():N}"),
            FileMode.CreateNew,
            FileAccess.ReadWrite,
            FileShare.None,
            1 << 20,
            FileOptions.DeleteOnClose
        );

    /// <summary>Clears away uploads and half exports that nobody came back to.</summary>
    /// <param name="now">The present, UTC.</param>
    public void Sweep(DateTime now)
    {
        foreach (var file in new DirectoryInfo(Incoming).EnumerateFiles().Where(f => f.LastWriteTimeUtc < now - LeftoverStays))
            file.Delete();
    }

    /// <summary>What went wrong, day by day; no names, plates or figures of a job.</summary>
    public string Logs => Path.Combine(Root, "log");

    /// <summary>Room left on its disk, bytes.</summary>
    public long FreeBytes => new DriveInfo(Root).AvailableFreeSpace;

    /// <summary>A folder of the user's own where none is given.</summary>
    public static string Usual =>
        Path.Combine(
            Environment.GetFolderPath(Environment.SpecialFolder.LocalApplicationData, Environment.SpecialFolderOption.DoNotVerify),
            "maschera"
        );
}
