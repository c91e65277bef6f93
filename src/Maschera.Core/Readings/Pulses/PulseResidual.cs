using Maschera.Core.Timing;

namespace Maschera.Core.Readings.Pulses;

/// <summary>What a mean cycle has beyond even pulses, a value a degree from firing TDC of the first place of the firing order on.</summary>
internal sealed class PulseResidual
{
    /// <summary>Where so much of what differs is chance, nothing explains it.</summary>
    private const double MostNoise = 0.6;

    /// <summary>More than this is not taken for chance: a course left free fits chance too.</summary>
    private const double SureNoise = 0.15;

    /// <summary>So much of what is left is not taken for chance.</summary>
    private const double LeastLeft = 0.1;

    /// <param name="mean">The mean cycle, a value a degree from firing TDC of the first place of the firing order on.</param>
    /// <param name="chance">Energy of what of it is chance, what cylinders that fire alike have in common taken out.</param>
    /// <param name="angles">Firing TDC of each place of the firing order.</param>
    /// <param name="alikeTurns">How often their distances repeat in a cycle.</param>
    /// <param name="lag">Degrees from the valve to the pick-up.</param>
    /// <param name="marks">Where in the cycle the marks lie that degrees come from; none with a wheel.</param>
    public PulseResidual(float[] mean, double chance, double[] angles, int alikeTurns, double lag, IReadOnlyList<double> marks)
    {
        (Angles, AlikeTurns, Lag, Marks) = (angles, alikeTurns, lag, marks);
        double[] all = [.. mean.Select(v => (double)v)];
        Course = Odd(all, alikeTurns);
        Energy = Product(Course, Course);
        Noise = Energy > 0 ? Math.Min(1, chance / Energy) : 1;
        Usual = [.. all.Zip(Course, (v, o) => v - o)];
        Height = (Course.Max() - Course.Min()) / (Usual.Max() - Usual.Min());
    }

    public double[] Course { get; }

    /// <summary>The even pulses, a value a degree.</summary>
    public double[] Usual { get; }

    public double Energy { get; }

    /// <summary>The share of the energy that may be chance, 0 to 1.</summary>
    public double Noise { get; }

    /// <summary>Height of what differs, in that of the even pulses.</summary>
    public double Height { get; }

    /// <summary>Firing TDC of each place of the firing order, degrees.</summary>
    public double[] Angles { get; }

    /// <summary>Where in the cycle the marks lie that degrees come from, degrees; none with a wheel.</summary>
    public IReadOnlyList<double> Marks { get; }

    /// <summary>How often their distances repeat in a cycle.</summary>
    public int AlikeTurns { get; }

    /// <summary>Degrees from the valve to the pick-up.</summary>
    public double Lag { get; }

    /// <summary>
    /// The share of what is not chance that is left where so much of all is; chance is left whatever explains the rest. As chance is only
    /// estimated, a little of what is left stays, and with it the order of two explanations that leave less than that.
    /// </summary>
    public double Left(double share)
    {
        var sure = Math.Min(Noise, SureNoise);
        return Noise > MostNoise ? 1 : Math.Clamp(Math.Max((share - sure) / (1 - sure), LeastLeft * share), 0, 1);
    }

    /// <summary>Degrees on the cycle by which a course of the first place is turned to come from another.</summary>
    public int TurnTo(int place) => (int)Math.Round(Angles[place] + Lag);

    /// <summary>
    /// What differs between cylinders: less the mean over all of them, as each sees it from its own firing TDC; where they fire unevenly,
    /// over those that fire alike.
    /// </summary>
    /// <param name="course">A value a degree.</param>
    /// <param name="turns">How often the distances between firings repeat in a cycle.</param>
    public static double[] Odd(double[] course, int turns)
    {
        var span = course.Length / turns;
        var alike = new double[span];
        for (var i = 0; i < course.Length; i++)
            alike[i % span] += course[i] / turns;
        return [.. course.Select((v, i) => v - alike[i % span])];
    }

    public static double Product(ReadOnlySpan<double> a, ReadOnlySpan<double> b)
    {
        double sum = 0;
        for (var i = 0; i < a.Length; i++)
            sum += a[i] * b[i];
        return sum;
    }
}
