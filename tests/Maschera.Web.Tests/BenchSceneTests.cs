using System.Net;
using System.Text.Json;
using System.Text.RegularExpressions;

namespace Maschera.Web.Tests;

/// <summary>What a bench is told to draw of a reading: what it was read from, and what it left out.</summary>
public sealed partial class BenchSceneTests : IAsyncLifetime
{
    private ServerOnFolder _server = null!;
    private PageClient _page = null!;
    private int _job;

    public async ValueTask InitializeAsync()
    {
        _server = await ServerOnFolder.StartAsync((db, _) => _job = OneJob.Take(db).Id);
        _page = new PageClient(_server);
    }

    public ValueTask DisposeAsync()
    {
        _page.Dispose();
        return _server.DisposeAsync();
    }

    [Fact]
    public async Task A_reading_says_on_the_lanes_what_it_was_read_from_and_what_it_left_out()
    {
        var answer = await _page.PostAsync("/rig", "/rig", ("Form.Job", $"{_job}"), ("Form.Sync", "true"));
        Assert.Equal(HttpStatusCode.Found, answer.StatusCode);
        using var scene = Scene(await _page.ReadAsync(answer.Headers.Location!.ToString()));
        var used = scene.RootElement.GetProperty("used");
        var (from, to) = (used.GetProperty("from").GetDouble(), used.GetProperty("to").GetDouble());
        // The starter engages and lets go within the capture: neither is cranking.
        Assert.True(scene.RootElement.GetProperty("from").GetDouble() < from);
        Assert.True(to < scene.RootElement.GetProperty("to").GetDouble());
        var marks = scene.RootElement.GetProperty("marks").EnumerateArray().ToList();
        Assert.NotEmpty(marks);
        Assert.All(marks, m => Assert.InRange(m.GetProperty("from").GetDouble(), from, to));
        Assert.All(marks, m => Assert.InRange(m.GetProperty("to").GetDouble(), from, to));
        var read = scene.RootElement.GetProperty("channels").EnumerateArray().Where(c => c.GetProperty("read").GetBoolean());
        Assert.Contains("Starter current", read.Select(c => c.GetProperty("name").GetString()));
    }

    [Fact]
    public async Task A_capture_without_a_reading_leaves_nothing_out()
    {
        int capture;
        using (var db = _server.Open())
            capture = OneJob.Keep(db, db.Jobs.Single(), "c", OneJob.Made("Something", "", 1e-3, 3_000, i => i % 97));
        using var scene = Scene(await _page.ReadAsync($"/bench/{capture}"));
        Assert.Equal(JsonValueKind.Null, scene.RootElement.GetProperty("used").ValueKind);
        Assert.False(scene.RootElement.GetProperty("channels")[0].GetProperty("read").GetBoolean());
    }

    private static JsonDocument Scene(string html) => JsonDocument.Parse(WebUtility.HtmlDecode(Data().Match(html).Groups[1].Value));

    [GeneratedRegex("id=\"bench-data\"[^>]*>(.*?)</script>", RegexOptions.Singleline)]
    private static partial Regex Data();
}
