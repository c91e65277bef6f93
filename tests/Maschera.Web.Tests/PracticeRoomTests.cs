using System.Net;
using Maschera.App;
using Maschera.Store;
using Microsoft.Extensions.DependencyInjection;

namespace Maschera.Web.Tests;

/// <summary>The practice room: a fault is hidden, checks cost minutes, the answer is judged.</summary>
public sealed class PracticeRoomTests : IAsyncLifetime
{
    private ServerOnFolder _server = null!;
    private PageClient _page = null!;

    public async ValueTask InitializeAsync()
    {
        _server = await ServerOnFolder.StartAsync((_, _) => { });
        _page = new PageClient(_server);
    }

    public async ValueTask DisposeAsync()
    {
        _page.Dispose();
        await _server.DisposeAsync();
    }

    [Fact]
    public async Task A_round_from_the_door_to_the_shorter_way()
    {
        var begun = await _page.PostAsync("/practice", "/practice", ("level", "2"));
        var round = begun.Headers.Location!.ToString();
        Assert.Contains("Nothing yet but what the driver says", await _page.ReadAsync(round), StringComparison.Ordinal);
        await CheckAsync(round, "look");
        await CheckAsync(round, "codes");
        var html = WebUtility.HtmlDecode(await _page.ReadAsync(round));
        Assert.Matches(@">8</span> minutes so far", html);
        Assert.DoesNotContain("It was:", html, StringComparison.Ordinal);
        var unnamed = await _page.PostAsync(round, $"{round}?handler=Answer", ("fault", ""));
        Assert.Contains("Choose what you say it is", await unnamed.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        var unplaced = await _page.PostAsync(round, $"{round}?handler=Answer", ("fault", "spark-plug"));
        Assert.Contains("of which cylinder?", await unplaced.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        StoredPractice kept;
        using (var db = _server.Open())
            kept = db.Practice.Single();
        await _page.PostAsync(round, $"{round}?handler=Answer", ("fault", kept.Fault), ("cylinder", $"{kept.Cylinder}"));
        html = WebUtility.HtmlDecode(await _page.ReadAsync(round));
        Assert.Contains(">Found<", html, StringComparison.Ordinal);
        Assert.Contains("By what tells most for its minutes", html, StringComparison.Ordinal);
        // It is over: nothing is measured any more, and it is no job of the workshop.
        var late = await _page.PostAsync(round, $"{round}?handler=Check", ("check", "look"));
        Assert.Contains("This round is over", await late.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        Assert.DoesNotContain("practice</a>", await _page.ReadAsync("/"), StringComparison.Ordinal);
        Assert.Contains("found", await _page.ReadAsync("/practice"), StringComparison.Ordinal);
    }

    [Fact]
    public void What_the_rig_can_do_is_recorded_and_read_and_shows_the_hidden_fault()
    {
        using var scope = _server.App.Services.CreateScope();
        var room = scope.ServiceProvider.GetRequiredService<PracticeService>();
        var round = Enumerable.Range(1, 200).Select(s => room.Start(1, s)).First(r => r.Fault == "leaking-exhaust-valve");
        room.Make(round, "relative-compression", null, null);
        var step = Assert.Single(PracticeService.StepsOf(round));
        Assert.NotNull(step.Capture);
        Assert.Contains($"cylinder {round.Cylinder}", string.Join(" ", step.Said), StringComparison.Ordinal);
        room.Make(round, "in-cylinder-pressure", round.Cylinder, null);
        Assert.Equal(28, round.Minutes);
        Assert.Equal(round.Cylinder, PracticeService.Weighed(round).Suspects.First(s => s.Fault != "something-else").Cylinder);
        Assert.DoesNotContain(PracticeService.Weighed(round).RuledOut, r => r.Fault == round.Fault && r.Cylinder == round.Cylinder);
    }

    [Fact]
    public void Every_level_hides_what_can_be_found_there_and_every_check_answers()
    {
        using var scope = _server.App.Services.CreateScope();
        var room = scope.ServiceProvider.GetRequiredService<PracticeService>();
        for (var level = 1; level <= PracticeService.MostLevel; level++)
        {
            var round = room.Start(level, 40 + level);
            string[] told = ["codes", "look", "on-board-tests", "cranking-log", "drive-log", "circuit", "pressure-hold", "pressure-hold"];
            foreach (var check in told)
                room.Make(round, check, null, null);
            room.Make(round, "swap-part", 1, "ignition-coil");
            var steps = PracticeService.StepsOf(round);
            Assert.Equal(told.Length + 1, steps.Count);
            Assert.All(steps, s => Assert.NotEmpty(s.Said));
            Assert.Equal(steps.Sum(s => s.Minutes), round.Minutes);
            Assert.DoesNotContain(PracticeService.Weighed(round).Notes, n => n.Code == "unknown-evidence");
        }
    }

    [Theory]
    [InlineData("nonsense", "", "There is no check")]
    [InlineData("in-cylinder-pressure", "9", "cylinders")]
    public async Task A_check_that_cannot_be_made_costs_nothing(string check, string cylinder, string said)
    {
        var round = (await _page.PostAsync("/practice", "/practice", ("level", "1"))).Headers.Location!.ToString();
        var answer = await _page.PostAsync(round, $"{round}?handler=Check", ("check", check), ("cylinder", cylinder));
        Assert.Contains(said, await answer.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        using var db = _server.Open();
        Assert.Equal(0, db.Practice.Single().Minutes);
    }

    [Fact]
    public async Task Rounds_that_are_not_there_and_levels_that_do_not_exist_are_refused()
    {
        Assert.Equal(HttpStatusCode.NotFound, await _page.StatusAsync("/practice/77"));
        Assert.Equal(HttpStatusCode.BadRequest, (await _page.PostAsync("/practice", "/practice", ("level", "9"))).StatusCode);
    }

    private Task<HttpResponseMessage> CheckAsync(string round, string check) =>
        _page.PostAsync(round, $"{round}?handler=Check", ("check", check));
}
