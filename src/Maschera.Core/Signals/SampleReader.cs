using Maschera.Core.Expressions;

namespace Maschera.Core.Signals;

/// <summary>A run of samples of one channel, lying one behind the other.</summary>
/// <param name="First">Number of its first sample in the channel.</param>
/// <param name="Samples">The values; NaN where missing.</param>
/// <param name="Start">Time of the first sample, s.</param>
/// <param name="Step">Sample interval, s; only meant where <paramref name="Times"/> is empty.</param>
/// <param name="Times">One stamp a sample, s, where they are uneven; else empty.</param>
public readonly record struct SamplePiece(
    int First,
    ReadOnlyMemory<float> Samples,
    double Start,
    double Step,
    ReadOnlyMemory<double> Times = default
)
{
    /// <summary>Time of the piece's sample <paramref name="index"/> (0 is its first), s.</summary>
    public double TimeOf(int index) => Times.IsEmpty ? Start + index * Step : Times.Span[index];
}

/// <summary>A channel of any length, read piece by piece; it need not fit in memory.</summary>
public interface ISampleReader
{
    string Name { get; }

    string Unit { get; }

    /// <summary>Number of samples.</summary>
    int Count { get; }

    /// <summary>Time of the first sample, s.</summary>
    double Start { get; }

    /// <summary>Sample interval, s; the mean one where steps are uneven.</summary>
    double Step { get; }

    /// <summary>Time of the last sample, s.</summary>
    double End { get; }

    bool IsUniform { get; }

    /// <summary>The words its numbers stand for; null for a channel of numbers.</summary>
    IReadOnlyList<string>? Words => null;

    /// <summary>Its input measures from minus this to plus this, in its unit; null where that is not known.</summary>
    double? Range => null;

    /// <summary>Time of sample <paramref name="index"/>, s.</summary>
    double TimeAt(int index);

    /// <summary>The first sample at or after <paramref name="seconds"/>; <see cref="Count"/> where there is none.</summary>
    int IndexAtOrAfter(double seconds);

    /// <summary>The samples from number <paramref name="first"/>, <paramref name="count"/> of them at most, in order.</summary>
    IEnumerable<SamplePiece> Read(int first, int count);
}

/// <summary>A channel that is in memory, as a reader.</summary>
public sealed class MemoryReader(Channel channel) : ISampleReader
{
    private const int PieceSamples = 16_384;

    public string Name => channel.Name;
    public string Unit => channel.Unit;
    public int Count => channel.Time.Count;
    public double Start => channel.Time.Start;
    public double Step => channel.Time.Step;
    public double End => channel.Time.End;
    public bool IsUniform => channel.Time.IsUniform;
    public IReadOnlyList<string>? Words => channel.Words;
    public double? Range => channel.Range;

    public double TimeAt(int index) => channel.Time[index];

    public int IndexAtOrAfter(double seconds) => channel.Time.IndexAtOrAfter(seconds);

    public IEnumerable<SamplePiece> Read(int first, int count)
    {
        var end = Math.Min(Count, first + count);
        for (var at = Math.Max(0, first); at < end; at += PieceSamples)
        {
            var length = Math.Min(PieceSamples, end - at);
            yield return new SamplePiece(
                at,
                channel.Samples.AsMemory(at, length),
                channel.Time[at],
                Step,
                IsUniform ? default : channel.Time.StampsOf(at, length)
            );
        }
    }
}

/// <summary>What many users of a reader do alike.</summary>
public static class SampleReaders
{
    /// <summary>A whole channel in memory.</summary>
    public static Channel Load(this ISampleReader reader) => reader.Load(0, reader.Count);

    /// <summary>The samples from number <paramref name="first"/>, <paramref name="count"/> of them, as a channel of their own.</summary>
    public static Channel Load(this ISampleReader reader, int first, int count)
    {
        first = Math.Clamp(first, 0, reader.Count);
        count = Math.Clamp(count, 0, reader.Count - first);
        var samples = GC.AllocateUninitializedArray<float>(count);
        var stamps = reader.IsUniform ? null : new double[count];
        foreach (var piece in reader.Read(first, count))
        {
            piece.Samples.Span.CopyTo(samples.AsSpan(piece.First - first));
            for (var i = 0; stamps is not null && i < piece.Samples.Length; i++)
                stamps[piece.First - first + i] = piece.TimeOf(i);
        }

        var axis = stamps is not null
            ? TimeAxis.FromStamps(stamps)
            : TimeAxis.Uniform(reader.Start + first * reader.Step, reader.Step, count);
        return new Channel(reader.Name, reader.Unit, axis, samples) { Words = reader.Words, Range = reader.Range };
    }

    /// <summary>
    /// A whole channel in memory at no more than <paramref name="rate"/> samples a second: means of as many samples as
    /// that takes, each at the middle of its time. Slow and uneven channels come as they are; a gap within a mean is a gap.
    /// </summary>
    public static Channel LoadAtMost(this ISampleReader reader, double rate)
    {
        var together = (int)Math.Min(1_000_000, Math.Ceiling(1 / (rate * reader.Step) - 1e-9));
        if (!reader.IsUniform || together <= 1 || reader.Words is not null)
            return reader.Load();
        var means = new float[reader.Count / together];
        double sum = 0;
        foreach (var piece in reader.Read(0, means.Length * together))
        {
            var samples = piece.Samples.Span;
            for (var i = 0; i < samples.Length; i++)
            {
                sum += samples[i];
                if ((piece.First + i + 1) % together != 0)
                    continue;
                means[(piece.First + i) / together] = (float)(sum / together);
                sum = 0;
            }
        }

        return new Channel(
            reader.Name,
            reader.Unit,
            TimeAxis.Uniform(reader.Start + (together - 1) / 2.0 * reader.Step, together * reader.Step, means.Length),
            means
        );
    }

    /// <summary>
    /// The same channel from <paramref name="from"/> to <paramref name="to"/>, s, both ends included; null for its own end.
    /// </summary>
    public static ISampleReader Cut(this ISampleReader reader, double? from, double? to)
    {
        if (from is null && to is null)
            return reader;
        var (first, count) = reader.Inside(from ?? reader.Start, to ?? reader.End);
        return new SlicedReader(reader, first, count);
    }

    /// <summary>The samples from <paramref name="from"/> to <paramref name="to"/>, s, both ends included: first number and count.</summary>
    public static (int First, int Count) Inside(this ISampleReader reader, double from, double to)
    {
        var first = reader.IndexAtOrAfter(from);
        var end = reader.IndexAtOrAfter(to);
        // Times are products and sums, so a sample on the jaw may lie a rounding beyond it.
        if (end < reader.Count && reader.TimeAt(end) <= to + 1e-9 * reader.Step)
            end++;
        return (first, Math.Max(0, end - first));
    }
}

/// <summary>
/// A stretch of a channel as a channel of its own: <paramref name="length"/> samples from number <paramref name="begin"/>.
/// </summary>
public sealed class SlicedReader(ISampleReader of, int begin, int length) : ISampleReader
{
    public string Name => of.Name;
    public string Unit => of.Unit;
    public int Count => length;
    public double Start => length > 0 ? of.TimeAt(begin) : of.Start;
    public double Step => of.Step;
    public double End => length > 0 ? of.TimeAt(begin + length - 1) : of.Start;
    public bool IsUniform => of.IsUniform;

    public double TimeAt(int index) => of.TimeAt(begin + index);

    public int IndexAtOrAfter(double seconds) => Math.Clamp(of.IndexAtOrAfter(seconds) - begin, 0, length);

    public IEnumerable<SamplePiece> Read(int first, int count)
    {
        first = Math.Max(0, first);
        return of.Read(begin + first, Math.Min(count, length - first)).Select(piece => piece with { First = piece.First - begin });
    }
}

/// <summary>A channel of another capture laid under this one: moved in time and stretched.</summary>
public sealed class MovedReader(ISampleReader of, string name, double shift, double stretch) : ISampleReader
{
    public string Name => name;
    public string Unit => of.Unit;
    public int Count => of.Count;
    public double Start => of.Start * stretch + shift;
    public double Step => of.Step * stretch;
    public double End => of.End * stretch + shift;
    public bool IsUniform => of.IsUniform;

    public double TimeAt(int index) => of.TimeAt(index) * stretch + shift;

    public int IndexAtOrAfter(double seconds) => of.IndexAtOrAfter((seconds - shift) / stretch);

    public IEnumerable<SamplePiece> Read(int first, int count) => of.Read(first, count).Select(Moved);

    private SamplePiece Moved(SamplePiece piece)
    {
        var times = new double[piece.Times.Length];
        for (var i = 0; i < times.Length; i++)
            times[i] = piece.TimeOf(i) * stretch + shift;
        return piece with { Start = piece.Start * stretch + shift, Step = piece.Step * stretch, Times = times };
    }
}
