using System.Collections.Concurrent;
using System.Globalization;
using System.Net;
using System.Text;
using System.Text.Json;
using Maschera.Store;
using Maschera.Store.Upkeep;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Infrastructure;
using Microsoft.EntityFrameworkCore.Migrations;

namespace Maschera.Web.Tests;

/// <summary>
/// A server killed again and again in the middle of everything: what it answered with "done" is there at the next start, and the
/// database is sound. MASCHERA_KILLS=100 makes more of it than the suite does.
/// </summary>
public sealed class KillTests : ServerProcess
{
    /// <summary>The database as it was before work, trails and people: an upgrade begins there.</summary>
    private const string Earlier = "20261126124527_MovingWindows";

    private const int UpgradeEvery = 4,
        BackupEvery = 3,
        WarmEvery = 5;

    /// <summary>Short work leaves the cores to the long.</summary>
    private static readonly TimeSpan s_pause = TimeSpan.FromMilliseconds(60);

    private readonly ConcurrentDictionary<int, string> _jobs = [];
    private readonly ConcurrentBag<(int Job, string Capture)> _captures = [];
    private readonly Random _random = new(7);
    private int _number,
        _bench,
        _pin;

    private double _pinnedAt;

    [Fact]
    public async Task What_was_promised_stays_through_kills_at_any_moment()
    {
        var rounds = int.TryParse(Environment.GetEnvironmentVariable("MASCHERA_KILLS"), out var told) ? told : 20;
        using (var db = Open())
        {
            db.Prepare();
            _bench = OneJob.Keep(db, OneJob.Take(db), "bench", OneJob.Made("Current", "A", 1e-3, 30_000, i => i % 97));
            var pin = new StoredPin { CaptureId = _bench, Remark = "r" };
            db.Pins.Add(pin);
            db.SaveChanges();
            _pin = pin.Id;
        }

        for (var round = 0; round < rounds; round++)
        {
            if (round % UpgradeEvery == UpgradeEvery - 1)
                await KillUpgradeAsync();
            await KillWorkAsync(round % BackupEvery == 0, round % WarmEvery == WarmEvery - 1);
            Check($"round {round + 1} of {rounds}");
        }

        Assert.True(
            _jobs.Count >= rounds && !_captures.IsEmpty && _pinnedAt > 0,
            $"{_jobs.Count} jobs, {_captures.Count} captures promised"
        );
        Assert.All(Directory.GetFiles(Folder, "*.db", SearchOption.AllDirectories), file => Assert.True(DataCheck.Of(file).IsSound, file));
    }

    /// <summary>Takes the database back to an earlier build's and kills a server while it brings it up to date.</summary>
    private async Task KillUpgradeAsync()
    {
        using (var db = Open())
            db.GetService<IMigrator>().Migrate(Earlier);
        var upgrade = Run("Maschera.Web.dll", "--data", Folder, "--port", $"{FreePort()}");
        await Task.Delay(_random.Next(150, 900));
        upgrade.Kill();
        upgrade.WaitForExit();
        ServerOnFolder.LetGo(Folder);
    }

    private async Task KillWorkAsync(bool withBackup, bool warm)
    {
        using var client = await StartAsync();
        var server = Running[^1];
        // Most are killed while they are cold, some only once captures have come in, however slow the machine is.
        var until = warm ? ImportedAsync() : Task.Delay(TimeSpan.FromSeconds(0.2 + 7 * Math.Pow(_random.NextDouble(), 2)));
        var work = new[] { JobsAsync, ImportsAsync, RecordingsAsync, (Func<PageClient, Task>)PinsAsync };
        var at = work.Select(w => UntilGoneAsync(w, client.BaseAddress!)).ToArray();
        if (withBackup)
            Run(CommandLineTests.Program("Maschera.Keeper"), "backup", Path.Combine(Folder, "copies"), "--data", Folder);
        await until;
        server.Kill();
        server.WaitForExit();
        await Task.WhenAll(at);
        foreach (var beside in Running.Where(p => !p.HasExited))
            beside.Kill();
        Running.ForEach(p => p.WaitForExit());
        Running.ForEach(p => p.Dispose());
        Running.Clear();
    }

    /// <summary>A moment after two more captures were promised.</summary>
    private async Task ImportedAsync()
    {
        for (var (waited, goal) = (0, _captures.Count + 2); waited < 2_000 && _captures.Count < goal; waited++)
            await Task.Delay(s_pause);
        await Task.Delay(_random.Next(400));
    }

    private static async Task UntilGoneAsync(Func<PageClient, Task> work, Uri address)
    {
        using var page = new PageClient(address);
        try
        {
            while (true)
            {
                await work(page);
                await Task.Delay(s_pause);
            }
        }
        catch (Exception gone) when (gone is HttpRequestException or IOException)
        {
            // The server was killed.
        }
    }

    private async Task JobsAsync(PageClient page)
    {
        var name = $"van {Interlocked.Increment(ref _number)}";
        var job = await KeptAsync(page, "/jobs/new", name);
        _jobs[job] = name;
        await KeptAsync(page, $"/jobs/{job}/edit", name + " edited");
        _jobs[job] = name + " edited";
    }

    private static async Task<int> KeptAsync(PageClient page, string form, string name)
    {
        using var answer = await page.PostAsync(form, form, ("Form.Vehicle", name), ("Form.Complaint", "shakes"), ("Form.EngineId", "1"));
        Assert.Equal(HttpStatusCode.Found, answer.StatusCode);
        return int.Parse(answer.Headers.Location!.ToString().Split('/')[2], CultureInfo.InvariantCulture);
    }

    private async Task ImportsAsync(PageClient page)
    {
        var name = $"wave {Interlocked.Increment(ref _number)}";
        var rows = Enumerable.Range(0, 20_000).Select(i => FormattableString.Invariant($"{i * 1e-4:0.0000},{i % 37}"));
        var preview = await page.UploadAsync(1, $"{name}.csv", Encoding.UTF8.GetBytes("Time (s),Current (A)\n" + string.Join('\n', rows)));
        using var answer = await page.PostAsync(preview, preview, PageClient.FieldsOf(await page.ReadAsync(preview)));
        Assert.Equal(HttpStatusCode.Found, answer.StatusCode);
        // As soon as it is in, the page leads to the bench.
        while (await page.StatusAsync(preview) != HttpStatusCode.Found)
            await Task.Delay(s_pause);
        _captures.Add((1, name));
    }

    private async Task RecordingsAsync(PageClient page)
    {
        using var answer = await page.PostAsync("/rig", "/rig", ("Form.Job", "1"), ("Form.Sync", "true"));
        Assert.Equal(HttpStatusCode.Found, answer.StatusCode);
        using var db = Open();
        var made = int.Parse(answer.Headers.Location!.ToString().Split('/', '?')[2], CultureInfo.InvariantCulture);
        _captures.Add((1, db.Captures.Single(c => c.Id == made).Name));
    }

    /// <summary>Moves a pin later and later.</summary>
    private async Task PinsAsync(PageClient page)
    {
        var at = Interlocked.Increment(ref _number) * 1e-3;
        using var pin = new StringContent(JsonSerializer.Serialize(new { at, remark = "r" }), Encoding.UTF8, "application/json");
        pin.Headers.Add(WithToken.Header, await page.TokenAsync("/jobs/new"));
        using var answer = await page.SendAsync(HttpMethod.Put, $"/bench/{_bench}/pins/{_pin}", pin);
        Assert.True(answer.IsSuccessStatusCode, $"{at}: {answer.StatusCode}, {await answer.Content.ReadAsStringAsync()}");
        _pinnedAt = at;
    }

    private void Check(string round)
    {
        using var db = Open();
        db.Prepare();
        var vehicles = db.Jobs.ToDictionary(j => j.Id, j => j.Vehicle);
        // A kill between answer and note leaves the name of an edit that was not promised yet.
        Assert.All(_jobs, j => Assert.StartsWith(j.Value, vehicles.GetValueOrDefault(j.Key, $"{round}: lost"), StringComparison.Ordinal));
        var captures = db
            .Captures.AsNoTracking()
            .Select(c => new { c.JobId, c.Name })
            .AsEnumerable()
            .Select(c => (c.JobId, c.Name))
            .ToHashSet();
        Assert.All(_captures, c => Assert.Contains(c, captures));
        Assert.True(db.Pins.AsNoTracking().Single().At >= _pinnedAt, $"{round}: the pin was at {_pinnedAt}");
        Assert.Equal("ok", db.Database.SqlQueryRaw<string>("SELECT integrity_check AS Value FROM pragma_integrity_check").Single());
    }
}
