namespace Maschera.Core.Timing;

/// <summary>
/// Finds a wheel whose gaps are not to be told one by one, because the starter's speed swings as much within them: so many edges
/// apart, over all turns, one step is longer than the two beside it again and again. How wide it is <see cref="GapWidth"/> tells.
/// </summary>
internal static class WheelFold
{
    private const int LeastTeeth = 3,
        MostTeeth = 180;

    /// <summary>Turns there must be of it.</summary>
    private const int LeastTurns = 3;

    /// <summary>The logarithm of how much longer a gap looks than the steps beside it, and how much more so than what is none.</summary>
    private const double LeastGap = 0.37,
        LeastMargin = 0.25;

    /// <summary>A shorter turn that tells its gaps nearly as clearly is the turn; more gaps that stand out so are all gaps.</summary>
    private const double NearlyAsClear = 0.8;

    /// <summary>The wheel, its gaps as wide as they look over all turns; null where none repeats.</summary>
    /// <param name="firingsPerPattern">Firings of an even engine while the pattern goes by once; null where that is not known.</param>
    public static WheelPattern? Find(double[] seconds, double? firingsPerPattern)
    {
        var longer = Longer(seconds);
        var folds = Enumerable
            .Range(LeastTeeth, Math.Max(0, Math.Min(MostTeeth, longer.Length / LeastTurns) - LeastTeeth))
            .Select(teeth => Fold(longer, teeth))
            .ToList();
        if (folds.Count == 0 || folds.Max(f => f.Margin) is var clearest && clearest < LeastMargin)
            return null;
        var (_, turn, gaps) = folds.First(f => f.Margin >= NearlyAsClear * clearest);
        return Pattern(GapWidth.Of(seconds, turn, gaps, firingsPerPattern));
    }

    /// <summary>By how much each step is longer than the two beside it, as a logarithm; 0 at the ends.</summary>
    private static double[] Longer(double[] seconds)
    {
        var logs = ToothTrain.LogIntervals(seconds);
        return [.. logs.Select((log, i) => i == 0 || i == logs.Length - 1 ? 0 : log - (logs[i - 1] + logs[i + 1]) / 2)];
    }

    /// <summary>The steps that are gaps if a turn has so many teeth, and how clearly they stand out.</summary>
    private static (double Margin, int Teeth, int[] Gaps) Fold(double[] longer, int teeth)
    {
        var means = new double[teeth];
        for (var i = 0; i < longer.Length; i++)
            means[i % teeth] += longer[i];
        for (var k = 0; k < teeth; k++)
            means[k] /= (longer.Length - 1 - k) / teeth + 1;
        int[] order = [.. Enumerable.Range(0, teeth).OrderByDescending(k => means[k])];
        // Gaps of two widths stand out of each other as clearly as the narrower ones out of the teeth.
        double[] margins =
        [
            .. Enumerable
                .Range(1, Math.Min(WheelFinder.MostGaps, teeth / 2))
                .TakeWhile(count => means[order[count - 1]] >= LeastGap)
                .Select(count => means[order[count - 1]] - means[order[count]]),
        ];
        if (margins.Length == 0)
            return (0, teeth, []);
        var most = Array.FindLastIndex(margins, margin => margin >= NearlyAsClear * margins.Max());
        return (margins[most], teeth, [.. order.Take(most + 1).Order()]);
    }

    private static WheelPattern Pattern(int[] turn)
    {
        var gaps = new List<(int Place, int Missing)>();
        var place = 0;
        foreach (var step in turn)
        {
            place += step;
            if (step > 1)
                gaps.Add((place, step - 1));
        }

        return WheelFinder.Canonical(gaps, place);
    }
}
