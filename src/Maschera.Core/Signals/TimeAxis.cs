using Maschera.Core.Expressions;

namespace Maschera.Core.Signals;

/// <summary>Maps sample numbers to seconds: either evenly spaced, or one stamp a sample.</summary>
public sealed class TimeAxis
{
    private readonly double[]? _stamps;

    private TimeAxis(double start, double step, int count, double[]? stamps)
    {
        Start = start;
        Step = step;
        Count = count;
        _stamps = stamps;
    }

    /// <summary>Time of the first sample, s.</summary>
    public double Start { get; }

    /// <summary>Sample interval, s; the mean interval where steps are uneven.</summary>
    public double Step { get; }

    /// <summary>Number of samples.</summary>
    public int Count { get; }

    /// <summary>True where every interval is <see cref="Step"/>.</summary>
    public bool IsUniform => _stamps is null;

    /// <summary>The stamps of an uneven axis, s; null on an even one.</summary>
    public IReadOnlyList<double>? Stamps => _stamps;

    /// <summary>The stamps of <paramref name="count"/> samples of an uneven axis from number <paramref name="first"/>, s.</summary>
    public ReadOnlyMemory<double> StampsOf(int first, int count) => _stamps.AsMemory(first, count);

    /// <summary>Time of the last sample, s.</summary>
    public double End => Count == 0 ? Start : this[Count - 1];

    /// <summary>Time of sample <paramref name="index"/>, s.</summary>
    public double this[int index] => _stamps is null ? Start + index * Step : _stamps[index];

    /// <summary>An even axis. <paramref name="step"/> in s must be positive.</summary>
    public static TimeAxis Uniform(double start, double step, int count)
    {
        if (!(step > 0))
            throw new ArgumentOutOfRangeException(nameof(step), step, "A sample interval is positive.");
        return new TimeAxis(start, step, count, null);
    }

    /// <summary>An axis of stamps in s that never go backwards.</summary>
    public static TimeAxis FromStamps(double[] stamps)
    {
        ArgumentNullException.ThrowIfNull(stamps);
        var count = stamps.Length;
        var step = count > 1 ? (stamps[^1] - stamps[0]) / (count - 1) : 1;
        return new TimeAxis(count > 0 ? stamps[0] : 0, step, count, stamps);
    }

    /// <summary>The first sample at or after <paramref name="seconds"/>; <see cref="Count"/> where there is none.</summary>
    public int IndexAtOrAfter(double seconds)
    {
        if (_stamps is null)
        {
            var index = Math.Ceiling((seconds - Start) / Step - 1e-9);
            return (int)Math.Clamp(index, 0, Count);
        }

        var found = Array.BinarySearch(_stamps, seconds);
        if (found < 0)
            return ~found;
        while (found > 0 && _stamps[found - 1] >= seconds)
            found--;
        return found;
    }

    /// <summary>The part of the axis from sample <paramref name="first"/>, <paramref name="count"/> long.</summary>
    public TimeAxis Slice(int first, int count) =>
        _stamps is null ? Uniform(this[first], Step, count) : FromStamps(_stamps[first..(first + count)]);
}
