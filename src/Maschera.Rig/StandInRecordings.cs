using Maschera.Core.Signals;
using Maschera.Rig.Fuel;
using Maschera.Rig.Road;

namespace Maschera.Rig;

/// <summary>A log or capture that a stand-in other than the engine can give.</summary>
/// <param name="Group">What is recorded.</param>
/// <param name="Said">In which state, sound or with which fault.</param>
/// <param name="State">What the engine does meanwhile.</param>
/// <param name="Record">The recording, by a seed.</param>
public sealed record StandInRecording(string Group, string Said, string State, Func<int, Capture> Record)
{
    /// <summary>A name that no other has.</summary>
    public string Name => $"{Group}: {Said}";
}

/// <summary>Actuators, wheels, rings, rails, knock and no-starts that can be recorded.</summary>
public static class StandInRecordings
{
    private const string Valve = "A valve commanded",
        Wheels = "Four wheels on the road",
        Rings = "A ring before its sensor",
        Hold = "Fuel pressure, pump off",
        Injectors = "Injectors fired one by one",
        Knock = "Spark retard on the road",
        Start = "Cranking, seen by the scan tool";

    public static IReadOnlyList<StandInRecording> All { get; } =
    [
        new(Valve, "it moves the oil pressure", "idle", seed => new CommandedValve(seed) { Change = 0.9 }.Log()),
        new(Valve, "it moves nothing, another one does", "idle", seed => new CommandedValve(seed) { OtherChange = 0.9 }.Log()),
        new(Valve, "its module gives up", "idle", seed => new CommandedValve(seed) { Drive = t => t < 1.5 ? 1.1 : 0 }.Log()),
        new(Wheels, "all sound", "load", seed => new FourWheels(seed).Log()),
        new(Wheels, "front right drops out", "load", seed => new FourWheels(seed) { Fault = "drops-out", FaultyWheel = 1 }.Log()),
        new(Wheels, "another tyre at the rear left", "load", seed => new FourWheels(seed) { Size = 1.05, FaultyWheel = 2 }.Log()),
        new(Wheels, "rear right slips once", "load", seed => new FourWheels(seed) { SlipAt = 8 }.Log()),
        new(Rings, "sound, turned by hand three times", "key on", seed => new ToothedRing(seed) { ByHand = 3, HasMark = false }.Capture()),
        new(Rings, "a tooth is gone", "key on", seed => new ToothedRing(seed) { Gone = { 11 } }.Capture()),
        new(Rings, "off centre", "key on", seed => new ToothedRing(seed) { Eccentric = 0.35 }.Capture()),
        new(Rings, "good side and weak side", "key on", seed => Sides(seed, 0.5, 0)),
        new(Rings, "good side and wobbling side", "key on", seed => Sides(seed, 0.8, 0.45)),
        new(Hold, "it holds", "key on", seed => new HeldRail(seed) { LossAMinute = 0.05 }.Log(true)),
        new(Hold, "it leaks", "key on", seed => new HeldRail(seed) { HalfLife = 70 }.Log(true)),
        new(Injectors, "alike", "key on", seed => new FiredRail(seed).Log()),
        new(Injectors, "the one of cylinder 3 is restricted", "key on", seed => new FiredRail(seed) { Odd = 3, OddFlow = 0.76 }.Log()),
        new(Knock, "it knocks under load", "load", seed => new KnockingDrive(seed) { Real = true, Coolant = 107 }.Log()),
        new(Knock, "something rattles", "load", seed => new KnockingDrive(seed) { Noise = true }.Log()),
        new(Start, "cam and crank never in step", "cranking", seed => new NoStart(seed) { SyncAt = null }.Log()),
        new(Start, "rail pressure too low", "cranking", seed => new NoStart(seed) { Rail = 90 }.Log()),
        new(Start, "immobiliser locked", "cranking", seed => new NoStart(seed) { Immobiliser = "locked", Quantity = 0 }.Log()),
        new(Start, "everything there, no start", "cranking", seed => new NoStart(seed).Log()),
    ];

    /// <summary>The recording of that name; null where there is none.</summary>
    public static StandInRecording? Find(string? name) => All.FirstOrDefault(r => r.Name == name);

    /// <summary>Two coils on one axle, turned alike: the left one sound, the right one as told.</summary>
    private static Capture Sides(int seed, double strength, double wobble)
    {
        var left = new ToothedRing(seed) { IsSine = true, Name = "Front left sensor" }.Capture();
        var right = new ToothedRing(seed)
        {
            IsSine = true,
            Name = "Front right sensor",
            Strength = strength,
            Wobble = wobble,
        }.Capture();
        return left with { Name = "axle.csv", Channels = [right.Channels[0], left.Channels[0], right.Channels[1]] };
    }
}
