using Maschera.Core.Basics;

namespace Maschera.Core.Readings.RelativeCompression;

/// <summary>Engines whose load looks like that of another engine at another speed, or that of their wheel.</summary>
internal static class RhythmDoubt
{
    /// <summary>Faster than the first hardly a starter turns an engine, faster than the second none that whines, rpm.</summary>
    private const double FastestRpm = 340,
        NoStarterRpm = 390;

    /// <summary>
    /// An even engine that turns slowly is fitted closer than this by its current; what is left of a speed has other causes too.
    /// </summary>
    private const double SlowMisfit = 0.018;

    /// <summary>Points by which cylinders a turn apart are alike, and pairs of them are not.</summary>
    private const double PairsAlike = 8,
        PairsApart = 12;

    /// <summary>Below this a cylinder does no compression worth the name, percent.</summary>
    private const double DeadPercent = 15;

    /// <summary>Cylinders of an engine, but for its weak ones, lie within these percents.</summary>
    private const double LeastAlike = 88,
        MostAlike = 130;

    /// <summary>What keeps a result from being believed; null where nothing does.</summary>
    public static Note? Of(RelativeCompressionResult result, FoundEngine found, CrankingSignal signal, string load, int syncEvents)
    {
        if (!signal.TellsSpeed && syncEvents < 2 && IsOfAnotherSpeed(result, found, load))
            return new(
                "ambiguous",
                "This could be an engine with every second or third cylinder low, or a slower one that is even: the load looks the "
                    + "same. Add a sync on one cylinder."
            );
        if (load == "sound" && found.Rpm > NoStarterRpm)
            return new(
                "too-fast",
                $"What is heard would be an engine at {found.Rpm:0} rpm, faster than a starter turns one: a bell, a fan or an engine that "
                    + "runs. Record the cranking alone, close to the starter."
            );
        if (load == "sound" && MostAreOff(result))
            return new(
                "no-compressions",
                "What is heard rises and falls once a cycle, but not with each compression: more than half of the cylinders would be low. "
                    + "Another machine may sound so. Record closer to the starter, or clamp its cable."
            );
        if (signal.IsWheelGuessed && ComesAgainEveryTurn(result))
            return new(
                "wheel-unsure",
                "What differs comes again with every turn, not with every cycle, and the wheel's gaps could not be told for sure: it may "
                    + "be the wheel as well as pairs of cylinders. Give the wheel in the engine, or capture the starter current."
            );
        return null;
    }

    /// <summary>True where more than half of four cylinders or more are not near one another.</summary>
    private static bool MostAreOff(RelativeCompressionResult result) =>
        result.Positions.Count > 3 && 2 * result.Positions.Count(p => p.Percent is < LeastAlike or > MostAlike) > result.Positions.Count;

    private static bool IsOfAnotherSpeed(RelativeCompressionResult result, FoundEngine found, string load) =>
        CouldBeHalfAsFast(result) || IsTooFast(result, found, load) || CouldBeTwiceAsFast(result, found, load);

    /// <summary>True where cylinders that stand at the same place of the two turns are alike and the pairs are not.</summary>
    private static bool ComesAgainEveryTurn(RelativeCompressionResult result)
    {
        double[] percent = [.. result.Positions.Select(p => p.Percent)];
        var half = percent.Length / 2;
        return percent.Length % 2 == 0
            && half > 1
            && percent.Max() - percent.Min() > PairsApart
            && percent.Take(half).Zip(percent.Skip(half), (a, b) => Math.Abs(a - b)).Max() < PairsAlike;
    }

    /// <summary>
    /// True where an uneven engine would turn faster than a starter can: a slower one of another rhythm looks the same. From the
    /// current, which tells the load itself, only where every second cylinder is low.
    /// </summary>
    private static bool IsTooFast(RelativeCompressionResult result, FoundEngine found, string load) =>
        found.Rpm > FastestRpm && (found.Alternates || load == "sound" && result.Verdict == "uneven");

    /// <summary>
    /// True where a slow even engine fits worse than such engines do, or closes its intake when none does: one twice as fast, every second
    /// cylinder of which draws against a shut intake, is fitted so.
    /// </summary>
    private static bool CouldBeTwiceAsFast(RelativeCompressionResult result, FoundEngine found, string load) =>
        result.Verdict == "even"
        && 2 * found.Rpm < FastestRpm
        && (found.Model.Unknowns.IsFarFetched(found.Fit.Parameters) || load is "current" or "battery" && found.Fit.Misfit > SlowMisfit);

    /// <summary>True where the dead cylinders stand evenly spaced, as a cycle taken too short makes them.</summary>
    private static bool CouldBeHalfAsFast(RelativeCompressionResult result)
    {
        var n = result.Positions.Count;
        var dead = result.Low.Where(l => l.Percent < DeadPercent).Select(l => l.Position).ToList();
        return dead.Count >= 2
            && 3 * dead.Count >= n
            && dead.Select((position, i) => (dead[(i + 1) % dead.Count] - position + n) % n).Distinct().Count() == 1;
    }
}
