using System.Data.Common;
using System.Net;
using System.Net.Http.Json;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Diagnostics;
using Microsoft.Extensions.DependencyInjection;

namespace Maschera.Web.Tests;

/// <summary>
/// A database that gets no room for another page: everything can be looked at, what does not fit is refused with a sentence.
/// </summary>
public sealed class FullDiskTests : IAsyncLifetime
{
    private const int MostWrites = 60;
    private const string NoRoom = "no room for it";

    private readonly Room _room = new();
    private ServerOnFolder _server = null!;
    private PageClient _page = null!;
    private int _job,
        _capture,
        _channel;

    public async ValueTask InitializeAsync()
    {
        _server = await ServerOnFolder.StartAsync(
            (db, _) =>
            {
                var job = OneJob.Take(db);
                _job = job.Id;
                _capture = OneJob.Keep(db, job, "c", OneJob.Made("Current", "A", 1e-3, 3_000, i => i % 97));
                _channel = db.Channels.Single(c => c.CaptureId == _capture && !c.IsLaneCopy).Id;
            },
            services => services.ConfigureDbContext<MascheraDb>(options => options.AddInterceptors(_room))
        );
        _page = new PageClient(_server);
    }

    public async ValueTask DisposeAsync()
    {
        _page.Dispose();
        await _server.DisposeAsync();
    }

    [Fact]
    public async Task What_does_not_fit_is_refused_and_what_is_there_is_shown()
    {
        _room.IsFull = true;
        var (kept, refusal) = await WriteUntilRefusedAsync();
        Assert.Contains(NoRoom, refusal, StringComparison.Ordinal);

        foreach (var path in (string[])["/", $"/jobs/{_job}", $"/bench/{_capture}", $"/jobs/{_job}/report", "/state"])
            await _page.ReadAsync(path);
        var window = await _page.StatusAsync($"/bench/window?channels={_channel}&from=0&to=3&columns=400");
        Assert.Equal(HttpStatusCode.OK, window);

        _room.IsFull = false;
        Assert.Equal(HttpStatusCode.Found, (await RemarkAsync("room again")).StatusCode);
        using var db = _server.Open();
        Assert.Equal(kept + 1, db.Remarks.Count());
    }

    [Fact]
    public async Task A_script_of_the_bench_is_told_in_one_sentence()
    {
        _room.IsFull = true;
        await WriteUntilRefusedAsync();
        HttpResponseMessage answer;
        var made = 0;
        do answer = await _server.Client.PostAsJsonAsync($"/bench/{_capture}/pins", new { at = 0.5, remark = new string('p', 400) });
        while (answer.IsSuccessStatusCode && ++made < MostWrites);
        Assert.Equal(HttpStatusCode.InsufficientStorage, answer.StatusCode);
        Assert.Contains(NoRoom, await answer.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        using var db = _server.Open();
        Assert.Equal(made, db.Pins.Count());
    }

    /// <summary>Writes remarks until one is refused; how many were kept, and what was said of the last.</summary>
    private async Task<(int Kept, string Refusal)> WriteUntilRefusedAsync()
    {
        for (var kept = 0; kept < MostWrites; kept++)
        {
            var answer = await RemarkAsync(new string('r', 499));
            if (answer.StatusCode != HttpStatusCode.Found)
                return (kept, WebUtility.HtmlDecode(await answer.Content.ReadAsStringAsync()));
        }

        throw new InvalidOperationException($"{MostWrites} remarks fitted.");
    }

    private Task<HttpResponseMessage> RemarkAsync(string text) =>
        _page.PostAsync($"/jobs/{_job}", $"/jobs/{_job}?handler=Remark", ("text", text));

    /// <summary>Lets a database grow, or not by a single page.</summary>
    private sealed class Room : DbConnectionInterceptor
    {
        private const long Endless = 4_294_967_294;

        public bool IsFull { get; set; }

        public override void ConnectionOpened(DbConnection connection, ConnectionEndEventData eventData) => Set(connection);

        public override Task ConnectionOpenedAsync(DbConnection connection, ConnectionEndEventData eventData, CancellationToken cancel)
        {
            Set(connection);
            return Task.CompletedTask;
        }

        private void Set(DbConnection connection)
        {
            using var command = connection.CreateCommand();
            // SQLite takes no less than what is there, so 1 stands for not a page more.
            command.CommandText = $"PRAGMA max_page_count = {(IsFull ? 1 : Endless)}";
            command.ExecuteScalar();
        }
    }
}
