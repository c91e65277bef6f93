using Maschera.Core.Timing;

namespace Maschera.Core.Readings.Pulses;

/// <summary>What a cylinder may do otherwise at a pick-up.</summary>
internal enum PulseFault
{
    /// <summary>It draws less: pressure rises in its intake stroke and falls again as the others empty the manifold.</summary>
    Suction,

    /// <summary>Its intake valve leaks: gas is thrust back about its firing TDC.</summary>
    Thrust,

    /// <summary>What could not leave through its exhaust valve blows back when its intake valve opens.</summary>
    Blowback,

    /// <summary>It blows out less when its exhaust valve opens.</summary>
    BlowDown,
}

/// <summary>One explanation of what a mean cycle has beyond even pulses.</summary>
/// <param name="Fault">What the cylinders do otherwise.</param>
/// <param name="Places">The cylinders, as places of the firing order, the strongest first.</param>
/// <param name="Unexplained">The share of the residual's energy that is left, 0 to 1.</param>
/// <param name="Size">How high the strongest one's gas stands, in the pick-up's unit.</param>
internal sealed record PulseCause(PulseFault Fault, IReadOnlyList<int> Places, double Unexplained, double Size)
{
    /// <summary>
    /// A second cylinder is taken in where one leaves so much, two so much less of it, and the weaker is so strong beside the other;
    /// of three cylinders two can't be told from the third.
    /// </summary>
    private const double OneLeaves = 0.15,
        PairLeaves = 0.2,
        PairLeavesOfBlowDown = 0.5,
        PairStrength = 0.4;

    /// <summary>
    /// A leaking valve thrusts less than the usual pulse is high, a full cylinder blows back more; what does not fit that counts as
    /// explaining so much less. On engines whose cylinders go in pairs only this tells one from the other of the pair.
    /// </summary>
    private const double OfOtherSize = 1.6;

    /// <summary>Where so much of what differs is chance, nothing explains it.</summary>
    private const double MostNoise = 0.6;

    /// <summary>A source so far from its usual place counts as explaining half as well, degrees.</summary>
    private const double OffPlace = 60;

    /// <summary>How soon gas that is too much, or is missing, is gone from the pick-up, degrees.</summary>
    private static readonly double[] s_decays = [15, 40, 90, 200, 500];

    /// <summary>
    /// Explains a residual at the intake or the exhaust by one cylinder, or by two: sources of gas at the place of each fault in a
    /// cylinder's cycle, dying away, are fitted by least squares. What all cylinders have alike is taken out of residual and
    /// shapes, for it can't be seen.
    /// </summary>
    /// <param name="mean">The mean cycle, a value a degree from firing TDC of the first place of the firing order on.</param>
    /// <param name="chance">What of it may be chance: half the difference of the means of every other cycle and of the rest.</param>
    /// <param name="angles">Firing TDC of each place of the firing order.</param>
    /// <param name="lag">Degrees from the valve to the pick-up.</param>
    /// <returns>The best explanation of each kind that belongs to the place, the best first.</returns>
    public static IReadOnlyList<PulseCause> Find(float[] mean, double[] chance, double[] angles, double lag, bool isIntake)
    {
        var residual = Odd([.. mean.Select(v => (double)v)], angles);
        var energy = residual.Sum(v => v * v);
        if (energy <= 0)
            return [];
        var noise = Math.Min(1, Odd(chance, angles).Sum(v => v * v) / energy);
        var usual = mean.Zip(residual, (all, odd) => all - odd).ToList();
        // The more cylinders draw on one manifold, the lower the usual pulse.
        var height = (usual.Max() - usual.Min()) * Math.Max(1, angles.Length / 4.0);
        var found = (isIntake ? (PulseFault[])[PulseFault.Suction, PulseFault.Thrust, PulseFault.Blowback] : [PulseFault.BlowDown])
            .Select(fault => Best(fault, new Remainder(residual, energy, noise), angles, lag))
            .ToList();
        var simplest = found.Min(f => f.One.Unexplained);
        var leaves = isIntake ? PairLeaves : PairLeavesOfBlowDown;
        return
        [
            .. found
                .Select(f => simplest > OneLeaves && f.Two.Unexplained < leaves * simplest ? f.Two : f.One)
                .Select(c => c.Sized(height))
                .OrderBy(c => c.Unexplained),
        ];
    }

    /// <summary>The same, where its size speaks against it explaining less.</summary>
    private PulseCause Sized(double height) =>
        Fault is PulseFault.Thrust && Size > height || Fault is PulseFault.Blowback && Size <= height
            ? this with
            {
                Unexplained = Math.Min(1, OfOtherSize * Unexplained),
            }
            : this;

    /// <summary>What has to be explained, its energy, and the share of that which chance alone makes.</summary>
    private sealed record Remainder(double[] Course, double Energy, double Noise)
    {
        /// <summary>
        /// The share of what is not chance that is left where so much of all is; chance is left whatever explains the rest.
        /// </summary>
        public double Left(double share) => Noise > MostNoise ? 1 : Math.Clamp((share - Noise) / (1 - Noise), 0, 1);
    }

    /// <summary>One cylinder or two, each at the source that explains most.</summary>
    private static (PulseCause One, PulseCause Two) Best(PulseFault fault, Remainder of, double[] angles, double lag)
    {
        PulseCause one = new(fault, [0], 1, 0),
            two = one;
        foreach (var (course, penalty) in Sources(fault))
        {
            var shapes = angles.Select(angle => Odd(GasSource.Turned(course, (int)Math.Round(angle + lag)), angles)).ToArray();
            var fits = new Fits(shapes, of);
            one = Better(one, fits.One(fault), penalty);
            if (shapes.Length > 3)
                two = Better(two, fits.Two(fault), penalty);
        }

        return (one, two);
    }

    private static PulseCause Better(PulseCause known, PulseCause? found, double penalty) =>
        found is not null && Math.Min(1, found.Unexplained * penalty) is var left && left < known.Unexplained
            ? found with
            {
                Unexplained = left,
            }
            : known;

    /// <summary>
    /// Sources of a kind: a bump at its place, of its width, that dies away; a value a degree after firing TDC. How far the place is
    /// from the usual one counts against it.
    /// </summary>
    private static IEnumerable<(double[] Course, double Penalty)> Sources(PulseFault fault)
    {
        var (sign, usual, off, widths) = fault switch
        {
            PulseFault.Suction => (1, 455, (double[])[-45, -30, -15, 0, 15, 30, 45], (double[])[24, 40, 60, 85]),
            PulseFault.Thrust => (1, 20, [-12, 0, 15], [16, 26]),
            PulseFault.Blowback => (1, 380, [-12, 0, 15], [16, 26]),
            _ => (-1, 187, [-18, -6, 6, 18], [14, 26]),
        };
        return from beside in off
            from width in widths
            from decay in s_decays
            select (
                Array.ConvertAll(GasSource.Bump(usual + beside, width, decay), v => sign * v),
                1 + beside * beside / (OffPlace * OffPlace)
            );
    }

    /// <summary>Shapes of one source, turned to each cylinder, against what has to be explained.</summary>
    private sealed class Fits(double[][] shapes, Remainder of)
    {
        private readonly double[] _fits = [.. shapes.Select(s => Product(s, of.Course))];
        private readonly double[] _sizes = [.. shapes.Select(s => Product(s, s))];

        private double Height(int i) => shapes[i].Max() - shapes[i].Min();

        /// <summary>The cylinder that explains most; null where none does.</summary>
        public PulseCause? One(PulseFault fault)
        {
            PulseCause? best = null;
            for (var i = 0; i < shapes.Length; i++)
                if (_fits[i] > 0 && of.Left(1 - _fits[i] * _fits[i] / (_sizes[i] * of.Energy)) is var left && !(left >= best?.Unexplained))
                    best = new(fault, [i], left, _fits[i] / _sizes[i] * Height(i));
            return best;
        }

        /// <summary>The two cylinders that explain most together, each with gas of the same sign; null where there are none.</summary>
        public PulseCause? Two(PulseFault fault)
        {
            PulseCause? best = null;
            for (var i = 0; i < shapes.Length; i++)
            for (var k = i + 1; k < shapes.Length; k++)
                if (Two(fault, i, k) is { } pair && !(pair.Unexplained >= best?.Unexplained))
                    best = pair;
            return best;
        }

        private PulseCause? Two(PulseFault fault, int i, int k)
        {
            var cross = Product(shapes[i], shapes[k]);
            var determinant = _sizes[i] * _sizes[k] - cross * cross;
            if (determinant <= 1e-6 * _sizes[i] * _sizes[k])
                return null;
            var first = (_fits[i] * _sizes[k] - _fits[k] * cross) / determinant;
            var second = (_fits[k] * _sizes[i] - _fits[i] * cross) / determinant;
            if (Math.Min(first, second) <= 0 || Math.Min(first, second) < PairStrength * Math.Max(first, second))
                return null;
            return new(
                fault,
                first >= second ? [i, k] : [k, i],
                of.Left(1 - (first * _fits[i] + second * _fits[k]) / of.Energy),
                Math.Max(first * Height(i), second * Height(k))
            );
        }
    }

    /// <summary>
    /// What differs between cylinders: less the mean over all of them, as each sees it from its own firing TDC. Engines of uneven
    /// firing have no such mean; there only the level is taken out.
    /// </summary>
    private static double[] Odd(double[] course, double[] angles)
    {
        var (n, span) = (course.Length, course.Length / angles.Length);
        var isEven = course.Length % angles.Length == 0 && angles.Select((a, i) => Math.Abs(a - i * span)).Max() < 1;
        if (!isEven)
        {
            var level = course.Average();
            return Array.ConvertAll(course, v => v - level);
        }

        var alike = new double[span];
        for (var i = 0; i < n; i++)
            alike[i % span] += course[i] / angles.Length;
        return [.. course.Select((v, i) => v - alike[i % span])];
    }

    private static double Product(double[] a, double[] b)
    {
        double sum = 0;
        for (var i = 0; i < a.Length; i++)
            sum += a[i] * b[i];
        return sum;
    }
}
