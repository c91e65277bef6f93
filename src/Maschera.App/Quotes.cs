using Maschera.Core.Diagnosis;
using Maschera.Store;

namespace Maschera.App;

/// <summary>What is to be done at a vehicle, and what it costs.</summary>
public static class Quotes
{
    /// <summary>Most lines of a job, letters of a word, pieces or hours, price of one, days.</summary>
    public const int MostLines = 100,
        LongestWord = 120,
        MostCount = 1_000,
        MostPrice = 100_000,
        MostDays = 365;

    /// <summary>What a line costs; null where its price is not known.</summary>
    public static double? Cost(StoredWork line) => line.Price * line.Count;

    /// <summary>What all lines cost together that have a price, and how many have none.</summary>
    public static (double Known, int Unknown) Sum(IEnumerable<StoredWork> lines)
    {
        var all = lines.Where(l => l.DeletedAt is null).ToList();
        return (all.Sum(l => Cost(l) ?? 0), all.Count(l => l.Price is null));
    }

    /// <summary>Days until everything is there; null where a part's are not known.</summary>
    public static int? DaysUntilAll(IEnumerable<StoredWork> lines)
    {
        var parts = lines.Where(l => l.DeletedAt is null && !l.IsLabour && l.FittedAt is null).ToList();
        return parts.Count == 0 || parts.Exists(p => p.Days is null) ? null : parts.Max(p => p.Days);
    }

    /// <summary>What is wrong with a line; null where nothing is.</summary>
    public static string? Problem(StoredWork line, int cylinders) =>
        string.IsNullOrWhiteSpace(line.What) ? "Say what is to be renewed or done."
        : new[] { line.What, line.Number, line.Variant, line.From }.Any(w => w.Length > LongestWord)
            ? $"A field has up to {LongestWord} letters."
        : line.Count is not (> 0 and <= MostCount) ? $"How many, or how many hours: more than 0, up to {MostCount}."
        : line.Price is { } price && price is not (>= 0 and <= MostPrice) ? $"A price lies between 0 and {MostPrice:N0}."
        : line.Days is < 0 or > MostDays ? $"Days until it is there: 0 to {MostDays}."
        : line.Fault is { } fault && Likelihoods.Usual.Find(fault) is null ? $"There is no fault '{fault}'."
        : line.Cylinder is { } cylinder && (cylinder < 1 || cylinder > cylinders) ? $"The engine has {cylinders} cylinders."
        : null;
}
