using System.Diagnostics;
using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using System.Text.RegularExpressions;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Tests;

/// <summary>The server as a process: it starts, keeps what was changed, and refuses what makes no sense.</summary>
public sealed class ServerTests(DemoFolder demo) : ServerProcess, IClassFixture<DemoFolder>
{
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

        Running[^1].Kill();
        using (var client = await StartAsync("--demo"))
            Assert.Contains(changed, await client.GetStringAsync("/"), StringComparison.Ordinal);
        Running[^1].Kill();
        using (var client = await StartAsync("--demo", "--fresh"))
            Assert.DoesNotContain(changed, await client.GetStringAsync("/"), StringComparison.Ordinal);
    }

    /// <summary>A server on demo data as they are made.</summary>
    private Task<HttpClient> DemoAsync()
    {
        demo.CopyTo(Folder);
        return StartAsync("--demo");
    }

    [Fact]
    public async Task What_is_not_there_or_makes_no_sense_gets_a_plain_answer()
    {
        using var client = await DemoAsync();
        foreach (
            var path in (string[])
                [
                    "/jobs/9999",
                    "/bench/9999",
                    "/engines/9999",
                    "/imports/abc",
                    "/imports/..%2f..%2fetc",
                    "/nowhere",
                    "/bench/window?channels=9999&from=0&to=1&columns=10",
                    "/bench/9999/export?format=csv",
                    "/bench/9999/picture.svg?from=0&to=1",
                    "/live/abc/window?from=0&to=1&columns=5",
                    "/bench/derive/abc",
                ]
        )
            Assert.Equal(HttpStatusCode.NotFound, (await client.GetAsync(path)).StatusCode);
        foreach (
            var query in (string[])
                [
                    "channels=1&from=1&to=0&columns=10",
                    "channels=1&from=0&to=1&columns=0",
                    "channels=1&from=NaN&to=1&columns=10",
                    "channels=1&from=0&to=1",
                    "channels=x&from=0&to=1&columns=9",
                ]
        )
            Assert.Equal(HttpStatusCode.BadRequest, (await client.GetAsync("/bench/window?" + query)).StatusCode);
        using var bare = new HttpClient { BaseAddress = client.BaseAddress };
        Assert.Equal(HttpStatusCode.BadRequest, (await bare.PostAsync("/jobs/1?handler=Delete", null)).StatusCode);
        using var db = Open();
        Assert.Empty(db.Jobs.Where(j => j.DeletedAt != null));
    }

    [Fact]
    public async Task A_window_of_any_width_stays_small_and_holds_the_extremes()
    {
        using var client = await DemoAsync();
        using var db = Open();
        var channel = db.Channels.First(c => c.Name == "Starter current");
        foreach (var columns in (int[])[50, 800, 100_000])
        {
            var bytes = await client.GetByteArrayAsync(
                $"/bench/window?channels={channel.Id}&from={channel.Start}&to={channel.End}&columns={columns}"
            );
            var n = BitConverter.ToInt32(bytes, 4);
            Assert.Equal(0, BitConverter.ToInt32(bytes));
            Assert.Equal(8 + 8 * n, bytes.Length);
            Assert.Equal(Math.Min(columns, 4000), n);
            var values = Enumerable.Range(0, 2 * n).Select(i => BitConverter.ToSingle(bytes, 8 + 4 * i)).Where(float.IsFinite).ToArray();
            Assert.Equal(new SampleStore(db).Load(channel).Samples.Max(), values.Max());
        }
    }

    [Fact]
    public void A_killed_import_leaves_no_half_capture_and_a_sound_database()
    {
        using (var db = Open())
        {
            db.Prepare();
            db.Jobs.Add(
                new Job
                {
                    Vehicle = "v",
                    Complaint = "c",
                    CreatedAt = DateTime.UtcNow,
                    Engine = new StoredEngine { Name = "e", Json = """{"cylinders":1,"firingOrder":[1]}""" },
                }
            );
            db.SaveChanges();
        }

        var file = Path.Combine(Folder, "long.csv");
        using (var writer = new StreamWriter(file))
        {
            writer.WriteLine("Time (s),A (V)");
            for (var i = 0; i < 3_000_000; i++)
                writer.WriteLine($"{i * 1e-5:0.00000},{i % 977}");
        }

        var random = new Random(6);
        var whole = 0;
        for (var round = 0; round < 5; round++)
        {
            var import = Run(CommandLineTests.Program("Maschera.Keeper"), "import", file, "--data", Folder, "--job", "1");
            import.WaitForExit(round == 4 ? 60_000 : 400 + random.Next(1200));
            var killed = !import.HasExited;
            if (killed)
                import.Kill();
            import.WaitForExit();
            using var db = Open();
            Assert.Equal("ok", db.Database.SqlQueryRaw<string>("SELECT integrity_check AS Value FROM pragma_integrity_check").Single());
            foreach (var capture in db.Captures.Include(c => c.Channels))
                Assert.Equal(3_000_000, Assert.Single(capture.Channels).Count);
            db.Prepare();
            Assert.Equal(
                0,
                db.Database.SqlQueryRaw<int>(
                        "SELECT (SELECT COUNT(*) FROM Blocks WHERE (Key >> 32) NOT IN (SELECT Id FROM Channels)) + (SELECT COUNT(*) "
                            + "FROM Levels WHERE (Key >> 32) NOT IN (SELECT Id FROM Channels)) AS Value"
                    )
                    .Single()
            );
            if (!killed)
                Assert.Equal("", import.StandardError.ReadToEnd());
            // A kill may come after the capture is whole and before the process is gone.
            var there = db.Captures.Count();
            Assert.InRange(there, whole + (killed ? 0 : 1), whole + 1);
            whole = there;
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

    [Fact]
    public async Task A_killed_recording_leaves_what_was_kept_and_nothing_half()
    {
        for (var round = 0; round < 2; round++)
        {
            var kept = 0;
            using (var client = await (round == 0 ? DemoAsync() : StartAsync("--demo")))
            {
                var live = await GoLiveAsync(client);
                await client.PostAsync($"{live}/key?on=true", null);
                while (!await HasRunAsync(client, live, 1.2))
                    await Task.Delay(50);
                await client.PostAsync($"{live}/keep?seconds=1", null);
                for (var wait = 0; wait < 1200 && kept == 0; wait++, await Task.Delay(50))
                    kept = (await client.GetFromJsonAsync<JsonElement>($"{live}/keeps"))[0].GetProperty("captureId")
                        is { ValueKind: JsonValueKind.Number } id
                        ? id.GetInt32()
                        : 0;
                await client.PostAsync($"{live}/record", null);
                await Task.Delay(300 + 700 * round);
            }

            Running[^1].Kill();
            Running[^1].WaitForExit();
            using var db = Open();
            Assert.Equal("ok", db.Database.SqlQueryRaw<string>("SELECT integrity_check AS Value FROM pragma_integrity_check").Single());
            var capture = db.Captures.Include(c => c.Channels).Single(c => c.Id == kept);
            Assert.Equal(4, capture.Channels.Count);
            foreach (var channel in capture.Channels)
            {
                Assert.Equal(100_000, channel.Count);
                Assert.Equal(1e-5, channel.Step);
                Assert.Equal(100_000, new SampleStore(db).Load(channel).Samples.Length);
            }

            Assert.DoesNotContain(db.Captures.AsEnumerable(), c => c.Name == "Live, recorded");
            db.Prepare();
            db.Sweep(DateTime.UtcNow.AddDays(8));
            Assert.DoesNotContain(db.Captures.IgnoreQueryFilters().AsEnumerable(), c => !c.IsWhole);
        }
    }

    /// <summary>True once the instrument has delivered so many seconds.</summary>
    private static async Task<bool> HasRunAsync(HttpClient client, string live, double seconds) =>
        float.IsFinite(
            BitConverter.ToSingle(await client.GetByteArrayAsync($"{live}/window?from={seconds}&to={seconds + 0.01}&columns=1"))
        );

    private static async Task<string> GoLiveAsync(HttpClient client)
    {
        var page = await client.GetStringAsync("/rig");
        var fields = new List<KeyValuePair<string, string>>
        {
            new("Form.Job", Regex.Match(page, "<option value=\"(\\d+)\"").Groups[1].Value),
            new("Form.Cylinder", "0"),
            new("Form.Leak", "2.5"),
            new("Form.Battery", "good"),
            new("Form.Seconds", "5"),
            new("Form.Rate", "100000"),
            new(
                "__RequestVerificationToken",
                Regex.Match(page, "__RequestVerificationToken\" type=\"hidden\" value=\"([^\"]+)").Groups[1].Value
            ),
        };
        fields.AddRange(
            ((string[])["Starter current", "Battery voltage", "Ignition", "Crank sensor"]).Select(p => new KeyValuePair<string, string>(
                "Form.Probes",
                p
            ))
        );
        using var form = new FormUrlEncodedContent(fields);
        var answer = await client.PostAsync("/rig?handler=Live", form);
        return answer.RequestMessage!.RequestUri!.AbsolutePath;
    }
}
