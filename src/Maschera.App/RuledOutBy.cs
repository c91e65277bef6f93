using Maschera.Core.Diagnosis;
using Maschera.Core.Readings;

namespace Maschera.App;

/// <summary>What a finding ruled out, and where.</summary>
/// <param name="By">What was checked, in a person's words.</param>
/// <param name="Cylinders">Only at these; empty for everywhere.</param>
/// <param name="Faults">What it is not, each once.</param>
public sealed record RuledOutBy(string By, IReadOnlyList<int> Cylinders, IReadOnlyList<string> Faults)
{
    /// <summary>" at cylinder 1, 2"; empty for everywhere.</summary>
    public string Where => Cylinders.Count == 0 ? "" : $" at cylinder {string.Join(", ", Cylinders)}";

    /// <summary>
    /// What a decision ruled out, by what ruled it out: a fault that is ruled out at some cylinders only is told with them, for at the
    /// others it may be what is looked for.
    /// </summary>
    public static IReadOnlyList<RuledOutBy> Of(DecisionResult result, int cylinders) =>
        [
            .. from ruled in result.RuledOut
            group ruled by ruled.By into source
            from part in source
                .GroupBy(r => r.Fault)
                .Select(f => (Fault: f.Key, Where: Places([.. f.Select(r => r.Cylinder)], cylinders)))
                .GroupBy(f => string.Join(',', f.Where))
            let places = part.First().Where
            orderby places.Count
            select new RuledOutBy(
                ReadingRegistry.Find(source.Key)?.Title ?? Spoken.Capital(source.Key),
                places,
                [.. part.Select(p => Spoken.Word(p.Fault))]
            ),
        ];

    private static List<int> Places(List<int?> at, int cylinders)
    {
        List<int> places = [.. at.OfType<int>().Distinct().Order()];
        return places.Count == cylinders ? [] : places;
    }
}
