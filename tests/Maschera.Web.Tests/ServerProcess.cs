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

    private static int s_ports;

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

    /// <summary>
    /// A port that nothing listens on, below those that the system lends to outgoing connections: one of these could be lent again before
    /// the server takes it.
    /// </summary>
    protected static int FreePort()
    {
        while (true)
        {
            var port = 18_000 + (Environment.ProcessId % 97 * 120 + Interlocked.Increment(ref s_ports)) % 14_000;
            try
            {
                using var listener = new System.Net.Sockets.TcpListener(IPAddress.Loopback, port);
                listener.Start();
                return port;
            }
            catch (System.Net.Sockets.SocketException)
            {
                // Taken: the next one.
            }
        }
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
