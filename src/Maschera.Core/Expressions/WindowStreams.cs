using Maschera.Core.Signals;

namespace Maschera.Core.Expressions;

/// <summary>A stream with a window of <paramref name="half"/> samples on either side, shortened at the ends.</summary>
internal abstract class WindowStream(SampleStream of, int half, int total) : SampleStream
{
    private readonly float[] _ring = new float[2 * half + 2];
    private readonly float[] _chunk = new float[4_096];
    private int _inChunk,
        _chunkLength,
        _entered,
        _left,
        _done;

    protected abstract void Enter(float value);

    protected abstract void Leave(float value);

    protected abstract float Middle();

    public override int Read(Span<float> into)
    {
        var count = Math.Min(into.Length, total - _done);
        for (var i = 0; i < count; i++)
        {
            while (_entered < total && _entered <= _done + half)
                Push();
            while (_left < _done - half)
                Leave(_ring[_left++ % _ring.Length]);
            into[i] = Middle();
            _done++;
        }

        return count;
    }

    public override void Dispose() => of.Dispose();

    private void Push()
    {
        if (_inChunk == _chunkLength)
            (_inChunk, _chunkLength) = (0, of.Read(_chunk));
        var value = _inChunk < _chunkLength ? _chunk[_inChunk++] : float.NaN;
        _ring[_entered++ % _ring.Length] = value;
        Enter(value);
    }
}

/// <summary>Mean over the window; gaps are left out.</summary>
internal sealed class MeanStream(SampleStream of, int half, int total) : WindowStream(of, half, total)
{
    private double _sum;
    private int _count;

    protected override void Enter(float value) => Count(value, 1);

    protected override void Leave(float value) => Count(value, -1);

    protected override float Middle() => _count == 0 ? float.NaN : (float)(_sum / _count);

    private void Count(float value, int sign)
    {
        if (!float.IsFinite(value))
            return;
        _sum += sign * (double)value;
        _count += sign;
    }
}

/// <summary>Middle value of the window; gaps are left out.</summary>
internal sealed class MedianStream(SampleStream of, int half, int total) : WindowStream(of, half, total)
{
    private readonly List<float> _sorted = new(2 * half + 2);

    protected override void Enter(float value)
    {
        if (!float.IsFinite(value))
            return;
        var place = _sorted.BinarySearch(value);
        _sorted.Insert(place < 0 ? ~place : place, value);
    }

    protected override void Leave(float value)
    {
        if (float.IsFinite(value))
            _sorted.RemoveAt(_sorted.BinarySearch(value));
    }

    protected override float Middle()
    {
        var count = _sorted.Count;
        if (count == 0)
            return float.NaN;
        return count % 2 == 1 ? _sorted[count / 2] : (_sorted[count / 2 - 1] + _sorted[count / 2]) / 2;
    }
}

/// <summary>A value for each stretch between two times; NaN outside of all.</summary>
internal sealed class SteppedStream(IReadOnlyList<(double From, double To, double Value)> steps, ISampleReader axis) : SampleStream
{
    private readonly Times _times = new(axis);
    private int _done;
    private int _at;

    public override int Read(Span<float> into)
    {
        var count = Math.Min(into.Length, axis.Count - _done);
        for (var i = 0; i < count; i++)
        {
            var time = _times.Next();
            while (_at < steps.Count && steps[_at].To <= time)
                _at++;
            into[i] = _at < steps.Count && steps[_at].From <= time ? (float)steps[_at].Value : float.NaN;
        }

        _done += count;
        return count;
    }

    public override void Dispose() => _times.Dispose();
}
