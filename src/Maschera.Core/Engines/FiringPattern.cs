namespace Maschera.Core.Engines;

/// <summary>How the distances between firings repeat.</summary>
public static class FiringPattern
{
    /// <summary>
    /// How often they repeat in a cycle, to a degree: the number of cylinders where they are even, 3 for six at 90 and 150 degrees in
    /// turn, 1 where they never do. So many cylinders have alike what comes before and after their own firing. Places of the firing
    /// order are of one kind where they lie a multiple of cylinders by repeats apart.
    /// </summary>
    /// <param name="angles">Firing TDC of each place of the firing order, degrees on 0-720.</param>
    /// <param name="divides">A number that it has to divide besides that of the cylinders; any where left out.</param>
    public static int Repeats(double[] angles, int? divides = null) =>
        Enumerable
            .Range(1, angles.Length)
            .Last(turns => angles.Length % turns == 0 && (divides ?? turns) % turns == 0 && IsRepeated(angles, turns));

    private static bool IsRepeated(double[] angles, int turns) =>
        Enumerable
            .Range(0, angles.Length - angles.Length / turns)
            .All(i => Math.Abs(angles[i + angles.Length / turns] - angles[i] - 720.0 / turns) < 1);
}
