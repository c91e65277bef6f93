using System.Globalization;
using System.IO.Compression;
using System.Net;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json;
using Maschera.App;
using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Signals;
using Maschera.Formats;
using Maschera.Rig;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;

namespace Maschera.Web.Tests;

/// <summary>A capture comes in the same way from wherever it comes; what a person does afterwards keeps what is theirs.</summary>
public sealed class IntakeTests : IAsyncLifetime
{
    private ServerOnFolder _server = null!;
    private PageClient _page = null!;
    private int _job;

    public async ValueTask InitializeAsync()
    {
        _server = await ServerOnFolder.StartAsync((db, _) => _job = OneJob.Take(db, EngineJson(EngineCatalogue.Orsa)).Id);
        _page = new PageClient(_server);
    }

    public async ValueTask DisposeAsync()
    {
        _page.Dispose();
        await _server.DisposeAsync();
    }

    [Fact]
    public async Task What_is_about_to_come_in_is_drawn_also_where_a_later_row_can_t_be_read()
    {
        var rows = Enumerable.Range(0, 3000).Select(i => $"{i * 0.001:0.000},{i % 50},");
        var good = await _page.UploadAsync(
            _job,
            "good.csv",
            Encoding.UTF8.GetBytes("Time (s),Ramp (V),Empty (V)\n" + string.Join("\n", rows) + "\n")
        );
        var drawn = await _page.ReadAsync(good + "?handler=Traces");
        Assert.Contains("over the whole file", drawn, StringComparison.Ordinal);
        Assert.Contains("From 0 to 49", drawn, StringComparison.Ordinal);
        Assert.Contains("no value in this column", drawn, StringComparison.Ordinal);
        var late = await _page.UploadAsync(
            _job,
            "late.csv",
            Encoding.UTF8.GetBytes(
                "Time (s),Ramp (V)\n" + string.Concat(Enumerable.Range(0, 3000).Select(i => $"{i * 0.001:0.000},{i % 50}\n")) + "1.5,3\n"
            )
        );
        drawn = await _page.ReadAsync(late + "?handler=Traces");
        Assert.Contains("over the beginning", drawn, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Page_command_line_and_stand_in_give_a_cranking_capture_the_same_roles_conditions_and_reading()
    {
        var (capture, _) = CrankingRun.Record(
            new CrankingPlan(EngineCatalogue.Orsa)
            {
                Rate = 5_000,
                SyncCylinder = 1,
                Cranking = 4,
            }
        );
        var path = Path.Combine(_server.Folder, "cranking.csv");
        await File.WriteAllBytesAsync(path, Csv(capture));
        await BringInAsync("cranking.csv", await File.ReadAllBytesAsync(path));
        var (exit, output, errors) = CommandLineTests.Run("import", path, "--data", _server.Folder, "--job", $"{_job}");
        Assert.True(exit == 0, errors);
        Assert.Contains("relative-compression", output, StringComparison.Ordinal);
        using (var db = _server.Open())
            OneJob.Keep(db, _job, "stand-in", capture, new Conditions("cranking", null, null, null, "ignition", 1));
        using var all = _server.Open();
        var kept = all.Captures.Include(c => c.Channels).Include(c => c.Readings).ToList();
        Assert.Equal(3, kept.Count);
        foreach (var one in kept)
        {
            Assert.Equal(["current", "battery", "sync"], one.OwnChannels.Select(c => c.Role));
            Assert.Equal(("cranking", "ignition", 1), (one.Conditions.State, one.Conditions.SyncKind, one.Conditions.SyncCylinder));
            Assert.Equal(["relative-compression"], one.Readings.Select(r => r.Kind));
        }

        Assert.Single(kept.Select(c => c.Readings[0].Verdict).Distinct());
    }

    [Fact]
    public void What_a_reading_runs_into_is_said_and_the_capture_stays()
    {
        using var db = _server.Open();
        // An engine that can not be understood, as no form lets through, makes readings fail on it.
        var job = OneJob.Take(db, "{");
        var capture = RunningRun.Record(new RunningPlan(EngineCatalogue.Orsa) { Seconds = 2, Rate = 25_000 }).Capture;
        var id = OneJob.Keep(db, job.Id, "idle", capture, new Conditions("idle", null, null, null, "ignition", 1));
        using var fresh = _server.Open();
        var kept = fresh.Captures.Include(c => c.Channels).First(c => c.Id == id);
        Assert.True(kept.Channels.All(c => c.Count > 0));
        var note = Assert.Single(kept.Notes, n => n.Code == "reading-failed");
        Assert.StartsWith("The capture is kept, but misfire could not be read", note.Text, StringComparison.Ordinal);
    }

    [Fact]
    public void Stopped_once_the_samples_are_whole_the_capture_is_there()
    {
        using var db = _server.Open();
        using var stop = new CancellationTokenSource();
        var (capture, _) = CrankingRun.Record(new CrankingPlan(EngineCatalogue.Orsa) { Rate = 5_000, Cranking = 3 });
        var row = StoredCapture.Of(_job, "stopped late", new Conditions("cranking", null, null, null));
        var id = new CaptureIntake(db, new ReadingService(db, new SampleStore(db))).Take(
            row,
            null,
            sink =>
            {
                var notes = CaptureCopy.Into(sink, capture);
                stop.Cancel();
                return notes;
            },
            stop.Token
        );
        using var fresh = _server.Open();
        Assert.True(fresh.Captures.Single(c => c.Id == id).IsWhole);
        Assert.Empty(fresh.Readings);
    }

    [Fact]
    public void An_empty_pair_of_desired_and_actual_takes_nothing_from_a_good_one()
    {
        using var db = _server.Open();
        var log = OneJob.Keep(
            db,
            db.Jobs.First(),
            "log",
            OneJob.Made("Boost desired", "kPa", 0.1, 1_200, i => 100 + 50 * (i / 100 % 2)),
            OneJob.Made("Boost actual", "kPa", 0.1, 1_200, i => 100 + 50 * (i / 100 % 2)),
            OneJob.Made("Rail pressure desired", "bar", 0.1, 1_200, i => i < 3 ? 300 : double.NaN),
            OneJob.Made("Rail pressure actual", "bar", 0.1, 1_200, i => i < 3 ? 300 : double.NaN)
        );
        var readings = _server.App.Services.CreateScope().ServiceProvider.GetRequiredService<ReadingService>();
        for (var round = 0; round < 2; round++)
        {
            using var fresh = _server.Open();
            var good = Assert.Single(fresh.Readings.Where(r => r.CaptureId == log && r.Kind == "tracking"));
            Assert.Equal("tracks", good.Verdict);
            readings.MakeSuggested(log);
        }

        var roles = new Dictionary<string, string> { ["desired"] = "Rail pressure desired", ["actual"] = "Rail pressure actual" };
        readings.Make(new ReadingAsked(log, "tracking") { Roles = roles });
        using var after = _server.Open();
        Assert.Equal(["tracks", "unusable"], after.Readings.Where(r => r.Kind == "tracking").Select(r => r.Verdict).ToList().Order());
    }

    [Fact]
    public async Task Undo_works_while_the_command_line_imports_and_after_a_restart()
    {
        int id;
        using (var db = _server.Open())
            id = OneJob.Keep(db, db.Jobs.First(), "kept", OneJob.Made("A", "V", 1e-3, 100, i => i));
        await _page.PostAsync($"/jobs/{_job}", $"/jobs/{_job}?handler=DeleteCapture&capture={id}");
        var path = Path.Combine(_server.Folder, "x.csv");
        await File.WriteAllTextAsync(path, "Time (s),A (V)\n0,1\n1,2\n2,3\n");
        Assert.Equal(0, CommandLineTests.Run("import", path, "--data", _server.Folder, "--job", $"{_job}").Exit);
        using (var restarted = _server.Open())
        {
            restarted.Prepare();
            restarted.Sweep(DateTime.UtcNow);
        }

        await _page.PostAsync($"/jobs/{_job}", $"/jobs/{_job}?handler=UndeleteCapture&capture={id}");
        Assert.Contains(">kept<", await _page.ReadAsync($"/jobs/{_job}"), StringComparison.Ordinal);
        Assert.Equal(HttpStatusCode.OK, await _page.StatusAsync($"/bench/{id}"));
    }

    [Fact]
    public async Task A_file_of_two_hundred_channels_comes_in_through_the_form()
    {
        const int channels = 200;
        var text = new StringBuilder("Time (s)");
        for (var c = 0; c < channels; c++)
            text.Append(CultureInfo.InvariantCulture, $",Channel {c} (V)");
        for (var i = 0; i < 5; i++)
        {
            text.Append(CultureInfo.InvariantCulture, $"\n{i}");
            for (var c = 0; c < channels; c++)
                text.Append(CultureInfo.InvariantCulture, $",{i + c}");
        }

        await BringInAsync("wide.csv", Encoding.ASCII.GetBytes(text.Append('\n').ToString()));
        using var db = _server.Open();
        Assert.Equal(channels, db.Captures.Include(c => c.Channels).Single().Channels.Count);
    }

    [Fact]
    public async Task Readings_of_deleted_captures_count_nowhere()
    {
        int id;
        using (var db = _server.Open())
        {
            var (capture, _) = CrankingRun.Record(
                new CrankingPlan(EngineCatalogue.Orsa)
                {
                    Faults = [new(3, 2.6)],
                    SyncCylinder = 1,
                    Rate = 5_000,
                }
            );
            id = OneJob.Keep(db, _job, "cranking", capture, new Conditions("cranking", null, null, null, "ignition", 1));
        }

        Assert.Contains("3 of 8: Cheap mechanical check", await _page.ReadAsync("/"), StringComparison.Ordinal);
        await _page.PostAsync($"/jobs/{_job}", $"/jobs/{_job}?handler=DeleteCapture&capture={id}");
        foreach (var path in (string[])["/", $"/jobs/{_job}", $"/jobs/{_job}/report"])
        {
            var html = await _page.ReadAsync(path);
            Assert.DoesNotContain("Cheap mechanical check", html, StringComparison.Ordinal);
            Assert.DoesNotContain("Compression is uneven", html, StringComparison.Ordinal);
        }
    }

    [Fact]
    public async Task An_engine_edited_keeps_what_the_form_does_not_show()
    {
        var engine = EngineCatalogue.Orsa with
        {
            CamLimits = new CamLimits(3, 7),
            CamPattern = [new CamEdge("rise", 100), new CamEdge("fall", 140)],
        };
        int id;
        using (var db = _server.Open())
        {
            var stored = db.Engines.First();
            stored.Take(engine);
            db.SaveChanges();
            id = stored.Id;
        }

        var page = $"/engines/{id}";
        var fields = PageClient.FieldsOf(await _page.ReadAsync(page)).Select(f => f.Name == "Form.Name" ? (f.Name, "Renamed") : f);
        Assert.Equal(HttpStatusCode.Found, (await _page.PostAsync(page, page, fields)).StatusCode);
        using var fresh = _server.Open();
        var kept = fresh.Engines.First().ToEngine();
        Assert.Equal("Renamed", kept.Name);
        Assert.Equal(engine.CamLimits, kept.CamLimits);
        Assert.Equal(engine.CamPattern, kept.CamPattern);
        Assert.Equal(engine.FiringOrder, kept.FiringOrder);
        Assert.Equal(engine.Geometry, kept.Geometry);
    }

    [Fact]
    public async Task A_vehicle_with_a_long_name_is_deleted_and_every_page_still_answers()
    {
        int id;
        using (var db = _server.Open())
            id = OneJob.Take(db, vehicle: new string('x', 20_000)).Id;
        Assert.Equal(HttpStatusCode.Found, (await _page.PostAsync($"/jobs/{id}", $"/jobs/{id}?handler=Delete")).StatusCode);
        Assert.Equal(HttpStatusCode.OK, await _page.StatusAsync("/"));
        Assert.Equal(HttpStatusCode.OK, await _page.StatusAsync("/engines"));
        var fields = PageClient.FieldsOf(await _page.ReadAsync("/jobs/new")).Where(f => f.Name is not ("Form.Vehicle" or "Form.Complaint"));
        var refused = await _page.PostAsync(
            "/jobs/new",
            "/jobs/new",
            fields.Append(("Form.Vehicle", new string('x', 500))).Append(("Form.Complaint", "c"))
        );
        Assert.Contains("up to 120 letters", await refused.Content.ReadAsStringAsync(), StringComparison.Ordinal);
    }

    [Fact]
    public async Task Calipers_of_no_width_and_empty_notes_leave_a_bench_that_answers()
    {
        int id;
        using (var db = _server.Open())
        {
            id = OneJob.Keep(db, db.Jobs.First(), "c", OneJob.Made("A", "V", 1e-3, 100, i => i));
            db.Captures.First(c => c.Id == id).NotesJson = """[null,{"code":"x","text":null},{"code":"y","text":"a doubt"}]""";
            db.SaveChanges();
        }

        var channel = _server.Open().Channels.First(c => c.CaptureId == id).Id;
        foreach (var (from, to) in ((double, double)[])[(0.05, 0.05), (0.05, 0.05 + 1e-17), (0, 1e-320), (5, 5), (-3, -3)])
        {
            var answer = await _server.Client.PostAsJsonAsync(
                $"/bench/{id}/calipers",
                new
                {
                    channel,
                    from,
                    to,
                }
            );
            Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
        }

        var html = await _page.ReadAsync($"/bench/{id}");
        Assert.Contains("a doubt", html, StringComparison.Ordinal);
        Assert.Contains("Caliper 5", html, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_bundle_with_an_empty_note_comes_in_without_it()
    {
        using var packed = new MemoryStream();
        using (var zip = new ZipArchive(packed, ZipArchiveMode.Create, leaveOpen: true))
        {
            using (var head = new StreamWriter(zip.CreateEntry("capture.json").Open()))
                head.Write(
                    """
                    {"format":"maschera-capture","version":1,"name":"b","notes":[null,{"code":"n","text":"said"}],
                     "channels":[{"name":"A","unit":"V","count":2,"start":0,"step":1,"samples":"1.f32"}]}
                    """
                );
            using var samples = zip.CreateEntry("1.f32").Open();
            samples.Write(new byte[8]);
        }

        await BringInAsync("b.zip", packed.ToArray());
        using var db = _server.Open();
        Assert.Equal(["said"], db.Captures.Single().Notes.Select(n => n.Text));
    }

    [Fact]
    public async Task Lanes_saved_from_two_windows_keep_each_others_smoothed_copies()
    {
        int id;
        using (var db = _server.Open())
            id = OneJob.Keep(db, db.Jobs.First(), "c", OneJob.Made("A", "V", 1e-3, 2_000, i => i % 50));
        var channel = _server.Open().Channels.First(c => c.CaptureId == id).Id;
        var copy = await SmoothAsync(id, channel);
        await ArrangeAsync(id, channel, copy);
        await ArrangeAsync(id, channel, null);
        await ArrangeAsync(id, channel, copy);
        using var fresh = _server.Open();
        fresh.Sweep(DateTime.UtcNow);
        Assert.Contains(fresh.Channels, c => c.Id == copy);
        await ArrangeAsync(id, channel, null);
        fresh.Sweep(DateTime.UtcNow);
        Assert.DoesNotContain(fresh.Channels, c => c.Id == copy);
    }

    private async Task<int> SmoothAsync(int id, int channel)
    {
        var answer = await _server.Client.PostAsJsonAsync(
            $"/bench/{id}/smoothed",
            new
            {
                channel,
                standing = false,
                smooth = "lowpass",
                smoothBy = 50.0,
            }
        );
        var token = (await answer.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("token").GetString();
        while (true)
        {
            var run = await _server.Client.GetFromJsonAsync<JsonElement>($"/bench/derive/{token}");
            if (run.GetProperty("isOver").GetBoolean())
                return run.GetProperty("channelId").GetInt32();
            await Task.Delay(20);
        }
    }

    private async Task ArrangeAsync(int id, int channel, int? copy)
    {
        var lanes = new[] { new Lane(null, [new LaneChannel(channel, Copy: copy, Smooth: copy is null ? null : "lowpass")]) };
        var answer = await _server.Client.PutAsJsonAsync($"/bench/{id}/arrangement", new Arrangement(lanes));
        Assert.Equal(HttpStatusCode.NoContent, answer.StatusCode);
    }

    /// <summary>Uploads a file, takes the preview as it is, and waits until it is in.</summary>
    private async Task BringInAsync(string name, byte[] content)
    {
        var preview = await _page.UploadAsync(_job, name, content);
        var answer = await _page.PostAsync(preview, preview, PageClient.FieldsOf(await _page.ReadAsync(preview)));
        Assert.Equal(HttpStatusCode.Found, answer.StatusCode);
        var imports = _server.App.Services.GetRequiredService<ImportService>();
        var run = imports.Run(preview.Split('/')[^1])!;
        while (run.State == ImportState.Running)
            await Task.Delay(20);
        Assert.True(run.State == ImportState.Done, run.Error);
    }

    private static byte[] Csv(Capture capture)
    {
        using var text = new MemoryStream();
        CaptureExport.WriteCsv(text, [.. capture.Channels.Select(c => new MemoryReader(c))], default);
        return text.ToArray();
    }

    private static string EngineJson(Engine engine)
    {
        var stored = new StoredEngine();
        stored.Take(engine);
        return stored.Json;
    }
}
