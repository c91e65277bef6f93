using System.Diagnostics;
using System.Net;
using Maschera.Store;

namespace Maschera.Web.Tests;

/// <summary>Servers and programs run as processes on a data folder of their own; all are gone afterwards, and the folder.</summary>
public abstract class ServerProcess : IDisposable
{
    /// <summary>Styles beside the program, as the client's build leaves them: a report takes them along.</summary>
    static ServerProcess()
    {
        var root = Directory.CreateDirectory(Path.Combine(AppContext.BaseDirectory, "wwwroot")).FullName;
        File.WriteAllText(Path.Combine(root, "site.css"), "h1 { color: black }");
    }

    protected string Folder { get; } = Directory.CreateTempSubdirectory("maschera").FullName;
    protected List<Process> Running { get; } = [];

    public void Dispose()
    {
        foreach (var process in Running.Where(p => !p.HasExited))
            process.Kill();
        foreach (var process in Running)
            process.WaitForExit();
        ServerOnFolder.LetGo(Folder);
        Directory.Delete(Folder, recursive: true);
        GC.SuppressFinalize(this);
    }

    protected MascheraDb Open() => new(MascheraDb.ForFile(Path.Combine(Folder, "maschera.db")));

    protected async Task<HttpClient> StartAsync(params string[] words)
    {
        var port = FreePort();
        var process = Run("Maschera.Web.dll", [.. words, "--data", Folder, "--port", $"{port}"]);
        var line = await process.StandardOutput.ReadLineAsync().WaitAsync(TimeSpan.FromMinutes(4));
        Assert.Equal($"Maschera is ready at http://127.0.0.1:{port}", line);
        return new HttpClient(new WithToken()) { BaseAddress = new Uri($"http://127.0.0.1:{port}") };
    }

    protected static int FreePort()
    {
        using var listener = new System.Net.Sockets.TcpListener(IPAddress.Loopback, 0);
        listener.Start();
        return ((IPEndPoint)listener.LocalEndpoint).Port;
    }

    protected Process Run(string assembly, params string[] words)
    {
        var start = new ProcessStartInfo("dotnet") { RedirectStandardOutput = true, RedirectStandardError = true };
        start.ArgumentList.Add(Path.Combine(AppContext.BaseDirectory, assembly));
        foreach (var word in words)
            start.ArgumentList.Add(word);
        var process = Process.Start(start)!;
        Running.Add(process);
        return process;
    }
}
