namespace Maschera.Core.Readings.Plausibility;

/// <summary>Signals at their supply or at ground, and several of them at once.</summary>
internal static class RailCheck
{
    /// <summary>So near to its supply, as a share of it, no sensor gets: a healthy one ends at nine tenths or a little more.</summary>
    private const double NearSupply = 0.025;

    /// <summary>So near to ground; several channels together count a little above it already.</summary>
    private const double NearGround = 0.03,
        NearGroundTogether = 0.06;

    /// <summary>It has to stay so long, s: in a log, and on a scope.</summary>
    private const double LeastInLog = 0.45,
        LeastOnScope = 0.003;

    private readonly record struct Stand(Watched Channel, bool AtSupply, bool IsSure, double From, double To);

    public static IEnumerable<Finding> Find(IReadOnlyList<Watched> channels)
    {
        var stands = channels.Where(c => c is { Supply: not null, Switches: false }).SelectMany(Stands).OrderBy(s => s.From).ToList();
        while (stands.Count > 0)
        {
            var first = stands[0];
            var together = stands.Where(s => s.AtSupply == first.AtSupply && Overlap(first, s) > 0.6).ToList();
            stands.RemoveAll(together.Contains);
            var names = together.Select(s => s.Channel.Name).Distinct().ToList();
            if (names.Count > 1)
                yield return Shared(together, names);
            else if (first.IsSure)
                yield return Single(first);
        }
    }

    private static IEnumerable<Stand> Stands(Watched channel)
    {
        var supply = channel.Supply!.Value;
        var least = channel.IsLog ? LeastInLog : LeastOnScope;
        foreach (
            var (atSupply, limit) in channel.IsSupply
                ? ((bool, double)[])[(false, NearGroundTogether)]
                : [(true, NearSupply), (false, NearGroundTogether)]
        )
        foreach (
            var (first, last) in channel.Runs(
                i => atSupply ? channel.Samples[i] > (1 - limit) * supply : channel.Samples[i] < limit * supply,
                bridge: 1
            )
        )
        {
            if (last - first < 2 || channel.Time[last] - channel.Time[first] < least)
                continue;
            var within = channel.Samples[first..(last + 1)].Average(v => (double)v);
            yield return new Stand(channel, atSupply, atSupply || within < NearGround * supply, channel.Time[first], channel.Time[last]);
        }
    }

    private static double Overlap(Stand a, Stand b) =>
        Math.Max(0, Math.Min(a.To, b.To) - Math.Max(a.From, b.From)) / Math.Max(1e-9, Math.Max(a.To, b.To) - Math.Min(a.From, b.From));

    private static Finding Shared(List<Stand> together, List<string> names)
    {
        var (from, to) = (together.Min(s => s.From), together.Max(s => s.To));
        var where = together[0].AtSupply ? "at their supply" : "pulled down to ground";
        return new Finding(
            string.Join(", ", names),
            "shared-supply",
            from,
            to,
            1,
            $"{string.Join(", ", names)} lie {where} together {Said(from, to)}: what they share is at fault, the supply or the "
                + $"ground, or one of them pulls it down. Unplug them one after the other."
        )
        {
            Channels = names,
        };
    }

    private static Finding Single(Stand s) =>
        new(
            s.Channel.Name,
            s.AtSupply ? "at-supply" : "at-ground",
            s.From,
            s.To,
            1,
            s.AtSupply
                ? $"{s.Channel.Name} lies at its supply {Said(s.From, s.To)}: no sensor gives that. An open ground or signal wire, or "
                    + $"a short to the supply."
                : $"{s.Channel.Name} lies at ground {Said(s.From, s.To)}: "
                    + (
                        s.Channel.IsSupply
                            ? "the supply is shorted or cut off."
                            : "no sensor gives that. A short to ground, or its supply is missing."
                    )
        );

    internal static string Said(double from, double to) => $"from {from:0.##} to {to:0.##} s";
}
