namespace Maschera.Core.Readings.Pulses;

/// <summary>What a cylinder may do otherwise at a pick-up.</summary>
internal enum PulseFault
{
    /// <summary>It draws otherwise than the others while its intake valve is open, most often less.</summary>
    Suction,

    /// <summary>Its intake valve leaks: gas is thrust back about its firing TDC.</summary>
    Thrust,

    /// <summary>What could not leave through its exhaust valve blows back when its intake valve opens.</summary>
    Blowback,

    /// <summary>It fires weakly or not at all: the crank slows and what the others draw changes with it.</summary>
    LostFire,

    /// <summary>It blows out otherwise than the others when its exhaust valve opens: less, later, or sucking back.</summary>
    BlowDown,

    /// <summary>Its exhaust valve leaks: gas escapes while it is compressed and burns, and less is left to blow out.</summary>
    Escape,
}

/// <summary>One explanation of what a mean cycle has beyond even pulses.</summary>
/// <param name="Fault">What the cylinders do otherwise.</param>
/// <param name="Places">The cylinders, as places of the firing order, the strongest first.</param>
/// <param name="Unexplained">The share of the residual's energy that is left, 0 to 1.</param>
internal sealed record PulseCause(PulseFault Fault, IReadOnlyList<int> Places, double Unexplained);

/// <summary>What is odd at a pick-up, explained.</summary>
/// <param name="Best">The explanation taken.</param>
/// <param name="Rival">Another that explains it nearly as well; null where none does.</param>
/// <param name="IsNobody">True where no single cylinder's fault explains it well enough to be named.</param>
/// <param name="IsPart">True where a single cylinder's fault leaves more than such faults leave as a rule.</param>
internal sealed record PulseCauses(PulseCause Best, PulseCause? Rival = null, bool IsNobody = false, bool IsPart = false);
