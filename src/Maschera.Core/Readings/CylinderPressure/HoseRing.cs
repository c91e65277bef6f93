using Maschera.Core.Engines;

namespace Maschera.Core.Readings.CylinderPressure;

/// <summary>
/// What a hose makes of a cylinder's pressure: the gas in it is a mass on a spring, x'' + 2 d w x' + w² x = w² p, so that steps ring and
/// all comes later by 2 d / w.
/// </summary>
/// <param name="Hertz">At which it rings, w / 2π.</param>
/// <param name="Damping">Its damping d against the critical.</param>
internal readonly record struct HoseRing(double Hertz, double Damping)
{
    /// <summary>How much later all comes, s.</summary>
    public double Delay => Damping / (Math.PI * Hertz);

    /// <summary>The hose among a cycle's own unknowns; null where there is none.</summary>
    public static HoseRing? Of(ReadOnlySpan<double> own) =>
        own.Length > GasFitter.Hose ? new(Math.Exp(own[GasFitter.Hose]), Math.Exp(own[GasFitter.Hose + 1])) : null;

    /// <summary>The same as unknowns.</summary>
    public double[] Unknowns => [Math.Log(Hertz), Math.Log(Damping)];

    /// <summary>What the transducer feels of a course of one cycle that comes again and again at a steady speed.</summary>
    /// <param name="cycle">Pressures, <see cref="MotoredCylinder.PerDegree"/> a degree.</param>
    /// <param name="speedRpm">Speed, rpm.</param>
    public double[] Felt(double[] cycle, double speedRpm)
    {
        // The bilinear transform, its frequency bent so that the ringing keeps its own.
        var k = Math.Tan(Math.PI * Hertz / (6 * speedRpm * MotoredCylinder.PerDegree));
        var (norm, twist) = (1 / (1 + 2 * Damping * k + k * k), 2 * (k * k - 1));
        var felt = new double[cycle.Length];
        var (x1, x2, y1, y2) = (cycle[^1], cycle[^2], cycle[^1], cycle[^2]);
        for (var turn = 0; turn < 2; turn++)
        for (var i = 0; i < cycle.Length; i++)
        {
            var x = cycle[i];
            var y = norm * (k * k * (x + 2 * x1 + x2) - twist * y1 - (1 - 2 * Damping * k + k * k) * y2);
            (x2, x1, y2, y1) = (x1, x, y1, y);
            felt[i] = y;
        }
        return felt;
    }

    /// <summary>The hose by which least is left over, sought over all that ring between the two limits.</summary>
    /// <param name="left">What is left over with a hose.</param>
    public static HoseRing Least(Func<HoseRing, double> left)
    {
        const double lowest = 100,
            highest = 1000,
            most = 0.8,
            step = 1.15;
        double[] dampings = [0.04, 0.08, 0.15, 0.25, 0.4, 0.6];
        var best = (Ring: default(HoseRing), Left: double.MaxValue);
        for (var hertz = lowest; hertz < highest; hertz *= step)
            foreach (var damping in dampings)
                Take(new(hertz, damping));
        for (var (width, deep) = (1.07, 1.35); width > 1.002; (width, deep) = (Math.Sqrt(width), Math.Sqrt(deep)))
        {
            var middle = best.Ring;
            foreach (var (up, more) in ((double, double)[])[(width, 1), (1 / width, 1), (1, deep), (1, 1 / deep)])
                Take(new(middle.Hertz * up, middle.Damping * more));
        }

        return best.Ring;

        void Take(HoseRing ring)
        {
            if (ring.Damping < most && left(ring) is var l && l < best.Left)
                best = (ring, l);
        }
    }
}
