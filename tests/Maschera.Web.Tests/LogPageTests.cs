using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using System.Text.RegularExpressions;
using Maschera.App;
using Maschera.Core.Quantities;
using Maschera.Core.Signals;
using Maschera.Rig;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;

namespace Maschera.Web.Tests;

/// <summary>Logs and the intake over HTTP: readings made by themselves, stretches, statistics, codes, on-board tests.</summary>
public sealed partial class LogPageTests : IAsyncLifetime
{
    private ServerOnFolder _server = null!;
    private HttpClient _client = null!;
    private int _before,
        _after;

    public async ValueTask InitializeAsync()
    {
        _server = await ServerOnFolder.StartAsync(
            (db, services) =>
            {
                var engine = new StoredEngine();
                engine.Take(EngineCatalogue.Camoscio);
                db.Jobs.Add(
                    new Job
                    {
                        Vehicle = "v",
                        Complaint = "c",
                        CreatedAt = DateTime.UtcNow,
                        Engine = engine,
                    }
                );
                db.SaveChanges();
                foreach (var split in (bool[])[true, false])
                {
                    var id = OneJob.Keep(
                        db,
                        1,
                        split ? "before" : "after",
                        DriveLog.Record(new DrivePlan(EngineCatalogue.Camoscio) { SplitHose = split, WeakCylinder = 2 }),
                        new Conditions("load", 88, null, null)
                    );
                    (_before, _after) = split ? (id, 0) : (_before, id);
                }
            }
        );
        _client = _server.Client;
    }

    public ValueTask DisposeAsync() => _server.DisposeAsync();

    [Fact]
    public async Task A_log_is_read_by_itself_pair_by_pair_and_compared_before_and_after()
    {
        using var db = Open();
        Assert.Equal(
            ["contribution one-odd", "plausibility plausible", "tracking below", "tracking tracks"],
            db.Readings.Where(r => r.CaptureId == _before).Select(r => r.Kind + " " + r.Verdict).ToList().Order()
        );
        Assert.Equal(2, db.Readings.Count(r => r.CaptureId == _after && r.Verdict == "tracks"));
        var job = await _client.GetStringAsync("/jobs/1");
        Assert.Contains("Before and after", job, StringComparison.Ordinal);
        Assert.Contains("Boost pressure desired", job, StringComparison.Ordinal);
        var bench = await _client.GetStringAsync($"/bench/{_before}");
        Assert.Contains("Cylinder 2 gives clearly less", bench, StringComparison.Ordinal);
        Assert.Contains("Boost pressure stays below desired", bench, StringComparison.Ordinal);
        Assert.Contains("The same check was made twice", await _client.GetStringAsync("/jobs/1/report"), StringComparison.Ordinal);
    }

    [Fact]
    public async Task Stretches_statistics_events_and_tables_are_answered_and_wrong_words_refused()
    {
        var found = await Json(
            await _client.PostAsJsonAsync(
                $"/bench/{_before}/find",
                new { condition = "pedal > 90", least = 1 },
                TestContext.Current.CancellationToken
            )
        );
        Assert.Equal(3, found.GetProperty("count").GetInt32());
        Assert.InRange(found.GetProperty("seconds").GetDouble(), 35, 37);
        var wrong = await _client.PostAsJsonAsync(
            $"/bench/{_before}/find",
            new { condition = "boost > 1", least = 1 },
            TestContext.Current.CancellationToken
        );
        Assert.Equal(HttpStatusCode.BadRequest, wrong.StatusCode);
        Assert.Contains("may be", (await Json(wrong)).GetProperty("error").GetString(), StringComparison.Ordinal);
        var statistics = await Json(
            await _client.GetAsync($"/bench/{_before}/statistics?from=0&to=10", TestContext.Current.CancellationToken)
        );
        Assert.Equal(15, statistics.GetArrayLength());
        Assert.InRange(statistics[0].GetProperty("mean").GetDouble(), 800, 840);
        Assert.Equal(
            HttpStatusCode.BadRequest,
            (await _client.GetAsync($"/bench/{_before}/statistics?from=5&to=5", TestContext.Current.CancellationToken)).StatusCode
        );
        var events = await Json(await _client.GetAsync($"/bench/{_before}/events", TestContext.Current.CancellationToken));
        Assert.Equal(
            ["Idle", "Pull", "Pull", "Slowing down"],
            events.EnumerateArray().Take(4).Select(e => e.GetProperty("name").GetString())
        );
        using var db = Open();
        var ids = db.Channels.Where(c => c.CaptureId == _before).OrderBy(c => c.Ordinal).Select(c => c.Id).ToList();
        var against = await _client.GetStringAsync(
            $"/bench/{_before}?handler=Against&value={ids[4]}&across={ids[0]}&down={ids[2]}&from=0&to=180"
        );
        Assert.Contains("Mean of Boost pressure actual", against, StringComparison.Ordinal);
        Assert.Equal(
            HttpStatusCode.NotFound,
            (
                await _client.PostAsJsonAsync(
                    "/bench/99/find",
                    new { condition = "rpm > 1", least = 0 },
                    TestContext.Current.CancellationToken
                )
            ).StatusCode
        );
    }

    [Fact]
    public async Task Like_channels_lie_in_one_lane_and_what_was_moved_stays()
    {
        Assert.Equal(
            HttpStatusCode.NoContent,
            (await _client.PostAsync($"/bench/{_before}/group", null, TestContext.Current.CancellationToken)).StatusCode
        );
        using var db = Open();
        var capture = db.Captures.Include(c => c.Channels).First(c => c.Id == _before);
        var lanes = Arrangement.Of(capture).Lanes;
        Assert.Equal([1, 1, 1, 2, 2, 1, 2, 1, 4], lanes.Select(l => l.Channels.Count));
        Assert.All(lanes, l => Assert.True(l.Shared));
    }

    [Fact]
    public async Task Codes_are_pasted_changed_deleted_and_brought_back()
    {
        await Post("Add", ("text", "Engine:\nP0340 stored\nP0463 present"));
        var page = await _client.GetStringAsync("/jobs/1/look");
        Assert.Contains("misfire monitor may be suspended", page, StringComparison.Ordinal);
        Assert.Contains("do not dismiss it", page, StringComparison.Ordinal);
        using var db = Open();
        var code = db.Codes.Single(c => c.Code == "P0340").Id;
        await Post("State", ("code", $"{code}"), ("state", "own testing"));
        Assert.DoesNotContain("do not dismiss it", await _client.GetStringAsync("/jobs/1/look"), StringComparison.Ordinal);
        await Post("Delete", ("code", $"{code}"));
        Assert.DoesNotContain("P0340", await _client.GetStringAsync("/jobs/1"), StringComparison.Ordinal);
        await Post("Undelete", ("code", $"{code}"));
        Assert.Contains("P0340", await _client.GetStringAsync("/jobs/1"), StringComparison.Ordinal);
        Assert.Contains("No trouble code is in this text", await Post("Add", ("text", "hello")), StringComparison.Ordinal);
        Assert.Contains("is no battery voltage", await Post("Facts", ("batteryVolts", "full")), StringComparison.Ordinal);
        await Post("Facts", ("batteryVolts", "11,9"), ("clearedAt", "2026-11-20T08:30"));
        page = await _client.GetStringAsync("/jobs/1/look");
        Assert.Contains("Battery at 11.9 V", page, StringComparison.Ordinal);
        Assert.Contains("Codes were cleared on 20 Nov 2026", page, StringComparison.Ordinal);
    }

    [Fact]
    public async Task The_stand_in_vehicle_is_read_and_logged_from_the_page()
    {
        await Post("Read", ("Vehicle.Misfires", "3"), ("Vehicle.Seconds", "60"));
        var page = await _client.GetStringAsync("/jobs/1/look");
        foreach (var said in (string[])["P0303", "P0300", "Freeze frame", "Most misfires: cylinder 3, 143"])
            Assert.Contains(said, page, StringComparison.Ordinal);
        using var db = Open();
        var exchange = db.Captures.Single(c => c.Exchange != null);
        Assert.Contains("Misfire cylinder 3", db.Readings.Single(r => r.CaptureId == exchange.Id).Json, StringComparison.Ordinal);
        Assert.Contains("7E8#", await _client.GetStringAsync($"/exchanges/{exchange.Id}?handler=Text"), StringComparison.Ordinal);
        Assert.Equal(
            $"/exchanges/{exchange.Id}",
            (await _client.GetAsync($"/bench/{exchange.Id}", TestContext.Current.CancellationToken))
                .RequestMessage!
                .RequestUri!
                .AbsolutePath
        );
        var bench = await Post("Log", ("Vehicle.Seconds", "45"));
        Assert.Contains("Live values, stand-in vehicle", bench, StringComparison.Ordinal);
        Assert.Contains("Nothing in ", bench, StringComparison.Ordinal);
        Assert.Contains("From 5 to 600 seconds", await Post("Log", ("Vehicle.Seconds", "1")), StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_file_of_on_board_tests_is_decoded_and_rubbish_refused()
    {
        Assert.Contains("line 1: is no payload", await Upload("tests.txt", "hello world"), StringComparison.Ordinal);
        await Upload(
            "codes.log",
            "(1.0) can0 7E8#0643020340C10000\n(1.2) can0 7E9#0447010300\n(1.3) can0 7E8#0542020003400000\n(1.4) can0 7E8#054205007B000000\n"
        );
        var page = await _client.GetStringAsync("/jobs/1/look");
        foreach (var said in (string[])["P0340", "U0100", "P0300", "Gearbox (7E9)", "Freeze frame", "83"])
            Assert.Contains(said, page, StringComparison.Ordinal);
        Assert.Contains(
            "cylinder 1, 7 in the last cycle",
            await Upload("tests.txt", "46 A2 0B 24 00 05 00 00 FF FF A2 0C 24 00 07 00 00 FF FF"),
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task A_corrected_quantity_counts_for_every_log()
    {
        await Post($"/bench/{_before}", "Quantities", ("quantities[Coolant temperature]", "Oil temperature"));
        using var db = Open();
        Assert.Equal("Oil temperature", db.Corrections.Single().Quantity);
        Assert.Contains(
            "\"Coolant temperature\":\"Oil temperature\"",
            db.Readings.Single(r => r.CaptureId == _before && r.Kind == "plausibility").Json,
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task A_reading_is_asked_on_the_bench_with_its_own_options_and_without()
    {
        var plain = await Post(
            $"/bench/{_after}",
            "",
            ("kind", "tracking"),
            ("roles[desired]", "Boost pressure desired"),
            ("roles[actual]", "Boost pressure actual"),
            ("roles[gate]", "")
        );
        Assert.Contains("Boost pressure follows what is desired", plain, StringComparison.Ordinal);
        Assert.Contains(
            "Accelerator pedal stays",
            await Post(
                $"/bench/{_after}",
                "",
                ("kind", "tracking"),
                ("roles[desired]", "Boost pressure desired"),
                ("roles[actual]", "Accelerator pedal"),
                ("options[band]", "1%"),
                ("options[gate-above]", "")
            ),
            StringComparison.Ordinal
        );
        Assert.Contains(
            "--band takes a number",
            await Post($"/bench/{_after}", "", ("kind", "tracking"), ("options[band]", "wide")),
            StringComparison.Ordinal
        );
        Assert.Contains(
            "is no supply voltage",
            await Post($"/bench/{_after}", "", ("kind", "plausibility"), ("supplies[Control module voltage]", "five")),
            StringComparison.Ordinal
        );
        Assert.Contains(
            "No channel looks like a crank sensor",
            await Post($"/bench/{_after}", "", ("kind", "misfire")),
            StringComparison.Ordinal
        );
    }

    private MascheraDb Open() => _server.Open();

    private static async Task<JsonElement> Json(HttpResponseMessage answer) =>
        JsonDocument.Parse(await answer.Content.ReadAsStringAsync()).RootElement;

    private Task<string> Post(string handler, params (string Name, string Value)[] fields) => Post("/jobs/1/look", handler, fields);

    private async Task<string> Post(string page, string handler, params (string Name, string Value)[] fields)
    {
        using var form = new FormUrlEncodedContent(
            fields.Append(("__RequestVerificationToken", await Token())).Select(f => KeyValuePair.Create(f.Item1, f.Item2))
        );
        using var answer = await _client.PostAsync($"{page}?handler={handler}", form, TestContext.Current.CancellationToken);
        var text = await answer.Content.ReadAsStringAsync(TestContext.Current.CancellationToken);
        Assert.True(answer.IsSuccessStatusCode, $"{answer.StatusCode}: {text[..Math.Min(500, text.Length)]}");
        return WebUtility.HtmlDecode(text);
    }

    private async Task<string> Upload(string name, string content)
    {
        using var form = new MultipartFormDataContent
        {
            { new StringContent(await Token()), "__RequestVerificationToken" },
            { new ByteArrayContent(System.Text.Encoding.ASCII.GetBytes(content)), "file", name },
        };
        using var answer = await _client.PostAsync("/jobs/1/look?handler=Tests", form, TestContext.Current.CancellationToken);
        return WebUtility.HtmlDecode(await answer.Content.ReadAsStringAsync(TestContext.Current.CancellationToken));
    }

    private async Task<string> Token() => TokenField().Match(await _client.GetStringAsync("/jobs/1/look")).Groups[1].Value;

    [GeneratedRegex("name=\"__RequestVerificationToken\" type=\"hidden\" value=\"([^\"]+)\"")]
    private static partial Regex TokenField();
}
