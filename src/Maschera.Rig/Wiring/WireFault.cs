using Maschera.Core.Vehicle;

namespace Maschera.Rig.Wiring;

/// <summary>What can be wrong with a wire.</summary>
public enum WireDamage
{
    /// <summary>Cut.</summary>
    Broken,

    /// <summary>A bad joint: it passes a meter's current and not the load's.</summary>
    Resistive,

    /// <summary>Chafed through onto the component's ground.</summary>
    OnGround,

    /// <summary>Touching the component's supply.</summary>
    OnSupply,

    /// <summary>Touching the battery's own supply.</summary>
    OnBattery,

    /// <summary>Touching the other signal.</summary>
    OnSignal,
}

/// <summary>A damaged wire.</summary>
/// <param name="Component">The component whose branch it is; empty for what the components share, before the splice.</param>
/// <param name="Terminal">supply, supply 5v, ground, signal, signal 2.</param>
public sealed record WireFault(string Component, string Terminal, WireDamage Damage);

/// <summary>Components with their wires, as they hang on one module and one battery.</summary>
/// <param name="Components">Their names and pins.</param>
public sealed record WiringPlan(IReadOnlyList<SheetComponent> Components)
{
    public IReadOnlyList<WireFault> Faults { get; init; } = [];

    /// <summary>For the meter's last digits.</summary>
    public int Seed { get; init; } = 1;
}
