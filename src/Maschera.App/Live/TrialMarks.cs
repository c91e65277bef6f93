namespace Maschera.App.Live;

/// <summary>When somebody commanded something by hand while an instrument ran, by the number of the sample.</summary>
public sealed class TrialMarks
{
    /// <summary>The channel that stands for them in a capture.</summary>
    public const string Channel = "Trial by key";

    private readonly Lock _gate = new();

    /// <summary>Samples at which it went on, off, on…</summary>
    private readonly List<long> _changes = [];

    public bool Any
    {
        get
        {
            lock (_gate)
                return _changes.Count > 0;
        }
    }

    public bool IsOn
    {
        get
        {
            lock (_gate)
                return _changes.Count % 2 == 1;
        }
    }

    /// <summary>Begins or ends a trial at a sample; what stands already stays.</summary>
    public void Set(bool on, long sample)
    {
        lock (_gate)
            if (on != (_changes.Count % 2 == 1) && (_changes.Count == 0 || sample > _changes[^1]))
                _changes.Add(sample);
    }

    /// <summary>1 while a trial ran, 0 between, for a run of samples from <paramref name="first"/>.</summary>
    public void Fill(long first, Span<float> values)
    {
        lock (_gate)
            for (var i = 0; i < values.Length; i++)
            {
                var found = _changes.BinarySearch(first + i);
                values[i] = (found < 0 ? ~found : found + 1) % 2;
            }
    }
}
