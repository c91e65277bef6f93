using Maschera.Core.Basics;

namespace Maschera.Core.Signals;

/// <summary>One measured quantity over time. Out-of-range and missing samples are NaN.</summary>
/// <param name="Name">The name on the column or input, without its unit.</param>
/// <param name="Unit">The unit as written, empty where none was given.</param>
/// <param name="Time">The time of every sample.</param>
/// <param name="Samples">The values, in <paramref name="Unit"/>, as many as <paramref name="Time"/> counts.</param>
public sealed record Channel(string Name, string Unit, TimeAxis Time, float[] Samples)
{
    /// <summary>The words a column is told in, each at the place of the number that stands for it; null for a column of numbers.</summary>
    public IReadOnlyList<string>? Words { get; init; }

    /// <summary>
    /// What its input could have measured reaches from minus this to plus this, in its unit; null where that is not known.
    /// </summary>
    public double? Range { get; init; }

    /// <summary>The same channel multiplied by <paramref name="factor"/>.</summary>
    public Channel Scaled(double factor) =>
        this with
        {
            Samples = Array.ConvertAll(Samples, value => (float)(value * factor)),
            Range = Range * Math.Abs(factor),
        };

    /// <summary>The samples from <paramref name="from"/> to <paramref name="to"/>, seconds, both ends included.</summary>
    public Channel Between(double from, double to)
    {
        var first = Time.IndexAtOrAfter(from);
        var end = Time.IndexAtOrAfter(to);
        if (end < Time.Count && Time[end] <= to)
            end++;
        var count = Math.Max(0, end - first);
        return this with { Time = Time.Slice(first, count), Samples = Samples[first..(first + count)] };
    }
}

/// <summary>One recording: its channels, and every doubt its reader had.</summary>
public sealed record Capture(string Name, IReadOnlyList<Channel> Channels, IReadOnlyList<Note> Notes)
{
    /// <summary>The channel of that name, in any case; null where there is none.</summary>
    public Channel? Find(string name) =>
        Channels.FirstOrDefault(c => string.Equals(c.Name, name.Trim(), StringComparison.OrdinalIgnoreCase));
}
