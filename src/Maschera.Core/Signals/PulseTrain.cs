using System.Numerics;

namespace Maschera.Core.Signals;

/// <summary>A crossing of a level: when, in seconds, and in which direction.</summary>
public readonly record struct Edge(double Seconds, bool Rising);

/// <summary>The two levels between which a pulse train switches, in the channel's unit.</summary>
public readonly record struct Rails(double Low, double High)
{
    /// <summary>Half way between the rails: where duty is counted.</summary>
    public double Mid => (Low + High) / 2;

    /// <summary>The distance between the rails.</summary>
    public double Swing => High - Low;
}

/// <summary>Finds rails and edges of switching signals.</summary>
public static class PulseTrain
{
    /// <summary>
    /// The rails: the medians of the samples above and below the middle of the signal's reach, so that spikes,
    /// ringing and very uneven duty don't move them. The reach leaves out the outermost 0.02 % of the samples.
    /// </summary>
    public static Rails FindRails(ReadOnlySpan<float> samples)
    {
        var finite = new List<double>();
        var stride = Math.Max(1, samples.Length / 200_000);
        for (var i = 0; i < samples.Length; i += stride)
            if (float.IsFinite(samples[i]))
                finite.Add(samples[i]);
        Sorting.Sort(finite);
        var sorted = System.Runtime.InteropServices.CollectionsMarshal.AsSpan(finite);
        if (sorted.Length == 0)
            return new Rails(double.NaN, double.NaN);
        var rails = new Rails(Statistics.Quantile(sorted, 0.0002), Statistics.Quantile(sorted, 0.9998));
        for (var pass = 0; pass < 4; pass++)
        {
            var split = sorted.BinarySearch(rails.Mid);
            if (split < 0)
                split = ~split;
            if (split == 0 || split == sorted.Length)
                break;
            rails = new Rails(Statistics.Quantile(sorted[..split], 0.5), Statistics.Quantile(sorted[split..], 0.5));
        }

        return rails;
    }

    /// <summary>All crossings of the middle level, see <see cref="EdgeFinder"/>.</summary>
    public static List<Edge> FindEdges(Channel channel, Rails rails, double hysteresis = EdgeFinder.UsualHysteresis)
    {
        var finder = new EdgeFinder(rails, hysteresis);
        finder.Add(channel.Time, channel.Samples);
        return finder.Edges;
    }
}

/// <summary>
/// Finds crossings of the middle level as samples pass by. An edge counts once the signal has gone on past
/// the hysteresis (a share of the swing) beyond the middle on the other side, and is dated by the straight line between
/// the two samples round the middle. NaN samples are passed over.
/// </summary>
public sealed class EdgeFinder(Rails rails, double hysteresis = EdgeFinder.UsualHysteresis)
{
    /// <summary>The share of the swing a signal must pass the middle by.</summary>
    public const double UsualHysteresis = 0.15;

    private readonly float _mid = (float)rails.Mid;
    private readonly float _upper = (float)(rails.Mid + hysteresis * rails.Swing);
    private readonly float _lower = (float)(rails.Mid - hysteresis * rails.Swing);
    private bool? _high;
    private double _crossing = double.NaN;
    private double _beforeSeconds;
    private float _before = float.NaN;

    /// <summary>The edges so far, in time order.</summary>
    public List<Edge> Edges { get; } = [];

    /// <summary>Goes on with samples on an axis.</summary>
    public void Add(TimeAxis time, ReadOnlySpan<float> samples)
    {
        for (var i = 0; i < samples.Length; i++)
        {
            // Between edges nothing happens: go on to the next sample beyond the far threshold, many at a time.
            if (_high is { } high && i > 0)
            {
                var next = i + Next(samples[i..], high);
                if (next >= samples.Length)
                {
                    Remember(time, samples, samples.Length - 1);
                    return;
                }

                Remember(time, samples, next - 1);
                Cross(time, samples, next, Math.Max(i, 1));
                i = next;
            }

            Add(time[i], samples[i]);
        }
    }

    /// <summary>How far on the first sample lies beyond the other threshold; the length where none does.</summary>
    private int Next(ReadOnlySpan<float> samples, bool high)
    {
        var limit = new Vector<float>(high ? _lower : _upper);
        var i = 0;
        for (; i <= samples.Length - Vector<float>.Count; i += Vector<float>.Count)
        {
            var values = new Vector<float>(samples[i..]);
            if (high ? Vector.LessThanAny(values, limit) : Vector.GreaterThanAny(values, limit))
                break;
        }

        for (; i < samples.Length; i++)
            if (high ? samples[i] < _lower : samples[i] > _upper)
                return i;
        return i;
    }

    /// <summary>Dates the last crossing of the middle before sample <paramref name="at"/>, not before <paramref name="first"/>.</summary>
    private void Cross(TimeAxis time, ReadOnlySpan<float> samples, int at, int first)
    {
        var after = at;
        for (var i = at - 1; i >= first - 1; i--)
        {
            // What is missing is passed over.
            if (!float.IsFinite(samples[i]))
                continue;
            if (samples[i] < _mid != samples[after] < _mid)
            {
                _crossing = Resampling.Crossed(_mid, (time[i], samples[i]), (time[after], samples[after]));
                return;
            }

            after = i;
        }
    }

    /// <summary>Takes the last number up to a place as the one before what follows.</summary>
    private void Remember(TimeAxis time, ReadOnlySpan<float> samples, int at)
    {
        while (at >= 0 && !float.IsFinite(samples[at]))
            at--;
        if (at >= 0)
            (_before, _beforeSeconds) = (samples[at], time[at]);
    }

    /// <summary>Goes on with a piece.</summary>
    public void Add(SamplePiece piece)
    {
        var samples = piece.Samples.Span;
        for (var i = 0; i < samples.Length; i++)
            Add(piece.TimeOf(i), samples[i]);
    }

    private void Add(double seconds, float value)
    {
        if (!float.IsFinite(value))
            return;
        if (_before < _mid != value < _mid && !float.IsNaN(_before))
            _crossing = Resampling.Crossed(_mid, (_beforeSeconds, _before), (seconds, value));
        (_before, _beforeSeconds) = (value, seconds);
        var now =
            value > _upper ? true
            : value < _lower ? false
            : _high;
        if (now == _high)
            return;
        if (_high is not null && now is not null)
            Edges.Add(new Edge(_crossing, now.Value));
        _high = now;
    }
}
