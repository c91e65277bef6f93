using Maschera.Core.Signals;

namespace Maschera.Core.Expressions;

/// <summary>Values in order, one for each sample of the axis the expression is worked out on.</summary>
internal abstract class SampleStream : IDisposable
{
    /// <summary>The next values; fewer than asked for only at the end.</summary>
    public abstract int Read(Span<float> into);

    public abstract void Dispose();
}

/// <summary>The samples of a channel as they lie.</summary>
internal sealed class PlainStream(ISampleReader reader) : SampleStream
{
    private readonly IEnumerator<SamplePiece> _pieces = reader.Read(0, reader.Count).GetEnumerator();
    private ReadOnlyMemory<float> _left;

    public override int Read(Span<float> into)
    {
        var done = 0;
        while (done < into.Length)
        {
            if (_left.IsEmpty)
            {
                if (!_pieces.MoveNext())
                    break;
                _left = _pieces.Current.Samples;
            }

            var count = Math.Min(into.Length - done, _left.Length);
            _left.Span[..count].CopyTo(into[done..]);
            _left = _left[count..];
            done += count;
        }

        return done;
    }

    public override void Dispose() => _pieces.Dispose();
}

/// <summary>The times of an axis in order, s.</summary>
internal sealed class Times(ISampleReader axis) : IDisposable
{
    private readonly IEnumerator<SamplePiece>? _pieces = axis.IsUniform ? null : axis.Read(0, axis.Count).GetEnumerator();
    private int _next;
    private int _inPiece;
    private int _pieceLength;

    /// <summary>The next time; call at most as often as the axis has samples.</summary>
    public double Next()
    {
        if (_pieces is null)
            return axis.Start + _next++ * axis.Step;
        if (_inPiece == _pieceLength)
        {
            _pieces.MoveNext();
            (_inPiece, _pieceLength) = (0, _pieces.Current.Samples.Length);
        }

        return _pieces.Current.TimeOf(_inPiece++);
    }

    public void Dispose() => _pieces?.Dispose();
}

/// <summary>
/// A stream with its own axis, moved by a shift and read at the times of another axis: straight lines between samples,
/// NaN beyond its ends.
/// </summary>
internal sealed class MovedStream(SampleStream stream, ISampleReader own, ISampleReader axis, double shift, double stretch = 1)
    : SampleStream
{
    private readonly Times _own = new(own);
    private readonly Times _wanted = new(axis);
    private readonly float[] _one = new float[1];
    private (double Time, float Value) _before = (double.NegativeInfinity, float.NaN);
    private (double Time, float Value) _after = (double.NegativeInfinity, float.NaN);
    private int _left = own.Count;
    private int _asked = axis.Count;

    public override int Read(Span<float> into)
    {
        var count = Math.Min(into.Length, _asked);
        for (var i = 0; i < count; i++)
            into[i] = At(_wanted.Next());
        _asked -= count;
        return count;
    }

    public override void Dispose()
    {
        stream.Dispose();
        _own.Dispose();
        _wanted.Dispose();
    }

    private float At(double time)
    {
        while (_after.Time < time && _left > 0)
        {
            _before = _after;
            stream.Read(_one);
            _after = (_own.Next() * stretch + shift, _one[0]);
            _left--;
        }

        if (_after.Time == time)
            return _after.Value;
        if (_after.Time < time || double.IsInfinity(_before.Time))
            return float.NaN;
        return (float)(_before.Value + (time - _before.Time) / (_after.Time - _before.Time) * ((double)_after.Value - _before.Value));
    }
}

/// <summary>The same number for ever.</summary>
internal sealed class ConstantStream(double value) : SampleStream
{
    public override int Read(Span<float> into)
    {
        into.Fill((float)value);
        return into.Length;
    }

    public override void Dispose() { }
}

/// <summary>A function of each value.</summary>
internal sealed class MappedStream(SampleStream of, Func<double, double> function) : SampleStream
{
    public override int Read(Span<float> into)
    {
        var count = of.Read(into);
        for (var i = 0; i < count; i++)
            into[i] = (float)function(into[i]);
        return count;
    }

    public override void Dispose() => of.Dispose();
}

/// <summary>A function of two streams, value by value.</summary>
internal sealed class JoinedStream(SampleStream left, SampleStream right, Func<double, double, double> function) : SampleStream
{
    private float[] _right = [];

    public override int Read(Span<float> into)
    {
        if (_right.Length < into.Length)
            _right = new float[into.Length];
        var count = Math.Min(left.Read(into), right.Read(_right.AsSpan(0, into.Length)));
        for (var i = 0; i < count; i++)
            into[i] = (float)function(into[i], _right[i]);
        return count;
    }

    public override void Dispose()
    {
        left.Dispose();
        right.Dispose();
    }
}

/// <summary>One of two ends of a stream that is read once: what one end has read ahead waits for the other.</summary>
internal sealed class SharedStream : SampleStream
{
    private readonly Source _source;
    private readonly Queue<float> _waiting = new();
    private SharedStream _other = null!;

    private SharedStream(Source source) => _source = source;

    /// <summary>Two ends that give the same values.</summary>
    public static (SampleStream First, SampleStream Second) Split(SampleStream of)
    {
        var source = new Source(of);
        var (first, second) = (new SharedStream(source), new SharedStream(source));
        (first._other, second._other) = (second, first);
        return (first, second);
    }

    public override int Read(Span<float> into)
    {
        var count = 0;
        while (count < into.Length && _waiting.TryDequeue(out var value))
            into[count++] = value;
        var read = count < into.Length ? _source.Of.Read(into[count..]) : 0;
        foreach (var value in into.Slice(count, read))
            _other._waiting.Enqueue(value);
        return count + read;
    }

    public override void Dispose() => _source.Dispose();

    private sealed class Source(SampleStream of) : IDisposable
    {
        private bool _disposed;

        public SampleStream Of => of;

        public void Dispose()
        {
            if (!_disposed)
                of.Dispose();
            _disposed = true;
        }
    }
}

/// <summary>Slope through the two neighbours of each sample, at the ends through one; unit/s.</summary>
internal sealed class DerivativeStream(SampleStream of, ISampleReader axis) : SampleStream
{
    private readonly Times _times = new(axis);
    private readonly float[] _one = new float[1];
    private (double Time, double Value) _before,
        _here,
        _after;
    private int _done;

    public override int Read(Span<float> into)
    {
        if (_done == 0 && axis.Count > 0)
            (_here, _before) = (Next(), _here);
        var count = Math.Min(into.Length, axis.Count - _done);
        for (var i = 0; i < count; i++)
        {
            _after = _done + 1 < axis.Count ? Next() : _here;
            if (_done == 0)
                _before = _here;
            into[i] = (float)((_after.Value - _before.Value) / (_after.Time - _before.Time));
            (_before, _here) = (_here, _after);
            _done++;
        }

        return count;
    }

    public override void Dispose()
    {
        of.Dispose();
        _times.Dispose();
    }

    private (double, double) Next()
    {
        of.Read(_one);
        return (_times.Next(), _one[0]);
    }
}

/// <summary>Trapezoids summed from the first sample; unit·s. Gaps add nothing.</summary>
internal sealed class IntegralStream(SampleStream of, ISampleReader axis) : SampleStream
{
    private readonly Times _times = new(axis);
    private double _sum;
    private double _time = double.NaN;
    private double _value;

    public override int Read(Span<float> into)
    {
        var count = of.Read(into[..Math.Min(into.Length, axis.Count)]);
        for (var i = 0; i < count; i++)
        {
            var time = _times.Next();
            if (float.IsFinite(into[i]))
            {
                if (!double.IsNaN(_time))
                    _sum += (time - _time) * (into[i] + _value) / 2;
                (_time, _value) = (time, into[i]);
            }
            else
                _time = double.NaN;

            into[i] = (float)_sum;
        }

        return count;
    }

    public override void Dispose()
    {
        of.Dispose();
        _times.Dispose();
    }
}
