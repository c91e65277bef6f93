using System.Runtime.CompilerServices;
using Maschera.Core.Basics;
using Maschera.Core.Expressions;

namespace Maschera.Core.Signals;

/// <summary>A channel about to be read.</summary>
/// <param name="Name">Its name without the unit.</param>
/// <param name="Unit">Its unit; empty where none was given.</param>
/// <param name="Clock">Which of the file's time columns belongs to it.</param>
/// <param name="Step">The exact sample interval, s, where the file states it; null where it follows from the times.</param>
/// <param name="Range">Its input measures from minus this to plus this, in its unit; null where that is not known.</param>
public sealed record ChannelInfo(string Name, string Unit, int Clock, double? Step = null, double? Range = null);

/// <summary>A run of rows: the first <see cref="Count"/> places of each array are filled.</summary>
public sealed class SampleBlock(int clocks, int channels, int capacity)
{
    /// <summary>Seconds, one array for each time column; NaN where a row has no time there.</summary>
    public double[][] Times { get; } = [.. Enumerable.Range(0, clocks).Select(_ => new double[capacity])];

    /// <summary>Values, one array a channel; NaN where missing or out of range.</summary>
    public float[][] Values { get; } = [.. Enumerable.Range(0, channels).Select(_ => new float[capacity])];

    public int Capacity { get; } = capacity;

    /// <summary>Rows filled.</summary>
    public int Count { get; set; }
}

/// <summary>Takes a capture block by block, so that a file need not fit in memory.</summary>
public interface ICaptureSink
{
    /// <summary>Called once, before any block. <paramref name="timeQuantum"/>: the last place of the written times, s.</summary>
    void Begin(IReadOnlyList<ChannelInfo> channels, int clocks, double timeQuantum);

    /// <summary>Takes a block; its arrays are used again for the next one.</summary>
    void Append(SampleBlock block);

    /// <summary>
    /// Called after the last block for a channel told in words: <paramref name="words"/> stand each at the place of the number
    /// that was appended for it, an empty one where a number stands for none.
    /// </summary>
    void Name(int channel, IReadOnlyList<string> words) { }
}

/// <summary>Collects a capture in memory, only the wanted columns.</summary>
public sealed class MemorySink(Func<ChannelInfo, bool>? wanted = null) : ICaptureSink
{
    private IReadOnlyList<ChannelInfo> _channels = [];
    private TimeCollector[] _clocks = [];
    private SampleList?[] _values = [];
    private readonly Dictionary<int, IReadOnlyList<string>> _words = [];

    public void Begin(IReadOnlyList<ChannelInfo> channels, int clocks, double timeQuantum)
    {
        _channels = channels;
        _clocks =
        [
            .. Enumerable
                .Range(0, clocks)
                .Select(clock => new TimeCollector(timeQuantum, channels.FirstOrDefault(c => c.Clock == clock)?.Step)),
        ];
        _values = [.. channels.Select(c => wanted is null || wanted(c) ? new SampleList() : null)];
    }

    public void Append(SampleBlock block)
    {
        for (var clock = 0; clock < _clocks.Length; clock++)
            _clocks[clock].Append(block.Times[clock].AsSpan(0, block.Count));
        for (var c = 0; c < _values.Length; c++)
            _values[c]?.Append(block.Values[c].AsSpan(0, block.Count), block.Times[_channels[c].Clock].AsSpan(0, block.Count));
    }

    public void Name(int channel, IReadOnlyList<string> words) => _words[channel] = words;

    /// <summary>The collected capture; channels not wanted are there by name, without samples.</summary>
    public Capture ToCapture(string name, IReadOnlyList<Note> notes)
    {
        var axes = _clocks.Select(c => c.ToAxis()).ToArray();
        var none = TimeAxis.Uniform(0, 1, 0);
        return new Capture(
            name,
            [
                .. _channels.Select(
                    (c, i) =>
                        new Channel(c.Name, c.Unit, _values[i] is null ? none : axes[c.Clock], _values[i]?.ToArray() ?? [])
                        {
                            Words = _words.GetValueOrDefault(i),
                            Range = c.Range,
                        }
                ),
            ],
            notes
        );
    }

    /// <summary>Samples whose row has a time, in pieces that are never moved until the whole is known.</summary>
    private sealed class SampleList
    {
        private const int PieceSamples = 1 << 18;
        private readonly List<float[]> _pieces = [];
        private int _inLast = PieceSamples;

        public void Append(ReadOnlySpan<float> values, ReadOnlySpan<double> times)
        {
            if (!times.ContainsAnyExceptInRange(double.NegativeInfinity, double.PositiveInfinity))
            {
                Append(values);
                return;
            }

            for (var i = 0; i < values.Length; i++)
                if (!double.IsNaN(times[i]))
                    Append(values.Slice(i, 1));
        }

        public float[] ToArray()
        {
            if (_pieces.Count == 0)
                return [];
            var whole = GC.AllocateUninitializedArray<float>((_pieces.Count - 1) * PieceSamples + _inLast);
            for (var p = 0; p < _pieces.Count; p++)
                _pieces[p].AsSpan(0, p == _pieces.Count - 1 ? _inLast : PieceSamples).CopyTo(whole.AsSpan(p * PieceSamples));
            return whole;
        }

        private void Append(ReadOnlySpan<float> values)
        {
            while (!values.IsEmpty)
            {
                if (_inLast == PieceSamples)
                {
                    _pieces.Add(GC.AllocateUninitializedArray<float>(PieceSamples));
                    _inLast = 0;
                }

                var fitting = Math.Min(values.Length, PieceSamples - _inLast);
                values[..fitting].CopyTo(_pieces[^1].AsSpan(_inLast));
                _inLast += fitting;
                values = values[fitting..];
            }
        }
    }
}

/// <summary>
/// Collects times; as long as they lie on a straight line to within the last written place, only the line is kept. A
/// known step is taken as it stands for the line's slope.
/// </summary>
public sealed class TimeCollector(double quantum, double? knownStep = null)
{
    private readonly List<double> _stamps = [];
    private double _first,
        _last,
        _step;
    private int _count;
    private int _relearn;
    private bool _even = true;

    /// <summary>Adds times in s; NaN rows are passed over.</summary>
    [MethodImpl(MethodImplOptions.AggressiveOptimization)]
    public void Append(ReadOnlySpan<double> times)
    {
        foreach (var time in times)
        {
            if (double.IsNaN(time))
                continue;
            if (_even && !Fits(time))
                Spell();
            if (!_even)
                _stamps.Add(time);
            _last = time;
            _count++;
        }
    }

    /// <summary>True as long as all times lie on one line.</summary>
    public bool IsEven => _even;

    /// <summary>The axis so far.</summary>
    public TimeAxis ToAxis()
    {
        if (!_even)
            return TimeAxis.FromStamps([.. _stamps]);
        var step = knownStep ?? (_count > 1 ? (_last - _first) / (_count - 1) : 1);
        return TimeAxis.Uniform(_first, step > 0 ? step : 1, _count);
    }

    /// <summary>The step is learned over the first samples and refined as the line grows longer.</summary>
    private bool Fits(double time)
    {
        if (_count == 0)
        {
            _first = time;
            return true;
        }

        if (_count == 1)
            _step = time - _first;
        var tolerance = Tolerance(time);
        // The slope is only known to the quantum over the time passed so far, so it is learned again all along.
        if (Math.Abs(time - (_first + _count * _step)) > tolerance * (_count < 64 ? 2.5 : 1.6))
            return false;
        if (_count >= _relearn)
        {
            _step = (time - _first) / _count;
            _relearn = _count + 1 + _count / 16;
        }

        return true;
    }

    private double Tolerance(double time) => 0.6 * quantum + 1e-12 * Math.Abs(time) + 1e-3 * Math.Max(0, _step);

    private void Spell()
    {
        _even = false;
        for (var i = 0; i < _count; i++)
            _stamps.Add(i == _count - 1 ? _last : _first + i * _step);
    }
}
