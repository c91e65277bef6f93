using Maschera.Core.Engines;
using Maschera.Core.Signals;
using Maschera.Rig.Wiring;

namespace Maschera.Rig;

/// <summary>What can be wrong with one cylinder of the stand-in engine.</summary>
/// <param name="Word">What it is kept by.</param>
/// <param name="Brief">On the drawing.</param>
/// <param name="Said">In full.</param>
public sealed record CylinderTrouble(string Word, string Brief, string Said)
{
    /// <summary>See <see cref="CylinderFault.LeakPerSecond"/>.</summary>
    public double LeakPerSecond { get; init; }

    /// <summary>What it does to the gas; its cylinder's number is put in.</summary>
    public BreathingFault Gas { get; init; } = new(0);

    /// <summary>Firings that fail on its own fuel, as a share.</summary>
    public double Misfires { get; init; }

    /// <summary>What a firing gives beside a sound one's, for what compression is lost or fuel is missing.</summary>
    public double Work { get; init; } = 1;

    /// <summary>True where the starter's current shows it.</summary>
    public bool ShowsWhileCranking => LeakPerSecond > 0;

    /// <summary>True where the crank's speed shows it.</summary>
    public bool ShowsWhileRunning => Misfires > 0 || Work < 1;

    /// <summary>All that can be chosen.</summary>
    public static IReadOnlyList<CylinderTrouble> All { get; } =
    [
        new("rings", "worn rings", "Worn rings: leaks a little into the crankcase")
        {
            LeakPerSecond = 0.8,
            Work = 0.95,
            Gas = new(0) { LeakMm2 = 0.25, LeakTo = LeakTo.Crankcase },
        },
        new("seat", "valve leaks", "Exhaust valve does not seat")
        {
            LeakPerSecond = 2.5,
            Misfires = 0.1,
            Work = 0.85,
            Gas = new(0) { LeakMm2 = 1 },
        },
        new("burnt", "burnt valve", "Exhaust valve burnt")
        {
            LeakPerSecond = 6,
            Misfires = 0.35,
            Work = 0.75,
            Gas = new(0) { LeakMm2 = 4.5 },
        },
        new("intake-leaks", "intake leaks", "Intake valve does not seat")
        {
            LeakPerSecond = 2.5,
            Misfires = 0.1,
            Work = 0.85,
            Gas = new(0) { LeakMm2 = 1, LeakTo = LeakTo.Intake },
        },
        new("gasket", "gasket", "Head gasket leaks into the coolant")
        {
            LeakPerSecond = 0.8,
            Misfires = 0.1,
            Work = 0.9,
            Gas = new(0) { LeakMm2 = 0.5, LeakTo = LeakTo.Coolant },
        },
        new("intake-shut", "intake shut", "Intake valves stay shut")
        {
            // What never got in can't be compressed: as good as all of it is missing.
            LeakPerSecond = 60,
            Misfires = 1,
            Gas = new(0) { IntakeOpens = 0 },
        },
        new("exhaust-shut", "exhaust shut", "Exhaust valves stay shut")
        {
            Misfires = 1,
            Gas = new(0) { ExhaustOpens = 0 },
        },
        new("misfires", "misfires", "Misfires now and then")
        {
            Misfires = 0.3,
            Gas = new(0) { Misfires = 0.3 },
        },
        new("silent", "never fires", "Never fires")
        {
            Misfires = 1,
            Gas = new(0) { Misfires = 1 },
        },
        new("weak", "weak", "Weak injector: gives 70 % of the work")
        {
            Work = 0.7,
            Gas = new(0) { Heat = 0.7 },
        },
    ];

    /// <summary>A trouble by its word; null for none.</summary>
    public static CylinderTrouble? Find(string? word) => All.FirstOrDefault(t => t.Word == word);
}

/// <summary>The drawn engine with what is wrong with it, and what it is asked to do.</summary>
/// <param name="Engine">Where its geometry, wheel or valve timing is not known, a common engine's stand in.</param>
public sealed record RigSetup(Engine Engine)
{
    /// <summary>Words of <see cref="Battery"/>: charged, weak, a cable with a bad joint.</summary>
    public static IReadOnlyList<string> Batteries { get; } = ["good", "weak", "cable"];

    /// <summary>Words of <see cref="CrankSensor"/>: hall, inductive, inductive with its wires swapped, one that loses teeth.</summary>
    public static IReadOnlyList<string> CrankSensors { get; } = ["hall", "inductive", "turned", "drops"];

    /// <summary>Cylinder to its trouble.</summary>
    public IReadOnlyDictionary<int, CylinderTrouble> Troubles { get; init; } = new Dictionary<int, CylinderTrouble>();

    /// <summary>One of <see cref="Batteries"/>.</summary>
    public string Battery { get; init; } = "good";

    /// <summary>How much later the cam turns, crank degrees.</summary>
    public double CamLate { get; init; }

    /// <summary>One of <see cref="CrankSensors"/>.</summary>
    public string CrankSensor { get; init; } = "hall";

    public bool ExhaustBlocked { get; init; }

    /// <summary>The charge hose is split: boost stays below what is wanted.</summary>
    public bool HoseSplit { get; init; }

    /// <summary>The wires of the crank sensor.</summary>
    public SensorWire Wire { get; init; } = SensorWire.All[0];

    public double SpeedRpm { get; init; } = 800;

    public int Seconds { get; init; } = 5;

    /// <summary>A sync probe on the coil of the first cylinder of the firing order.</summary>
    public bool Sync { get; init; } = true;

    /// <summary>The cylinder with the transducer; null for pick-ups with all plugs in.</summary>
    public int? Measured { get; init; }

    public int Seed { get; init; } = 1;

    /// <summary>What was given to it, for the capture's conditions.</summary>
    public string Said => "stand-in, " + (Given().ToList() is { Count: > 0 } given ? string.Join(", ", given) : "sound");

    private Engine Whole =>
        Engine with
        {
            CrankWheel = Engine.CrankWheel ?? EngineCatalogue.Orsa.CrankWheel,
            Geometry = Engine.Geometry ?? EngineCatalogue.Orsa.Geometry,
            ValveTiming = Engine.ValveTiming ?? EngineCatalogue.Orsa.ValveTiming,
        };

    /// <summary>On its starter, nothing firing.</summary>
    public CrankingPlan Cranking =>
        new(Whole)
        {
            Faults = Leaks,
            Starter = Starter,
            Cranking = Seconds,
            Rate = 10_000,
            SyncCylinder = Sync ? Engine.FiringOrder[0] : null,
            CrankSensor = true,
            Seed = Seed,
        };

    /// <summary>On its own fuel, seen by its crank and cam sensors.</summary>
    public RunningPlan Running =>
        new(Whole)
        {
            SpeedRpm = SpeedRpm,
            Seconds = Seconds,
            Misfires = [.. Troubles.Where(t => t.Value.Misfires > 0).Select(t => new MisfireSchedule(t.Key, t.Value.Misfires))],
            Heat = Troubles.Where(t => t.Value.Work < 1).ToDictionary(t => t.Key, t => t.Value.Work),
            CamOffsetDegrees = CamLate,
            InductiveCrank = CrankSensor is "inductive" or "turned",
            TurnedRound = CrankSensor == "turned",
            LostTeethPerMille = CrankSensor == "drops" ? 3 : 0,
            SyncCylinder = Sync ? Engine.FiringOrder[0] : null,
            Seed = Seed,
        };

    /// <summary>On the road, logged: the hose shows there, and one cylinder that gives less.</summary>
    public DrivePlan Road =>
        new(Engine)
        {
            SplitHose = HoseSplit,
            WeakCylinder = Troubles.Where(t => t.Value.Work < 1).OrderBy(t => t.Value.Work).Select(t => t.Key).FirstOrDefault(),
            Seed = Seed,
        };

    /// <summary>A capture as it arrives over the crank sensor's wires.</summary>
    public Capture Seen(Capture capture) =>
        capture with
        {
            Channels =
            [
                .. capture.Channels.Select(c =>
                    c.Name == SensorWire.Component ? Wire.Seen(c, CrankSensor is "inductive" or "turned", Seed) : c
                ),
            ],
        };

    /// <summary>Its gas: the pressure in one cylinder, or what pick-ups hear.</summary>
    public BreathingPlan Gas =>
        new(Whole)
        {
            Measured = Measured,
            PickUps = Measured is null,
            SpeedRpm = SpeedRpm,
            Seconds = Seconds,
            CrankSensor = true,
            ExhaustShift = CamLate,
            IntakeShift = CamLate,
            ExhaustBlocked = ExhaustBlocked ? 0.95 : 0,
            Faults = [.. Troubles.Select(t => t.Value.Gas with { Cylinder = t.Key })],
            Seed = Seed,
        };

    /// <summary>Cylinders that leak, for the engine on its starter.</summary>
    public IReadOnlyList<CylinderFault> Leaks =>
        [.. Troubles.Where(t => t.Value.LeakPerSecond > 0).Select(t => new CylinderFault(t.Key, t.Value.LeakPerSecond))];

    /// <summary>A starter that suits the engine, a stronger one for a diesel.</summary>
    public StarterCircuit Starter
    {
        get
        {
            var usual = StarterCircuit.For(Engine.Cylinders);
            return usual with
            {
                VoltSeconds = usual.VoltSeconds + (Engine.IsDiesel ? 0.06 : 0),
                BatteryVolts = Battery == "weak" ? 11.8 : 12.6,
                BatteryOhms = Battery == "weak" ? 0.012 : 0.006,
                MotorOhms = Battery == "cable" ? 2.5 * usual.MotorOhms : usual.MotorOhms,
            };
        }
    }

    private IEnumerable<string> Given()
    {
        foreach (var (cylinder, trouble) in Troubles.OrderBy(t => t.Key))
            yield return $"cylinder {cylinder}: {trouble.Brief}";
        if (CamLate != 0)
            yield return $"cam {Math.Abs(CamLate):0.#}° {(CamLate > 0 ? "late" : "early")}";
        if (Battery != "good")
            yield return Battery == "weak" ? "weak battery" : "bad starter cable";
        if (CrankSensor != "hall")
            yield return CrankSensor switch
            {
                "turned" => "crank sensor's wires swapped",
                "drops" => "crank sensor loses teeth",
                _ => "inductive crank sensor",
            };
        if (ExhaustBlocked)
            yield return "exhaust blocked";
        if (HoseSplit)
            yield return "charge hose split";
        if (Wire.Fault is not null)
            yield return $"crank sensor's wires: {Wire.Brief}";
    }
}
