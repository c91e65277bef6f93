using Maschera.Core.Engines;
using Maschera.Core.Vehicle;
using Maschera.Rig;
using Maschera.Store;

namespace Maschera.App;

/// <summary>The depot's complaints that are captured on the starter and at idle.</summary>
public sealed partial class DemoData
{
    /// <summary>A cylinder that leaks, told by the starter's current.</summary>
    private void FillVan(StoredEngine engine)
    {
        var van = Take(
            engine,
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
    }

    /// <summary>Sound on the starter: what is wrong shows when it runs.</summary>
    private Job FillRescue(StoredEngine engine)
    {
        var rescue = Take(
            engine,
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
        return rescue;
    }

    /// <summary>A weak battery, and a cylinder that leaks a little.</summary>
    private Job FillPlough(StoredEngine engine)
    {
        var plough = Take(
            engine,
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
        return plough;
    }

    /// <summary>Even on the starter: its cam is late.</summary>
    private Job FillShuttle(StoredEngine engine)
    {
        var shuttle = Take(
            engine,
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
        return shuttle;
    }

    /// <summary>A job that is done.</summary>
    private void FillClosed(StoredEngine engine)
    {
        var closed = Take(engine, "Orsa 1.4, post van 4", "NB 0704", 187_015, "Rattles on start", "Cold", null, 30);
        closed.ClosedAt = DateTime.UtcNow.AddDays(-24);
    }

    /// <summary>A wet coil.</summary>
    private void RunDamp(Job rescue)
    {
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
    }

    /// <summary>A known-good of the shuttle's engine.</summary>
    private void FillSister(StoredEngine engine)
    {
        var sister = Take(engine, "Ghiro 1.0, upper valley shuttle", "NB 0520", 58_900, "None, measured as known-good", "Warm", null, 40);
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
    }

    /// <summary>The shuttle with its belt a tooth off.</summary>
    private StoredCapture RunLate(Job shuttle)
    {
        // One tooth of a belt wheel of 22 on the crank.
        return Idle(
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
    }

    /// <summary>Boost that does not come: a split hose, and a weak cylinder behind it.</summary>
    private Job FillHauler(StoredEngine engine)
    {
        var hauler = Take(
            engine,
            "Camoscio 2.0 D, mail hauler",
            "NB 0102",
            131_420,
            "No pull uphill, black smoke",
            "Under load, warm",
            "Air mass sensor and boost sensor renewed elsewhere",
            1
        );
        hauler.BatteryVolts = 12.0;
        foreach (var code in (string[])["P0299", "P0340"])
            hauler.Codes.Add(
                new StoredCode
                {
                    Code = code,
                    Text = CodeMeanings.Of(code),
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
        return hauler;
    }

    /// <summary>A burnt exhaust valve, in the tailpipe's pulses and in two cylinders.</summary>
    private void FillBus(StoredEngine engine)
    {
        var burnt = new BreathingFault(3) { LeakMm2 = 4.5 };
        var bus = Take(
            engine,
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
    }

    /// <summary>The plough again, by ear.</summary>
    private void Hear(Job plough)
    {
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
    }
}
