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

    /// <summary>How likely this one is with a fault that does not explain it.</summary>
    public double ByAccident { get; init; } = Accident;

    /// <summary>How likely something that is not on the list shows an abnormal finding: oftener than by accident.</summary>
    private const double Unknown = 0.12;

    /// <summary>The likelihood with a suspect, 0 to 1; null stands for a fault that is not on the list.</summary>
    public double With(Suspicion? suspect) => Math.Pow(Raw(suspect), Weight);

    private double Raw(Suspicion? suspect)
    {
        if (suspect is null)
            return IsAbnormal ? Unknown * ByAccident / Accident : 1 - Unknown;
        var shown = Shows(suspect);
        return IsAbnormal ? Math.Max(ByAccident, shown) : 1 - Math.Max(Accident, shown);
    }

    /// <summary>How likely the fault shows the abnormal finding, here: at its own cylinder or wheel.</summary>
    private double Shows(Suspicion suspect)
    {
        if (!Faults.TryGetValue(suspect.Fault.Name, out var likely))
            return 0;
        return suspect.Fault.Place switch
        {
            FaultPlace.Cylinder when Cylinders.Count > 0 && !Cylinders.Contains(suspect.Cylinder!.Value) => 0,
            FaultPlace.Wheel when Wheel is not null && Wheel != suspect.Wheel => 0,
            _ => likely,
        };
    }
}

/// <summary>A fault at its place.</summary>
internal sealed record Suspicion(Fault Fault, int? Cylinder, string? Wheel);
