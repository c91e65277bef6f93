using Maschera.Core.Timing;

namespace Maschera.Core.Readings.Pulses;

/// <summary>Gas that comes at a place of the cycle and dies away, as a pick-up shows it; a value a degree.</summary>
internal static class GasSource
{
    /// <summary>How soon gas that is too much, or is missing, is gone from the pick-up at intake and exhaust, degrees.</summary>
    public static double[] Decays { get; } = [15, 40, 90, 200, 500, 1200];

    /// <summary>Of a usual engine: rod over half the stroke, compression ratio, and exponents of compression and expansion.</summary>
    private const double Rod = 3.4,
        Compression = 10,
        Compressing = 1.33,
        Expanding = 1.3;

    /// <summary>A burn begins and ends so many degrees before and behind TDC; from the third the exhaust valve lets it go.</summary>
    private const double BurnFrom = -10,
        BurnTo = 45,
        BlownFrom = 130,
        BlownIn = 15;

    /// <summary>Outside pressure is in a cylinder between these, degrees after firing TDC.</summary>
    private const double PushedFrom = 150,
        PushedTo = 358;

    /// <summary>Bumps of a free course stand so far apart and are so wide, degrees.</summary>
    private const double Beside = 24,
        BesideWidth = 14;

    /// <summary>
    /// Pressure above the manifold's of a cylinder that is only compressed, whose leak passes gas in its proportion (a nozzle's flow
    /// beyond the critical ratio); a value a degree from firing TDC on, no unit.
    /// </summary>
    private static readonly double[] s_compressed = OverCycle(x =>
        Math.Abs(x) < 180 ? Math.Pow(Volume(x) / Volume(180), -Compressing) - 1 : 0
    );

    /// <summary>What a burn adds to it: released along a Vibe curve, expanded, and let go when the exhaust valve opens.</summary>
    private static readonly double[] s_burnt = OverCycle(x =>
    {
        if (x is < BurnFrom or > 360)
            return 0;
        var burn = Math.Clamp((x - BurnFrom) / (BurnTo - BurnFrom), 0, 1);
        var released = 1 - Math.Exp(-5 * Math.Pow(burn, 2.6));
        var let = x > BlownFrom ? Math.Exp((BlownFrom - x) / BlownIn) : 1;
        return released * let * Math.Pow(Volume(x) / Volume(0), -Expanding);
    });

    /// <summary>Outside pressure from the exhaust's opening to the intake's.</summary>
    private static readonly double[] s_pushedOut = OverCycle(x =>
        (x + CycleFold.Bins) % CycleFold.Bins is > PushedFrom and < PushedTo ? 1 : 0
    );

    /// <summary>Gas through a leak, of compression and of the burn, dying away, so many degrees late.</summary>
    public static double[][] ThroughLeak(double decay, int later) =>
        [Turned(Dying(s_compressed, decay), later), Turned(Dying(s_burnt, decay), later)];

    /// <summary>
    /// The same of what is pushed out at the outside pressure from the exhaust's opening to the intake's, above a manifold below it.
    /// </summary>
    public static double[] PushedOut(double decay, int later) => Turned(Dying(s_pushedOut, decay), later);

    /// <summary>Bumps side by side, of which any course of gas between two places is a sum, for each way to die away.</summary>
    public static double[][][] AnyCourse(double from, double to)
    {
        double[] places = [.. Enumerable.Range(0, (int)((to - from) / Beside) + 1).Select(i => from + i * Beside)];
        return Array.ConvertAll(Decays, decay => Array.ConvertAll(places, place => Bump(place, BesideWidth, decay)));
    }

    private static double[] OverCycle(Func<double, double> of) =>
        [.. Enumerable.Range(0, CycleFold.Bins).Select(i => of(i < CycleFold.Bins / 2 ? i : i - CycleFold.Bins))];

    /// <summary>Volume of the cylinder by the swept one, degrees from TDC.</summary>
    private static double Volume(double degrees)
    {
        var (sine, cosine) = Math.SinCos(degrees * Math.PI / 180);
        return 1 / (Compression - 1) + (1 - cosine + Rod - Math.Sqrt(Rod * Rod - sine * sine)) / 2;
    }

    /// <summary>A course as a pick-up shows it in steady running: gas that came dies away, that of all cycles before still in it.</summary>
    public static double[] Dying(double[] course, double decay)
    {
        var (keeps, tail) = (Math.Exp(-1 / decay), new double[course.Length]);
        var left = course.Aggregate(0.0, (held, v) => held * keeps + v) / (1 - Math.Pow(keeps, course.Length));
        for (var i = 0; i < course.Length; i++)
            tail[i] = left = left * keeps + course[i];
        return tail;
    }

    /// <summary>A bump, the cycles before still in it.</summary>
    /// <param name="at">Its place, degrees.</param>
    /// <param name="width">Standard deviation, degrees.</param>
    /// <param name="decay">How soon it dies away, degrees; at once where 0.</param>
    public static double[] Bump(double at, double width, double decay)
    {
        var n = CycleFold.Bins;
        var bump = new double[n];
        for (var i = 0; i < n; i++)
        {
            var off = Math.IEEERemainder(i - at, n);
            bump[i] = Math.Exp(-off * off / (2 * width * width));
        }

        return decay > 0 ? Dying(bump, decay) : bump;
    }

    /// <summary>The same course so many degrees later.</summary>
    public static double[] Turned(double[] course, int by) =>
        [.. course.Select((_, i) => course[((i - by) % course.Length + course.Length) % course.Length])];
}
