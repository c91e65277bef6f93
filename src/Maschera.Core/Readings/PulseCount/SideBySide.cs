using System.Globalization;
using System.Text.Json.Serialization;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.PulseCount;

/// <summary>A sensor beside the one of the other side, at the same speed.</summary>
/// <param name="Channel">The other side's channel.</param>
/// <param name="Size">Peak to peak of this side, in the channel's unit.</param>
/// <param name="OtherSize">The same of the other side.</param>
/// <param name="PulsesPerSecond">
/// The pace at which both were taken; null where they never ran alike and sizes are brought to one pace.
/// </param>
/// <param name="Ratio">This side's size against the other's.</param>
/// <param name="UnevenPercent">
/// How much it swells and fades within a revolution: half of the largest less the smallest, of the mean.
/// </param>
/// <param name="OtherUnevenPercent">The same of the other side.</param>
/// <param name="LowDifference">Low level less the other's; null for a sine.</param>
/// <param name="HighDifference">High level less the other's; null for a sine.</param>
/// <param name="Text">What that speaks for.</param>
/// <param name="Swap">What a swap of the sensors would prove; empty where nothing is to be proved.</param>
public sealed record SensorBeside(
    string Channel,
    double Size,
    double OtherSize,
    double? PulsesPerSecond,
    double Ratio,
    double UnevenPercent,
    double OtherUnevenPercent,
    double? LowDifference,
    double? HighDifference,
    string Text,
    string Swap
)
{
    /// <summary>What is wrong on this side, in few words; null where nothing is, or the other side is the weak one.</summary>
    [JsonIgnore]
    public string? Shortcoming =>
        Swap.Length == 0 || Ratio > SideBySide.Stronger ? null
        : Ratio < SideBySide.Weaker ? "weak beside the other side"
        : "its levels are not the other side's";

    /// <summary>The mean pulse of this side over one pitch, its mean taken off.</summary>
    public IReadOnlyList<double> Shape { get; init; } = [];

    /// <summary>The same of the other side.</summary>
    public IReadOnlyList<double> OtherShape { get; init; } = [];
}

/// <summary>Lays two sensors on each other: size at the same pace, levels, shape, and how they swell within a revolution.</summary>
internal sealed class SideBySide
{
    /// <summary>A size within these bounds of the other side's is alike; a level within this share of its swing.</summary>
    public const double Weaker = 0.75,
        Stronger = 1.33;

    private const double LevelShare = 0.1;

    /// <summary>Swelling of so many percent, and so many times the other side's, is a ring or hub that wobbles.</summary>
    private const double Swells = 12,
        SwellsMore = 2;

    private const int Bins = 48;

    private const string SwapSides =
        "Swap the two sensors: what goes with the sensor is the sensor; what stays is gap, ring or wire. Then swap the wires at the plugs.";

    private readonly Side _own,
        _other;

    private SideBySide(Side own, Side other) => (_own, _other) = (own, other);

    /// <summary>The comparison; null where the other side gives no pulses.</summary>
    public static SensorBeside? Of(Channel own, Channel other, int teeth)
    {
        var (first, second) = (PulseEdges.Find(own), PulseEdges.Find(other));
        return first.Count < 2 * teeth || second.Count < 2 * teeth || first.IsSine != second.IsSine
            ? null
            : new SideBySide(new(own, first, teeth), new(other, second, teeth)).Compare();
    }

    private SensorBeside Compare()
    {
        var (from, to) = (Math.Max(_own.Slowest, _other.Slowest), Math.Min(_own.Fastest, _other.Fastest));
        var alike = from < to;
        var (size, otherSize) = alike ? (_own.SizeBetween(from, to), _other.SizeBetween(from, to)) : (_own.SizePerPace, _other.SizePerPace);
        var ratio = size / otherSize;
        var (low, high) = _own.IsSine ? (null, null) : Levels();
        var (text, needsSwap) = Said(ratio, low, high, otherSize);
        return new SensorBeside(
            _other.Name,
            Rounded(alike ? size : _own.SizeBetween(0, double.MaxValue)),
            Rounded(alike ? otherSize : _other.SizeBetween(0, double.MaxValue)),
            alike ? Rounded((from + to) / 2) : null,
            Rounded(ratio),
            Rounded(_own.Uneven),
            Rounded(_other.Uneven),
            low,
            high,
            text,
            needsSwap ? SwapSides : ""
        )
        {
            Shape = _own.Shape(from, alike ? to : double.MaxValue, Bins),
            OtherShape = _other.Shape(from, alike ? to : double.MaxValue, Bins),
        };
    }

    private (double? Low, double? High) Levels()
    {
        var (own, other) = (_own.Rails, _other.Rails);
        return (Rounded(own.Low - other.Low), Rounded(own.High - other.High));
    }

    private (string Text, bool NeedsSwap) Said(double ratio, double? low, double? high, double size)
    {
        if (_own.IsSine && _own.Uneven > Swells && _own.Uneven > SwellsMore * _other.Uneven)
            return (
                $"It swells and fades by {_own.Uneven:0} % within every revolution, the other side by {_other.Uneven:0} %: the ring is off "
                    + "centre, or the hub wobbles in its bearing.",
                false
            );
        if (_own.IsSine)
            return ratio < Weaker
                    ? (
                        $"At the same pace it gives {Times(ratio)} of the other side's voltage, evenly: a gap too wide, something "
                            + "on the tip, a weak sensor or a resistance in its wire.",
                        true
                    )
                : ratio > Stronger
                    ? ($"It gives {Times(ratio)} of the other side's voltage: a smaller gap here, or the other side is the weak one.", true)
                : ("Both sides give alike signals at the same pace: sensor, gap and wire are as good as the other's.", false);
        return OfLevels(low!.Value, high!.Value, LevelShare * size);
    }

    private static (string Text, bool NeedsSwap) OfLevels(double low, double high, double allowed) =>
        (Math.Abs(low) > allowed, Math.Abs(high) > allowed) switch
        {
            (false, false) => ("Both levels are the other side's: sensor and wires are as good as there.", false),
            (true, true) when Math.Sign(low) == Math.Sign(high) => (
                $"Both levels stand {Volts(low)} {Way(low)} than on the other side: its ground is not where the other's is.",
                false
            ),
            (true, _) => (
                $"The low level stands {Volts(low)} {Way(low)} than on the other side: the sensor does not pull through, or its ground or "
                    + "signal wire has a resistance.",
                true
            ),
            _ => ($"The high level stands {Volts(high)} {Way(high)} than on the other side: supply, pull-up or a leak to ground.", true),
        };

    private static string Way(double difference) => difference > 0 ? "higher" : "lower";

    private static string Volts(double difference) => Math.Abs(difference).ToString("0.00", CultureInfo.InvariantCulture) + " V";

    private static string Times(double ratio) => (100 * ratio).ToString("0", CultureInfo.InvariantCulture) + " %";

    private static double Rounded(double value) => Math.Round(value, 4);

    /// <summary>One side: each pulse with its pace and its size.</summary>
    private sealed class Side
    {
        private readonly Channel _signal;
        private readonly PulseEdges _pulses;
        private readonly double[] _pace,
            _size;

        public Side(Channel signal, PulseEdges pulses, int teeth)
        {
            (_signal, _pulses) = (signal, pulses);
            _pace = [.. pulses.Begins.Zip(pulses.Begins.Skip(1), (a, b) => 1 / (b - a))];
            _size = [.. Enumerable.Range(0, _pace.Length).Select(SizeOf)];
            var sorted = Statistics.Sorted(_pace);
            (Slowest, Fastest) = (Statistics.Quantile(sorted, 0.1), Statistics.Quantile(sorted, 0.9));
            Uneven = UnevenOver(teeth);
        }

        public string Name => _signal.Name;
        public bool IsSine => _pulses.IsSine;

        /// <summary>The pace of the slow and the fast pulses, a tenth left out at both ends, 1/s.</summary>
        public double Slowest { get; }
        public double Fastest { get; }
        public double Uneven { get; }
        public Rails Rails => PulseTrain.FindRails(_signal.Samples);

        /// <summary>A coil's voltage goes with the pace; a switching sensor's does not.</summary>
        public double SizePerPace => IsSine ? Statistics.Median(_size.Zip(_pace, (s, p) => s / p)) : Statistics.Median(_size);

        public double SizeBetween(double slowest, double fastest) =>
            Statistics.Median(_size.Where((_, i) => _pace[i] >= slowest && _pace[i] <= fastest).DefaultIfEmpty(double.NaN));

        /// <summary>The mean pulse in bins over its pitch, its own mean taken off.</summary>
        public double[] Shape(double slowest, double fastest, int bins)
        {
            var (sums, counts) = (new double[bins], new int[bins]);
            for (var i = 0; i < _pace.Length; i++)
                if (_pace[i] >= slowest && _pace[i] <= fastest)
                    Gather(i, sums, counts);
            var mean = sums.Sum() / Math.Max(1, counts.Sum());
            return [.. sums.Select((s, b) => Rounded(counts[b] > 0 ? s / counts[b] - mean : 0))];
        }

        private void Gather(int pulse, double[] sums, int[] counts)
        {
            var (from, to) = (_pulses.Begins[pulse], _pulses.Begins[pulse + 1]);
            for (var i = _signal.Time.IndexAtOrAfter(from); i < _signal.Time.Count && _signal.Time[i] < to; i++)
            {
                var bin = Math.Clamp((int)((_signal.Time[i] - from) / (to - from) * sums.Length), 0, sums.Length - 1);
                if (!float.IsFinite(_signal.Samples[i]))
                    continue;
                sums[bin] += _signal.Samples[i];
                counts[bin]++;
            }
        }

        private double SizeOf(int pulse)
        {
            var (first, last) = (
                _signal.Time.IndexAtOrAfter(_pulses.Begins[pulse]),
                _signal.Time.IndexAtOrAfter(_pulses.Begins[pulse + 1])
            );
            var (low, high) = (double.MaxValue, double.MinValue);
            for (var i = first; i < Math.Min(last, _signal.Time.Count); i++)
                if (float.IsFinite(_signal.Samples[i]))
                    (low, high) = (Math.Min(low, _signal.Samples[i]), Math.Max(high, _signal.Samples[i]));
            return Math.Max(0, high - low);
        }

        /// <summary>
        /// Half of the largest less the smallest eighth of a revolution, %, the sizes freed of the pace; the mean over all.
        /// </summary>
        private double UnevenOver(int teeth)
        {
            const int parts = 8;
            var sizes = IsSine ? [.. _size.Zip(_pace, (s, p) => s / p)] : _size;
            List<double> swings = [];
            for (var start = 0; start + teeth <= sizes.Length; start += teeth)
            {
                var means = Enumerable
                    .Range(0, parts)
                    .Select(k => Statistics.Median(sizes[(start + k * teeth / parts)..(start + (k + 1) * teeth / parts)]))
                    .ToList();
                swings.Add(100 * (means.Max() - means.Min()) / 2 / means.Average());
            }

            return swings.Count > 0 ? Statistics.Median(swings) : 0;
        }
    }
}
