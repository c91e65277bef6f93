using Maschera.Core.Basics;
using Maschera.Core.Engines;

namespace Maschera.Core.Readings.Pulses;

/// <summary>What pulses leave open, in words.</summary>
internal static class PulseDoubts
{
    /// <summary>What is open beside a cylinder that is named.</summary>
    public static List<Note> Of(PulseShares shares, Engine engine) =>
        [.. new[] { Either(shares, engine), Part(shares, engine), Others(shares, engine) }.OfType<Note>()];

    /// <summary>Cylinders differ and one is odd enough to be named, but by nothing that a cylinder may do.</summary>
    public static Note Unexplained(PulseShares shares, PulsePlace place) =>
        new(
            "unexplained",
            $"The pulses differ by up to {100 * shares.Apart:0} % from cylinder to cylinder, in a way that no single one's valve or "
                + $"{(place.Name == "exhaust" ? "blow-down" : "suction")} explains, so none is named. {Instead(place)}"
        );

    /// <summary>Cylinders that clearly differ while nobody's fault explains it are not said to be alike.</summary>
    public static Note Unlike(PulseShares shares, PulsePlace place) =>
        new(
            "unexplained",
            $"The pulses at the {place.Name} differ by up to {100 * shares.Apart:0} % of a usual one, and neither one cylinder's "
                + "valves nor "
                + $"two cylinders' {(place.Name == "exhaust" ? "blow-down" : "suction")} explain it, so none is named. {Instead(place)}"
        );

    /// <summary>Pulses alike at the intake say little of whether all cylinders fire; null elsewhere, and where none fires anyway.</summary>
    public static Note? Firing(PulsePlace place, bool fires) =>
        place.Name == "intake" && fires
            ? new(
                "firing-open",
                "Pulses alike at the intake speak for the valves and for sealing. A weak or missing firing hardly shows here, the less the "
                    + "faster the engine turns: count misfires with the crank sensor, or capture at the tailpipe."
            )
            : null;

    /// <summary>What tells more than pulses that nothing explains.</summary>
    private static string Instead(PulsePlace place) =>
        place.Name == "exhaust"
            ? "Count misfires with the crank sensor, and read relative compression."
            : "A misfire shows here as little: look for it at the tailpipe or with the crank sensor, and read relative compression.";

    /// <summary>
    /// A leaking valve's gas and another's missing suction or blow-down may fall on one place, and are told apart by shape.
    /// </summary>
    private static Note? Either(PulseShares shares, Engine engine)
    {
        if (shares.Causes is not { IsNobody: false, Best: var best, Rival: { } other })
            return null;
        string Said(PulseCause cause) =>
            cause.Places.Count == 1
                ? $"cylinder {engine.FiringOrder[cause.Places[0]]} {Does(cause.Fault)}"
                : $"cylinders {Names(cause.Places.Select(p => engine.FiringOrder[p]))} {TwoDo(cause.Fault)}";
        return new Note(
            "either",
            $"It may be that {Said(best)}, or that {Said(other)}: this trace does not tell them well apart. {Tells(best, other)}"
        );
    }

    private static string Tells(PulseCause best, PulseCause other) =>
        best.Fault == PulseFault.LostFire || other.Fault == PulseFault.LostFire
            ? "Misfires counted with the crank sensor tell which."
            : "Cylinder pressure or relative compression of both tells which.";

    private static string Names(IEnumerable<int> cylinders) => string.Join(" and ", cylinders);

    private static string Does(PulseFault fault) =>
        fault switch
        {
            PulseFault.Thrust => "thrusts gas back through its intake valve",
            PulseFault.Blowback => "is not emptied by its exhaust valve and blows back",
            PulseFault.Escape => "lets gas escape through its exhaust valve",
            PulseFault.BlowDown => "blows out otherwise than the others",
            PulseFault.LostFire => "fires weakly or not at all",
            _ => "draws less than the others",
        };

    private static string TwoDo(PulseFault fault) =>
        fault switch
        {
            PulseFault.Thrust => "thrust gas back through their intake valves",
            PulseFault.Blowback => "are not emptied by their exhaust valves and blow back",
            PulseFault.Escape => "let gas escape through their exhaust valves",
            PulseFault.BlowDown => "blow out otherwise than the others",
            _ => "draw less than the others",
        };

    /// <summary>One cylinder's fault that leaves much of what differs: a second one's may be in it.</summary>
    private static Note? Part(PulseShares shares, Engine engine) =>
        shares.Causes is { IsNobody: false, IsPart: true, Best: var best }
            ? new Note(
                "part-explained",
                $"What cylinder {engine.FiringOrder[best.Places[0]]} does explains {100 * (1 - best.Unexplained):0} % of how the "
                    + "pulses differ. "
                    + "The rest is more than one cylinder's fault leaves as a rule: a second one may be at fault too. Mend this one and "
                    + "capture again, or read relative compression and count misfires."
            )
            : null;

    /// <summary>
    /// What all cylinders that fire alike have in common is taken out, so that of three one that does more is two that do less, and of four
    /// two are two.
    /// </summary>
    private static Note? Others(PulseShares shares, Engine engine)
    {
        if (
            shares.Causes is not { IsNobody: false, Best: var best }
            || (shares.AlikeCylinders, best.Places.Count) is not ((3, 1) or (4, 2))
        )
            return null;
        var kinds = engine.Cylinders / shares.AlikeCylinders;
        int[] alike = [.. Enumerable.Range(0, engine.Cylinders).Where(p => p % kinds == best.Places[0] % kinds)];
        if (!best.Places.All(alike.Contains))
            return null;
        string Said(IEnumerable<int> places) => Names(places.Select(p => engine.FiringOrder[p]).Order());
        return new Note(
            "others-instead",
            $"Where two cylinders have the same fault, {shares.AlikeCylinders} cylinders{(kinds > 1 ? " that fire alike" : "")} don't tell well who: "
                + $"it may be {Said(best.Places)}, or {Said(alike.Except(best.Places))} together, doing the opposite. Relative compression "
                + "or cylinder pressure tells which."
        );
    }

    /// <summary>What the sentence says of the doubts.</summary>
    public static string Said(IEnumerable<Note> doubts) =>
        string.Concat(
            doubts.Select(doubt =>
                doubt.Code switch
                {
                    "either" => " Another cylinder may do this too: see below.",
                    "part-explained" => " Part of it is left unexplained: see below.",
                    _ => "",
                }
            )
        );
}
