using System.Collections.Concurrent;
using Maschera.Core.Engines;
using Maschera.Core.Expressions;
using Maschera.Core.Signals;
using Maschera.Core.Vehicle;
using Maschera.Rig;
using Maschera.Store;

namespace Maschera.App;

/// <summary>The demonstration world: a mountain post-bus and rescue depot with its vehicles and their complaints.</summary>
public sealed partial class DemoData(MascheraDb db, CaptureIntake intake, ReadingService readings, SheetService sheets)
{
    /// <summary>Captures being recorded, in the order in which they are kept.</summary>
    private readonly Queue<Recording> _recordings = new();

    /// <summary>
    /// The same, to be recorded. They have threads of their own: in the pool's queue the readings of the first would wait for the
    /// last.
    /// </summary>
    private readonly BlockingCollection<Task<Capture>> _toRecord = [];

    /// <summary>A capture of a job that the stand-ins are recording.</summary>
    /// <param name="Row">What is said of it.</param>
    /// <param name="Capture">It itself, when it is done.</param>
    /// <param name="Good">Why it is known-good; null where it is an ordinary one.</param>
    /// <param name="ForComparison">True where no reading is made of it.</param>
    private sealed record Recording(StoredCapture Row, Task<Capture> Capture, string? Good, bool ForComparison);

    /// <summary>Throws the data folder's contents away.</summary>
    public static void Clear(DataFolder data)
    {
        foreach (var file in Directory.GetFiles(data.Root, "maschera.db*"))
            File.Delete(file);
        foreach (var file in Directory.GetFiles(data.Incoming))
            File.Delete(file);
    }

    /// <summary>Fills an empty database; leaves one with engines alone.</summary>
    public void FillIfEmpty()
    {
        if (db.Engines.Any())
            return;
        for (var i = 0; i < Environment.ProcessorCount; i++)
            new Thread(RecordAll) { IsBackground = true }.Start();
        var engines = EngineCatalogue.Demo.ToDictionary(e => e.Name, Keep);
        FillVan(engines["Orsa 1.4"]);
        var rescue = FillRescue(engines["Tasso V6"]);
        var plough = FillPlough(engines["Camoscio 2.0 D"]);
        var shuttle = FillShuttle(engines["Ghiro 1.0"]);
        FillClosed(engines["Orsa 1.4"]);
        RunDamp(rescue);
        FillSister(engines["Ghiro 1.0"]);
        var late = RunLate(shuttle);
        var hauler = FillHauler(engines["Camoscio 2.0 D"]);
        Stock(engines.Values);
        FillBus(engines["Orsa 1.4"]);
        Hear(plough);
        FillRoad(engines);
        // The shuttle on its visits before: its cam stood where it belongs.
        var earlier = Earlier(engines["Ghiro 1.0"]);
        KeepAll();
        Measure(hauler, plough);
        FillWhole(engines["Camoscio 2.0 D"]);
        FillElse(rescue);
        Know(engines);
        foreach (var turned in earlier.Append(late))
            readings.Make(new ReadingAsked(turned.Id, "cam-timing") { Reference = ReadingService.WholeShelf });
        db.SaveChanges();
    }

    /// <summary>Keeps what was recorded, while the rest is still being recorded.</summary>
    private void KeepAll()
    {
        _toRecord.CompleteAdding();
        while (_recordings.TryDequeue(out var next))
        {
            var capture = next.Capture.GetAwaiter().GetResult();
            var id = next.ForComparison ? intake.TakeForComparison(next.Row, capture) : intake.Take(next.Row, capture);
            if (next.Good is { } reason)
                Shelve(id, reason);
        }
    }

    private static CrankingPlan Plan(Engine engine, int seed) =>
        new(engine)
        {
            Starter = StarterCircuit.For(engine.Cylinders),
            Rate = 10_000,
            Seed = seed,
        };

    private StoredEngine Keep(Engine engine)
    {
        var stored = new StoredEngine();
        stored.Take(engine);
        db.Engines.Add(stored);
        db.SaveChanges();
        return stored;
    }

    private Job Take(StoredEngine engine, string vehicle, string plate, int km, string complaint, string when, string? repairs, int daysAgo)
    {
        var job = new Job
        {
            Vehicle = vehicle,
            Plate = plate,
            OdometerKm = km,
            Complaint = complaint,
            WhenItHappens = when,
            EarlierRepairs = repairs,
            EngineId = engine.Id,
            CreatedAt = DateTime.UtcNow.AddDays(-daysAgo).AddHours(-2),
        };
        db.Jobs.Add(job);
        db.SaveChanges();
        return job;
    }

    private void Shelve(int capture, string reason)
    {
        var row = db.Captures.First(c => c.Id == capture);
        (row.ShelvedAt, row.ShelfReason, row.ShelfBy) = (DateTime.UtcNow.AddDays(-40), reason, "Nebbiola, workshop");
        db.SaveChanges();
    }

    /// <summary>What the instruments see of the breathing engine: the channels named, or all.</summary>
    private void Watch(Job job, string name, BreathingPlan plan, string[] only, Conditions conditions) =>
        Record(job, name, () => Only(BreathingRun.Record(plan).Capture, only), conditions);

    private StoredCapture Idle(Job job, string name, RunningPlan plan, Conditions conditions, string? good = null) =>
        Record(job, name, () => RunningRun.Record(plan).Capture, conditions, good);

    private void Log(Job job, string name, DrivePlan plan, Conditions conditions) =>
        Record(job, name, () => DriveLog.Record(plan), conditions);

    private void Crank(Job job, string name, CrankingPlan plan, Conditions conditions) =>
        Record(job, name, () => CrankingRun.Record(plan).Capture, conditions);

    /// <summary>Starts a recording; what it returns has its number once it is kept.</summary>
    private StoredCapture Record(
        Job job,
        string name,
        Func<Capture> record,
        Conditions conditions,
        string? good = null,
        bool forComparison = false
    )
    {
        var row = StoredCapture.Of(job.Id, name, conditions);
        var recording = new Task<Capture>(record);
        _toRecord.Add(recording);
        _recordings.Enqueue(new(row, recording, good, forComparison));
        return row;
    }

    private void RecordAll()
    {
        foreach (var recording in _toRecord.GetConsumingEnumerable())
            recording.RunSynchronously();
    }

    private static Capture Only(Capture capture, params string[] names) =>
        names.Length == 0 ? capture : capture with { Channels = [.. capture.Channels.Where(c => names.Contains(c.Name))] };
}
