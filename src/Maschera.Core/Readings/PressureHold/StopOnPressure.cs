using Maschera.Core.Signals;

namespace Maschera.Core.Readings.PressureHold;

/// <summary>Where a pump stopped, told from the pressure alone.</summary>
internal static class StopOnPressure
{
    /// <summary>
    /// How much better a level and a fall must explain the pressure than a fall alone, for a stop between them: a logarithm of
    /// likelihoods.
    /// </summary>
    private const double ClearGain = 12;

    /// <summary>A fall is a parabola over each of these stretches behind its start, s: it bends the less the longer it lasts.</summary>
    private static readonly double[] s_bends = [Hold.RunOut, 2.5, 6, 10, 16, 27, 45, 75, 120, 200, 330];

    /// <summary>A piece of it needs so many samples; so few that a pump's ripple does not bend with it, but for the run-out.</summary>
    private const int LeastPiece = 12,
        LeastRunOut = 5;

    /// <summary>Splits are tried at so many places, then between those beside the best.</summary>
    private const int Places = 160;

    /// <summary>
    /// What scatter the last place makes, as a share of it. A level that does not ripple beyond it may be a step of the file's: then the
    /// whole place is told to be scatter.
    /// </summary>
    private const double PlaceScatter = 0.29;

    /// <summary>A level needs so many samples.</summary>
    private const int LeastLevel = 4;

    /// <summary>
    /// Where a level with its ripple is followed by a smooth fall, by the likelihood of both pieces, each with its own scatter; null where
    /// a fall with one scatter explains as much.
    /// </summary>
    public static double? Within(Channel pressure, double from, double to)
    {
        var pieces = new Pieces(pressure, from, to);
        var last = pieces.LastSplit;
        if (last <= LeastLevel)
            return null;
        var step = Math.Max(1, (last - LeastLevel) / Places);
        var coarse = Best(Enumerable.Range(0, (last - LeastLevel) / step + 1).Select(k => LeastLevel + k * step));
        var at = Best(Enumerable.Range(coarse - step, 2 * step + 1).Where(k => k >= LeastLevel && k <= last));
        return pieces.Gain(at) < ClearGain ? null : from + pieces.Before(at);

        int Best(IEnumerable<int> splits) => splits.MaxBy(pieces.Gain);
    }

    /// <summary>The samples of a stretch, and what a split of them explains.</summary>
    private sealed class Pieces
    {
        private const int Most = 2400;

        private readonly double[] _seconds;
        private readonly double[] _values;
        private readonly double _place,
            _whole;

        public Pieces(Channel pressure, double from, double to)
        {
            var (first, end) = (pressure.Time.IndexAtOrAfter(from), pressure.Time.IndexAtOrAfter(to));
            var stride = Math.Max(1, (end - first) / Most);
            var kept = Enumerable
                .Range(0, (end - first) / stride)
                .Select(k => first + k * stride)
                .Where(i => float.IsFinite(pressure.Samples[i]))
                .ToList();
            _seconds = [.. kept.Select(i => pressure.Time[i] - from)];
            _values = [.. kept.Select(i => (double)pressure.Samples[i])];
            _place = Statistics.LastPlace(pressure.Samples);
            _whole = _seconds.Length < 4 * LeastPiece ? double.NaN : Fall(0);
        }

        /// <summary>The last place for a split: most of a capture is a hold, but for a short one; 0 with too few samples.</summary>
        public int LastSplit
        {
            get
            {
                if (_seconds.Length < 4 * LeastPiece)
                    return 0;
                var late = Array.FindIndex(_seconds, s => s > Math.Max(20, 0.7 * _seconds[^1]));
                return Math.Min(late < 0 ? _seconds.Length : late, _seconds.Length - 2 * LeastPiece) - 1;
            }
        }

        /// <summary>The middle between the samples at either side of a split, s.</summary>
        public double Before(int split) => (_seconds[split - 1] + _seconds[split]) / 2;

        /// <summary>
        /// How much better a level before the split, which ripples no less, and a fall behind it explain the samples than a fall alone.
        /// </summary>
        public double Gain(int split)
        {
            var level = Statistics.StandardDeviation(_values.AsSpan(0, split));
            var least = level > _place / 2 ? PlaceScatter * _place : _place;
            var fall = Fall(split);
            return Cost(0, _whole, least) - split * Logarithm(Math.Max(fall, level * level), least) - Cost(split, fall, least);
        }

        /// <summary>What a fall costs that leaves a mean square.</summary>
        private double Cost(int first, double square, double least) => (_values.Length - first) * Logarithm(square, least);

        /// <summary>log σ of a mean square beside a scatter of <paramref name="least"/>.</summary>
        private double Logarithm(double square, double least)
        {
            var tiny = 1e-6 * Math.Abs(_values[0]);
            return Math.Log(square + least * least + tiny * tiny + 1e-24) / 2;
        }

        /// <summary>The mean square that a fall from a sample on leaves.</summary>
        private double Fall(int first)
        {
            var start = _seconds[first];
            var (left, count) = (0.0, _seconds.Length - first);
            foreach (var bend in s_bends)
            {
                var end = first;
                while (end < _seconds.Length && _seconds[end] < start + bend)
                    end++;
                if (end - first < (bend > Hold.RunOut ? LeastPiece : LeastRunOut) || _seconds.Length - end < LeastPiece)
                    continue;
                left += Left(first, end);
                first = end;
            }

            return (left + Left(first, _seconds.Length)) / count;
        }

        private double Left(int first, int end) => Through(first, end).Left;

        private Parabola Through(int first, int end) => new(_seconds.AsSpan(first, end - first), _values.AsSpan(first, end - first));
    }
}
