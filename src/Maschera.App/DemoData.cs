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
        var van = Take(
            engines["Orsa 1.4"],
            "Orsa 1.4, post van 7",
            "NB 0712",
            148_200,
            "Shakes at idle, misfire code for cylinder 3",
            "Cold and hot, worse at idle",
            "Plugs and coils renewed elsewhere, no change",
            2
        );
        Crank(
            van,
            "Cranking, fuel pump fuse out",
            new CrankingPlan(EngineCatalogue.Orsa)
            {
                Faults = [new(3, 2.6)],
                SyncCylinder = 1,
                Rate = 10_000,
                Seed = 7,
            },
            new("cranking", 84, "fuel", "Clamp on the starter cable, sync on plug lead 1", "ignition", 1)
        );
        var rescue = Take(
            engines["Tasso V6"],
            "Tasso V6, rescue car",
            "NB 0301",
            96_540,
            "Cranks, starts late, then runs well",
            "After a night in the rain",
            null,
            1
        );
        Crank(
            rescue,
            "Cranking after a wet night",
            Plan(EngineCatalogue.Tasso, 11) with
            {
                SyncCylinder = 1,
            },
            new("cranking", 11, "fuel", null, "ignition", 1)
        );
        var plough = Take(
            engines["Camoscio 2.0 D"],
            "Camoscio 2.0 D, snow plough",
            "NB 0044",
            212_870,
            "Turns slowly and does not start",
            "Below freezing",
            "Glow plugs renewed last winter",
            0
        );
        Crank(
            plough,
            "Cranking at −4 °C",
            new CrankingPlan(EngineCatalogue.Camoscio)
            {
                Faults = [new(2, 1.1)],
                Starter = new StarterCircuit
                {
                    BatteryVolts = 11.8,
                    BatteryOhms = 0.011,
                    VoltSeconds = 0.34,
                },
                Rate = 5_000,
                Seed = 3,
                Cranking = 6,
            },
            new("cranking", -4, "fuel", "No sync at hand")
        );
        var shuttle = Take(
            engines["Ghiro 1.0"],
            "Ghiro 1.0, village shuttle",
            "NB 0519",
            61_300,
            "Lacks power uphill since the belt was renewed",
            "Above 2,500 rpm",
            "Timing belt and water pump renewed two weeks ago",
            3
        );
        Crank(
            shuttle,
            "Cranking, injectors unplugged",
            Plan(EngineCatalogue.Ghiro, 21) with
            {
                SyncCylinder = 1,
                CrankSensor = true,
            },
            new("cranking", 22, "fuel", null, "ignition", 1)
        );
        // A burnt exhaust valve.
        var burnt = new BreathingFault(3) { LeakMm2 = 4.5 };
        var closed = Take(engines["Orsa 1.4"], "Orsa 1.4, post van 4", "NB 0704", 187_015, "Rattles on start", "Cold", null, 30);
        closed.ClosedAt = DateTime.UtcNow.AddDays(-24);
        Idle(
            rescue,
            "Idle, damp, first minute",
            new RunningPlan(EngineCatalogue.Tasso)
            {
                SpeedRpm = 780,
                Seconds = 14,
                Rate = 25_000,
                Misfires = [new(4, 0.22)],
                Seed = 4,
            },
            new("idle", 14, null, "Coil of cylinder 4 wet", "ignition", 1)
        );
        var sister = Take(
            engines["Ghiro 1.0"],
            "Ghiro 1.0, upper valley shuttle",
            "NB 0520",
            58_900,
            "None, measured as known-good",
            "Warm",
            null,
            40
        );
        sister.ClosedAt = DateTime.UtcNow.AddDays(-40);
        Idle(
            sister,
            "Known-good: warm idle",
            new RunningPlan(EngineCatalogue.Ghiro)
            {
                SpeedRpm = 860,
                Seconds = 6,
                Seed = 12,
            },
            new("idle", 88, null, "Belt at the marks, checked by hand", "ignition", 1),
            good: "Belt at the marks, checked by hand; runs clean, no codes"
        );
        // One tooth of a belt wheel of 22 on the crank.
        var late = Idle(
            shuttle,
            "Warm idle, cam and crank",
            new RunningPlan(EngineCatalogue.Ghiro)
            {
                SpeedRpm = 790,
                Seconds = 6,
                CamOffsetDegrees = 360 / 22.0,
                CamFlutterDegrees = 0.3,
                Seed = 13,
            },
            new("idle", 90, null, null, "ignition", 1)
        );
        var hauler = Take(
            engines["Camoscio 2.0 D"],
            "Camoscio 2.0 D, mail hauler",
            "NB 0102",
            131_420,
            "No pull uphill, black smoke",
            "Under load, warm",
            "Air mass sensor and boost sensor renewed elsewhere",
            1
        );
        hauler.BatteryVolts = 12.0;
        hauler.Codes.Add(
            new StoredCode
            {
                Code = "P0299",
                Text = CodeMeanings.Of("P0299"),
                Module = "Engine",
                State = CodeStates.Stored,
                SeenAt = DateTime.UtcNow.AddDays(-1),
            }
        );
        hauler.Codes.Add(
            new StoredCode
            {
                Code = "P0340",
                Text = CodeMeanings.Of("P0340"),
                Module = "Engine",
                State = CodeStates.Stored,
                SeenAt = DateTime.UtcNow.AddDays(-1),
            }
        );
        Log(
            hauler,
            "Road test, three pulls",
            new DrivePlan(EngineCatalogue.Camoscio)
            {
                SplitHose = true,
                WeakCylinder = 3,
                Seed = 6,
            },
            new("load", 88, null, "Second gear, uphill")
        );
        Log(
            hauler,
            "Road test after the hose was renewed",
            new DrivePlan(EngineCatalogue.Camoscio) { WeakCylinder = 3, Seed = 7 },
            new("load", 88, null, "Same hill, same gear")
        );
        Stock(engines.Values);
        var bus = Take(
            engines["Orsa 1.4"],
            "Orsa 1.4, pass bus",
            "NB 0388",
            168_200,
            "Shakes at idle, cylinder 3 counts misfires",
            "Always, worse warm",
            "Plugs, coils and injectors changed round, no change",
            0
        );
        Watch(
            bus,
            "Pulses in the exhaust, warm idle",
            new BreathingPlan(EngineCatalogue.Orsa)
            {
                Measured = null,
                PickUps = true,
                Seconds = 5,
                SpeedRpm = 780,
                Faults = [burnt],
                Seed = 31,
            },
            ["Ignition", "Exhaust pulse", "Exhaust back pressure"],
            new("idle", 88, null, "Pick-up on the tailpipe", "ignition", 1)
        );
        Watch(
            bus,
            "Cylinder 1, warm idle",
            new BreathingPlan(EngineCatalogue.Orsa)
            {
                Measured = 1,
                SpeedRpm = 790,
                IntakeBar = 0.37,
                Seconds = 4,
                CrankSensor = true,
                Faults = [burnt],
                Seed = 32,
            },
            [],
            new("idle", 88, "plug lead 1", "Transducer in the plug hole", "ignition", 1)
        );
        Watch(
            bus,
            "Cylinder 3, warm idle",
            new BreathingPlan(EngineCatalogue.Orsa)
            {
                Measured = 3,
                SpeedRpm = 810,
                IntakeBar = 0.39,
                Seconds = 4,
                CrankSensor = true,
                Faults = [burnt],
                Seed = 33,
            },
            [],
            new("idle", 89, "plug lead 3", "Transducer in the plug hole", "ignition", 3)
        );
        var heard = new CrankingPlan(EngineCatalogue.Camoscio)
        {
            Faults = [new(2, 4)],
            Phone = new PhoneSound(),
            Seed = 8,
        };
        Record(
            plough,
            "Cranking, by ear",
            () => Only(CrankingRun.Record(heard).Capture, "Sound"),
            new("cranking", 6, "fuel", "Phone on the scuttle, charger on the battery")
        );
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
