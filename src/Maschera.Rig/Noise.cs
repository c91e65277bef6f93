namespace Maschera.Rig;

/// <summary>Random numbers.</summary>
internal static class Noise
{
    /// <summary>Normally distributed, standard deviation 1: Box and Muller 1958.</summary>
    public static double Gaussian(Random random) =>
        Math.Sqrt(-2 * Math.Log(1 - random.NextDouble())) * Math.Cos(Math.Tau * random.NextDouble());
}
