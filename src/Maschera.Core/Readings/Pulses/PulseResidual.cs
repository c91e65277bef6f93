using Maschera.Core.Timing;

namespace Maschera.Core.Readings.Pulses;

/// <summary>What a mean cycle has beyond even pulses, a value a degree from firing TDC of the first place of the firing order on.</summary>
internal sealed class PulseResidual
{
    /// <summary>Where so much of what differs is chance, nothing explains it.</summary>
    private const double MostNoise = 0.6;

    /// <summary>So much of what is left is not taken for chance.</summary>
    private const double LeastLeft = 0.1;

    /// <summary>
    /// A course is gas on top of the others' pulse where it correlates so much with it and is such a share of one.
    /// </summary>
    private const double OnTop = 0.3,
        LeastOnTop = 0.15;

    /// <summary>A cylinder's pulse that is so deep, by the others', is turned round.</summary>
    private const double Pushes = -1;

    /// <summary>The slow harmonics of the cycle, the first one first.</summary>
    private static readonly (double[] Cosine, double[] Sine)[] s_waves =
    [
        .. Enumerable.Range(1, IntakeCauses.MostHarmonics).Select(order => (Wave(order, 0), Wave(order, 0.25))),
    ];

    private readonly double _noise;

    private PulseResidual(double[] course, double[] usual, double[] angles, double lag, double noise)
    {
        (Course, Usual, Angles, Lag, _noise) = (course, LessLevel(usual), angles, lag, noise);
        Energy = Product(course, course);
        Height = (course.Max() - course.Min()) / (Usual.Max() - Usual.Min());
    }

    public double[] Course { get; }
    public double Energy { get; }

    /// <summary>The even pulses, their level taken out: what all cylinders have alike.</summary>
    public double[] Usual { get; }

    /// <summary>Height of what differs, in that of the even pulses.</summary>
    public double Height { get; }

    /// <summary>Firing TDC of each place of the firing order, degrees.</summary>
    public double[] Angles { get; }

    /// <summary>Degrees from the valve to the pick-up.</summary>
    public double Lag { get; }

    /// <param name="mean">The mean cycle, a value a degree from firing TDC of the first place of the firing order on.</param>
    /// <param name="chance">What of it may be chance: half the difference of the means of every other cycle and of the rest.</param>
    /// <param name="angles">Firing TDC of each place of the firing order.</param>
    /// <param name="lag">Degrees from the valve to the pick-up.</param>
    public static PulseResidual Of(float[] mean, double[] chance, double[] angles, double lag)
    {
        double[] all = [.. mean.Select(v => (double)v)];
        var odd = Odd(all, angles);
        var usual = all.Zip(odd, (v, o) => v - o).ToArray();
        var energy = Product(odd, odd);
        var scatter = Odd(chance, angles);
        return new PulseResidual(odd, usual, angles, lag, energy > 0 ? Math.Min(1, Product(scatter, scatter) / energy) : 1);
    }

    /// <summary>
    /// The share of what is not chance that is left where so much of all is; chance is left whatever explains the rest. As chance is only
    /// estimated, a little of what is left stays, and with it the order of two explanations that leave less than that.
    /// </summary>
    public double Left(double share) =>
        _noise > MostNoise ? 1 : Math.Clamp(Math.Max((share - _noise) / (1 - _noise), LeastLeft * share), 0, 1);

    /// <summary>Degrees on the cycle by which a course of the first place is turned to come from another.</summary>
    public int TurnTo(int place) => (int)Math.Round(Angles[place] + Lag);

    /// <summary>
    /// True where a course is plainly not what is missing of a cylinder's own pulse, but gas on top of it.
    /// </summary>
    /// <param name="course">What one cylinder does otherwise, a value a degree.</param>
    public bool IsOnTop(double[] course)
    {
        var (share, likeness) = Missing(course);
        return likeness < -OnTop && share < -LeastOnTop;
    }

    /// <summary>
    /// What share of a cylinder's own pulse a course is that is missing, and how like it, -1 to 1: a pulse is one of those that the even
    /// ones are the sum of, so a share of it, laid on all cylinders in turn, is that share of the sum, turned over.
    /// </summary>
    public (double Share, double Likeness) Missing(double[] course)
    {
        var odd = Odd(course, Angles);
        var alike = LessLevel([.. course.Zip(odd, (v, o) => v - o)]);
        var (along, usual, own) = (Product(alike, Usual), Product(Usual, Usual), Product(alike, alike));
        return usual > 0 && own > 0 ? (-Angles.Length * along / usual, -along / Math.Sqrt(own * usual)) : (0, 0);
    }

    /// <summary>
    /// False where a cylinder plainly pushes in its intake stroke where the others draw: missing suction alone makes its pulse low, but
    /// does not turn it round so far.
    /// </summary>
    public bool Draws(int place)
    {
        var (own, usual, span) = (0.0, 0.0, CycleFold.Bins / Angles.Length);
        var from = TurnTo(place) + (int)PulsePlace.All[0].Centre - span / 2;
        for (var i = 0; i < span; i++)
        {
            var at = ((from + i) % CycleFold.Bins + CycleFold.Bins) % CycleFold.Bins;
            (own, usual) = (own + (Usual[at] + Course[at]) * Usual[at], usual + Usual[at] * Usual[at]);
        }

        return own > Pushes * usual;
    }

    private static double[] LessLevel(double[] course)
    {
        var level = course.Average();
        return Array.ConvertAll(course, v => v - level);
    }

    /// <summary>
    /// What differs between cylinders: less the mean over all of them, as each sees it from its own firing TDC; where they fire unevenly,
    /// over those that fire alike.
    /// </summary>
    public static double[] Odd(double[] course, double[] angles)
    {
        var turns = Turns(angles);
        var span = course.Length / turns;
        var alike = new double[span];
        for (var i = 0; i < course.Length; i++)
            alike[i % span] += course[i] / turns;
        return [.. course.Select((v, i) => v - alike[i % span])];
    }

    /// <summary>
    /// How often the distances between firings repeat in a cycle, to a degree: the number of cylinders where they are even, 3 for six at 90
    /// and 150 degrees in turn, 1 where they never do. So many cylinders have alike what comes before and after their own pulse.
    /// </summary>
    public static int Turns(double[] angles)
    {
        bool Repeats(int turns) =>
            angles.Length % turns == 0
            && CycleFold.Bins % turns == 0
            && Enumerable
                .Range(0, angles.Length - angles.Length / turns)
                .All(i => LieApart(angles[i], angles[i + angles.Length / turns], turns));
        return Enumerable.Range(1, angles.Length).Last(Repeats);
    }

    private static bool LieApart(double from, double to, int turns) => Math.Abs(to - from - (double)CycleFold.Bins / turns) < 1;

    /// <summary>The same course less its first so many harmonics of the cycle.</summary>
    public static double[] WithoutSlow(double[] course, int harmonics)
    {
        var rest = (double[])course.Clone();
        for (var order = 1; order <= harmonics; order++)
        {
            var (cosine, sine) = s_waves[order - 1];
            var (c, s) = (Product(course, cosine) * 2 / course.Length, Product(course, sine) * 2 / course.Length);
            for (var i = 0; i < rest.Length; i++)
                rest[i] -= c * cosine[i] + s * sine[i];
        }

        return rest;
    }

    private static double[] Wave(int order, double quarter)
    {
        var wave = new double[CycleFold.Bins];
        for (var i = 0; i < wave.Length; i++)
            wave[i] = Math.Cos(2 * Math.PI * (order * (double)i / CycleFold.Bins - quarter));
        return wave;
    }

    public static double Product(ReadOnlySpan<double> a, ReadOnlySpan<double> b)
    {
        double sum = 0;
        for (var i = 0; i < a.Length; i++)
            sum += a[i] * b[i];
        return sum;
    }
}
