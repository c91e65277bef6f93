using Maschera.Core.Diagnosis;

namespace Maschera.App;

/// <summary>Suspects as a person reads them.</summary>
public static class ToldSuspects
{
    /// <summary>Shares of cylinders that differ by less are the same.</summary>
    private const double Alike = 1.02;

    /// <summary>
    /// The likeliest first. Where nothing tells the cylinders apart, a fault of one of them is one line without a cylinder, with the
    /// share of all.
    /// </summary>
    public static IReadOnlyList<Suspect> Of(DecisionResult result, int cylinders) =>
        [
            .. result
                .Suspects.GroupBy(s => s.Fault, (_, places) => places.ToList())
                .SelectMany(fault => IsAnywhere(fault, cylinders) ? [Anywhere(fault)] : fault)
                .OrderByDescending(s => s.Probability),
        ];

    private static bool IsAnywhere(List<Suspect> fault, int cylinders) =>
        cylinders > 1
        && fault.Count == cylinders
        && fault.TrueForAll(s => s.Cylinder is not null)
        && fault.Max(s => s.Probability) < Alike * fault.Min(s => s.Probability);

    private static Suspect Anywhere(List<Suspect> fault) => fault[0] with { Cylinder = null, Probability = fault.Sum(s => s.Probability) };
}
