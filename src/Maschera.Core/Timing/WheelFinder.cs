namespace Maschera.Core.Timing;

/// <summary>Finds the wheel from its teeth.</summary>
internal static class WheelFinder
{
    /// <summary>Share of gaps that must come where the pattern has them.</summary>
    private const double LeastAgreement = 0.8;

    /// <summary>Gaps of a wheel, at the most.</summary>
    public const int MostGaps = 6;

    /// <summary>
    /// The pattern that repeats, its tooth places as few as can be; null where nothing repeats. Empty gaps mean a plain wheel.
    /// </summary>
    public static WheelPattern? Find(ToothTrain train)
    {
        if (ByExtraTooth(train) is { } marked)
            return marked;
        var gaps = Enumerable
            .Range(0, train.Steps.Length)
            .Where(i => train.Steps[i] > 1)
            .Select(i => (Place: train.Places[i + 1], Missing: train.Steps[i] - 1))
            .ToList();
        // A lost edge now and then looks like a gap; a wheel's gaps come at least once in each of a few turns.
        if (gaps.Count < 2 || gaps.Count < train.Seconds.Length / 800)
            return new WheelPattern(0, [], []);
        return Repeating(gaps) ?? (gaps.Count < train.Seconds.Length / 130 ? new WheelPattern(0, [], []) : null);
    }

    /// <summary>A wheel whose turn is marked by one tooth too many, always at the same place; null where that is not so.</summary>
    private static WheelPattern? ByExtraTooth(ToothTrain train)
    {
        var extras = train.Extras.Where(e => e < train.Places.Length).Select(e => (Place: train.Places[e], Missing: 0)).ToList();
        return extras.Count >= 3 && Repeating(extras) is { Missing.Count: 1, Teeth: >= 4 } found
            ? new WheelPattern(found.Teeth, [], []) { HasExtraTooth = true }
            : null;
    }

    /// <summary>The shortest turn after which nearly every gap comes again, and the gaps it holds.</summary>
    private static WheelPattern? Repeating(List<(int Place, int Missing)> gaps)
    {
        var there = gaps.ToHashSet();
        var last = gaps[^1].Place;
        var turns = gaps.SelectMany(
                (g, i) => gaps.Skip(i + 1).Take(MostGaps + 2).Where(h => h.Missing == g.Missing).Select(h => h.Place - g.Place)
            )
            .Where(t => t >= 3)
            .GroupBy(t => t)
            .Where(g => g.Count() >= Math.Max(1, gaps.Count / 12))
            .Select(g => g.Key)
            .Order();
        foreach (var turn in turns)
        {
            var within = gaps.Where(g => g.Place + turn <= last).ToList();
            if (within.Count == 0 || within.Count(g => there.Contains((g.Place + turn, g.Missing))) < LeastAgreement * within.Count)
                continue;
            // What belongs to the wheel comes in most turns; a lost edge now and then does not.
            var often = gaps.GroupBy(g => (Place: g.Place % turn, g.Missing))
                .Where(g => g.Count() * turn > 0.5 * (last - gaps[0].Place))
                .Select(g => g.Key)
                .OrderBy(g => g.Place)
                .ToList();
            if (often.Count is > 0 and <= MostGaps)
                return Canonical(often, turn);
        }

        return null;
    }

    /// <summary>The same wheel always begins at the same gap: the one with the longest run of teeth behind it, then the largest.</summary>
    public static WheelPattern Canonical(List<(int Place, int Missing)> gaps, int turn)
    {
        var rotations = Enumerable
            .Range(0, gaps.Count)
            .Select(first =>
                Enumerable
                    .Range(0, gaps.Count)
                    .Select(i => gaps[(first + i) % gaps.Count])
                    .Select(g => (Place: ((g.Place - gaps[first].Place) % turn + turn) % turn, g.Missing))
                    .ToList()
            )
            .ToList();
        var best = rotations
            .OrderByDescending(r => r.Count > 1 ? r[1].Place : turn)
            .ThenByDescending(r => r[0].Missing)
            .ThenByDescending(r => r.Count > 2 ? r[2].Place : 0)
            .First();
        return new WheelPattern(turn, [.. best.Select(g => g.Missing)], [.. best.Select(g => g.Place)]);
    }

    /// <summary>The same pattern several times round one wheel.</summary>
    public static WheelPattern Repeated(WheelPattern pattern, int times) =>
        new(
            pattern.Teeth * times,
            [.. Enumerable.Range(0, times).SelectMany(_ => pattern.Missing)],
            [.. Enumerable.Range(0, times).SelectMany(t => pattern.GapPlaces.Select(p => p + t * pattern.Teeth))]
        );
}
