using Maschera.Core.Basics;

namespace Maschera.Core.Vehicle;

/// <summary>What is known when a job is taken in.</summary>
/// <param name="Codes">Codes with their states.</param>
/// <param name="ClearedAt">When codes were last cleared; null where nobody said.</param>
/// <param name="BatteryOffAt">When the battery was last disconnected.</param>
/// <param name="BatteryVolts">Voltage at rest, V.</param>
/// <param name="EarlierRepairs">Parts already replaced, as told.</param>
public sealed record IntakeFacts(
    IReadOnlyList<(string Code, string State)> Codes,
    DateTime? ClearedAt,
    DateTime? BatteryOffAt,
    double? BatteryVolts,
    string? EarlierRepairs
);

/// <summary>Remarks that change what a later test can prove, each with its reason.</summary>
public static class IntakeRemarks
{
    /// <summary>Below this at rest control units misbehave, V.</summary>
    private const double WeakBattery = 12.2;

    private static readonly HashSet<string> s_fuelLevel = ["P0460", "P0461", "P0462", "P0463", "P0464", "P2065", "P2066", "P2067", "P2068"];
    private static readonly HashSet<string> s_turning =
    [
        "P0335",
        "P0336",
        "P0337",
        "P0338",
        "P0339",
        "P0340",
        "P0341",
        "P0342",
        "P0343",
        "P0344",
        "P0345",
        "P0346",
        "P0365",
        "P0366",
        "P0385",
        "P0386",
        "P0390",
        "P0391",
        "P0016",
        "P0017",
        "P0018",
        "P0019",
    ];

    /// <summary>The remarks that follow from the facts.</summary>
    public static IReadOnlyList<Note> Of(IntakeFacts facts)
    {
        var notes = new List<Note>();
        var counted = facts.Codes.Where(c => c.State != CodeStates.OwnTesting).ToList();
        void When(IEnumerable<string> codes, string code, Func<string, string> text)
        {
            var list = string.Join(", ", codes.Distinct());
            if (list.Length > 0)
                notes.Add(new Note(code, text(list)));
        }

        When(
            counted.Where(c => s_fuelLevel.Contains(c.Code)).Select(c => c.Code),
            "misfire-suspended",
            codes =>
                $"{codes}: with a faulty fuel level sender the misfire monitor may be suspended, for it takes the tank for empty. "
                + $"Misfire counters at zero prove nothing; count misfires from the crank sensor."
        );
        When(
            counted
                .Where(c => s_turning.Contains(c.Code) && c.State is CodeStates.Stored or CodeStates.Pending && s_turning.Contains(c.Code))
                .Select(c => c.Code),
            "only-while-turning",
            codes =>
                $"{codes}: a cam or crank code can only be seen while the engine cranks or runs. “Stored” is all it can be at rest; "
                + $"do not dismiss it."
        );
        When(
            counted.Where(c => c.Code == "P0315").Select(c => c.Code),
            "wheel-not-learned",
            codes => $"{codes}: as long as the crank wheel is not learned, the vehicle's own misfire counts are not to be trusted."
        );
        if (facts.BatteryVolts is { } volts && volts < WeakBattery)
            notes.Add(
                new Note(
                    "weak-battery",
                    $"Battery at {volts:0.0} V, under {WeakBattery} V: codes of control units and of lost messages are suspect, "
                        + $"and cranking tests come out low. Charge it first."
                )
            );
        foreach (
            var (when, what) in (IEnumerable<(DateTime?, string)>)
                [(facts.ClearedAt, "Codes were cleared"), (facts.BatteryOffAt, "The battery was disconnected")]
        )
            if (when is { } at)
                notes.Add(
                    new Note(
                        "cleared",
                        $"{what} on {at.ToLocalTime():d MMM yyyy HH:mm}: freeze frames, misfire counters and on-board test "
                            + $"results from before are gone, learned values are back at their start. Zero means nothing until it "
                            + $"was driven far enough."
                    )
                );
        if (
            facts.ClearedAt is null
            && counted.Any(c => c.State == CodeStates.Permanent)
            && counted.All(c => c.State is CodeStates.Permanent)
        )
            notes.Add(new Note("probably-cleared", "Only permanent codes are left: the others were cleared, and not long ago."));
        When(
            facts.Codes.Where(c => c.State == CodeStates.OwnTesting).Select(c => c.Code),
            "own-testing",
            codes => $"{codes}: caused by our own testing, left out of the reasoning and cleared at the end."
        );
        return notes;
    }
}
