using Maschera.Core.Signals;

namespace Maschera.Rig;

/// <summary>A phone held near a starter at work, and what it hears beside the whine.</summary>
public sealed record PhoneSound
{
    /// <summary>Samples a second, as near as the engine's own steps allow: 25,000 over a whole number.</summary>
    public double Rate { get; init; } = 12_500;

    /// <summary>Periods of the whine a turn of the crank: teeth of the ring gear times what the starter's gears make of them.</summary>
    public double PeriodsPerTurn { get; init; } = 118;

    /// <summary>Strength of the whine and its overtones, of full scale.</summary>
    public IReadOnlyList<double> Whine { get; init; } = [0.2, 0.09, 0.06];

    /// <summary>Hiss of the microphone and the yard, standard deviation of full scale.</summary>
    public double Hiss { get; init; } = 0.02;

    /// <summary>Noise of every compression's breath, standard deviation of full scale.</summary>
    public double Breath { get; init; } = 0.04;

    /// <summary>How strongly walls give the sound back, and how long that takes to fall to a third, s.</summary>
    public double Echo { get; init; } = 0.15;
    public double EchoSeconds { get; init; } = 0.08;

    /// <summary>How much a moving hand makes the sound swell and fade, as a share.</summary>
    public double Hand { get; init; } = 0.3;
}

/// <summary>The sound of a cranking engine, from where its crank stands.</summary>
internal static class CrankingSound
{
    /// <summary>Paths of the sound by the walls.</summary>
    private const int Paths = 6;

    /// <summary>Swell of the hand, Hz.</summary>
    private const double HandHz = 0.7;

    /// <summary>What the phone stores, shares of full scale in 16 bits.</summary>
    /// <param name="degrees">Crank angle at every sample, degrees.</param>
    /// <param name="step">Between samples, s.</param>
    /// <param name="cylinders">Compressions in two turns.</param>
    public static Channel Of(PhoneSound phone, IReadOnlyList<double> degrees, double step, int cylinders, Random random)
    {
        var near = new double[degrees.Count];
        for (var i = 1; i < near.Length; i++)
        {
            var turned = degrees[i] - degrees[i - 1];
            // A starter that stands is silent; at 60 rpm it is as loud as ever.
            var loud = Math.Clamp(turned / step / 360, 0, 1) * (1 + phone.Hand * Math.Sin(Math.Tau * HandHz * i * step));
            var whine = phone.Whine.Select((a, k) => a * Math.Sin((k + 1) * phone.PeriodsPerTurn * Math.Tau * degrees[i] / 360)).Sum();
            var breath = phone.Breath * (0.5 + 0.5 * Math.Cos(cylinders * Math.PI * degrees[i] / 360)) * Noise.Gaussian(random);
            near[i] = loud * (whine + breath);
        }

        var heard = WithEcho(near, phone, step);
        for (var i = 0; i < heard.Length; i++)
            heard[i] += phone.Hiss * Noise.Gaussian(random);
        return new Channel("Sound", "", TimeAxis.Uniform(0, step, heard.Length), Array.ConvertAll(heard, Stored));
    }

    private static double[] WithEcho(double[] near, PhoneSound phone, double step)
    {
        var heard = (double[])near.Clone();
        for (var path = 1; path <= Paths; path++)
        {
            // Walls stand at no round distances.
            var late = path * phone.EchoSeconds / 3 * (1 + 0.13 * Math.Sin(path * 2.4));
            var back = phone.Echo * Math.Exp(-late / phone.EchoSeconds) * (path % 2 == 0 ? -1 : 1);
            for (var (i, from) = ((int)(late / step), 0); i < heard.Length; i++, from++)
                heard[i] += back * near[from];
        }

        return heard;
    }

    private static float Stored(double value) => (float)(Math.Round(Math.Clamp(value, -1, 1 - 1.0 / 32768) * 32768) / 32768);
}
