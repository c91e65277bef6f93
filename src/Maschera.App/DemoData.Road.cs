using Maschera.Core.Readings.Circuit;
using Maschera.Core.Vehicle;
using Maschera.Rig;
using Maschera.Rig.Wiring;
using Maschera.Store;

namespace Maschera.App;

/// <summary>The part of the demonstration world beside the engine itself: wheels, actuators, fuel, knock, wires.</summary>
public sealed partial class DemoData
{
    private void FillRoad(Dictionary<string, StoredEngine> engines)
    {
        var patrol = Take(
            engines["Orsa 1.4"],
            "Orsa 1.4, valley patrol",
            "NB 0617",
            74_100,
            "Traction lamp comes on after some kilometres",
            "On the road, worse in the wet",
            null,
            1
        );
        Stand(patrol, "Four wheels on the road: front right drops out", 3, "Round the lake road");
        Stand(patrol, "A ring before its sensor: good side and weak side", 5, "Both front wheels turned alike on the lift");
        db.Observations.Add(
            new StoredObservation
            {
                JobId = patrol.Id,
                Word = "swap-moved",
                Part = "wheel-sensor",
                Wheel = "front-right",
                SeenAt = DateTime.UtcNow,
            }
        );
        var library = Take(
            engines["Camoscio 2.0 D"],
            "Camoscio 2.0 D, bookmobile",
            "NB 0230",
            143_800,
            "Cranks long and starts badly after standing",
            "After the weekend",
            "Fuel filter renewed",
            2
        );
        Stand(library, "Fuel pressure, pump off: it leaks", 4, "Gauge between filter and pump");
        Stand(library, "Cranking, seen by the scan tool: everything there, no start", 6, "After an hour of standing");
        var tender = Take(
            engines["Tasso V6"],
            "Tasso V6, mountain rescue tender",
            "NB 0309",
            88_250,
            "Lacks power uphill, rings under load",
            "Warm, second gear",
            null,
            1
        );
        Stand(tender, "Spark retard on the road: it knocks under load", 2, "Up to the pass");
        Stand(tender, "A valve commanded: it moves nothing, another one does", 4, "Oil pressure valves by the scan tool");
    }

    /// <summary>A recording of a stand-in other than the engine.</summary>
    private void Stand(Job job, string name, int seed, string remark)
    {
        var recording = StandInRecordings.Find(name) ?? throw new ArgumentException($"There is no recording '{name}'.", nameof(name));
        Record(job, recording.Group, () => recording.Record(seed), new Conditions(recording.State, 88, null, remark));
    }

    /// <summary>Two sheets: a sensor whose wires are sound, and a starter with a bad ground.</summary>
    private void Measure(Job hauler, Job plough)
    {
        Probe(hauler, "Boost pressure sensor", "Sensor with a 5 V supply", "key on", []);
        Probe(plough, "Starter", "Pump, lamp or motor", "cranking", [new WireFault("Starter", "ground", WireDamage.Resistive)]);
    }

    private void Probe(Job job, string component, string kind, string state, IReadOnlyList<WireFault> faults)
    {
        var sheet = new CircuitSheet([]) { Components = [new(component, [.. SheetPlan.Kinds[kind].Select(t => new SheetPin(t))])] };
        var meter = new StandInMeter(new(sheet.Components) { Faults = faults });
        var filled = SheetService.ProbeAsync(sheet, meter, state, all: true, CancellationToken.None).GetAwaiter().GetResult();
        sheets.Create(job.Id, $"Wires of {component}", filled);
    }
}
