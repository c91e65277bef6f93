using Maschera.Core.Engines;

namespace Maschera.Rig;

/// <summary>Where a leaking cylinder's gas goes.</summary>
public enum LeakTo
{
    Crankcase,
    Intake,
    Exhaust,
    Coolant,
}

/// <summary>What is wrong with one cylinder of the breathing stand-in engine.</summary>
/// <param name="Cylinder">Its number.</param>
public sealed record BreathingFault(int Cylinder)
{
    /// <summary>A leak that is always open, mm²; a burnt valve has about 1.</summary>
    public double LeakMm2 { get; init; }

    public LeakTo LeakTo { get; init; } = LeakTo.Exhaust;

    /// <summary>Share of its intake valves that open, 0 to 1; 0.5 where one of two stays shut.</summary>
    public double IntakeOpens { get; init; } = 1;

    /// <summary>Share of its exhaust valves that open, 0 to 1.</summary>
    public double ExhaustOpens { get; init; } = 1;

    /// <summary>Share of the usual heat its firings give.</summary>
    public double Heat { get; init; } = 1;

    /// <summary>Share of its firings that fail.</summary>
    public double Misfires { get; init; }
}

/// <summary>What the stand-in engine is asked to do while its gas is watched.</summary>
public sealed record BreathingPlan(Engine Engine)
{
    /// <summary>The cylinder with the transducer in its plug hole, which does not fire; null with all plugs in.</summary>
    public int? Measured { get; init; } = 1;

    /// <summary>True on its own fuel, false on the starter with nothing firing.</summary>
    public bool Running { get; init; } = true;

    /// <summary>Speed held while running, rpm.</summary>
    public double SpeedRpm { get; init; } = 800;

    /// <summary>Mean pressure in the intake while running, bar absolute.</summary>
    public double IntakeBar { get; init; } = 0.38;

    /// <summary>How much later both exhaust events come than the engine file says, degrees.</summary>
    public double ExhaustShift { get; init; }

    /// <summary>The same of the intake.</summary>
    public double IntakeShift { get; init; }

    /// <summary>Share of the exhaust's outlet that is blocked, 0 to 1.</summary>
    public double ExhaustBlocked { get; init; }

    public IReadOnlyList<BreathingFault> Faults { get; init; } = [];

    public double Seconds { get; init; } = 3;

    /// <summary>Samples a second.</summary>
    public double Rate { get; init; } = 20_000;

    public int Bits { get; init; } = 12;

    /// <summary>Transducer range, bar; beyond it the trace is cut off.</summary>
    public double RangeBar { get; init; } = 20;

    /// <summary>What the transducer shows in free air, bar.</summary>
    public double ZeroBar { get; init; }

    /// <summary>Its scale against a true one.</summary>
    public double Scale { get; init; } = 1;

    /// <summary>Noise of the transducer, standard deviation in bar.</summary>
    public double NoiseBar { get; init; } = 0.008;

    /// <summary>Also record the crank sensor.</summary>
    public bool CrankSensor { get; init; }

    /// <summary>Also record the pulse pick-ups on intake, exhaust, crankcase and coolant, and the exhaust's back pressure.</summary>
    public bool PickUps { get; init; }

    public int Seed { get; init; } = 1;
}

/// <summary>What really happened in the measured cylinder.</summary>
/// <param name="PeakBar">Mean of the towers' peaks, bar gauge.</param>
/// <param name="ExhaustBar">Mean pressure 230-330° after firing TDC, bar gauge.</param>
/// <param name="IntakeBar">Mean pressure 430-500° after firing TDC, bar gauge.</param>
/// <param name="SpeedRpm">Mean speed.</param>
public sealed record BreathingTruth(double PeakBar, double ExhaustBar, double IntakeBar, double SpeedRpm);
