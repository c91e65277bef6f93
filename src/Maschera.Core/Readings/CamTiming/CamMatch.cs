using Maschera.Core.Basics;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.CamTiming;

/// <summary>Lays a cam's pattern on a known-good one's.</summary>
internal static class CamMatch
{
    /// <summary>Patterns whose edges differ by more than this among themselves are not of one engine, degrees.</summary>
    private const double MostDisagreement = 12;

    /// <summary>Edges that differ among themselves by more than this are worth a remark, degrees.</summary>
    private const double RemarkedDisagreement = 1.5;

    /// <summary>Angles further apart than this are told apart by what a cam may be off by, degrees.</summary>
    private const double FarApart = 30;

    /// <summary>Angles no further apart are one, degrees.</summary>
    private const double SameAngle = 0.75;

    /// <summary>An offset that moves more than this within the capture is a cam that is being turned, degrees.</summary>
    private const double Moving = 4;

    /// <summary>Lays the pattern on the reference's; null where it fits at no angle.</summary>
    public static CamOffset? Of(string role, string channel, CamPattern mine, CamPattern theirs, AngleClock clock, List<Note> notes)
    {
        var count = mine.Edges.Count;
        if (count != theirs.Edges.Count)
            return null;
        var fits = Enumerable.Range(0, count).SelectMany(turn => Fits(mine, theirs, turn, 360.0 / clock.Wheel.Symmetry)).ToList();
        if (fits.Count == 0)
            return null;
        // Among the angles that fit as well as any, the smallest: belts slip by teeth, not by turns.
        var closest = fits.Min(f => f.Disagreement);
        var close = fits.Where(f => f.Disagreement <= closest + Math.Max(1, closest)).ToList();
        var best = close.MinBy(f => Math.Abs(f.Offset));
        if (best.Disagreement > MostDisagreement)
            return null;
        if (best.Disagreement > RemarkedDisagreement)
            notes.Add(
                new(
                    "edges-differ",
                    $"The edges of {channel} differ from the known-good by unequal amounts (up to "
                        + $"{best.Differences.Max() - best.Differences.Min():0.0}° apart): a bent target, a wrong part, or another engine."
                )
            );
        if (best.Flipped)
            notes.Add(
                new(
                    "turned-round",
                    $"{channel} shows its pulses the other way round than the known-good; rising and falling are taken for each other."
                )
            );
        var track = Track(mine, best, clock);
        var offsets = track.Select(t => t.Degrees).ToArray();
        if (
            offsets.Length > 4
            && Statistics.Quantile(Statistics.Sorted(offsets), 0.95) - Statistics.Quantile(Statistics.Sorted(offsets), 0.05) > Moving
        )
            notes.Add(
                new(
                    "moves",
                    $"{channel} moves by {offsets.Max() - offsets.Min():0.0}° within the capture: a phaser at work, or a loose drive. "
                        + $"The figure is the middle."
                )
            );
        var edges = Enumerable
            .Range(0, count)
            .Select(i => new EdgeDifference(
                mine.Edges[i].Rising ? "rise" : "fall",
                CamPattern.Modulo(theirs.Edges[(i + best.Turn) % count].Degrees + theirs.Origin),
                CamPattern.Modulo(theirs.Edges[(i + best.Turn) % count].Degrees + theirs.Origin + best.Differences[i]),
                best.Differences[i],
                mine.Edges[i].Spread
            ))
            .OrderBy(e => e.ReferenceDegrees)
            .ToList();
        return new CamOffset(
            role,
            channel,
            best.Offset,
            Statistics.StandardDeviation(offsets),
            mine.Cycles.Count,
            theirs.Cycles.Count,
            edges
        )
        {
            Track = track,
            OtherwiseBy = Otherwise(best, close, 360.0 / clock.Wheel.Symmetry),
        };
    }

    /// <summary>The least angle to another offset that fits as well; null where there is none near.</summary>
    private static double? Otherwise(Fit best, IEnumerable<Fit> close, double period)
    {
        var apart = close.Select(f => Math.Abs(Around(f.Offset - best.Offset, period))).Where(d => d > SameAngle).Append(period).Min();
        return apart < FarApart ? apart : null;
    }

    private readonly record struct Fit(int Turn, bool Flipped, double Offset, double Disagreement, double[] Differences);

    /// <summary>The patterns laid on each other so that my edge i meets their edge i + <paramref name="turn"/>.</summary>
    private static IEnumerable<Fit> Fits(CamPattern mine, CamPattern theirs, int turn, double period)
    {
        var count = mine.Edges.Count;
        var alike = Enumerable.Range(0, count).Count(i => mine.Edges[i].Rising == theirs.Edges[(i + turn) % count].Rising);
        if (alike != count && alike != 0)
            yield break;
        var raw = Enumerable
            .Range(0, count)
            .Select(i => mine.Edges[i].Degrees + mine.Origin - theirs.Edges[(i + turn) % count].Degrees - theirs.Origin)
            .ToArray();
        // Each difference is known up to a cycle; all have to agree with the first.
        var differences = raw.Select(d => raw[0] + Around(d - raw[0], 720)).ToArray();
        var mean = Statistics.Mean(differences);
        // The crank alone does not tell the two turns of a cycle apart, nor equal parts of a turn.
        var offset = Around(mean, period);
        var shifted = differences.Select(d => d - mean + offset).ToArray();
        yield return new Fit(turn, alike == 0, offset, Math.Sqrt(shifted.Average(d => (d - offset) * (d - offset))), shifted);
    }

    private static List<CycleOffset> Track(CamPattern mine, Fit best, AngleClock clock)
    {
        var medians = mine.Edges.Select(e => e.Degrees).ToArray();
        return
        [
            .. mine.Cycles.Select(c =>
            {
                double off = 0;
                for (var i = 0; i < medians.Length; i++)
                    off += (c.Degrees[i] - medians[i]) / medians.Length;
                var at = clock.At(c.Seconds);
                var (from, to) = (clock.TimeAt(at), clock.TimeAt(at + 360));
                return new CycleOffset(c.Seconds, double.IsNaN(to) ? clock.SpeedRpm : 60 / (to - from), best.Offset + off);
            }),
        ];
    }

    private static double Around(double degrees, double period) => degrees - period * Math.Round(degrees / period);
}
