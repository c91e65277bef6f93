using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Duty;

/// <summary>
/// One rhythm for a whole pulse train. An edge that falls between two samples without leaving a value half way is
/// only known to lie between them; when every edge belongs to one steady rhythm, the narrow ones pin down the rest.
/// </summary>
/// <param name="Period">Seconds.</param>
/// <param name="DutyPercent">Share of the period above the middle.</param>
/// <param name="Doubt">
/// By how much the duty may be more or less, in points, with every edge still between its samples: much where the rhythm keeps step
/// with the sampling.
/// </param>
internal readonly record struct SteadyTrain(double Period, double DutyPercent, double Doubt)
{
    /// <summary>Above so many edges of a kind their mean is as good.</summary>
    private const int MostEdges = 2_000;

    private const int Passes = 600;

    /// <summary>Periods tried on either side of the one found.</summary>
    private const int Slopes = 60;

    /// <summary>Root mean square of what edges may miss the rhythm by, in samples.</summary>
    private const double Jitter = 0.1;

    /// <summary>A value this near to a rail, as a share of the swing, is the rail.</summary>
    private const double NearRail = 0.1;

    /// <summary>The rhythm of the edges; null where they don't share one.</summary>
    public static SteadyTrain? Fit(Channel signal, Rails rails, List<Edge> edges)
    {
        if (edges.Count < 8 || edges.Count > 2 * MostEdges || !signal.Time.IsUniform)
            return null;
        var rising = Line(signal, rails, edges.Where(e => e.Rising).ToList());
        var falling = Line(signal, rails, edges.Where(e => !e.Rising).ToList());
        if (rising is not { } up || falling is not { } down)
            return null;
        if (Math.Abs(up.Period / down.Period - 1) > 0.01)
            return null;
        var period = (up.Period + down.Period) / 2;
        var duty = (down.First - up.First) / period;
        return new SteadyTrain(period, 100 * (duty - Math.Floor(duty)), 100 * (up.Free + down.Free) / period);
    }

    /// <summary>
    /// The straight line of edge times over their number that misses their intervals least, by alternating
    /// projections (Cheney and Goldstein 1959), and from there the middle of all that keep them.
    /// </summary>
    private static (double Period, double First, double Free)? Line(Channel signal, Rails rails, List<Edge> edges)
    {
        var n = edges.Count;
        var lower = new double[n];
        var upper = new double[n];
        for (var i = 0; i < n; i++)
            (lower[i], upper[i]) = Interval(signal, rails, edges[i].Seconds);
        var at = edges.Select(e => e.Seconds).ToArray();
        var (period, middle) = Straight(at);
        for (var pass = 0; pass < Passes; pass++)
        {
            for (var i = 0; i < n; i++)
                at[i] = Math.Clamp(middle + (i - (n - 1) / 2.0) * period, lower[i], upper[i]);
            (period, middle) = Straight(at);
        }

        double missed = 0;
        for (var i = 0; i < n; i++)
        {
            var off = middle + (i - (n - 1) / 2.0) * period - at[i];
            missed += off * off;
        }

        return Math.Sqrt(missed / n) < Jitter * signal.Time.Step ? Centred(lower, upper, period, middle, signal.Time.Step) : null;
    }

    /// <summary>
    /// The middle of all lines that keep every edge in its interval: their centroid over period and place, and how far a
    /// place in the middle of the train may be off it. The line itself where none keeps all; times in s.
    /// </summary>
    private static (double Period, double First, double Free) Centred(
        double[] lower,
        double[] upper,
        double period,
        double middle,
        double step
    )
    {
        var n = lower.Length;
        double weight = 0,
            periods = 0,
            places = 0,
            least = double.PositiveInfinity,
            most = double.NegativeInfinity;
        for (var k = -Slopes; k <= Slopes; k++)
        {
            var slope = period + 2 * step / (n - 1) * k / Slopes;
            var (from, to) = (double.NegativeInfinity, double.PositiveInfinity);
            for (var i = 0; i < n; i++)
            {
                var x = slope * (i - (n - 1) / 2.0);
                (from, to) = (Math.Max(from, lower[i] - x), Math.Min(to, upper[i] - x));
            }

            if (!(to > from))
                continue;
            (weight, periods, places) = (weight + to - from, periods + (to - from) * slope, places + (to - from) * (from + to) / 2);
            (least, most) = (Math.Min(least, from), Math.Max(most, to));
        }

        if (!(weight > 0))
            return (period, middle - (n - 1) / 2.0 * period, 0);
        (period, middle) = (periods / weight, places / weight);
        return (period, middle - (n - 1) / 2.0 * period, Math.Max(most - middle, middle - least));
    }

    /// <summary>Where the edge can be: between two samples on the rails, or at the crossing where one stands between.</summary>
    private static (double Lower, double Upper) Interval(Channel signal, Rails rails, double seconds)
    {
        var after = signal.Time.IndexAtOrAfter(seconds);
        var before = Math.Max(0, after - 1);
        after = Math.Min(after, signal.Time.Count - 1);
        return OnRail(signal.Samples[before], rails) && OnRail(signal.Samples[after], rails)
            ? (signal.Time[before], signal.Time[after])
            : (seconds, seconds);
    }

    private static bool OnRail(float value, Rails rails) =>
        Math.Min(Math.Abs(value - rails.Low), Math.Abs(value - rails.High)) < NearRail * rails.Swing;

    /// <summary>Least squares: slope, and the value at the middle.</summary>
    private static (double Slope, double Middle) Straight(double[] values)
    {
        var n = values.Length;
        var mean = Statistics.Mean(values);
        double product = 0,
            square = 0;
        for (var i = 0; i < n; i++)
        {
            var x = i - (n - 1) / 2.0;
            product += x * values[i];
            square += x * x;
        }

        return (product / square, mean);
    }
}
