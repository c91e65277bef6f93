namespace Maschera.Web.Tests;

/// <summary>Demo data made once, by a server that is killed when they are there.</summary>
public sealed class DemoFolder : ServerProcess, IAsyncLifetime
{
    public async ValueTask InitializeAsync()
    {
        using var client = await StartAsync("--demo");
        Running[^1].Kill();
        Running[^1].WaitForExit();
    }

    public ValueTask DisposeAsync()
    {
        Dispose();
        return ValueTask.CompletedTask;
    }

    /// <summary>The same data in an empty folder.</summary>
    public void CopyTo(string folder)
    {
        foreach (var file in Directory.GetFiles(Folder, "*", SearchOption.AllDirectories))
        {
            var copy = Path.Combine(folder, Path.GetRelativePath(Folder, file));
            Directory.CreateDirectory(Path.GetDirectoryName(copy)!);
            File.Copy(file, copy);
        }
    }
}
