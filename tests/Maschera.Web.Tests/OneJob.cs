using Maschera.App;
using Maschera.Core.Engines;
using Maschera.Core.Signals;
using Maschera.Store;

namespace Maschera.Web.Tests;

/// <summary>A job of its own with captures of its own, so that a test stands on nothing of the demo's.</summary>
internal static class OneJob
{
    /// <summary>Takes a job in.</summary>
    public static Job Take(MascheraDb db, string engine = """{"cylinders":4,"firingOrder":[1,3,4,2]}""", string vehicle = "v")
    {
        var job = new Job
        {
            Vehicle = vehicle,
            Complaint = "c",
            CreatedAt = DateTime.UtcNow,
            Engine = new StoredEngine { Name = "e", Json = engine },
        };
        db.Jobs.Add(job);
        db.SaveChanges();
        return job;
    }

    /// <summary>Takes a job in for an engine.</summary>
    public static Job Take(MascheraDb db, Engine engine)
    {
        var stored = new StoredEngine();
        stored.Take(engine);
        return Take(db, stored.Json);
    }

    /// <summary>Keeps a capture of channels on one axis; returns its number.</summary>
    public static int Keep(MascheraDb db, Job job, string name, params Channel[] channels) =>
        Keep(db, job.Id, name, new Capture(name, channels, []), new Conditions(null, null, null, null));

    /// <summary>The same with conditions; the readings that offer themselves are made.</summary>
    public static int Keep(MascheraDb db, int job, string name, Capture capture, Conditions conditions) =>
        new CaptureIntake(db, new ReadingService(db, new SampleStore(db))).Take(StoredCapture.Of(job, name, conditions), capture);

    /// <summary>A channel of values at even steps.</summary>
    public static Channel Made(string name, string unit, double step, int count, Func<int, double> value) =>
        new(name, unit, TimeAxis.Uniform(0, step, count), [.. Enumerable.Range(0, count).Select(i => (float)value(i))]);
}
