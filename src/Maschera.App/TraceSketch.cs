using Maschera.Core.Signals;

namespace Maschera.App;

/// <summary>
/// The course of a column about to be brought in: least and greatest of each stretch of rows, NaN where there is no value.
/// </summary>
public sealed record Sketch(IReadOnlyList<float> Least, IReadOnlyList<float> Most)
{
    /// <summary>The least and greatest of all; null where there is no value.</summary>
    public (float Low, float High)? Range
    {
        get
        {
            var (low, high) = (Least.Where(float.IsFinite).ToList(), Most.Where(float.IsFinite).ToList());
            return low.Count > 0 ? (low.Min(), high.Max()) : null;
        }
    }
}

/// <summary>
/// Collects the extremes of every column while a file is read, in a few hundred stretches of rows however long it is: where they
/// run out, two become one.
/// </summary>
public sealed class TraceSketch : ICaptureSink
{
    /// <summary>Stretches kept, an even number.</summary>
    private const int Stretches = 480;

    private float[][] _least = [];
    private float[][] _most = [];
    private long _rows;
    private long _each = 1;

    /// <summary>The columns so far.</summary>
    public IReadOnlyList<Sketch> Columns
    {
        get
        {
            var filled = (int)Math.Min(Stretches, (_rows + _each - 1) / _each);
            return [.. _least.Zip(_most, (least, most) => new Sketch(Seen(least, filled), Seen(most, filled)))];
        }
    }

    public void Begin(IReadOnlyList<ChannelInfo> channels, int clocks, double timeQuantum)
    {
        _least = [.. channels.Select(_ => Filled(float.PositiveInfinity))];
        _most = [.. channels.Select(_ => Filled(float.NegativeInfinity))];
    }

    public void Append(SampleBlock block)
    {
        for (var row = 0; row < block.Count; row++, _rows++)
        {
            if (_rows >= Stretches * _each)
                Halve();
            var at = (int)(_rows / _each);
            for (var c = 0; c < _least.Length; c++)
            {
                var value = block.Values[c][row];
                if (value < _least[c][at])
                    _least[c][at] = value;
                if (value > _most[c][at])
                    _most[c][at] = value;
            }
        }
    }

    private void Halve()
    {
        foreach (var (least, most) in _least.Zip(_most))
            for (var i = 0; i < Stretches; i++)
            {
                least[i] = i < Stretches / 2 ? Math.Min(least[2 * i], least[2 * i + 1]) : float.PositiveInfinity;
                most[i] = i < Stretches / 2 ? Math.Max(most[2 * i], most[2 * i + 1]) : float.NegativeInfinity;
            }

        _each *= 2;
    }

    private static float[] Filled(float value)
    {
        var values = new float[Stretches];
        Array.Fill(values, value);
        return values;
    }

    private static float[] Seen(float[] values, int filled) => [.. values.Take(filled).Select(v => float.IsFinite(v) ? v : float.NaN)];
}
