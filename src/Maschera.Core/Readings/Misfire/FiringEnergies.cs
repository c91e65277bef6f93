using Maschera.Core.Engines;
using Maschera.Core.Expressions;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.Misfire;

/// <summary>One firing.</summary>
/// <param name="Cycle">Number of its cycle, from 0.</param>
/// <param name="Place">Place in the firing order, from 0.</param>
/// <param name="Seconds">Time of its TDC, s.</param>
/// <param name="Degrees">Its TDC on the clock.</param>
/// <param name="SpeedRpm">Speed round it.</param>
/// <param name="Gain">
/// What it added to the crank's kinetic energy beyond what the engine took, as a share of twice that energy: the
/// change of ω²/2 over it, by the mean ω².
/// </param>
public readonly record struct Firing(int Cycle, int Place, double Seconds, double Degrees, double SpeedRpm, double Gain);

/// <summary>What each firing did to the crank's speed.</summary>
internal static class FiringEnergies
{
    /// <summary>
    /// Where the work of a firing has its centre, degrees after its TDC: between the pressure peak and the end of its torque.
    /// </summary>
    private const double WorkCentre = 50;

    /// <summary>How far the work of a firing reaches to either side of its centre, degrees.</summary>
    private const double WorkHalfWidth = 75;

    /// <summary>Fewest teeth in a window for a speed.</summary>
    private const int LeastTeeth = 3;

    /// <summary>
    /// The gain of every firing whose surroundings lie on the clock: mean speed over one firing's span behind the middle
    /// of its work, less that before it. Over such a span the ripple of all other firings cancels. Over
    /// <paramref name="spans"/> firings' spans on either side the speed is known better, but neighbours mix in.
    /// </summary>
    /// <param name="tdc">Degrees on the clock of a firing TDC of the first cylinder of the firing order.</param>
    public static List<Firing> Of(AngleClock clock, double[] angles, double tdc, int spans = 1)
    {
        var firings = new List<Firing>();
        var span = spans * 720.0 / angles.Length;
        var mean = 6 * clock.SpeedRpm;
        var first = (int)Math.Floor((clock.Degrees[0] - tdc) / 720);
        for (var cycle = first; tdc + 720 * cycle < clock.Degrees[^1]; cycle++)
        for (var place = 0; place < angles.Length; place++)
        {
            var at = tdc + 720 * cycle + angles[place];
            var centre = at + WorkCentre;
            if (Speed(clock, centre - span, centre) is not { } before || Speed(clock, centre, centre + span) is not { } after)
                continue;
            var gain = (after * after - before * before) / 2 / (mean * mean);
            firings.Add(new Firing(cycle - first, place, clock.TimeAt(at), at, (before + after) / 12, gain));
        }

        return firings;
    }

    /// <summary>
    /// How much energy the crank swings by at the rhythm of the firings, from peak to peak, in the unit of
    /// <see cref="Firing.Gain"/>. Of the wheel's errors only what has this very rhythm comes in, and that is little.
    /// </summary>
    public static double Swing(AngleClock clock, int cylinders)
    {
        var mean = 6 * clock.SpeedRpm;
        var order = double.DegreesToRadians(cylinders / 2.0);
        double cosines = 0,
            sines = 0;
        for (var i = 1; i < clock.Degrees.Length; i++)
        {
            // Time rather than speed: what a tooth's error takes from one interval it gives to the next.
            var late = mean * (clock.Seconds[i] - clock.Seconds[i - 1]) - (clock.Degrees[i] - clock.Degrees[i - 1]);
            var half = order * (clock.Degrees[i] - clock.Degrees[i - 1]) / 2;
            var (sine, cosine) = Math.SinCos(order * (clock.Degrees[i] + clock.Degrees[i - 1]) / 2);
            // A wide interval shows less of the wave than it has.
            var weight = late * half / Math.Sin(half);
            (cosines, sines) = (cosines + weight * cosine, sines + weight * sine);
        }

        var total = clock.Degrees[^1] - clock.Degrees[0];
        return 2 * 2 * Math.Sqrt(cosines * cosines + sines * sines) / total;
    }

    /// <summary>
    /// How well a gain is known from the edges alone, standard deviation: a line's slope through n points that scatter
    /// by s over a width W is off by s sqrt(12 / n) / W, and a gain is the difference of two.
    /// </summary>
    public static double Scatter(AngleClock clock, int cylinders, int spans)
    {
        var span = spans * 720.0 / cylinders;
        var teeth = span / 360 * (clock.Wheel.Teeth - clock.Wheel.Missing.Sum());
        return Math.Sqrt(2 * 12 / Math.Max(2, teeth)) * clock.StandardErrorDegrees / span;
    }

    /// <summary>
    /// Takes the neighbours out of gains over <paramref name="spans"/> spans. Least squares with a penalty (Tikhonov):
    /// (A² + r) e = A g, by conjugate gradients (Hestenes and Stiefel 1952).
    /// </summary>
    public static double[] Unmixed(double[] gains, int cylinders, int spans, double penalty)
    {
        var kernel = Kernel(cylinders, spans);
        var found = new double[gains.Length];
        var rest = Mixed(gains, kernel);
        var search = (double[])rest.Clone();
        var size = Dot(rest, rest);
        var enough = 1e-12 * size;
        for (var pass = 0; pass < 60 && size > enough; pass++)
        {
            var image = Mixed(Mixed(search, kernel), kernel);
            for (var i = 0; i < image.Length; i++)
                image[i] += penalty * search[i];
            var step = size / Dot(search, image);
            for (var i = 0; i < found.Length; i++)
                (found[i], rest[i]) = (found[i] + step * search[i], rest[i] - step * image[i]);
            var next = Dot(rest, rest);
            for (var i = 0; i < search.Length; i++)
                search[i] = rest[i] + next / size * search[i];
            size = next;
        }

        return found;
    }

    /// <summary>
    /// How much of a firing d places away comes into a gain. A step x = d / spans away shows as 1 - 3 x² + 2 x³, for so
    /// much of it the slope of a line takes; and a firing is no step, but its work spread as a raised cosine.
    /// </summary>
    public static double[] Kernel(int cylinders, int spans)
    {
        const int parts = 24;
        var span = 720.0 / cylinders;
        var kernel = new List<double>();
        for (var d = 0; d < spans + 2; d++)
        {
            double sum = 0;
            for (var i = 0; i < parts; i++)
            {
                var u = (i + 0.5) / parts * 2 - 1;
                var x = Math.Abs(d + u * WorkHalfWidth / span) / spans;
                if (x < 1)
                    sum += (1 + Math.Cos(Math.PI * u)) / parts * (1 - 3 * x * x + 2 * x * x * x);
            }

            kernel.Add(sum);
        }

        return [.. kernel];
    }

    private static double[] Mixed(double[] values, double[] kernel)
    {
        var mixed = new double[values.Length];
        for (var i = 0; i < values.Length; i++)
        {
            mixed[i] = kernel[0] * values[i];
            for (var d = 1; d < kernel.Length; d++)
                mixed[i] += kernel[d] * ((i >= d ? values[i - d] : 0) + (i + d < values.Length ? values[i + d] : 0));
        }

        return mixed;
    }

    private static double Dot(double[] a, double[] b)
    {
        double sum = 0;
        for (var i = 0; i < a.Length; i++)
            sum += a[i] * b[i];
        return sum;
    }

    /// <summary>
    /// Mean speed between two angles, degrees/s: the slope of the line through their teeth; null where there are too few.
    /// </summary>
    private static double? Speed(AngleClock clock, double from, double to)
    {
        if (from < clock.Degrees[0] || to > clock.Degrees[^1])
            return null;
        var first = FirstAtOrAfter(clock.Degrees, from);
        var end = FirstAtOrAfter(clock.Degrees, to);
        var count = end - first;
        if (count < LeastTeeth)
            return Between(clock, from, to);
        double degrees = 0,
            seconds = 0;
        for (var i = first; i < end; i++)
            (degrees, seconds) = (degrees + clock.Degrees[i] / count, seconds + clock.Seconds[i] / count);
        double square = 0,
            product = 0;
        for (var i = first; i < end; i++)
        {
            var d = clock.Degrees[i] - degrees;
            square += d * d;
            product += d * (clock.Seconds[i] - seconds);
        }

        return square / product;
    }

    private static double? Between(AngleClock clock, double from, double to)
    {
        var seconds = clock.TimeAt(to) - clock.TimeAt(from);
        return seconds > 0 ? (to - from) / seconds : null;
    }

    private static int FirstAtOrAfter(ReadOnlySpan<double> sorted, double value)
    {
        var at = sorted.BinarySearch(value);
        return at >= 0 ? at : ~at;
    }
}
