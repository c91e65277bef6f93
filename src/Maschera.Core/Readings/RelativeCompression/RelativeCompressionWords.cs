using System.Globalization;

namespace Maschera.Core.Readings.RelativeCompression;

/// <summary>What one would tell a colleague.</summary>
internal static class RelativeCompressionWords
{
    public static string Sentence(IReadOnlyList<PositionWork> positions, IReadOnlyList<LowPosition> low)
    {
        if (low.Count == 0)
            return Even(positions);
        var named = low[0].Cylinder is not null;
        var parts = low.Select(l => named ? $"cylinder {l.Cylinder} at {Percent(l.Percent)}" : $"one at {Percent(l.Percent)}");
        var which =
            named ? Join(parts)
            : low.Count == 1 ? $"one cylinder at {Percent(low[0].Percent)}"
            : $"{low.Count} cylinders, {Join(parts)}";
        var rest = positions.Where(p => low.All(l => l.Position != p.Position)).ToList();
        var others = rest.Count > 1 ? $"; the other {rest.Count} agree within {Reach(rest)}" : "";
        var unnamed = named ? "" : " Without a sync it can't be said which.";
        return $"Compression is uneven: {which} of the others' work{others}.{unnamed}";
    }

    private static string Even(IReadOnlyList<PositionWork> positions) =>
        $"Compression is even: all {positions.Count} cylinders agree within {Reach(positions)}. Mechanically sound as far as this "
        + $"test sees; look elsewhere.";

    /// <summary>The finest agreement that is claimed, %.</summary>
    private const double Finest = 0.1;

    /// <summary>How far they differ; never less than their own spread, for figures that meet by chance agree no better than that.</summary>
    private static string Reach(IReadOnlyList<PositionWork> positions)
    {
        var apart = positions.Max(p => p.Percent) - positions.Min(p => p.Percent);
        var spread = positions.Max(p => double.IsFinite(p.SpreadPercent) ? p.SpreadPercent : 0);
        return Percent(Math.Max(Finest, Math.Max(apart, spread)), "0.0");
    }

    private static string Percent(double value, string format = "0;-0;0") => value.ToString(format, CultureInfo.InvariantCulture) + " %";

    private static string Join(IEnumerable<string> parts)
    {
        var all = parts.ToList();
        return all.Count < 2 ? string.Concat(all) : string.Join(", ", all[..^1]) + " and " + all[^1];
    }
}
