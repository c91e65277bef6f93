namespace Maschera.Core.Diagnosis;

/// <summary>One piece of evidence as it bears on faults.</summary>
/// <param name="Source">What it comes from: a reading, a code, a complaint, something seen.</param>
/// <param name="Text">What it says, for a person.</param>
/// <param name="IsAbnormal">False for a verdict that finds nothing wrong.</param>
/// <param name="Faults">
/// How likely it is with each fault; for a normal one how likely the abnormal verdicts together would have been.
/// </param>
/// <param name="Cylinders">The cylinders it speaks of; empty for none in particular.</param>
/// <param name="Wheel">The wheel it speaks of; null for none.</param>
/// <param name="Weight">1, or less where its worth is in doubt.</param>
internal sealed record Finding(
    string Source,
    string Text,
    bool IsAbnormal,
    IReadOnlyDictionary<string, double> Faults,
    IReadOnlyList<int> Cylinders,
    string? Wheel = null,
    double Weight = 1
)
{
    /// <summary>An abnormal finding that a fault does not explain is an accident of this likelihood.</summary>
    public const double Accident = 0.04;

    /// <summary>A fault explains a finding that is so likely with it.</summary>
    private const double Explains = 0.3;

    /// <summary>How likely this one is with a fault that does not explain it.</summary>
    public double ByAccident { get; init; } = Accident;

    /// <summary>Faults that explain all its cylinders at once, for these share what is at fault; how likely it is with each.</summary>
    public IReadOnlyDictionary<string, double> Shared { get; init; } = new Dictionary<string, double>();

    /// <summary>How likely each cylinder is named besides the one that a fault of one cylinder explains.</summary>
    public double Further { get; init; } = FurtherByAccident;

    /// <summary>A cylinder that is named besides is oftener dragged along than at fault by accident.</summary>
    public const double FurtherByAccident = 0.15;

    /// <summary>How likely faults of two of its cylinders show it together.</summary>
    private const double BothShown = 0.6;

    /// <summary>How likely something that is not on the list shows an abnormal finding: oftener than by accident.</summary>
    private const double Unknown = 0.12;

    /// <summary>The likelihood with a suspect, 0 to 1; null stands for a fault that is not on the list.</summary>
    public double With(Suspicion? suspect) => Math.Pow(Raw(suspect), Weight);

    /// <summary>The likelihood with two faults at once, from that with each of them.</summary>
    public double With(Suspicion one, double withOne, Suspicion two, double withTwo)
    {
        if (!IsAbnormal)
            return Math.Min(withOne, withTwo);
        var best = Math.Max(withOne, withTwo);
        return Explain(one, two) ? Math.Max(best, Math.Pow(BothShown * Math.Pow(Further, Cylinders.Count - 2), Weight)) : best;
    }

    /// <summary>True where it names two cylinders or more and these faults sit at two of them.</summary>
    private bool Explain(Suspicion one, Suspicion two) =>
        one.Cylinder is { } a
        && two.Cylinder is { } b
        && a != b
        && Cylinders.Contains(a)
        && Cylinders.Contains(b)
        && Faults.ContainsKey(one.Fault.Name)
        && Faults.ContainsKey(two.Fault.Name);

    private double Raw(Suspicion? suspect)
    {
        if (suspect is null)
            return IsAbnormal ? Unknown * ByAccident / Accident * Besides(Further) : 1 - Unknown;
        var shown = Shows(suspect, Further);
        return IsAbnormal ? Math.Max(ByAccident * Besides(Further), shown) : 1 - Math.Max(Accident, shown);
    }

    /// <summary>How likely all cylinders but one are named besides.</summary>
    private double Besides(double further) => Math.Pow(further, Math.Max(0, Cylinders.Count - 1));

    /// <summary>True where the fault explains an abnormal finding at its own place, whatever else is named besides.</summary>
    public bool IsExplainedBy(Suspicion suspect) => IsAbnormal && Math.Pow(Shows(suspect, 1), Weight) >= Explains;

    /// <summary>True where an abnormal finding is next to an accident with the fault.</summary>
    public bool IsAgainst(Suspicion suspect) => IsAbnormal && Math.Pow(Math.Max(ByAccident, Shows(suspect, 1)), Weight) <= 2 * Accident;

    /// <summary>How likely the fault shows the abnormal finding, here: at its own cylinder or wheel.</summary>
    /// <param name="further">How likely each further cylinder is named besides.</param>
    private double Shows(Suspicion suspect, double further)
    {
        if (!Faults.TryGetValue(suspect.Fault.Name, out var likely))
            return 0;
        return suspect.Fault.Place switch
        {
            FaultPlace.Cylinder when Cylinders.Count > 0 && !Cylinders.Contains(suspect.Cylinder!.Value) => 0,
            FaultPlace.Cylinder when Shared.TryGetValue(suspect.Fault.Name, out var all) => Math.Max(likely * Besides(further), all),
            FaultPlace.Cylinder => likely * Besides(further),
            _ when Shared.TryGetValue(suspect.Fault.Name, out var all) => Math.Max(likely, all),
            FaultPlace.Wheel when Wheel is not null && Wheel != suspect.Wheel => 0,
            _ => likely,
        };
    }
}

/// <summary>A fault at its place.</summary>
internal sealed record Suspicion(Fault Fault, int? Cylinder, string? Wheel);
