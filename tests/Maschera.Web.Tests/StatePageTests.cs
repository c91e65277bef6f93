using System.Net;
using System.Text.RegularExpressions;
using Maschera.Rig;

namespace Maschera.Web.Tests;

/// <summary>The server seen from outside, its limits, and two people on one thing.</summary>
public sealed class StatePageTests : IAsyncLifetime
{
    private ServerOnFolder _server = null!;
    private PageClient _page = null!;
    private int _job,
        _engine;

    public async ValueTask InitializeAsync()
    {
        _server = await ServerOnFolder.StartAsync(
            (db, _) =>
            {
                var job = OneJob.Take(db, EngineCatalogue.Orsa);
                job.Vehicle = "Orsa, bread van";
                job.Complaint = "Shakes";
                job.Engine!.Take(EngineCatalogue.Orsa with { Name = "Orsa" });
                db.SaveChanges();
                (_job, _engine) = (job.Id, job.EngineId);
            }
        );
        _page = new PageClient(_server);
    }

    public async ValueTask DisposeAsync()
    {
        _page.Dispose();
        await _server.DisposeAsync();
    }

    [Fact]
    public async Task It_tells_space_backup_versions_and_what_was_counted()
    {
        var state = WebUtility.HtmlDecode(await _page.ReadAsync("/state"));
        Assert.Matches(@"\d+ MB", state);
        Assert.Contains("--backup DIR", state, StringComparison.Ordinal);
        Assert.Contains($".NET <span class=\"fig\">{Environment.Version}", state, StringComparison.Ordinal);
        foreach (var counted in (string[])["Captures brought in", "Readings made", "Views of traces drawn", "Requests that broke"])
            Assert.Contains(counted, state, StringComparison.Ordinal);
        Assert.Contains("None.", state, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Errors_of_the_week_are_read_from_the_log_and_older_ones_or_lesser_ones_are_not()
    {
        var log = Directory.CreateDirectory(Path.Combine(_server.Folder, "log")).FullName;
        string Line(int daysAgo, string level, string text) =>
            $$"""{"@t":"{{DateTime.UtcNow.AddDays(-daysAgo):O}}","@mt":"{{text}}","@l":"{{level}}"}""";
        await File.WriteAllLinesAsync(
            Path.Combine(log, "maschera-20261126.json"),
            [Line(1, "Error", "It broke"), Line(2, "Error", "It broke"), Line(9, "Error", "Long ago"), Line(1, "Warning", "Hm"), "{half"],
            TestContext.Current.CancellationToken
        );
        var state = await _page.ReadAsync("/state");
        Assert.Matches(new Regex(@"It broke</td><td class=""num fig"">2<", RegexOptions.Singleline), state);
        Assert.DoesNotContain("Long ago", state, StringComparison.Ordinal);
        Assert.DoesNotContain("Hm<", state, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("/strengths", 33)]
    [InlineData("/bench/1/calipers", 40)]
    public async Task What_is_no_capture_is_small(string path, int megabytes)
    {
        using var large = new HttpRequestMessage(HttpMethod.Post, path) { Content = new ByteArrayContent(new byte[megabytes << 20]) };
        // Asked before it is sent, as long as the refusal takes to come.
        large.Headers.ExpectContinue = true;
        var answer = await _server.Client.SendAsync(large, TestContext.Current.CancellationToken);
        Assert.Equal(HttpStatusCode.RequestEntityTooLarge, answer.StatusCode);
        Assert.Contains(
            "At most 32 MB",
            await answer.Content.ReadAsStringAsync(TestContext.Current.CancellationToken),
            StringComparison.Ordinal
        );
    }

    [Theory]
    [InlineData("/jobs/{0}?handler=Nope")]
    [InlineData("/jobs/{0}/report?handler=Nope")]
    [InlineData("/vehicles/x?handler=Nope")]
    [InlineData("/jobs/{0}/seen?handler=Nope")]
    public async Task What_a_page_does_not_do_is_not_found(string path)
    {
        var action = string.Format(System.Globalization.CultureInfo.InvariantCulture, path, _job);
        Assert.Equal(HttpStatusCode.NotFound, (await _page.PostAsync($"/jobs/{_job}", action)).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, await _page.StatusAsync(action));
    }

    [Fact]
    public async Task Where_nobody_is_asked_for_a_name_there_are_no_people()
    {
        foreach (var path in (string[])["/people", "/people/own", "/people/enter", "/people/first"])
            Assert.Equal((path, HttpStatusCode.Found), (path, await _page.StatusAsync(path)));
        var added = await _page.PostAsync("/engines/new", "/people", ("Name", "A"), ("Role", "run"), ("password", "long enough to be one"));
        Assert.Equal(HttpStatusCode.NotFound, added.StatusCode);
        Assert.DoesNotContain("A link for the customer", await _page.ReadAsync($"/jobs/{_job}/report"), StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_box_neither_ticked_nor_not_is_refused()
    {
        var answer = await _page.PostAsync("/rig", "/rig", ("Form.Sync", "perhaps"), ("Form.Seconds", "1e999"), ("Form.Speed", "1e308"));
        Assert.Equal(HttpStatusCode.BadRequest, answer.StatusCode);
    }

    [Fact]
    public async Task Who_saves_later_is_told_what_the_other_wrote_before_it_is_lost()
    {
        var edit = $"/jobs/{_job}/edit";
        var opened = PageClient.FieldsOf(await _page.ReadAsync(edit)).Where(f => f.Name != "Form.Vehicle").ToList();
        async Task<HttpResponseMessage> SaveAsync(IEnumerable<(string, string)> was, string vehicle, string complaint) =>
            await _page.PostAsync(edit, edit, was.Concat([("Form.Vehicle", vehicle), ("Form.Complaint", complaint)]));
        Assert.Equal(HttpStatusCode.Found, (await SaveAsync(opened, "Orsa, milk van", "Shakes when cold")).StatusCode);
        var second = await SaveAsync(opened, "Orsa, fish van", "Shakes");
        Assert.Equal(HttpStatusCode.OK, second.StatusCode);
        var told = WebUtility.HtmlDecode(await second.Content.ReadAsStringAsync(TestContext.Current.CancellationToken));
        Assert.Contains("Somebody changed this", told, StringComparison.Ordinal);
        Assert.Contains("<dd>Orsa, milk van</dd>", told, StringComparison.Ordinal);
        Assert.Contains("<dd>Shakes when cold</dd>", told, StringComparison.Ordinal);
        Assert.Contains("value=\"Orsa, fish van\"", told, StringComparison.Ordinal);
        using (var db = _server.Open())
            Assert.Equal("Orsa, milk van", db.Jobs.Single().Vehicle);
        var again = PageClient.FieldsOf(told).Where(f => f.Name != "Form.Vehicle").ToList();
        Assert.Equal(HttpStatusCode.Found, (await SaveAsync(again, "Orsa, fish van", "Shakes")).StatusCode);
        using var after = _server.Open();
        Assert.Equal("Orsa, fish van", after.Jobs.Single().Vehicle);
    }

    [Fact]
    public async Task An_engine_that_somebody_else_saved_is_not_overwritten_unasked()
    {
        var edit = $"/engines/{_engine}";
        var opened = PageClient.FieldsOf(await _page.ReadAsync(edit)).Where(f => f.Name != "Form.Name").ToList();
        Assert.Equal(HttpStatusCode.Found, (await _page.PostAsync(edit, edit, opened.Append(("Form.Name", "Orsa, theirs")))).StatusCode);
        var second = await _page.PostAsync(edit, edit, opened.Append(("Form.Name", "Orsa, mine")));
        var told = await second.Content.ReadAsStringAsync(TestContext.Current.CancellationToken);
        Assert.Contains("Somebody changed this engine", told, StringComparison.Ordinal);
        var again = PageClient.FieldsOf(told).Where(f => f.Name != "Form.Name");
        Assert.Equal(HttpStatusCode.Found, (await _page.PostAsync(edit, edit, again.Append(("Form.Name", "Orsa, mine")))).StatusCode);
    }
}
