using Maschera.Core.Expressions;
using Maschera.Core.Signals;

namespace Maschera.Core.Timing;

/// <summary>The edges of a speed sensor, hall or inductive, in time order.</summary>
/// <param name="Edges">All crossings, rising and falling in turn.</param>
/// <param name="IsInductive">True for a sensor without rails, whose amplitude grows with speed.</param>
/// <param name="Jitter">How well a single edge is known, standard deviation in s: sampling alone.</param>
public sealed record SensorEdges(IReadOnlyList<Edge> Edges, bool IsInductive, double Jitter)
{
    /// <summary>Share of samples near a rail from which a signal counts as switching.</summary>
    private const double NearRails = 0.8;

    /// <summary>What is near a rail, as a share of the swing.</summary>
    private const double RailShare = 0.2;

    /// <summary>Samples beyond the rails by more than this share of the swing, and how many of them on a side are no spikes.</summary>
    private const double OutsideShare = 0.5,
        Outermost = 0.004;

    /// <summary>So many samples, evenly spread, tell the kind of sensor.</summary>
    private const int SketchSamples = 60_000;

    /// <summary>An inductive half wave counts from this share of the amplitude of the last ones.</summary>
    private const double HalfWaveShare = 0.3;

    /// <summary>A half wave may be so much smaller than those before it, an engine slows down no faster.</summary>
    private const double AmplitudeDecay = 0.8;

    /// <summary>
    /// The middles of an inductive sensor's half waves, rising where they point up: where a wheel has long segments, one edge makes
    /// one half wave, and the crossing between two of them lies anywhere in the rest.
    /// </summary>
    public IReadOnlyList<Edge> Crests => _crests.Value;

    /// <summary>Only cams are asked for them.</summary>
    private Lazy<IReadOnlyList<Edge>> _crests = new([]);

    /// <summary>From entering the band about the level to leaving it, s, of each edge.</summary>
    private double[] _widths = [];

    /// <summary>A sharp crossing passes the band within this share of the time from crest to crest.</summary>
    private const double SharpShare = 0.15;

    /// <summary>A half wave stands so many standard deviations out of the noise; the floor's least and most share of the range.</summary>
    private const double NoiseTimes = 5,
        LeastFloor = 0.02,
        MostFloor = 0.08;

    /// <summary>On a wheel without gaps no stand of the signal is this many times longer than those beside it.</summary>
    private const double PlainStands = 1.5;

    /// <summary>... and none is so much shorter than them.</summary>
    private const double SplitStands = 0.67;

    /// <summary>A crossing that takes so many times longer than the usual one has a rest in it.</summary>
    private const double RestTimes = 4;

    /// <summary>The crossings that go up, or those that go down.</summary>
    public double[] Times(bool rising) => [.. Edges.Where(e => e.Rising == rising).Select(e => e.Seconds)];

    /// <summary>
    /// True where an inductive sensor goes straight from one crest to the other at the crossings of that direction. Where it rests in
    /// between, their place depends on what the signal is amplified by and on what stands beside it.
    /// </summary>
    internal bool IsSharp(bool rising)
    {
        double[] crests = [.. Crests.Select(c => c.Seconds)];
        double[] shares =
        [
            .. Enumerable
                .Range(0, Edges.Count)
                .Where(i => Edges[i].Rising == rising)
                .Select(i => (Width: _widths[i], Next: ~Array.BinarySearch(crests, Edges[i].Seconds)))
                .Where(e => e.Next > 0 && e.Next < crests.Length)
                .Select(e => e.Width / (crests[e.Next] - crests[e.Next - 1])),
        ];
        return shares.Length > 0 && Statistics.Median(shares) < SharpShare;
    }

    /// <summary>
    /// True where the signal is low between the teeth: its long stands are low, the sensor sees a gap there; on a wheel
    /// without gaps its short ones, an extra tooth splits them. True also where nothing tells.
    /// </summary>
    internal bool GapIsLow()
    {
        double[] lengths = [.. Edges.Zip(Edges.Skip(1), (a, b) => b.Seconds - a.Seconds)];
        // Beside the stands of the same level before and behind: what is long because the crank is slow, they are too.
        double[] Against(bool low, Func<double, double, double> beside) =>
            Statistics.Sorted(
                Enumerable
                    .Range(2, Math.Max(0, lengths.Length - 4))
                    .Where(i => Edges[i + 1].Rising == low)
                    .Select(i => lengths[i] / beside(lengths[i - 2], lengths[i + 2]))
            );
        double Long(bool low) => Statistics.Quantile(Against(low, Math.Max), 0.995);
        double Short(bool low) => Statistics.Quantile(Against(low, Math.Min), 0.005);
        var (longLow, longHigh) = (Long(low: true), Long(low: false));
        if (Math.Max(longLow, longHigh) > PlainStands)
            return longLow >= longHigh;
        // Where nothing is split either, neither level is a gap: the same edges of every capture.
        var (shortLow, shortHigh) = (Short(low: true), Short(low: false));
        return Math.Min(shortLow, shortHigh) > SplitStands || shortLow <= shortHigh;
    }

    /// <summary>Finds them; empty where the channel stands still.</summary>
    public static SensorEdges Find(Channel channel)
    {
        var sketch = Sketch(channel.Samples);
        var rails = PulseTrain.FindRails(sketch);
        if (!(rails.Swing > 0) && !(Statistics.Quantile(sketch, Outermost) < Statistics.Quantile(sketch, 1 - Outermost)))
            return new SensorEdges([], false, 0);
        return Switches(sketch, rails)
            // Between samples nothing is known of a steep edge: even over one step.
            ? new SensorEdges(PulseTrain.FindEdges(channel, rails, 0.25), false, channel.Time.Step / Math.Sqrt(12))
            : Inductive(channel);
    }

    private static SensorEdges Inductive(Channel channel)
    {
        var level = Level(channel.Samples);
        var (crossings, halfWaves) = HalfWaves(channel, level);
        return new SensorEdges(Dated(crossings, channel.Time.Step), true, channel.Time.Step / Math.Sqrt(12) / 2)
        {
            _widths = [.. crossings.Select(c => c.Reached - c.Left)],
            _crests = new(() => [.. halfWaves.Select(h => new Edge(Middle(channel, h.From, h.End, h.Up ? 1 : -1, level), h.Up))]),
        };
    }

    /// <summary>The middle of what reaches half of a half wave's height, weighed by height.</summary>
    private static double Middle(Channel channel, int from, int end, int sign, double level)
    {
        var samples = channel.Samples.AsSpan(from, end - from);
        double peak = 0,
            weight = 0,
            sum = 0;
        foreach (var sample in samples)
            peak = Math.Max(peak, sign * (sample - level));
        for (var i = 0; i < samples.Length; i++)
            if (sign * (samples[i] - level) is var height && height >= peak / 2)
            {
                weight += height;
                sum += height * (channel.Time[from + i] - channel.Time[from]);
            }

        return channel.Time[from] + sum / weight;
    }

    /// <summary>Every so many samples; all of them where they are few.</summary>
    private static float[] Sketch(float[] samples)
    {
        if (samples.Length <= SketchSamples)
            return samples;
        var stride = samples.Length / SketchSamples | 1;
        var picked = new float[(samples.Length - 1) / stride + 1];
        for (var i = 0; i < picked.Length; i++)
            picked[i] = samples[i * stride];
        return picked;
    }

    /// <summary>True where the signal lies on two rails, and hardly ever far outside them: few pulses either way rest between.</summary>
    private static bool Switches(float[] sketch, Rails rails)
    {
        if (
            rails.Low - Statistics.Quantile(sketch, Outermost) > OutsideShare * rails.Swing
            || Statistics.Quantile(sketch, 1 - Outermost) - rails.High > OutsideShare * rails.Swing
        )
            return false;
        int near = 0,
            all = 0;
        foreach (var sample in sketch)
        {
            if (!float.IsFinite(sample))
                continue;
            all++;
            if (Math.Min(Math.Abs(sample - rails.Low), Math.Abs(sample - rails.High)) < RailShare * rails.Swing)
                near++;
        }

        return near > NearRails * all;
    }

    /// <summary>
    /// Crossings of the standing level by half waves that reach a share of the amplitude of those before them, so that
    /// noise in a gap counts for nothing at any speed; see <see cref="Dated"/>. With them the half waves that are whole, each
    /// from where it counts up to where the next one does.
    /// </summary>
    private static (List<Crossing> Crossings, List<(int From, int End, bool Up)> Waves) HalfWaves(Channel channel, double level)
    {
        var samples = channel.Samples;
        var time = channel.Time;
        // The noise of a standing engine must not count as teeth.
        var range = Statistics.Quantile(samples, 0.998) - Statistics.Quantile(samples, 0.002);
        var floor = LeastFloor * range;
        var noise = Math.Clamp(NoiseTimes * Noise(samples), floor, MostFloor * range);
        var crossings = new List<Crossing>();
        var waves = new List<(int From, int End, bool Up)>();
        var from = 0;
        var rest = new RestBand(floor);
        double amplitude = 0,
            peak = 0;
        bool? up = null;
        for (var i = 0; i < samples.Length; i++)
        {
            var value = samples[i] - level;
            if (!double.IsFinite(value))
                continue;
            rest.Pass(time[i], value);
            if (up is { } high && (high ? value : -value) > peak)
                peak = high ? value : -value;
            var threshold = Math.Max(noise, HalfWaveShare * amplitude);
            bool? now =
                value > threshold ? true
                : value < -threshold ? false
                : up;
            if (now == up)
                continue;
            if (up is not null && rest.Last(now!.Value) is { } crossing)
                crossings.Add(crossing);
            if (up is { } was)
                waves.Add((from, i, was));
            from = i;
            amplitude = Math.Max(AmplitudeDecay * amplitude, peak);
            (up, peak) = (now, Math.Abs(value));
        }

        return (crossings, waves);
    }

    /// <summary>
    /// The standard deviation of what is not smooth from sample to sample: of second differences, which hold six times its square.
    /// </summary>
    private static double Noise(float[] samples)
    {
        var picked = Math.Max(1, samples.Length / SketchSamples);
        return Statistics.Scatter(
                Enumerable
                    .Range(0, Math.Max(0, (samples.Length - 2) / picked))
                    .Select(i => (double)samples[i * picked] - 2 * samples[i * picked + 1] + samples[i * picked + 2])
                    .Where(double.IsFinite),
                0
            ) / Math.Sqrt(6);
    }

    /// <summary>
    /// Crossings dated by the line between the samples round them; those where the sensor rests in between, which have no moment of
    /// their own, by the end of the rest.
    /// </summary>
    private static List<Edge> Dated(List<Crossing> crossings, double step)
    {
        var usual = Statistics.Median(crossings.Select(c => c.Reached - c.Left));
        return [.. crossings.Select(c => new Edge(c.Reached - c.Left > RestTimes * usual + 2 * step ? c.Reached : c.Seconds, c.Rising))];
    }

    /// <summary>A crossing of the resting level, and when the narrow band about it was entered before and left behind it, s.</summary>
    private readonly record struct Crossing(bool Rising, double Seconds, double Left, double Reached);

    /// <summary>Follows a signal through the narrow band about its resting level.</summary>
    private struct RestBand(double half)
    {
        private double _before = double.NaN,
            _beforeAt,
            _crossed = double.NaN,
            _leftLow = double.NaN,
            _leftHigh = double.NaN,
            _reachedLow = double.NaN,
            _reachedHigh = double.NaN;

        public void Pass(double seconds, double value)
        {
            if (_before < 0 != value < 0 && !double.IsNaN(_before))
                _crossed = At(0, seconds, value);
            if (_before < -half && value >= -half)
                _leftLow = At(-half, seconds, value);
            if (_before > half && value <= half)
                _leftHigh = At(half, seconds, value);
            if (_before <= half && value > half)
                _reachedHigh = At(half, seconds, value);
            if (_before >= -half && value < -half)
                _reachedLow = At(-half, seconds, value);
            (_before, _beforeAt) = (value, seconds);
        }

        /// <summary>The last crossing that way; null where the signal was not seen on both sides.</summary>
        public readonly Crossing? Last(bool rising)
        {
            var (left, reached) = rising ? (_leftLow, _reachedHigh) : (_leftHigh, _reachedLow);
            return double.IsNaN(_crossed) || double.IsNaN(reached - left) ? null : new(rising, _crossed, left, reached);
        }

        private readonly double At(double level, double seconds, double value) =>
            Resampling.Crossed(level, (_beforeAt, _before), (seconds, value));
    }

    /// <summary>The level the sensor rests at: the mean, for what it induces one way it induces the other.</summary>
    private static double Level(float[] samples)
    {
        double sum = 0;
        var count = 0;
        foreach (var sample in samples)
        {
            if (!float.IsFinite(sample))
                continue;
            sum += sample;
            count++;
        }

        return count > 0 ? sum / count : 0;
    }
}
