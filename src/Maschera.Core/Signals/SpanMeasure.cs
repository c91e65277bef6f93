using Maschera.Core.Expressions;

namespace Maschera.Core.Signals;

/// <summary>What a pulse train does between two places.</summary>
/// <param name="Count">Whole pulses: from one rising crossing of the middle to the next.</param>
/// <param name="FrequencyHz">Pulses a second, over the whole ones.</param>
/// <param name="DutyPercent">Share of time above the middle, over the whole ones.</param>
/// <param name="WidthSeconds">Mean time above the middle of one pulse.</param>
/// <param name="Low">The lower rail, in the channel's unit.</param>
/// <param name="High">The upper rail.</param>
public sealed record PulseMeasure(int Count, double FrequencyHz, double DutyPercent, double WidthSeconds, double Low, double High);

/// <summary>
/// Everything measured between two jaws, on all samples from <see cref="From"/> to <see cref="To"/>, both included.
/// Levels are in the channel's unit; those at the jaws lie on the straight line between the neighbouring samples.
/// </summary>
public sealed record SpanMeasure
{
    /// <summary>The left jaw, s.</summary>
    public required double From { get; init; }

    /// <summary>The right jaw, s.</summary>
    public required double To { get; init; }

    /// <summary>Time between the jaws, s.</summary>
    public double Seconds => To - From;

    /// <summary>One over the time between the jaws, Hz; null where they meet.</summary>
    public double? PerSecond => Finite(1 / (To - From));

    /// <summary>Samples that are numbers.</summary>
    public required int Samples { get; init; }

    /// <summary>Samples that are missing or out of range.</summary>
    public required int Missing { get; init; }

    public double? FromLevel { get; init; }
    public double? ToLevel { get; init; }
    public double? Difference => ToLevel - FromLevel;

    /// <summary>Difference over time, unit/s; null where the jaws meet.</summary>
    public double? Slope => Finite(Difference / Seconds);

    /// <summary>Between jaws on one place there is nothing to divide by.</summary>
    private static double? Finite(double? value) => value is { } v && double.IsFinite(v) ? v : null;

    public double? Minimum { get; init; }
    public double? MinimumAt { get; init; }
    public double? Maximum { get; init; }
    public double? MaximumAt { get; init; }
    public double? PeakToPeak => Maximum - Minimum;

    /// <summary>Sum over count.</summary>
    public double? Mean { get; init; }

    /// <summary>Root of the mean of the squares.</summary>
    public double? Rms { get; init; }

    /// <summary>Null where there is no whole pulse.</summary>
    public PulseMeasure? Pulses { get; init; }

    /// <summary>Measures a stretch; places beyond the channel's ends are taken as its ends.</summary>
    public static SpanMeasure Of(ISampleReader reader, double from, double to, CancellationToken cancel = default)
    {
        if (to < from)
            (from, to) = (to, from);
        var (first, count) = reader.Inside(from, to);
        var levels = new Levels();
        var sketch = new RailSketch(count);
        foreach (var piece in reader.Read(first, count))
        {
            cancel.ThrowIfCancellationRequested();
            levels.Add(piece);
            sketch.Add(piece.Samples.Span);
        }

        return levels.ToMeasure(from, to) with
        {
            FromLevel = LevelAt(reader, from),
            ToLevel = LevelAt(reader, to),
            Pulses = sketch.IsTrain ? PulsesOf(reader, first, count, sketch.Rails, cancel) : null,
        };
    }

    /// <summary>The level at a place, on the line between its neighbours; null beyond the ends or beside a gap.</summary>
    public static double? LevelAt(ISampleReader reader, double seconds)
    {
        var after = reader.IndexAtOrAfter(seconds);
        if (after >= reader.Count)
            return null;
        var two = reader.Load(Math.Max(0, after - 1), after > 0 ? 2 : 1);
        var last = two.Samples.Length - 1;
        if (two.Time[last] == seconds || last == 0)
            return two.Time[last] <= seconds && float.IsFinite(two.Samples[last]) ? two.Samples[last] : null;
        var share = (seconds - two.Time[0]) / (two.Time[1] - two.Time[0]);
        var level = two.Samples[0] + share * ((double)two.Samples[1] - two.Samples[0]);
        return double.IsFinite(level) ? level : null;
    }

    private static PulseMeasure? PulsesOf(ISampleReader reader, int first, int count, Rails rails, CancellationToken cancel)
    {
        var finder = new EdgeFinder(rails);
        foreach (var piece in reader.Read(first, count))
        {
            cancel.ThrowIfCancellationRequested();
            finder.Add(piece);
        }

        var edges = finder.Edges;
        var begin = edges.FindIndex(e => e.Rising);
        var end = edges.FindLastIndex(e => e.Rising);
        if (begin < 0 || end <= begin)
            return null;
        double high = 0;
        for (var i = begin; i < end; i += 2)
            high += edges[i + 1].Seconds - edges[i].Seconds;
        var pulses = (end - begin) / 2;
        var time = edges[end].Seconds - edges[begin].Seconds;
        return new PulseMeasure(pulses, pulses / time, 100 * high / time, high / pulses, rails.Low, rails.High);
    }

    /// <summary>Sums and extremes, gathered piece by piece.</summary>
    private sealed class Levels
    {
        private double _sum,
            _squares,
            _low = double.PositiveInfinity,
            _high = double.NegativeInfinity,
            _lowAt,
            _highAt;
        private int _count,
            _missing;

        public void Add(SamplePiece piece)
        {
            var samples = piece.Samples.Span;
            double sum = 0,
                squares = 0;
            for (var i = 0; i < samples.Length; i++)
            {
                double value = samples[i];
                if (!double.IsFinite(value))
                {
                    _missing++;
                    continue;
                }

                sum += value;
                squares += value * value;
                if (value < _low)
                    (_low, _lowAt) = (value, piece.TimeOf(i));
                if (value > _high)
                    (_high, _highAt) = (value, piece.TimeOf(i));
                _count++;
            }

            _sum += sum;
            _squares += squares;
        }

        public SpanMeasure ToMeasure(double from, double to)
        {
            var measure = new SpanMeasure
            {
                From = from,
                To = to,
                Samples = _count,
                Missing = _missing,
            };
            return _count == 0
                ? measure
                : measure with
                {
                    Minimum = _low,
                    MinimumAt = _lowAt,
                    Maximum = _high,
                    MaximumAt = _highAt,
                    Mean = _sum / _count,
                    Rms = Math.Sqrt(_squares / _count),
                };
        }
    }

    /// <summary>
    /// Enough samples, evenly spread, to tell rails, and whether the signal moves more from side to side than it trembles.
    /// </summary>
    private sealed class RailSketch(int count)
    {
        private const int Most = 200_000;

        /// <summary>The swing against the typical step of neighbours, above which crossings mean something: pure noise has 1.2.</summary>
        private const double LeastSwing = 2;

        private readonly int _stride = Math.Max(1, count / Most);
        private readonly List<float> _samples = [];
        private readonly List<double> _steps = [];
        private int _seen;

        public Rails Rails => PulseTrain.FindRails(System.Runtime.InteropServices.CollectionsMarshal.AsSpan(_samples));

        public bool IsTrain => _samples.Count > 3 && Rails.Swing > LeastSwing * Statistics.Median(_steps);

        public void Add(ReadOnlySpan<float> samples)
        {
            for (var i = (_stride - _seen % _stride) % _stride; i < samples.Length; i += _stride)
            {
                _samples.Add(samples[i]);
                if (i > 0)
                    _steps.Add(Math.Abs(samples[i] - samples[i - 1]));
            }

            _seen += samples.Length;
        }
    }
}
