using Maschera.Core.Signals;

namespace Maschera.Rig.Wiring;

/// <summary>What can be wrong with the wires of the stand-in's crank sensor: a scope at the module sees it, and so does a meter.</summary>
/// <param name="Word">What it is kept by.</param>
/// <param name="Brief">On the drawing; empty for sound wires.</param>
/// <param name="Said">In full.</param>
/// <param name="Fault">For a meter; null for sound wires.</param>
public sealed record SensorWire(string Word, string Brief, string Said, WireFault? Fault)
{
    /// <summary>The component's name on a sheet.</summary>
    public const string Component = "Crank sensor";

    /// <summary>What a module pulls an open signal up to, and what a bad ground lifts the low level to, V.</summary>
    private const double PulledUp = 5,
        Lifted = 1.4;

    /// <summary>Noise of a level that nothing drives, V.</summary>
    private const double Hiss = 0.01;

    /// <summary>All that can be chosen, sound wires first.</summary>
    public static IReadOnlyList<SensorWire> All { get; } =
    [
        new("sound", "", "Sound", null),
        new("supply-cut", "supply cut", "Its supply is cut", new(Component, "supply 5v", WireDamage.Broken)),
        new("ground-joint", "bad ground", "A bad joint in its ground", new(Component, "ground", WireDamage.Resistive)),
        new("signal-cut", "signal cut", "Its signal is cut", new(Component, "signal", WireDamage.Broken)),
        new("signal-ground", "to ground", "Its signal chafes on ground", new(Component, "signal", WireDamage.OnGround)),
    ];

    /// <summary>By its word; sound wires for any other.</summary>
    public static SensorWire Find(string? word) => All.FirstOrDefault(w => w.Word == word) ?? All[0];

    /// <summary>
    /// A sensor's voltage as it arrives over these wires, V. A hall sensor without supply or signal leaves the module's pull-up, an
    /// inductive one without a wire nothing; a bad ground lifts the low level.
    /// </summary>
    public Channel Seen(Channel sensor, bool isInductive, int seed)
    {
        if (Fault is null)
            return sensor;
        if (Fault.Damage == WireDamage.Resistive)
            return sensor with { Samples = Array.ConvertAll(sensor.Samples, v => (float)(isInductive ? 0.6 * v : Lift(v))) };
        var random = new Random(seed);
        var level = isInductive || Fault.Damage == WireDamage.OnGround ? 0 : PulledUp;
        return sensor with { Samples = [.. sensor.Samples.Select(_ => (float)(level + Hiss * Noise.Gaussian(random)))] };
    }

    private static double Lift(double volts) => Lifted + volts * (PulledUp - Lifted) / PulledUp;
}
