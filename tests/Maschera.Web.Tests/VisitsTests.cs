using System.Net;
using Maschera.App;
using Maschera.Core.Diagnosis;
using Maschera.Rig;
using Maschera.Store;

namespace Maschera.Web.Tests;

/// <summary>A vehicle with all its jobs: found by its plate however it is written, its figures followed over the visits.</summary>
public sealed class VisitsTests : IAsyncLifetime
{
    private ServerOnFolder _server = null!;

    public async ValueTask InitializeAsync() =>
        _server = await ServerOnFolder.StartAsync(
            (db, _) =>
            {
                foreach (var (plate, days, leak) in new[] { ("NB 12-7", 60, 0.0), ("nb127", 30, 0.9), ("NB 127", 0, 2.2) })
                {
                    var job = OneJob.Take(db, EngineCatalogue.Orsa);
                    (job.Plate, job.CreatedAt) = (plate, DateTime.UtcNow.AddDays(-days));
                    var plan = new CrankingPlan(EngineCatalogue.Orsa)
                    {
                        Faults = leak > 0 ? [new(3, leak)] : [],
                        SyncCylinder = 1,
                        Cranking = 4,
                        Seed = 1 + days,
                    };
                    var conditions = new Conditions("cranking", days == 60 ? 10 : 80, "fuel", null, "ignition", 1);
                    var id = OneJob.Keep(db, job.Id, $"visit {days}", CrankingRun.Record(plan).Capture, conditions);
                    db.Captures.Single(c => c.Id == id).TakenAt = job.CreatedAt;
                }

                OneJob.Take(db, EngineCatalogue.Orsa).Plate = "NB 128";
                db.SaveChanges();
            }
        );

    public ValueTask DisposeAsync() => _server.DisposeAsync();

    [Fact]
    public async Task A_cylinder_that_gets_worse_drifts_and_the_sound_ones_are_steady()
    {
        using var db = _server.Open();
        var visits = await Visits.OfAsync(db, "nb-127");
        Assert.Equal(3, visits!.Jobs.Count);
        Assert.Equal("NB 127", visits.Plate);
        var worse = visits.Figures.Single(f => f.Name == "Cylinder 3" && f.Question == "Relative compression");
        Assert.Equal(Course.Drifts, worse.Course);
        Assert.Contains("down from", worse.Said, StringComparison.Ordinal);
        Assert.Equal(["visit 60", "visit 30", "visit 0"], worse.Points.Select(p => p.Capture.Name));
        Assert.All(
            visits.Figures.Where(f => f.Question == "Relative compression" && f.Name != "Cylinder 3"),
            f => Assert.True(f.Course == Course.Steady, $"{f.Name}: {string.Join("; ", f.Points.Select(p => p.Point))}")
        );
        Assert.Same(worse, visits.Figures[0]);
        Assert.Equal("%", worse.Unit);
    }

    [Fact]
    public async Task The_page_draws_what_moves_lists_what_is_steady_and_leads_to_the_jobs()
    {
        var html = WebUtility.HtmlDecode(await _server.Client.GetStringAsync("/vehicles/NB%20127"));
        Assert.Contains("3 visits", html, StringComparison.Ordinal);
        Assert.Contains("It drifts:", html, StringComparison.Ordinal);
        Assert.Contains(">Steady<", html, StringComparison.Ordinal);
        foreach (var job in (int[])[1, 2, 3])
            Assert.Contains($"href=\"/jobs/{job}\"", html, StringComparison.Ordinal);
        Assert.DoesNotContain("NaN", html, StringComparison.Ordinal);
        Assert.Contains("NB 127, 3 visits", await _server.Client.GetStringAsync("/jobs/3"), StringComparison.Ordinal);
        Assert.DoesNotContain("visits</a>", await _server.Client.GetStringAsync("/jobs/4"), StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_vehicle_of_one_visit_says_what_to_do_and_an_unknown_plate_is_not_found()
    {
        Assert.Contains("measured twice yet", await _server.Client.GetStringAsync("/vehicles/NB128"), StringComparison.Ordinal);
        Assert.Equal(HttpStatusCode.NotFound, (await _server.Client.GetAsync("/vehicles/XY1")).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await _server.Client.GetAsync("/vehicles/---")).StatusCode);
    }

    [Fact]
    public async Task A_deleted_capture_leaves_the_course()
    {
        using var db = _server.Open();
        db.Captures.Single(c => c.Name == "visit 30").DeletedAt = DateTime.UtcNow;
        db.SaveChanges();
        var visits = await Visits.OfAsync(db, "NB127");
        Assert.All(visits!.Figures, f => Assert.Equal(2, f.Points.Count));
    }

    [Fact]
    public void Before_and_after_say_what_was_not_alike_and_judge_by_the_spread()
    {
        using var db = _server.Open();
        var job = OneJob.Take(db, EngineCatalogue.Orsa);
        var plan = new CrankingPlan(EngineCatalogue.Orsa) { SyncCylinder = 1, Cranking = 4 };
        OneJob.Keep(
            db,
            job.Id,
            "before",
            CrankingRun.Record(plan with { Faults = [new(2, 2.5)] }).Capture,
            new Conditions("cranking", -4, "fuel", null, "ignition", 1)
        );
        OneJob.Keep(
            db,
            job.Id,
            "after",
            CrankingRun.Record(plan with { Seed = 2 }).Capture,
            new Conditions("cranking", 80, "fuel", null, "ignition", 1)
        );
        var loaded = Load(db, job.Id);
        var both = Assert.Single(JobFacts.Compared(loaded, JobFacts.ReadingsOf(loaded)), c => c.Kind.Kind == "relative-compression");
        Assert.Equal("−4 °C, then 80 °C", both.Unlike);
        Assert.Equal(["Cylinder 2"], both.Figures.Where(f => f.Changed).Select(f => f.Name));
    }

    private static Job Load(MascheraDb db, int id)
    {
        var job = db.Jobs.Single(j => j.Id == id);
        db.Entry(job).Collection(j => j.Captures).Load();
        db.Entry(job).Collection(j => j.Readings).Load();
        return job;
    }
}
