using Maschera.Core.Basics;
using Maschera.Core.Readings;
using Maschera.Core.Readings.RelativeCompression;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Store.Tests;

/// <summary>Jobs, engines and readings survive the database as they were.</summary>
public sealed class JobTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("maschera").FullName;

    public void Dispose()
    {
        using (var connection = new Microsoft.Data.Sqlite.SqliteConnection($"Data Source={Path.Combine(_folder, "j.db")}"))
            Microsoft.Data.Sqlite.SqliteConnection.ClearPool(connection);
        Directory.Delete(_folder, recursive: true);
    }

    [Fact]
    public void A_reading_comes_back_in_its_own_type_with_its_ledger()
    {
        using (var db = Open())
        {
            db.Prepare();
            var capture = new StoredCapture
            {
                Name = "c",
                Conditions = new Conditions("cranking", -4, "fuel", null, "ignition", 2),
                Job = Job(),
            };
            db.Captures.Add(capture);
            db.SaveChanges();
            db.Readings.Add(StoredReading.Of(Result(), capture.JobId, capture.Id));
            db.SaveChanges();
        }

        using var fresh = Open();
        var reading = fresh.Readings.Include(r => r.Capture).Include(r => r.Job!.Engine).Single();
        var result = Assert.IsType<RelativeCompressionResult>(reading.Result);
        Assert.Equal(("uneven", "one is weak"), (reading.Verdict, reading.Sentence));
        Assert.Equal([new Note("no-sync", "why")], result.Notes);
        Assert.Equal([(1, 100.0, false), (3, 71.5, true)], result.Ledger.Select(e => (e.Cylinder, e.Value, e.Odd)));
        Assert.Equal(new Conditions("cranking", -4, "fuel", null, "ignition", 2), reading.Capture!.Conditions);
        Assert.Equal([1, 3, 4, 2], reading.Job!.Engine!.ToEngine().FiringOrder);
    }

    [Fact]
    public async Task Readings_held_in_memory_follow_their_rows()
    {
        using var db = Open();
        db.Prepare();
        var capture = new StoredCapture { Name = "c", Job = Job() };
        db.Captures.Add(capture);
        db.SaveChanges();
        var row = db.Readings.Add(StoredReading.Of(Result(), capture.JobId, capture.Id)).Entity;
        db.SaveChanges();

        var first = Assert.Single(await HeldReadings.OfAsync(db, db.Readings));
        var second = Assert.Single(await HeldReadings.OfAsync(db, db.Readings));
        Assert.NotSame(first, second);
        Assert.Same(first.Result, second.Result);
        first.Capture = capture;
        Assert.Null(second.Capture);

        // Made again: SQLite may give the new row the number of the one that went.
        db.Readings.Remove(row);
        db.SaveChanges();
        Assert.Empty(await HeldReadings.OfAsync(db, db.Readings));
        var again = StoredReading.Of(Result() with { Verdict = "even", Sentence = "none is" }, capture.JobId, capture.Id);
        (again.Id, again.MadeAt) = (row.Id, row.MadeAt.AddSeconds(1));
        db.Readings.Add(again);
        db.SaveChanges();
        var now = Assert.Single(await HeldReadings.OfAsync(db, db.Readings));
        Assert.Equal(("even", "none is"), (now.Result!.Verdict, now.Sentence));
    }

    [Fact]
    public void A_reading_whose_kind_is_gone_is_kept_but_not_shown()
    {
        var row = new StoredReading { Kind = "forgotten", Json = "{}" };
        Assert.Null(row.Result);
    }

    [Fact]
    public void A_deleted_job_is_not_live_and_goes_with_all_it_has_after_a_month()
    {
        using (var db = Open())
        {
            db.Prepare();
            var job = Job();
            job.Captures.Add(new StoredCapture { Name = "c" });
            db.Jobs.Add(job);
            db.SaveChanges();
            db.Readings.Add(StoredReading.Of(Result(), job.Id, job.Captures[0].Id));
            job.DeletedAt = DateTime.UtcNow;
            db.SaveChanges();
            Assert.Empty(db.LiveJobs);
            Assert.Single(db.Jobs);
        }

        using var fresh = Open();
        fresh.Prepare();
        fresh.Sweep(DateTime.UtcNow.AddDays(29));
        Assert.Single(fresh.Jobs);
        fresh.Sweep(DateTime.UtcNow.AddDays(31));
        Assert.Empty(fresh.Jobs);
        Assert.Empty(fresh.Captures);
        Assert.Empty(fresh.Readings);
        Assert.Single(fresh.Engines);
    }

    [Fact]
    public void A_data_folder_makes_itself()
    {
        var data = new DataFolder(Path.Combine(_folder, "new", "folder"));
        Assert.True(Directory.Exists(data.Incoming));
        Assert.StartsWith(data.Root, data.Database, StringComparison.Ordinal);
    }

    [Fact]
    public void Uploads_nobody_came_back_to_go_after_a_day()
    {
        var data = new DataFolder(Path.Combine(_folder, "swept"));
        var upload = Path.Combine(data.Incoming, "abc");
        File.WriteAllText(upload, "x");
        data.Sweep(DateTime.UtcNow.AddHours(23));
        Assert.True(File.Exists(upload));
        data.Sweep(DateTime.UtcNow.AddHours(25));
        Assert.False(File.Exists(upload));
    }

    private MascheraDb Open() => new(MascheraDb.ForFile(Path.Combine(_folder, "j.db")));

    private static Job Job() =>
        new()
        {
            Vehicle = "v",
            Complaint = "c",
            CreatedAt = DateTime.UtcNow,
            Engine = new StoredEngine { Name = "e", Json = """{"cylinders":4,"firingOrder":[1,3,4,2]}""" },
        };

    private static RelativeCompressionResult Result() =>
        new()
        {
            Reading = "relative-compression",
            Verdict = "uneven",
            Sentence = "one is weak",
            Method = "m",
            Notes = [new Note("no-sync", "why")],
            Positions = [new(1, 1, 100, 0.5), new(2, 3, 71.5, 0.6)],
            Low = [new(2, 3, 71.5)],
        };
}
