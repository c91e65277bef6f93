namespace Maschera.Core.Readings;

/// <summary>All readings there are: every public <see cref="IReading"/> of this assembly, found by itself.</summary>
public static class ReadingRegistry
{
    /// <summary>The readings, by kind.</summary>
    public static IReadOnlyList<IReading> All { get; } =
    [
        .. typeof(ReadingRegistry)
            .Assembly.GetExportedTypes()
            .Where(type => type.IsAssignableTo(typeof(IReading)) && type is { IsAbstract: false, IsClass: true })
            .Select(type => (IReading)Activator.CreateInstance(type)!)
            .OrderBy(reading => reading.Kind, StringComparer.Ordinal),
    ];

    /// <summary>The reading of that kind; null where there is none.</summary>
    public static IReading? Find(string kind) => All.FirstOrDefault(reading => reading.Kind == kind);
}
