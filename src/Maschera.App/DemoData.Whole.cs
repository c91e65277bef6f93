using Maschera.Core.Expressions;
using Maschera.Core.Vehicle;
using Maschera.Rig;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;

namespace Maschera.App;

/// <summary>Two jobs that were followed to their end: one repaired and proved, one that fits nothing known.</summary>
public sealed partial class DemoData
{
    private static readonly string[] s_notThere = ["split-hose", "chafed-wire", "loose-connector", "fuel-smell"];

    /// <summary>A torn hose, from intake to proof.</summary>
    private void FillWhole(StoredEngine engine)
    {
        var start = DateTime.UtcNow.AddDays(-2);
        var gritter = Take(
            engine,
            "Camoscio 2.0 D, gritter",
            "NB 0147",
            118_640,
            "No pull uphill, black smoke",
            "Warm, under load",
            "Fuel filter renewed",
            2
        );
        gritter.CreatedAt = start;
        gritter.Codes.Add(
            new StoredCode
            {
                Code = "P0299",
                Text = CodeMeanings.Of("P0299"),
                Module = "Engine",
                State = CodeStates.Stored,
                SeenAt = start.AddMinutes(20),
            }
        );
        var before = Drive(gritter, "Road test, three pulls", true, start.AddMinutes(55));
        gritter.Observations.Add(new StoredObservation { Word = "split-hose", SeenAt = start.AddMinutes(80) });
        gritter.Remarks.Add(
            new StoredRemark
            {
                Text = "The hose behind the charge air cooler is torn at its clamp and opens under pressure.",
                Address = $"/bench/{before}",
                IsPinned = true,
                At = start.AddMinutes(84),
            }
        );
        gritter.Work.Add(
            new StoredWork
            {
                What = "Boost hose",
                Number = "CM 4471 02",
                Variant = "built since June 2019",
                Price = 84.5,
                From = "valley parts store",
                Days = 1,
                Fault = "boost-leak",
                ProposedAt = start.AddMinutes(95),
                OrderedAt = start.AddMinutes(130),
                FittedAt = start.AddHours(26),
            }
        );
        gritter.Work.Add(
            new StoredWork
            {
                What = "Renew the hose, try all clamps under pressure",
                IsLabour = true,
                Count = 1.2,
                Price = 72,
                ProposedAt = start.AddMinutes(96),
                FittedAt = start.AddHours(26.5),
            }
        );
        gritter.FoundFault = "boost-leak";
        gritter.FoundAt = start.AddHours(28);
        db.SaveChanges();
        Drive(gritter, "Road test, the same hill, new hose", false, start.AddHours(27));
    }

    private int Drive(Job job, string name, bool split, DateTime at)
    {
        var row = StoredCapture.Of(job.Id, name, new Conditions("load", 88, null, "Second gear, uphill"));
        row.TakenAt = at;
        var id = intake.Take(row, DriveLog.Record(new DrivePlan(EngineCatalogue.Camoscio) { SplitHose = split, Seed = split ? 16 : 17 }));
        db.Readings.Where(r => r.CaptureId == id).ExecuteUpdate(set => set.SetProperty(r => r.MadeAt, at.AddMinutes(2)));
        return id;
    }

    /// <summary>What was looked for on the rescue car and not found: nothing known is left.</summary>
    private static void FillElse(Job rescue)
    {
        var at = rescue.CreatedAt.AddHours(1);
        foreach (var (i, word) in s_notThere.Index())
            rescue.Observations.Add(
                new StoredObservation
                {
                    Word = word,
                    Present = false,
                    SeenAt = at.AddMinutes(3 * i),
                }
            );
        rescue.Remarks.Add(
            new StoredRemark
            {
                Text = "Nothing we know fits yet. It comes back with the logger on board, to be taken while it starts late.",
                IsPinned = true,
                At = at.AddMinutes(20),
            }
        );
    }
}
