using Maschera.Core.Engines;
using Maschera.Rig;
using Maschera.Store;

namespace Maschera.App;

/// <summary>The part of the demonstration world that is known to be good: the shelf, earlier visits, figures.</summary>
public sealed partial class DemoData
{
    /// <summary>Two or three sound engines of each kind for the shelf, as like and unlike as sound engines are.</summary>
    private void Stock(IEnumerable<StoredEngine> engines)
    {
        var seed = 40;
        foreach (var engine in engines)
        {
            var job = ShelfJobs.For(db, engine.Id);
            foreach (var (rpm, celsius, off) in ((double, double, double)[])[(820, 89, 0.4), (1_450, 92, -0.5)])
            {
                var plan = new RunningPlan(engine.ToEngine())
                {
                    SpeedRpm = rpm,
                    Seconds = 4,
                    Rate = 25_000,
                    CamOffsetDegrees = off,
                    Seed = seed++,
                };
                Record(
                    job,
                    rpm < 1000 ? "Known-good: warm idle, cam and crank" : "Known-good: 1,450 rpm, no load",
                    () => RunningRun.Record(plan).Capture,
                    new Conditions("idle", celsius, null, null, "ignition", plan.Engine.FiringOrder[0]),
                    "Timing set and checked by hand, compression even, no codes",
                    forComparison: true
                );
            }

            var breathing = new BreathingPlan(engine.ToEngine())
            {
                Measured = engine.ToEngine().FiringOrder[0],
                SpeedRpm = 860,
                Seconds = 3,
                CrankSensor = true,
                Seed = seed++,
            };
            Record(
                job,
                "Known-good: pressure in cylinder 1, warm idle",
                () => BreathingRun.Record(breathing).Capture,
                new Conditions("idle", 90, "plug lead 1", null, "ignition", breathing.Measured),
                "Leak-down 6 %, timing checked by hand",
                forComparison: true
            );
        }
    }

    /// <summary>Two visits of the shuttle before its belt was renewed.</summary>
    private List<StoredCapture> Earlier(StoredEngine engine)
    {
        List<StoredCapture> taken = [];
        foreach (var (daysAgo, km, late, seed) in new[] { (130, 52_800, 0.3, 61), (62, 57_450, -0.2, 62) })
        {
            var job = Take(engine, "Ghiro 1.0, village shuttle", "NB 0519", km, "None, yearly check", "Warm", null, daysAgo);
            job.ClosedAt = DateTime.UtcNow.AddDays(-daysAgo);
            var plan = new RunningPlan(EngineCatalogue.Ghiro)
            {
                SpeedRpm = 830,
                Seconds = 3,
                Rate = 25_000,
                CamOffsetDegrees = late,
                CamFlutterDegrees = 0.3,
                Seed = seed,
            };
            var capture = Idle(job, "Warm idle, cam and crank", plan, new("idle", 89, null, null, "ignition", 1));
            capture.TakenAt = DateTime.UtcNow.AddDays(-daysAgo);
            taken.Add(capture);
        }

        return taken;
    }

    /// <summary>Figures of the shelf: two out of the workshop's folder.</summary>
    private void Know(Dictionary<string, StoredEngine> engines)
    {
        void Add(string engine, string kind, string name, string unit, double most) =>
            db.Figures.Add(
                new StoredFigure
                {
                    EngineId = engines[engine].Id,
                    Kind = kind,
                    Name = name,
                    Unit = unit,
                    Most = most,
                    Source = "workshop folder",
                    By = "Nebbiola",
                    AddedAt = DateTime.UtcNow.AddDays(-40),
                }
            );
        Add("Camoscio 2.0 D", "pressure-hold", "Lost a minute", "bar", 0.1);
        Add("Tasso V6", "knock", "At worst", "°", 3);
    }
}
