using System.Diagnostics.Metrics;

namespace Maschera.App;

/// <summary>What is counted while a process runs, under the meter's name for whatever collects it.</summary>
public static class Counters
{
    /// <summary>The meter's name.</summary>
    public const string Meter = "Maschera";

    private static readonly Meter s_meter = new(Meter);

    public static readonly Counter<long> Imports = s_meter.CreateCounter<long>("maschera.imports", description: "Captures brought in"),
        Readings = s_meter.CreateCounter<long>("maschera.readings", description: "Readings made"),
        Windows = s_meter.CreateCounter<long>("maschera.windows", description: "Views of traces drawn"),
        Errors = s_meter.CreateCounter<long>("maschera.errors", description: "Requests that broke");
}

/// <summary>The same summed up since the process began, for a page.</summary>
public sealed class CounterTotals : IDisposable
{
    private readonly MeterListener _listener = new();
    private readonly Lock _lock = new();
    private readonly Dictionary<string, long> _sums = [];

    public CounterTotals()
    {
        _listener.InstrumentPublished = (instrument, listener) =>
        {
            if (instrument.Meter.Name != Counters.Meter)
                return;
            Add(instrument.Description!, 0);
            listener.EnableMeasurementEvents(instrument);
        };
        _listener.SetMeasurementEventCallback<long>((instrument, value, _, _) => Add(instrument.Description!, value));
        _listener.Start();
        // The counters come to be when the first of them is used.
        Counters.Imports.Add(0);
    }

    /// <summary>Each by what it counts.</summary>
    public IReadOnlyList<(string What, long Sum)> Now
    {
        get
        {
            lock (_lock)
                return [.. _sums.Select(s => (s.Key, s.Value))];
        }
    }

    private void Add(string what, long more)
    {
        lock (_lock)
            _sums[what] = _sums.GetValueOrDefault(what) + more;
    }

    /// <inheritdoc/>
    public void Dispose() => _listener.Dispose();
}
