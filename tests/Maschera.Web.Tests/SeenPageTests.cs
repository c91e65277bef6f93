using System.Net;
using Maschera.App;
using Maschera.Core.Diagnosis;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Tests;

/// <summary>What was seen, swapped and renewed before, over HTTP: it weighs, and can be taken back.</summary>
public sealed class SeenPageTests : IAsyncLifetime
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
                job.Complaint = "Misfires when cold";
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
    public async Task A_swap_that_took_the_fault_along_raises_its_suspect_and_can_be_taken_back()
    {
        var before = Share("ignition-coil", 2);
        await PostAsync("Swap", ("part", "ignition-coil"), ("place", "2"), ("moved", "true"));
        var after = Share("ignition-coil", 2);
        Assert.True(after > 5 * before, $"{before} {after}");
        Assert.Contains("Ignition coil, cylinder 2: the fault went with it", await _page.ReadAsync(Path), StringComparison.Ordinal);
        // The same swap told again the other way takes the place of the first.
        await PostAsync("Swap", ("part", "ignition-coil"), ("place", "2"), ("moved", "false"));
        Assert.True(Share("ignition-coil", 2) < before);
        await PostAsync("Delete", ("observation", Newest().ToString(System.Globalization.CultureInfo.InvariantCulture)));
        Assert.Equal(before, Share("ignition-coil", 2), 6);
        var back = await _page.PostAsync(Path, $"{Path}?handler=Undelete&observation={Newest()}");
        Assert.Equal(HttpStatusCode.Found, back.StatusCode);
        Assert.True(Share("ignition-coil", 2) < before);
    }

    [Fact]
    public async Task What_is_seen_and_what_is_not_there_weigh_against_each_other()
    {
        var before = Share("head-gasket-coolant", null);
        await PostAsync("Add", ("word", "coolant-loss"), ("place", ""), ("present", "true"));
        var lost = Share("head-gasket-coolant", null);
        await PostAsync("Add", ("word", "coolant-loss"), ("place", ""), ("present", "false"));
        var kept = Share("head-gasket-coolant", null);
        Assert.True(lost > before && kept < before, $"{before} {lost} {kept}");
        using var db = _server.Open();
        Assert.Equal(1, db.Observations.Count(o => o.DeletedAt == null));
    }

    [Fact]
    public async Task A_part_renewed_before_is_suspected_less_but_not_ruled_out()
    {
        var before = Share("spark-plug", 1);
        await PostAsync("Renewed", ("part", "spark-plug"), ("place", ""));
        var after = Share("spark-plug", 1);
        Assert.True(after < 0.7 * before, $"{before} {after}");
        Assert.DoesNotContain(Weighed().RuledOut, r => r.Fault == "spark-plug");
        Assert.Contains("Spark plug", await _page.ReadAsync(Path), StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("Add", "word", "seen-a-ghost", "")]
    [InlineData("Add", "word", "coolant-loss", "9")]
    [InlineData("Swap", "part", "something-else", "")]
    [InlineData("Renewed", "part", "", "")]
    public async Task What_is_not_known_is_refused(string handler, string field, string value, string place)
    {
        var answer = await _page.PostAsync(Path, $"{Path}?handler={handler}", (field, value), ("place", place));
        Assert.Equal(HttpStatusCode.BadRequest, answer.StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await _page.PostAsync(Path, $"{Path}?handler=Delete", ("observation", "999"))).StatusCode);
    }

    private string Path => $"/jobs/{_job}/seen";

    private async Task PostAsync(string handler, params (string, string)[] fields) =>
        Assert.Equal(HttpStatusCode.Found, (await _page.PostAsync(Path, $"{Path}?handler={handler}", fields)).StatusCode);

    private int Newest()
    {
        using var db = _server.Open();
        return db.Observations.Max(o => o.Id);
    }

    /// <summary>A suspect's share as the job weighs it.</summary>
    private double Share(string fault, int? cylinder) =>
        Weighed().Suspects.Where(s => s.Fault == fault && (cylinder is null || s.Cylinder == cylinder)).Sum(s => s.Probability);

    private DecisionResult Weighed()
    {
        using var db = _server.Open();
        return JobDecision
            .Of(db.Jobs.Include(j => j.Engine).Include(j => j.Observations).First(j => j.Id == _job), Likelihoods.Usual)!
            .Result;
    }
}
