using System.Diagnostics;
using System.Net;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Tests;

/// <summary>The server as a process: it starts, keeps what was changed, and refuses what makes no sense.</summary>
public sealed class ServerTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("maschera").FullName;
    private readonly List<Process> _running = [];

    public void Dispose()
    {
        foreach (var process in _running.Where(p => !p.HasExited)) process.Kill();
        foreach (var process in _running) process.WaitForExit();
        Microsoft.Data.Sqlite.SqliteConnection.ClearAllPools();
        Directory.Delete(_folder, recursive: true);
    }

    [Fact]
    public async Task A_killed_demo_starts_again_with_what_was_changed_and_fresh_starts_over()
    {
        const string changed = "Changed by hand";
        using (var client = await StartAsync("--demo"))
        {
            Assert.Contains("Open jobs", await client.GetStringAsync("/"), StringComparison.Ordinal);
            using var db = Open();
            var job = db.Jobs.First();
            job.Complaint = changed;
            db.SaveChanges();
        }

        _running[^1].Kill();
        using (var client = await StartAsync("--demo")) Assert.Contains(changed, await client.GetStringAsync("/"), StringComparison.Ordinal);
        _running[^1].Kill();
        using (var client = await StartAsync("--demo", "--fresh")) Assert.DoesNotContain(changed, await client.GetStringAsync("/"), StringComparison.Ordinal);
    }

    [Fact]
    public async Task What_is_not_there_or_makes_no_sense_gets_a_plain_answer()
    {
        using var client = await StartAsync("--demo");
        foreach (var path in (string[])["/jobs/9999", "/bench/9999", "/engines/9999", "/imports/abc", "/imports/..%2f..%2fetc", "/nowhere", "/bench/window/9999?from=0&to=1&columns=10"])
            Assert.Equal(HttpStatusCode.NotFound, (await client.GetAsync(path)).StatusCode);
        foreach (var query in (string[])["from=1&to=0&columns=10", "from=0&to=1&columns=0", "from=NaN&to=1&columns=10", "from=0&to=1"])
            Assert.Equal(HttpStatusCode.BadRequest, (await client.GetAsync("/bench/window/1?" + query)).StatusCode);
        Assert.Equal(HttpStatusCode.BadRequest, (await client.PostAsync("/jobs/1?handler=Delete", null)).StatusCode);
        using var db = Open();
        Assert.Empty(db.Jobs.Where(j => j.DeletedAt != null));
    }

    [Fact]
    public async Task A_window_of_any_width_stays_small_and_holds_the_extremes()
    {
        using var client = await StartAsync("--demo");
        using var db = Open();
        var channel = db.Channels.First(c => c.Name == "Starter current");
        foreach (var columns in (int[])[50, 800, 100_000])
        {
            var bytes = await client.GetByteArrayAsync(FormattableString.Invariant($"/bench/window/{channel.Id}?from={channel.Start}&to={channel.End}&columns={columns}"));
            var n = BitConverter.ToInt32(bytes);
            Assert.Equal(4 + 8 * n, bytes.Length);
            Assert.InRange(n, 50, Math.Max(channel.Count, 3 * Math.Min(columns, 4000)));
            var values = Enumerable.Range(0, n).Select(i => BitConverter.ToSingle(bytes, 4 + 4 * n + 4 * i)).ToArray();
            Assert.Equal(new SampleStore(db).Load(channel).Samples.Max(), values.Max());
        }
    }

    [Fact]
    public void A_killed_import_leaves_no_half_capture_and_a_sound_database()
    {
        using (var db = Open())
        {
            db.Prepare();
            db.Jobs.Add(new Job { Vehicle = "v", Complaint = "c", CreatedAt = DateTime.UtcNow, Engine = new StoredEngine { Name = "e", Json = """{"cylinders":1,"firingOrder":[1]}""" } });
            db.SaveChanges();
        }

        var file = Path.Combine(_folder, "long.csv");
        using (var writer = new StreamWriter(file))
        {
            writer.WriteLine("Time (s),A (V)");
            for (var i = 0; i < 1_500_000; i++) writer.WriteLine(FormattableString.Invariant($"{i * 1e-5:0.00000},{i % 977}"));
        }

        var random = new Random(6);
        for (var round = 0; round < 5; round++)
        {
            var import = Run("Maschera.Cli.dll", "import", file, "--data", _folder, "--job", "1");
            import.WaitForExit(250 + random.Next(500));
            var killed = !import.HasExited;
            if (killed) import.Kill();
            import.WaitForExit();
            using var db = Open();
            Assert.Equal("ok", db.Database.SqlQueryRaw<string>("SELECT integrity_check AS Value FROM pragma_integrity_check").Single());
            foreach (var capture in db.Captures.Include(c => c.Channels))
                Assert.Equal(1_500_000, Assert.Single(capture.Channels).Count);
            if (killed) Assert.Equal(0, db.Database.SqlQueryRaw<int>("SELECT COUNT(*) AS Value FROM SampleBlocks WHERE ChannelId NOT IN (SELECT Id FROM Channels)").Single());
        }
    }

    [Theory]
    [InlineData("--port", "seventy")]
    [InlineData("--port", "70000")]
    [InlineData("--colour", "red")]
    [InlineData("--data")]
    public void Words_that_make_no_sense_end_the_server_with_2(params string[] words)
    {
        var process = Run("Maschera.Web.dll", words);
        Assert.True(process.WaitForExit(20_000));
        Assert.Equal(2, process.ExitCode);
        Assert.Contains("is not understood", process.StandardError.ReadToEnd(), StringComparison.Ordinal);
    }

    private MascheraDb Open() => new(MascheraDb.ForFile(Path.Combine(_folder, "maschera.db")));

    private async Task<HttpClient> StartAsync(params string[] words)
    {
        var port = FreePort();
        var process = Run("Maschera.Web.dll", [.. words, "--data", _folder, "--port", $"{port}"]);
        var line = await process.StandardOutput.ReadLineAsync().WaitAsync(TimeSpan.FromSeconds(60));
        Assert.Equal($"Maschera is ready at http://127.0.0.1:{port}", line);
        return new HttpClient { BaseAddress = new Uri($"http://127.0.0.1:{port}") };
    }

    private static int FreePort()
    {
        using var listener = new System.Net.Sockets.TcpListener(IPAddress.Loopback, 0);
        listener.Start();
        return ((IPEndPoint)listener.LocalEndpoint).Port;
    }

    private Process Run(string assembly, params string[] words)
    {
        var start = new ProcessStartInfo("dotnet") { RedirectStandardOutput = true, RedirectStandardError = true };
        start.ArgumentList.Add(Path.Combine(AppContext.BaseDirectory, assembly));
        foreach (var word in words) start.ArgumentList.Add(word);
        var process = Process.Start(start)!;
        _running.Add(process);
        return process;
    }
}
