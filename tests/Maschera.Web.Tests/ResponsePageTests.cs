using Maschera.Core.Signals;
using Maschera.Store;

namespace Maschera.Web.Tests;

/// <summary>Commands and what they move, asked for on the bench and shown on bench, job and report.</summary>
public sealed class ResponsePageTests : IAsyncLifetime
{
    private const int Count = 1_600;

    private ServerOnFolder _server = null!;
    private PageClient _page = null!;
    private int _job,
        _log;

    public async ValueTask InitializeAsync()
    {
        _server = await ServerOnFolder.StartAsync(
            (db, _) =>
            {
                var job = OneJob.Take(db);
                (_job, _log) = (job.Id, OneJob.Keep(db, job, "valves", [.. Valves()]));
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
    public async Task The_valve_that_moves_nothing_stands_out_beside_the_one_that_does()
    {
        await Ask("Bypass valve");
        var bench = await _page.ReadAsync($"/bench/{_log}?kind=response");
        Assert.Contains("moves nothing", bench, StringComparison.Ordinal);
        await Ask("Relief valve");
        bench = await _page.ReadAsync($"/bench/{_log}?kind=response");
        Assert.Contains("The response in every trial", bench, StringComparison.Ordinal);
        Assert.DoesNotContain("NaN", bench, StringComparison.Ordinal);
        var job = await _page.ReadAsync($"/jobs/{_job}");
        Assert.Contains("Which command moves anything", job, StringComparison.Ordinal);
        Assert.Contains("3 of 3", job, StringComparison.Ordinal);
        Assert.Contains("0 of 3", job, StringComparison.Ordinal);
        Assert.Contains("The response in every trial", await _page.ReadAsync($"/jobs/{_job}/report"), StringComparison.Ordinal);
        using var db = _server.Open();
        Assert.Equal(2, db.Readings.Count(r => r.Kind == "response"));
    }

    private async Task Ask(string command)
    {
        var page = $"/bench/{_log}";
        await _page.PostAsync(page, page, ("kind", "response"), ("roles[command]", command), ("roles[response]", "Oil pressure"));
    }

    private static IEnumerable<Channel> Valves()
    {
        bool On(int i, int first) => i >= first && i < first + 450 && (i - first) % 150 < 55;
        yield return OneJob.Made("Bypass valve", "%", 0.1, Count, i => On(i, 400) ? 70 : 0);
        yield return OneJob.Made("Relief valve", "%", 0.1, Count, i => On(i, 1_000) ? 70 : 0);
        yield return OneJob.Made("Oil pressure", "bar", 0.1, Count, i => 2.4 + (On(i, 1_004) ? 0.8 : 0) + 0.01 * (i * 7 % 5 - 2));
    }
}
