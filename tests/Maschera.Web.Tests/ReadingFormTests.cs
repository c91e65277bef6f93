using System.Net;
using Maschera.App;
using Maschera.Core.Readings;
using Maschera.Core.Signals;
using Maschera.Rig;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;

namespace Maschera.Web.Tests;

/// <summary>Forms, bench, job and report are made from what a reading says of itself.</summary>
public sealed class ReadingFormTests : IAsyncLifetime
{
    private ServerOnFolder _server = null!;
    private PageClient _page = null!;
    private int _job,
        _capture,
        _log;

    public static TheoryData<string> Kinds =>
        [.. ReadingRegistry.All.Where(r => r is { ReadsMessages: false, ReadsSheet: false }).Select(r => r.Kind)];

    public async ValueTask InitializeAsync()
    {
        _server = await ServerOnFolder.StartAsync(
            (db, _) =>
            {
                var engine = new StoredEngine();
                engine.Take(EngineCatalogue.Orsa);
                _job = OneJob.Take(db, engine.Json).Id;
                var (capture, _) = CrankingRun.Record(
                    new CrankingPlan(EngineCatalogue.Orsa)
                    {
                        Faults = [new(3, 2.6)],
                        SyncCylinder = 1,
                        CrankSensor = true,
                        Rate = 5_000,
                    }
                );
                _capture = OneJob.Keep(db, _job, "cranking", capture, new Conditions("cranking", null, null, null, "ignition", 1));
                var drive = DriveLog.Record(new DrivePlan(EngineCatalogue.Orsa) { WeakCylinder = 2 });
                _log = OneJob.Keep(db, _job, "drive", drive, new Conditions("load", 88, null, null));
            }
        );
        _page = new PageClient(_server);
    }

    public async ValueTask DisposeAsync()
    {
        _page.Dispose();
        await _server.DisposeAsync();
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public async Task The_form_asks_for_every_role_and_option(string kind)
    {
        var reading = ReadingRegistry.Find(kind)!;
        var form = await _page.ReadAsync($"/bench/{_capture}?handler=Roles&kind={kind}");
        Assert.All(
            reading.RolesFor(EngineCatalogue.Orsa),
            role => Assert.Contains($"name=\"roles[{role.Name}]\"", form, StringComparison.Ordinal)
        );
        Assert.All(reading.Options, option => Assert.Contains($"name=\"options[{option.Name}]\"", form, StringComparison.Ordinal));
        Assert.Equal(reading.TakesReference, form.Contains("name=\"reference\"", StringComparison.Ordinal));
        if (reading.Options.Contains(ReadingOption.SyncCylinder))
            Assert.Contains("value=\"1\"", form, StringComparison.Ordinal);
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public async Task Every_reading_asked_for_on_the_bench_is_answered_there(string kind)
    {
        var page = $"/bench/{_capture}";
        var fields = PageClient.FieldsOf(await _page.ReadAsync($"{page}?handler=Roles&kind={kind}")).Append(("kind", kind));
        var answer = await _page.PostAsync(page, page, fields);
        var html =
            answer.StatusCode == HttpStatusCode.Found
                ? await _page.ReadAsync($"{page}?kind={kind}")
                : await answer.Content.ReadAsStringAsync();
        Assert.Contains(ReadingRegistry.Find(kind)!.Title, html, StringComparison.Ordinal);
        Assert.Equal(HttpStatusCode.OK, await _page.StatusAsync($"/jobs/{_job}"));
        Assert.Equal(HttpStatusCode.OK, await _page.StatusAsync($"/jobs/{_job}/report"));
    }

    [Fact]
    public async Task Verdicts_stand_as_words_a_person_says_everywhere()
    {
        foreach (var path in (string[])["/", $"/jobs/{_job}", $"/jobs/{_job}/report", $"/bench/{_capture}", $"/bench/{_log}"])
        {
            var html = await _page.ReadAsync(path);
            foreach (
                var verdict in ReadingRegistry.All.SelectMany(r => r.Verdicts).Where(v => v.Word.Contains('-', StringComparison.Ordinal))
            )
                Assert.DoesNotContain($">{verdict.Word}<", html, StringComparison.Ordinal);
        }

        Assert.Contains("one cylinder odd", await _page.ReadAsync($"/jobs/{_job}"), StringComparison.Ordinal);
        Assert.Contains(">uneven<", await _page.ReadAsync($"/bench/{_capture}"), StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_wrong_number_in_the_form_is_said_and_nothing_is_kept()
    {
        var page = $"/bench/{_capture}";
        var before = Count();
        var answer = await _page.PostAsync(page, page, ("kind", "misfire"), ("options[sync-cylinder]", "one"));
        Assert.Contains("takes a whole number", await answer.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        Assert.Equal(before, Count());
    }

    [Fact]
    public async Task What_the_form_says_of_the_sync_is_kept_with_the_capture()
    {
        var page = $"/bench/{_capture}";
        await _page.PostAsync(
            page,
            page,
            ("kind", "relative-compression"),
            ("options[sync-kind]", "injector"),
            ("options[sync-cylinder]", "3"),
            ("roles[current]", "Starter current"),
            ("roles[sync]", "Ignition")
        );
        using var db = _server.Open();
        var conditions = db.Captures.First(c => c.Id == _capture).Conditions;
        Assert.Equal(("injector", 3), (conditions.SyncKind, conditions.SyncCylinder));
    }

    [Fact]
    public async Task Fragments_answer_by_themselves_and_only_for_what_is_there()
    {
        using var db = _server.Open();
        var channel = db.Channels.First(c => c.CaptureId == _capture && c.Role == "current").Id;
        Assert.Equal(HttpStatusCode.NotFound, await _page.StatusAsync($"/bench/99999/cycles?channels={channel}"));
        Assert.Equal(HttpStatusCode.NotFound, await _page.StatusAsync($"/bench/{_capture}?handler=Roles&kind=nothing"));
        Assert.Equal(HttpStatusCode.NotFound, await _page.StatusAsync("/bench/99999?handler=Roles&kind=duty"));
        var logged = db.Channels.Where(c => c.CaptureId == _log).Select(c => c.Id).Take(3).ToList();
        var against = $"/bench/{_log}?handler=Against&value={logged[0]}&across={logged[1]}&down={logged[2]}";
        Assert.Contains("<svg", await _page.ReadAsync($"{against}&from=0&to=60"), StringComparison.Ordinal);
        Assert.Equal(HttpStatusCode.NotFound, await _page.StatusAsync($"{against}&from=60&to=0"));
    }

    [Fact]
    public async Task A_channel_on_one_cycle_has_a_value_a_degree_and_repeats_itself_at_every_cycle()
    {
        using var db = _server.Open();
        var channels = db.Channels.Where(c => c.CaptureId == _capture).ToList();
        var current = channels.First(c => c.Role == "current").Id;
        var answer = await _page.ReadAsync($"/bench/{_capture}/cycles?channels={current},99999,nothing");
        using var json = System.Text.Json.JsonDocument.Parse(answer);
        var fold = Assert.Single(json.RootElement.EnumerateArray());
        Assert.Equal(current, fold.GetProperty("channel").GetInt32());
        Assert.True(fold.GetProperty("cycles").GetInt32() > 3);
        double[] Course(string name) => [.. fold.GetProperty(name).EnumerateArray().Select(v => v.GetDouble())];
        var (mean, spread) = (Course("mean"), Course("spread"));
        Assert.Equal((720, 720), (mean.Length, spread.Length));
        // Humps of the compressions rise far above what differs from cycle to cycle.
        Assert.True(mean.Max() - mean.Min() > 4 * spread.Average());
        Assert.InRange(fold.GetProperty("singles").GetArrayLength(), 2, 12);
    }

    [Fact]
    public async Task A_reading_made_again_from_another_channel_takes_the_place_of_the_old_one()
    {
        var page = $"/bench/{_capture}";
        await _page.PostAsync(page, page, ("kind", "relative-compression"), ("roles[current]", "Starter current"));
        int Made()
        {
            using var db = _server.Open();
            return db.Readings.Where(r => r.CaptureId == _capture && r.Kind == "relative-compression").Select(r => r.Id).Single();
        }

        var before = Made();
        await _page.PostAsync(page, $"{page}?handler=Again&reading={before}", ("roles[battery]", "Battery voltage"));
        var after = Made();
        Assert.NotEqual(before, after);
        using var db = _server.Open();
        Assert.Equal("Battery voltage", db.Readings.First(r => r.Id == after).Result!.Channels["battery"]);
        Assert.Equal(
            HttpStatusCode.NotFound,
            (await _page.PostAsync(page, $"{page}?handler=Again&reading=99999", ("roles[battery]", "Battery voltage"))).StatusCode
        );
    }

    [Fact]
    public async Task Conditions_are_corrected_later_and_the_readings_made_again()
    {
        var page = $"/bench/{_capture}";
        await _page.PostAsync(page, page, ("kind", "relative-compression"), ("roles[current]", "Starter current"));
        var refused = await _page.PostAsync(page, $"{page}?handler=Conditions", ("state", "cranking"), ("coolant", "warm"));
        Assert.Contains("is no temperature", await refused.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        using (var db = _server.Open())
            Assert.NotEqual("Clamp turned round", db.Captures.First(c => c.Id == _capture).Conditions.Remark);
        int Latest()
        {
            using var db = _server.Open();
            return db.Readings.Where(r => r.CaptureId == _capture).Max(r => r.Id);
        }

        var before = Latest();
        await _page.PostAsync(
            page,
            $"{page}?handler=Conditions",
            ("state", "cranking"),
            ("coolant", "12,5"),
            ("remark", " Clamp turned round ")
        );
        using var after = _server.Open();
        var conditions = after.Captures.First(c => c.Id == _capture).Conditions;
        Assert.Equal(("cranking", 12.5, "Clamp turned round"), (conditions.State, conditions.CoolantCelsius, conditions.Remark));
        Assert.True(Latest() > before);
    }

    [Fact]
    public async Task Several_writers_and_readers_at_once_lose_nothing()
    {
        var captures = Enumerable
            .Range(0, 6)
            .Select(n =>
                Task.Run(() =>
                {
                    using var db = _server.Open();
                    return OneJob.Keep(db, db.Jobs.First(), $"parallel {n}", OneJob.Made("A", "V", 1e-4, 60_000, i => i % 100 * n));
                })
            );
        var pages = Enumerable.Range(0, 20).Select(_ => _page.StatusAsync($"/jobs/{_job}"));
        var ids = await Task.WhenAll(captures);
        Assert.All(await Task.WhenAll(pages), status => Assert.Equal(HttpStatusCode.OK, status));
        using var fresh = _server.Open();
        foreach (var (n, id) in ids.Index())
        {
            var channel = new SampleStore(fresh).Load(fresh.Channels.Single(c => c.CaptureId == id));
            Assert.Equal(60_000, channel.Samples.Length);
            Assert.Equal(99 * n, channel.Samples.Max());
        }
    }

    [Fact]
    public void A_channel_held_in_memory_follows_its_name_and_goes_with_its_capture()
    {
        using var db = _server.Open();
        var id = OneJob.Keep(db, db.Jobs.First(), "held", OneJob.Made("A", "V", 0.1, 500, i => i));
        var store = new SampleStore(db);
        var row = db.Channels.Single(c => c.CaptureId == id);
        Assert.Equal(("A", 500), (store.Log(row, 100).Name, store.Log(row, 100).Samples.Length));
        (row.Name, row.Unit) = ("Renamed", "mV");
        Assert.Equal(("Renamed", "mV"), (store.Log(row, 100).Name, store.Log(row, 100).Unit));
        db.Remove([id]);
        Assert.DoesNotContain(store.Log(row, 100).Samples, v => v > 0);
    }

    private int Count()
    {
        using var db = _server.Open();
        return db.Readings.AsNoTracking().Count();
    }
}
