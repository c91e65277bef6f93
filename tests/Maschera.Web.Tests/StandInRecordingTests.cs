using System.Net;
using Maschera.Core.Readings;
using Maschera.Rig;

namespace Maschera.Web.Tests;

/// <summary>Every recording of the stand-ins goes into a job from the rig's page and is read by itself, with the right verdict.</summary>
public sealed class StandInRecordingTests : IAsyncLifetime
{
    private ServerOnFolder _server = null!;
    private PageClient _page = null!;
    private int _job;

    public static TheoryData<string, string> Expected =>
        new()
        {
            { "A valve commanded: it moves the oil pressure", "response responds" },
            { "A valve commanded: it moves nothing, another one does", "response no-response" },
            { "Four wheels on the road: all sound", "wheel-speeds agree" },
            { "Four wheels on the road: front right drops out", "wheel-speeds sensor-fault" },
            { "Four wheels on the road: another tyre at the rear left", "wheel-speeds off-size" },
            { "Four wheels on the road: rear right slips once", "wheel-speeds agree" },
            { "A ring before its sensor: a tooth is gone", "pulse-count short" },
            { "A ring before its sensor: off centre", "pulse-count irregular" },
            { "A ring before its sensor: good side and weak side", "pulse-count matches" },
            { "Fuel pressure, pump off: it holds", "pressure-hold holds" },
            { "Fuel pressure, pump off: it leaks", "pressure-hold leaks" },
            { "Injectors fired one by one: alike", "injector-balance even" },
            { "Injectors fired one by one: the one of cylinder 3 is restricted", "injector-balance outliers" },
            { "Spark retard on the road: it knocks under load", "knock likely-real" },
            { "Spark retard on the road: something rattles", "knock likely-false" },
            { "Cranking, seen by the scan tool: cam and crank never in step", "start-conditions missing" },
            { "Cranking, seen by the scan tool: immobiliser locked", "start-conditions missing" },
            { "Cranking, seen by the scan tool: everything there, no start", "start-conditions all-met" },
        };

    public async ValueTask InitializeAsync()
    {
        _server = await ServerOnFolder.StartAsync((db, _) => _job = OneJob.Take(db).Id);
        _page = new PageClient(_server);
    }

    public async ValueTask DisposeAsync()
    {
        _page.Dispose();
        await _server.DisposeAsync();
    }

    [Theory]
    [MemberData(nameof(Expected))]
    public async Task It_is_recorded_and_read(string recording, string expected)
    {
        var answer = await _page.PostAsync("/rig", "/rig?handler=Other", ("Form.Job", $"{_job}"), ("recording", recording));
        Assert.Equal(HttpStatusCode.Found, answer.StatusCode);
        var bench = answer.Headers.Location!.ToString();
        using var db = _server.Open();
        var read = db.Readings.AsEnumerable().Select(r => $"{r.Kind} {r.Verdict}").ToList();
        Assert.True(read.Contains(expected), $"{expected}: {string.Join(", ", read)}");
        var html = WebUtility.HtmlDecode(await _page.ReadAsync(bench));
        Assert.Contains(ReadingRegistry.Find(expected.Split(' ')[0])!.Title, html, StringComparison.Ordinal);
        Assert.DoesNotContain("NaN", html, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Two_sides_of_an_axle_stand_beside_each_other_on_the_bench()
    {
        var answer = await _page.PostAsync(
            "/rig",
            "/rig?handler=Other",
            ("Form.Job", $"{_job}"),
            ("recording", "A ring before its sensor: good side and weak side")
        );
        var html = WebUtility.HtmlDecode(await _page.ReadAsync(answer.Headers.Location!.ToString()));
        Assert.Contains("Beside “Front left sensor”", html, StringComparison.Ordinal);
        Assert.Contains("a gap too wide", html, StringComparison.Ordinal);
        Assert.Contains($"/jobs/{_job}/seen", html, StringComparison.Ordinal);
    }

    [Fact]
    public async Task An_unknown_recording_is_refused_and_every_one_has_a_name_of_its_own()
    {
        var answer = await _page.PostAsync("/rig", "/rig?handler=Other", ("Form.Job", $"{_job}"), ("recording", "nothing"));
        Assert.Equal(HttpStatusCode.BadRequest, answer.StatusCode);
        Assert.Equal(StandInRecordings.All.Count, StandInRecordings.All.Select(r => r.Name).Distinct().Count());
    }
}
