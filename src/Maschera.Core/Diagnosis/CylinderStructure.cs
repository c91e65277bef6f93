using System.Text.Json;
using Maschera.Core.Basics;
using Maschera.Core.Readings;

namespace Maschera.Core.Diagnosis;

/// <summary>What the cylinders of an engine share: a bank, the gasket between two, a coil that fires two 360° apart.</summary>
internal sealed class CylinderStructure
{
    /// <summary>An engine of so many cylinders lies in one row where nobody said anything else.</summary>
    private const int OneRow = 5;

    private readonly int _cylinders;
    private readonly List<int> _order;
    private readonly List<IReadOnlyList<int>> _banks;

    /// <summary>Reads it of a case's engine; what is left out or does not fit the cylinders is not known.</summary>
    /// <exception cref="ReadingException">firingOrder or banks are no lists of whole numbers.</exception>
    public CylinderStructure(JsonElement? engine, int cylinders)
    {
        _cylinders = cylinders;
        var order = engine is { } e && e.TryGetProperty("firingOrder", out var given) ? Numbers(given, "firingOrder") : [];
        var banks = engine is { } of && of.TryGetProperty("banks", out var rows) ? Lists(rows) : [];
        _order = IsWhole(order) ? order : [];
        _banks =
            banks.Count > 0 && IsWhole([.. banks.SelectMany(b => b)]) ? banks
            : banks.Count == 0 && cylinders <= OneRow
                ?
                [
                    [.. Enumerable.Range(1, cylinders)],
                ]
            : [];
    }

    /// <summary>
    /// In what ways these cylinders, and no others, belong together: companions, neighbours, bank, all; empty for one, or where they
    /// lie anywhere.
    /// </summary>
    public IEnumerable<string> Relations(IReadOnlyList<int> named)
    {
        var those = named.Distinct().Order().ToList();
        if (those.Count == 2 && AreCompanions(those[0], those[1]))
            yield return "companions";
        if (those.Count == 2 && AreNeighbours(those[0], those[1]))
            yield return "neighbours";
        if (those.Count > 1 && _banks.Count > 1 && _banks.Any(b => b.Order().SequenceEqual(those)))
            yield return "bank";
        if (those.Count > 1 && those.Count == _cylinders)
            yield return "all";
    }

    /// <summary>What a relation means, for a person.</summary>
    public static Note Told(string relation, IReadOnlyList<int> named) =>
        new(
            $"shared-{relation}",
            relation switch
            {
                "companions" => $"Cylinders {Listed(named)} fire 360° apart: one coil may fire them both.",
                "neighbours" => $"Cylinders {Listed(named)} lie side by side: the gasket between them is shared.",
                "bank" =>
                    $"Cylinders {Listed(named)} are one bank: what it shares (supply and splice, rail, gasket, cam, exhaust) comes first.",
                _ => "All cylinders are named: what they share (supply, rail, timing, the sensor itself) comes before any one of them.",
            }
        );

    /// <summary>1, 2 and 3.</summary>
    public static string Listed(IReadOnlyList<int> cylinders) =>
        cylinders.Count < 2 ? string.Join("", cylinders) : $"{string.Join(", ", cylinders.SkipLast(1))} and {cylinders[^1]}";

    private bool AreCompanions(int one, int two) =>
        _order.Count > 0 && _order.Count % 2 == 0 && Math.Abs(Place(one) - Place(two)) == _order.Count / 2;

    private int Place(int cylinder) => _order.IndexOf(cylinder);

    private bool AreNeighbours(int one, int two) => _banks.Any(b => b.Zip(b.Skip(1)).Any(p => p == (one, two) || p == (two, one)));

    private bool IsWhole(IReadOnlyList<int> numbers) => numbers.Order().SequenceEqual(Enumerable.Range(1, _cylinders));

    private static List<IReadOnlyList<int>> Lists(JsonElement lists) =>
        lists.ValueKind switch
        {
            JsonValueKind.Null => [],
            JsonValueKind.Array => [.. lists.EnumerateArray().Select(l => (IReadOnlyList<int>)Numbers(l, "banks"))],
            _ => throw new ReadingException("engine: banks is a list of lists of cylinders."),
        };

    /// <summary>A list of cylinders; empty for none.</summary>
    /// <exception cref="ReadingException">It is none, or holds something else.</exception>
    public static List<int> Numbers(JsonElement list, string name)
    {
        if (list.ValueKind is JsonValueKind.Null or JsonValueKind.Undefined)
            return [];
        if (list.ValueKind != JsonValueKind.Array)
            throw new ReadingException($"engine: {name} is a list of cylinders.");
        return
        [
            .. list.EnumerateArray()
                .Select(n =>
                    n.ValueKind == JsonValueKind.Number && n.TryGetInt32(out var number)
                        ? number
                        : throw new ReadingException($"engine: {name} holds whole numbers, not {n.GetRawText()}.")
                ),
        ];
    }
}
