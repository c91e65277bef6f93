using Maschera.App;
using Maschera.Core.Diagnosis;
using Maschera.Core.Signals;
using Maschera.Rig;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Tests;

/// <summary>What follows from a job's captures and readings: the ledger, before and after, the steps, and what is deleted.</summary>
public sealed class JobFactsTests : IAsyncLifetime
{
    private ServerOnFolder _server = null!;
    private int _job;

    public async ValueTask InitializeAsync() => _server = await ServerOnFolder.StartAsync((db, _) => _job = OneJob.Take(db).Id);

    public ValueTask DisposeAsync() => _server.DisposeAsync();

    [Fact]
    public void The_same_question_on_two_captures_is_shown_before_and_after()
    {
        using var db = _server.Open();
        OneJob.Keep(db, _job, "before", Boost(0.7), new Conditions(null, null, null, null));
        OneJob.Keep(db, _job, "after", Boost(1), new Conditions(null, null, null, null));
        var job = Load(db);
        var both = Assert.Single(JobFacts.Compared(job, JobFacts.ReadingsOf(job)), c => c.Kind.Kind == "tracking");
        Assert.Equal(("before", "after"), (both.Before.Name, both.After.Name));
        Assert.Equal(("below", "tracks"), (both.First.Verdict, both.Last.Verdict));
        Assert.NotEqual(both.FirstVerdict.Said, both.LastVerdict.Said);
        Assert.Contains(both.Figures, f => f.Changed);
        Assert.All(both.Figures, f => Assert.NotEmpty(f.Name));
    }

    [Fact]
    public async Task What_is_known_of_a_job_is_weighed_and_the_leaking_cylinder_leads()
    {
        using var db = _server.Open();
        Assert.Null(JobDecision.Of(Load(db), Likelihoods.Usual));
        var client = _server.Client;
        Assert.Contains("Nothing is known yet", await client.GetStringAsync($"/jobs/{_job}?handler=Weighed"), StringComparison.Ordinal);
        var (capture, _) = CrankingRun.Record(
            new CrankingPlan(EngineCatalogue.Orsa)
            {
                Rate = 5_000,
                SyncCylinder = 1,
                Cranking = 5,
                Faults = [new(3, 2.5)],
            }
        );
        OneJob.Keep(db, _job, "cranking", capture, new Conditions("cranking", null, null, null, "ignition", 1));
        db.Codes.Add(
            new StoredCode
            {
                JobId = _job,
                Code = "P0303",
                State = "present",
                SeenAt = DateTime.UtcNow,
            }
        );
        db.SaveChanges();
        var weighed = JobDecision.Of(Load(db), Likelihoods.Usual)!;
        var first = weighed.Result.Suspects[0];
        Assert.Equal(3, first.Cylinder);
        Assert.Equal(2, first.For.Count);
        Assert.Equal("relative-compression", weighed.Evidence[first.For.Single(weighed.Evidence.ContainsKey)].Kind);
        Assert.NotEmpty(weighed.Result.Next);
        var page = await client.GetStringAsync($"/jobs/{_job}?handler=Weighed");
        Assert.Contains("cylinder 3", page, StringComparison.Ordinal);
        Assert.Contains("P0303 is set.", page, StringComparison.Ordinal);
        // A code of a cylinder that the engine has not is said, and the page stands.
        db.Codes.First().Code = "P0309";
        db.SaveChanges();
        Assert.Contains("names cylinder 9", await client.GetStringAsync($"/jobs/{_job}?handler=Weighed"), StringComparison.Ordinal);
    }

    [Fact]
    public void Of_two_answers_to_one_question_the_newest_is_weighed()
    {
        using var db = _server.Open();
        OneJob.Keep(db, _job, "before", Boost(0.7), new Conditions(null, null, null, null));
        OneJob.Keep(db, _job, "after", Boost(1), new Conditions(null, null, null, null));
        var weighed = JobDecision.Of(Load(db), Likelihoods.Usual)!;
        Assert.Equal("tracks", Assert.Single(weighed.Evidence.Values, r => r.Kind == "tracking").Verdict);
    }

    [Fact]
    public void One_capture_alone_compares_nothing_and_a_deleted_one_counts_for_nothing()
    {
        using var db = _server.Open();
        OneJob.Keep(db, _job, "before", Boost(0.7), new Conditions(null, null, null, null));
        var second = OneJob.Keep(db, _job, "after", Boost(1), new Conditions(null, null, null, null));
        db.Captures.Single(c => c.Id == second).DeletedAt = DateTime.UtcNow;
        db.SaveChanges();
        var job = Load(db);
        var readings = JobFacts.ReadingsOf(job);
        Assert.NotEmpty(readings);
        Assert.DoesNotContain(readings, r => r.CaptureId == second);
        Assert.Empty(JobFacts.Compared(job, readings));
    }

    [Fact]
    public void Readings_that_name_cylinders_make_the_ledger_in_the_order_they_were_made()
    {
        using var db = _server.Open();
        OneJob.Keep(db, _job, "idle", Balance(3), new Conditions(null, null, null, null));
        OneJob.Keep(db, _job, "again", Balance(0), new Conditions(null, null, null, null));
        var job = Load(db);
        var ledger = JobFacts.LedgerOf(job, JobFacts.ReadingsOf(job));
        Assert.Equal(["idle", "again"], ledger.Select(c => c.Capture));
        Assert.All(ledger, column => Assert.Equal([1, 2, 3, 4], column.Cells.Keys.Order()));
        Assert.True(ledger[0].Cells[3].Odd);
        Assert.All(ledger[1].Cells.Values, cell => Assert.False(cell.Odd));
        Assert.All(ledger, column => Assert.Equal("mg/st", column.Unit));
    }

    [Fact]
    public void Steps_are_done_by_what_was_done()
    {
        using var db = _server.Open();
        var empty = JobSteps.Done(Load(db));
        Assert.Equal(JobSteps.Names.Count, empty.Length);
        OneJob.Keep(db, _job, "idle", Balance(3), new Conditions(null, null, null, null));
        var looked = JobSteps.Done(Load(db));
        Assert.True(looked.Count(d => d) > empty.Count(d => d));
        Assert.NotEmpty(JobSteps.Stands(Load(db)));
        db.Work.Add(new StoredWork { JobId = _job, What = "Fuel pump" });
        db.SaveChanges();
        Assert.True(JobSteps.Done(Load(db))[^2]);
        Assert.False(JobSteps.Done(Load(db))[^1]);
        db.Work.ExecuteUpdate(set => set.SetProperty(w => w.FittedAt, DateTime.UtcNow));
        Assert.True(JobSteps.Done(Load(db))[^1]);
    }

    [Fact]
    public void Remarks_come_from_codes_that_are_there()
    {
        using var db = _server.Open();
        var row = db.Jobs.Single(j => j.Id == _job);
        row.CodesClearedAt = DateTime.UtcNow;
        row.BatteryVolts = 11.4;
        db.SaveChanges();
        var remarks = JobFacts.RemarksOf(Load(db));
        Assert.Contains(remarks, n => n.Text.Contains("11.4", StringComparison.Ordinal));
        Assert.True(remarks.Count > JobFacts.RemarksOf(new Job()).Count);
    }

    private Job Load(MascheraDb db)
    {
        db.ChangeTracker.Clear();
        return db
            .Jobs.Include(j => j.Engine)
            .Include(j => j.Captures)
                .ThenInclude(c => c.Channels)
            .Include(j => j.Readings)
            .Include(j => j.Work)
            .Include(j => j.Codes)
            .Single(j => j.Id == _job);
    }

    /// <summary>A log of a boost pressure that steps to and fro, reached by the actual one to that share.</summary>
    private static Capture Boost(double reached)
    {
        const int count = 1_200;
        var actual = 100.0;
        double Desired(int i) => i / 200 % 2 == 1 ? 180 : 110;
        double Actual(int i)
        {
            actual += 0.2 * (100 + reached * (Desired(i) - 100) - actual);
            return actual;
        }

        return new Capture(
            "boost",
            [
                OneJob.Made("Boost pressure desired", "kPa", 0.1, count, Desired),
                OneJob.Made("Boost pressure actual", "kPa", 0.1, count, Actual),
            ],
            []
        );
    }

    /// <summary>The module's balance of four cylinders, one of them weak; none where 0.</summary>
    private static Capture Balance(int weak) =>
        new(
            "balance",
            [
                .. Enumerable
                    .Range(1, 4)
                    .Select(n =>
                        OneJob.Made($"Cyl {n} fuel correction", "mg/st", 0.2, 200, i => (n == weak ? 2 : 0) + 0.05 * Math.Sin(i * n))
                    ),
            ],
            []
        );

    [Fact]
    public void A_job_is_told_by_the_newest_fault_before_what_was_found_in_order_after_it()
    {
        var job = new Job();
        Assert.Null(JobFacts.Telling(job));
        void Add(int id, string kind, string verdict) =>
            job.Readings.Add(
                new StoredReading
                {
                    Id = id,
                    Kind = kind,
                    Verdict = verdict,
                }
            );
        Add(1, "circuit", "unusable");
        Assert.Equal(1, JobFacts.Telling(job)!.Id);
        Add(2, "wheel-speeds", "sensor-fault");
        Add(3, "circuit", "fault");
        Add(4, "pulse-count", "matches");
        Add(5, "pulse-count", "unusable");
        Assert.Equal(3, JobFacts.Telling(job)!.Id);
    }

    [Fact]
    public void What_is_ruled_out_at_one_cylinder_is_never_said_of_all()
    {
        RuledOut Out(string fault, int? cylinder) => new(fault, cylinder, "cylinder-pressure", "");
        var result = new DecisionResult(
            [],
            [Out("leaking-exhaust-valve", 1), Out("worn-rings", 1), Out("worn-rings", 2), Out("exhaust-restricted", null)],
            [],
            true,
            []
        );
        var said = RuledOutBy.Of(result, 2).Select(r => $"{r.By}{r.Where}: {string.Join(", ", r.Faults)}");
        Assert.Equal(["Cylinder pressure: worn rings, exhaust restricted", "Cylinder pressure at cylinder 1: leaking exhaust valve"], said);
    }
}
