using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.RelativeCompression;

/// <summary>What is known of the result before the fit.</summary>
internal sealed record CompressionDraft(Dictionary<string, Channel> Channels, string? LoadRole)
{
    public List<Note> Notes { get; } = [];

    public RelativeCompressionResult Unusable(string code, string text) =>
        RelativeCompressionReading.Unusable(Channels, new Note(code, text)) with
        {
            Notes = [.. Notes, new Note(code, text)],
        };
}

/// <summary>Turns a fit into the result.</summary>
internal sealed class CompressionResultMaker(Engine engine, CrankingSignal signal, FoundEngine found, CompressionDraft draft)
{
    /// <summary>A cylinder that fills to less of the pressure outside does not get its air.</summary>
    private const double ShortOfAir = 0.85;

    /// <summary>Captures of one engine are fitted no more alike than this, however little their cycles differ, percent.</summary>
    private const double LeastSpread = 0.2;

    private readonly int _n = engine.Cylinders;

    public RelativeCompressionResult Result(List<SyncEvent>? sync, string syncKind, int syncCylinder)
    {
        var percents = Percents(found.Fit.Work);
        var reference = found.Fit.Work[0] / percents[0] * 100;
        var spreads = found.Model.Spread(found.Fit).Select(s => 100 * s / reference).ToArray();
        var shift = Shift(sync, syncKind, syncCylinder);
        var positions = Enumerable
            .Range(0, _n)
            .Select(place =>
            {
                // Without names position 1 is the first fitted one; with them it is the firing order's first cylinder.
                var fitted = shift is { } s ? (place - s + _n) % _n : place;
                int? cylinder = shift is null ? null : engine.FiringOrder[place];
                return new PositionWork(
                    place + 1,
                    cylinder,
                    Math.Round(percents[fitted], 1),
                    Math.Round(Math.Max(LeastSpread, spreads[fitted]), 1)
                );
            })
            .ToList();
        var low = positions.Where(IsLow).Select(p => new LowPosition(p.Position, p.Cylinder, p.Percent)).ToList();
        foreach (var starved in found.Fit.Starved.Where(s => s.Filling < ShortOfAir))
            AddStarved(positions[(starved.Position + (shift ?? 0)) % _n]);
        return new RelativeCompressionResult
        {
            Verdict = low.Count > 0 ? "uneven" : "even",
            Sentence = RelativeCompressionWords.Sentence(positions, low),
            Notes = draft.Notes,
            Channels = RoleResolver.Names(draft.Channels),
            Span = new Stretch(Seconds(found.Cycles[0].From), Seconds(found.Cycles[^1].To)),
            LoadRole = draft.LoadRole,
            CrankingSpeedRpm = Math.Round(found.Rpm, 1),
            Cycles = found.Cycles.Count,
            Positions = positions,
            Low = low,
            Humps = Humps(positions, shift ?? 0),
            Cycle = Folded(shift ?? 0),
        };
    }

    private void AddStarved(PositionWork place)
    {
        if (!IsLow(place))
            return;
        var name = place.Cylinder is { } cylinder ? $"Cylinder {cylinder}" : $"Position {place.Position}";
        draft.Notes.Add(
            new(
                "short-of-air",
                $"{name} seals but does not fill: what it lacks looks like an intake valve that hardly opens, not like a leak. "
                    + "Look at its valve gear and its port, or capture its pressure while cranking, before its rings are blamed."
            )
        );
    }

    private bool IsLow(PositionWork p) =>
        p.Percent < RelativeCompressionReading.LowPercent && 100 - p.Percent > 3 * p.SpreadPercent / Math.Sqrt(found.Cycles.Count);

    private int? Shift(List<SyncEvent>? sync, string kind, int cylinder)
    {
        if (sync is null)
            return null;
        var marks = sync.Select(e => Mark(e, kind))
            .Select(seconds => (seconds - signal.Load.Time.Start) / CrankingSignal.Step)
            .Select(sample => found.Model.Folded.DegreesAt(sample, found.Fit.SpeedSwing))
            .Where(d => d is not null)
            .Select(d => d!.Value)
            .ToList();
        var naming = CylinderNaming.Name(marks, kind, cylinder, engine, found.Fit.TdcDegrees);
        draft.Notes.AddRange(naming.Doubts);
        return naming.Shift;
    }

    /// <summary>
    /// The moment that counts: a spark is the peak, or the end of the dwell where only that shows; a tower its
    /// peak; the rest their beginning.
    /// </summary>
    private static double Mark(SyncEvent e, string kind) =>
        kind switch
        {
            "ignition" => e.Peak - e.Start < 0.0005 && e.End - e.Start > 0.001 ? e.End : e.Peak,
            "pressure" => e.Peak,
            _ => (e.Start + e.End) / 2,
        };

    private List<Hump> Humps(List<PositionWork> positions, int shift)
    {
        var angles = engine.Angles();
        var humps = new List<Hump>();
        for (var cycle = 0; cycle < found.Cycles.Count; cycle++)
        for (var fitted = 0; fitted < _n; fitted++)
        {
            var tdc = (found.Fit.TdcDegrees + angles[fitted]) % 720;
            var position = positions[(fitted + shift) % _n];
            var stroke = 720.0 / _n;
            humps.Add(
                new Hump(
                    Math.Round(Seconds(found.Model.Folded.SampleAt(cycle, tdc - stroke, found.Fit.SpeedSwing)), 4),
                    Math.Round(Seconds(found.Model.Folded.SampleAt(cycle, tdc, found.Fit.SpeedSwing)), 4),
                    position.Position,
                    position.Cylinder
                )
            );
        }

        return [.. humps.OrderBy(h => h.To)];
    }

    private FoldedCycle Folded(int shift)
    {
        const int bins = CrankingFold.Bins;
        var degreesPerBin = 720.0 / bins;
        var first = engine.Angles()[(_n - shift) % _n] + found.Fit.TdcDegrees;
        var offset = (int)Math.Round(first / degreesPerBin);
        var each = found.Model.Folded.Each(found.Fit.SpeedSwing);
        float At(double[] values, int bin) => (float)Math.Round(values[(bin + offset) % bins], 2);
        var range = Enumerable.Range(0, bins).ToArray();
        return new FoldedCycle(
            [.. range.Select(b => (float)(b * degreesPerBin))],
            [.. range.Select(b => At(found.Fit.Mean, b))],
            [.. range.Select(b => (float)Math.Round(Statistics.StandardDeviation([.. each.Select(f => f.Load[(b + offset) % bins])]), 2))],
            [.. range.Select(b => At(found.Fit.Fitted, b))]
        );
    }

    private double Seconds(double sample) => signal.Load.Time.Start + sample * CrankingSignal.Step;

    /// <summary>
    /// Work in percent of the median of the cylinders that are not low. The first reference is the upper quartile, so
    /// that an engine with most cylinders weak is measured by those that are sound.
    /// </summary>
    internal static double[] Percents(double[] work)
    {
        // Of two, one is measured by the other.
        var reference = work.Length == 2 ? work.Max() : Statistics.Quantile(Statistics.Sorted(work), 0.75);
        for (var pass = 0; pass < 4; pass++)
            reference = Statistics.Median(work.Where(w => w >= RelativeCompressionReading.LowPercent / 100 * reference));
        return [.. work.Select(w => 100 * w / reference)];
    }
}
