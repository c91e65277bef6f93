namespace Maschera.Core.Timing;

/// <summary>
/// A trigger wheel as a sensor shows it: tooth edges, each so many pitches behind the one before.
/// </summary>
/// <param name="Teeth">Tooth places a turn, missing ones counted.</param>
/// <param name="Missing">Size of each gap, beginning with the one that stands before place 0.</param>
/// <param name="GapPlaces">Place (0 to <paramref name="Teeth"/> - 1) of the first tooth after each gap, the first 0.</param>
public sealed record WheelPattern(int Teeth, IReadOnlyList<int> Missing, IReadOnlyList<int> GapPlaces)
{
    /// <summary>True where a tooth more between two others marks the turn; place 0 is the tooth after it.</summary>
    public bool HasExtraTooth { get; init; }

    /// <summary>Why it is not sure how many of its teeth make one turn; null where it is.</summary>
    public string? Doubt { get; init; }

    /// <summary>True where the wheel shows where its turn begins.</summary>
    public bool HasMark => HasExtraTooth || Missing.Count > 0;

    /// <summary>The wheel in words: tooth places, less the missing ones, plus an extra one.</summary>
    public string Said => $"{Teeth} tooth places{string.Concat(Missing.Select(m => $" − {m}"))}{(HasExtraTooth ? " + 1" : "")}";

    /// <summary>True where both have the same teeth at the same places.</summary>
    public bool IsLike(WheelPattern other) =>
        Teeth == other.Teeth
        && HasExtraTooth == other.HasExtraTooth
        && Missing.SequenceEqual(other.Missing)
        && GapPlaces.SequenceEqual(other.GapPlaces);

    /// <summary>Where the turn can be told: places behind gaps with their size, or the place behind the extra tooth with size 0.</summary>
    internal IEnumerable<(int Place, int Size)> Marks => HasExtraTooth ? [(0, 0)] : GapPlaces.Zip(Missing);

    /// <summary>Pitch in crank degrees.</summary>
    public double Pitch => 360.0 / Teeth;

    /// <summary>How often the pattern repeats in one turn; 1 where only a whole turn brings it back.</summary>
    public int Symmetry
    {
        get
        {
            if (HasExtraTooth)
                return 1;
            if (Missing.Count == 0)
                return Teeth;
            for (var times = Missing.Count; times > 1; times--)
                if (Missing.Count % times == 0 && Teeth % times == 0 && RepeatsAfter(Missing.Count / times, Teeth / times))
                    return times;
            return 1;
        }
    }

    private bool RepeatsAfter(int gaps, int places) =>
        Enumerable
            .Range(0, Missing.Count)
            .All(i =>
                Missing[i] == Missing[(i + gaps) % Missing.Count]
                && (GapPlaces[i] + places) % Teeth == GapPlaces[(i + gaps) % Missing.Count]
            );
}
