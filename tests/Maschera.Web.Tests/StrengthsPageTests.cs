using System.Net;
using Maschera.Store;

namespace Maschera.Web.Tests;

/// <summary>Strengths corrected by a workshop change what its jobs say; evidence deleted changes the suspects.</summary>
public sealed class StrengthsPageTests : IAsyncLifetime
{
    private ServerOnFolder _server = null!;
    private PageClient _page = null!;
    private int _job;

    public async ValueTask InitializeAsync()
    {
        _server = await ServerOnFolder.StartAsync(
            (db, _) =>
            {
                var job = OneJob.Take(db);
                job.Complaint = "It misfires";
                job.Codes.Add(
                    new StoredCode
                    {
                        Code = "P0303",
                        State = "stored",
                        SeenAt = DateTime.UtcNow,
                    }
                );
                db.SaveChanges();
                _job = job.Id;
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
    public async Task A_corrected_strength_changes_the_job_page_and_the_list_and_can_be_taken_back()
    {
        var (before, lead) = (await WeighedAsync(), await LeadAsync());
        Assert.Equal(HttpStatusCode.Found, (await KeepAsync("fault injector-circuit 300 cylinder")).StatusCode);
        Assert.Contains("Injector circuit · cylinder 3", FirstOf(await WeighedAsync()), StringComparison.Ordinal);
        Assert.Contains("Injector circuit", await LeadAsync(), StringComparison.Ordinal);
        Assert.Equal(HttpStatusCode.Found, (await KeepAsync("")).StatusCode);
        Assert.Equal((before, lead), (await WeighedAsync(), await LeadAsync()));
    }

    [Fact]
    public async Task Wrong_corrections_are_refused_with_their_line_and_what_was_typed_stays()
    {
        var answer = await KeepAsync("check borescope 20\nfault gremlin 3");
        var html = WebUtility.HtmlDecode(await answer.Content.ReadAsStringAsync());
        Assert.Contains("line 2:", html, StringComparison.Ordinal);
        Assert.Contains("check borescope 20", html, StringComparison.Ordinal);
        Assert.False(File.Exists(Path.Combine(_server.Folder, "likelihoods.txt")));
    }

    [Fact]
    public async Task A_file_that_was_broken_by_hand_is_named_and_what_ships_is_used()
    {
        var before = await WeighedAsync();
        await File.WriteAllTextAsync(
            Path.Combine(_server.Folder, "likelihoods.txt"),
            "fault spark-plug lots",
            TestContext.Current.CancellationToken
        );
        Assert.Equal(before, await WeighedAsync());
        Assert.Contains("likelihoods.txt, line 1", WebUtility.HtmlDecode(await _page.ReadAsync("/strengths")), StringComparison.Ordinal);
    }

    [Fact]
    public async Task What_jobs_turned_out_to_be_is_counted_shown_and_taken_back()
    {
        Assert.Contains("No job says yet", await _page.ReadAsync("/strengths"), StringComparison.Ordinal);
        await FoundAsync("ignition-coil/3");
        var html = await _page.ReadAsync("/strengths");
        Assert.Contains("Ignition coil", html, StringComparison.Ordinal);
        Assert.DoesNotContain("No job says yet", html, StringComparison.Ordinal);
        await FoundAsync("");
        Assert.Contains("No job says yet", await _page.ReadAsync("/strengths"), StringComparison.Ordinal);
    }

    [Fact]
    public async Task Evidence_that_is_deleted_no_longer_weighs()
    {
        Assert.Contains("cylinder 3", FirstOf(await WeighedAsync()), StringComparison.Ordinal);
        using (var db = _server.Open())
        {
            db.Codes.Single().DeletedAt = DateTime.UtcNow;
            db.SaveChanges();
        }

        Assert.DoesNotContain("cylinder 3", await WeighedAsync(), StringComparison.Ordinal);
    }

    [Fact]
    public async Task The_shipped_file_can_be_read() =>
        Assert.Contains("fault weak-battery", await _page.ReadAsync("/strengths?handler=File"), StringComparison.Ordinal);

    private Task<HttpResponseMessage> KeepAsync(string text) => _page.PostAsync("/strengths", "/strengths", ("Corrections", text));

    private Task<HttpResponseMessage> FoundAsync(string cures) =>
        _page.PostAsync($"/jobs/{_job}/quote", $"/jobs/{_job}/quote?handler=Found", ("cures", cures));

    private async Task<string> WeighedAsync() => WebUtility.HtmlDecode(await _page.ReadAsync($"/jobs/{_job}?handler=Weighed"));

    private async Task<string> LeadAsync() => WebUtility.HtmlDecode(await _page.ReadAsync($"/?handler=Lead&job={_job}"));

    /// <summary>The first suspect's line.</summary>
    private static string FirstOf(string html) => html.Split("<li", 3)[1];
}
