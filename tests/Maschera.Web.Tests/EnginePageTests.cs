using System.Net;
using Maschera.Rig;

namespace Maschera.Web.Tests;

/// <summary>Engines over HTTP: deleted, still there for their jobs, brought back, gone after their time.</summary>
public sealed class EnginePageTests : IAsyncLifetime
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
                var job = OneJob.Take(db);
                job.Engine!.Take(EngineCatalogue.Orsa with { Name = "Orsa of the valley" });
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
    public async Task A_deleted_engine_is_offered_no_more_but_its_job_keeps_it()
    {
        await DeleteAsync();
        var engines = await _page.ReadAsync("/engines");
        Assert.Contains("Orsa of the valley is deleted.", engines, StringComparison.Ordinal);
        Assert.Contains("No engine yet", engines, StringComparison.Ordinal);
        Assert.DoesNotContain("Orsa of the valley", await _page.ReadAsync("/jobs/new"), StringComparison.Ordinal);
        Assert.Contains("Orsa of the valley", await _page.ReadAsync($"/jobs/{_job}"), StringComparison.Ordinal);
        var edited = await _page.ReadAsync($"/jobs/{_job}/edit");
        Assert.Contains("Orsa of the valley (deleted)", edited, StringComparison.Ordinal);
        var fields = PageClient.FieldsOf(edited).Append(("Form.Complaint", "Shakes"));
        var saved = await _page.PostAsync($"/jobs/{_job}/edit", $"/jobs/{_job}/edit", fields);
        Assert.Equal(HttpStatusCode.Found, saved.StatusCode);
    }

    [Fact]
    public async Task It_lies_among_what_was_deleted_and_comes_back_from_there()
    {
        await DeleteAsync();
        Assert.Contains($"/engines/{_engine}?handler=Undelete", await _page.ReadAsync("/deleted"), StringComparison.Ordinal);
        var back = await _page.PostAsync("/deleted", $"/engines/{_engine}?handler=Undelete");
        Assert.Equal(HttpStatusCode.Found, back.StatusCode);
        Assert.Contains("Orsa of the valley", await _page.ReadAsync("/jobs/new"), StringComparison.Ordinal);
        Assert.Contains("Nothing was deleted", await _page.ReadAsync("/deleted"), StringComparison.Ordinal);
    }

    [Fact]
    public async Task After_its_time_it_goes_for_good_unless_a_job_has_it()
    {
        int alone;
        using (var db = _server.Open())
        {
            var stored = new Maschera.Store.StoredEngine { DeletedAt = DateTime.UtcNow };
            stored.Take(EngineCatalogue.Ghiro);
            db.Engines.Add(stored);
            db.SaveChanges();
            alone = stored.Id;
        }

        await DeleteAsync();
        using var fresh = _server.Open();
        fresh.Sweep(DateTime.UtcNow.AddDays(29));
        Assert.Equal(2, fresh.Engines.Count());
        fresh.Sweep(DateTime.UtcNow.AddDays(31));
        Assert.DoesNotContain(fresh.Engines.Select(e => e.Id), id => id == alone);
        Assert.Equal("Orsa of the valley", fresh.Engines.Single().Name);
    }

    [Fact]
    public async Task The_button_deletes_this_engine_and_none_stands_beside_a_new_one()
    {
        Assert.Contains(
            $"id=\"delete\" action=\"/engines/{_engine}?handler=Delete\"",
            await _page.ReadAsync($"/engines/{_engine}"),
            StringComparison.Ordinal
        );
        Assert.DoesNotContain("Delete this engine", await _page.ReadAsync("/engines/new"), StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("2147483647 2147483647")]
    [InlineData("-2147483000 2147483001")]
    [InlineData("1e300")]
    public async Task Gaps_no_wheel_has_are_not_drawn_and_not_kept(string missing)
    {
        var page = $"/engines/{_engine}";
        var fields = PageClient
            .FieldsOf(await _page.ReadAsync(page))
            .Select(f => f.Name == "Form.Missing" ? (f.Name, missing) : f)
            .ToList();
        Assert.Equal(HttpStatusCode.OK, (await _page.PostAsync(page, page + "?handler=Drawn", fields)).StatusCode);
        var refused = await _page.PostAsync(page, page, fields);
        Assert.Equal(HttpStatusCode.OK, refused.StatusCode);
        Assert.Contains("fewer missing teeth than places", await refused.Content.ReadAsStringAsync(), StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("Delete")]
    [InlineData("Undelete")]
    public async Task An_engine_that_is_not_there_is_not_found(string handler) =>
        Assert.Equal(HttpStatusCode.NotFound, (await _page.PostAsync("/engines/new", $"/engines/9999?handler={handler}")).StatusCode);

    private async Task DeleteAsync()
    {
        var answer = await _page.PostAsync($"/engines/{_engine}", $"/engines/{_engine}?handler=Delete");
        Assert.Equal(HttpStatusCode.Found, answer.StatusCode);
    }

    [Fact]
    public async Task Plugs_that_are_hard_to_reach_are_kept_shown_again_and_refused_where_there_is_no_such_cylinder()
    {
        var edit = $"/engines/{_engine}";
        async Task<HttpResponseMessage> SaveAsync(string plugs, string minutes)
        {
            var fields = PageClient
                .FieldsOf(await _page.ReadAsync(edit))
                .Where(f => !f.Name.StartsWith("Form.Plug", StringComparison.Ordinal));
            return await _page.PostAsync(edit, edit, fields.Concat([("Form.Plugs", plugs), ("Form.PlugMinutes", minutes)]));
        }

        Assert.Equal(HttpStatusCode.Found, (await SaveAsync("2 3", "45")).StatusCode);
        var fields = PageClient.FieldsOf(await _page.ReadAsync(edit)).ToList();
        Assert.Contains(("Form.Plugs", "2 3"), fields);
        Assert.Contains(("Form.PlugMinutes", "45"), fields);
        var wrong = await SaveAsync("9", "45");
        Assert.Contains(
            "cylinders from 1 to 4",
            await wrong.Content.ReadAsStringAsync(TestContext.Current.CancellationToken),
            StringComparison.Ordinal
        );
        Assert.Contains(("Form.Plugs", "2 3"), PageClient.FieldsOf(await _page.ReadAsync(edit)));
    }
}
