using Maschera.Core.Engines;

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
    /// <summary>Where the work of a firing has its centre, degrees after its TDC: between the pressure peak and the end of its torque.</summary>
    private const double WorkCentre = 50;

    /// <summary>Fewest teeth in a window for a speed.</summary>
    private const int LeastTeeth = 3;

    /// <summary>
    /// The gain of every firing whose surroundings lie on the clock: mean speed over one firing's span behind the middle
    /// of its work, less that before it. Over such a span the ripple of all other firings cancels.
    /// </summary>
    /// <param name="tdc">Degrees on the clock of a firing TDC of the first cylinder of the firing order.</param>
    public static List<Firing> Of(AngleClock clock, double[] angles, double tdc)
    {
        var firings = new List<Firing>();
        var half = 360.0 / angles.Length;
        var mean = 6 * clock.SpeedRpm;
        var first = (int)Math.Floor((clock.Degrees[0] - tdc) / 720);
        for (var cycle = first; tdc + 720 * cycle < clock.Degrees[^1]; cycle++)
            for (var place = 0; place < angles.Length; place++)
            {
                var at = tdc + 720 * cycle + angles[place];
                var centre = at + WorkCentre;
                if (Speed(clock, centre - 2 * half, centre) is not { } before || Speed(clock, centre, centre + 2 * half) is not { } after) continue;
                var gain = (after * after - before * before) / 2 / (mean * mean);
                firings.Add(new Firing(cycle - first, place, clock.TimeAt(at), at, (before + after) / 12, gain));
            }

        return firings;
    }

    /// <summary>
    /// How much energy the crank swings by within one firing, in the unit of <see cref="Firing.Gain"/>: the mean over
    /// all firings of the speed in small steps, so that wheel errors and single firings cancel.
    /// </summary>
    public static double Swing(AngleClock clock, IReadOnlyList<Firing> firings, int cylinders)
    {
        const int steps = 12;
        var span = 720.0 / cylinders;
        var width = Math.Max(span / 4, 2.5 * clock.Wheel.Pitch);
        var mean = 6 * clock.SpeedRpm;
        var sums = new double[steps];
        var counts = new int[steps];
        foreach (var firing in firings)
        {
            // The slow drift of the speed is taken out by the mean of this firing's own steps.
            var values = new double?[steps];
            for (var i = 0; i < steps; i++)
            {
                var at = firing.Degrees + i * span / steps;
                values[i] = Speed(clock, at - width / 2, at + width / 2) is { } speed ? speed * speed / 2 / (mean * mean) : null;
            }

            if (values.Any(v => v is null)) continue;
            var own = values.Average()!.Value;
            for (var i = 0; i < steps; i++) (sums[i], counts[i]) = (sums[i] + values[i]!.Value - own, counts[i] + 1);
        }

        var curve = Enumerable.Range(0, steps).Where(i => counts[i] > 0).Select(i => sums[i] / counts[i]).ToList();
        return curve.Count > 0 ? curve.Max() - curve.Min() : 0;
    }

    /// <summary>Mean speed between two angles, degrees/s: the slope of the line through their teeth; null where there are too few.</summary>
    private static double? Speed(AngleClock clock, double from, double to)
    {
        if (from < clock.Degrees[0] || to > clock.Degrees[^1]) return null;
        var first = FirstAtOrAfter(clock.Degrees, from);
        var end = FirstAtOrAfter(clock.Degrees, to);
        var count = end - first;
        if (count < LeastTeeth) return Between(clock, from, to);
        double degrees = 0, seconds = 0;
        for (var i = first; i < end; i++) (degrees, seconds) = (degrees + clock.Degrees[i] / count, seconds + clock.Seconds[i] / count);
        double square = 0, product = 0;
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
