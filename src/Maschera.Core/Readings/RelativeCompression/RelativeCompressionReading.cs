using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.RelativeCompression;

/// <summary>Which cylinder compresses less than the others, from the load on the starter while cranking.</summary>
public sealed class RelativeCompressionReading : ReadingOf<RelativeCompressionResult>
{
    /// <summary>Below this share of the others' work a mechanic should act, percent.</summary>
    public const double LowPercent = 92;

    /// <summary>A battery below this while cranking starves modules and slows the engine, V.</summary>
    public const double SaggingVolts = 9.6;

    /// <summary>Below this speed leaks have so long that healthy cylinders drift apart, rpm.</summary>
    private const double SlowRpm = 150;

    /// <summary>What tells the load, the surest first.</summary>
    private static readonly string[] s_loads = ["current", "battery", "crank"];

    /// <summary>A window that holds a compression of even a slow twin, s, and the share of the usual reach it must show.</summary>
    private const double LivelySeconds = 0.7,
        LivelyShare = 0.3;

    private const int FewCycles = 5;
    private const int LeastCycles = 3;

    /// <summary>A spread over cycles, in points, from which single cylinders can't be told apart.</summary>
    private const double WildSpread = 25;

    /// <summary>Below this a cylinder does no compression worth the name, percent.</summary>
    private const double DeadPercent = 15;

    /// <summary>As long as this on one extreme value is an end stop, not a crest, s.</summary>
    private const double ClippedSeconds = 0.004;

    /// <summary>Misfit from which the fitted engine is doubted, and from which it is not believed, as a share of the reach.</summary>
    private const double DoubtedMisfit = 0.03,
        RefusedMisfit = 0.09;

    public override string Method =>
        "Fits an engine on its starter (slider-crank gas work, a leak in each cylinder, motor with inertia) to the mean cycle of "
        + "steady cranking.\n"
        + "Each figure is the compression work of the fitted cylinder against the median of those not low; spread over cycles.";

    public override string Kind => "relative-compression";
    public override string Title => "Relative compression";

    public override JobStep Step => JobStep.Mechanical;
    public override IReadOnlyList<Verdict> Verdicts { get; } =
    [new("even", Tone.Fine, "even"), new("uneven", Tone.Fault, "uneven"), Verdict.Unusable];

    public override IReadOnlyList<ReadingOption> Options { get; } = [ReadingOption.SyncKind, ReadingOption.SyncCylinder];

    public override IEnumerable<Suggestion> Suggest(CaptureFacts capture) =>
        capture.State == "cranking" && capture.IsScopeWith() && !capture.Has("pressure") && !capture.Has("pulse") ? [new()] : [];

    public override bool NeedsEngine => true;

    /// <summary>Humps come some tens a second and sparks last a tenth of a millisecond.</summary>
    public override double UsefulRate => 25_000;

    public override IReadOnlyList<Role> Roles { get; } =
    [
        new("current", "Starter current", ["A", "mA", "kA"], ["current", "starter", "strom", "corrente", "courant", "clamp", "amps"]),
        new("battery", "Battery voltage", [], ["battery", "batterie", "batteria", "supply voltage", "b+"]),
        new("crank", "Crank signal", [], ["crank", "ckp", "kurbel", "crankshaft", "giri"]),
        new("sync", "Sync on one cylinder", [], ["sync", "ignition", "spark", "injector", "coil", "zünd", "trigger"]),
    ];

    protected override RelativeCompressionResult Make(ReadingRequest request, CancellationToken cancel)
    {
        var engine = request.Engine!;
        var syncKind = SyncKind(request);
        var syncCylinder = request.WholeNumber("sync-cylinder", 1);
        if (!engine.FiringOrder.Contains(syncCylinder))
            throw new ReadingException($"--sync-cylinder: this engine has no cylinder {syncCylinder}.");
        var channels = RoleResolver.Resolve(this, request);
        var draft = new Draft(channels, LoadRole(channels, request));
        if (engine.Cylinders < 2)
            return draft.Unusable("one-cylinder", "One cylinder has nothing to be compared with. Capture in-cylinder pressure instead.");
        var (signal, refusal) = Load(channels, request, engine);
        if (signal is null)
            return draft.Unusable(refusal!.Code, refusal.Text);
        draft.Notes.AddRange(signal.Doubts);
        // Before and after cranking the marked circuit may be off, which is no rest level.
        var sync = channels.TryGetValue("sync", out var syncChannel)
            ? SyncEvents.Find(syncChannel.Between(signal.Load.Time[signal.First], signal.Load.Time[signal.End - 1]))
            : [];
        var fitted = FindFit(signal, engine, sync, cancel);
        if (fitted is not { } found)
            return draft.Unusable(
                "too-short",
                "Fewer than three steady cranking cycles. Crank for five seconds with fuel or ignition disabled."
            );
        if (found.Fit.Misfit > RefusedMisfit)
            return draft.Unusable(
                "no-compressions",
                "The load does not rise and fall like this engine's compressions. Check the cylinder count, that the clamp sits on "
                    + "the starter cable, and that the engine does not fire."
            );
        AddDoubts(draft, channels, signal, found, sync.Count);
        var result = new Build(engine, signal, found, draft).Result(syncChannel is null ? null : sync, syncKind, syncCylinder);
        if (result.Positions.Max(p => p.SpreadPercent) > WildSpread)
            return draft.Unusable(
                "unsteady",
                "The cycles differ too much from one another to compare cylinders. Crank for five seconds without a break, battery charged."
            );
        if (sync.Count < 2 && CouldBeHalfAsFast(result))
            return draft.Unusable(
                "ambiguous",
                "This could be an engine with every second or third cylinder dead, or a slower one that is even: the load looks the "
                    + "same. Add a sync on one cylinder."
            );
        return result;
    }

    /// <summary>True where the dead cylinders stand evenly spaced, as a cycle taken too short makes them.</summary>
    private static bool CouldBeHalfAsFast(RelativeCompressionResult result)
    {
        var dead = result.Low.Where(l => l.Percent < DeadPercent).Select(l => l.Position).ToList();
        return dead.Count >= 2
            && 3 * dead.Count >= result.Positions.Count
            && dead.Zip(dead.Skip(1), (a, b) => b - a).Distinct().Count() == 1;
    }

    private static string SyncKind(ReadingRequest request)
    {
        var kind = request.Options.GetValueOrDefault("sync-kind", "ignition");
        return kind is "ignition" or "injector" or "cam" or "pressure"
            ? kind
            : throw new ReadingException($"--sync-kind is ignition, injector, cam or pressure, not '{kind}'.");
    }

    private static string? LoadRole(Dictionary<string, Channel> channels, ReadingRequest request) =>
        s_loads.FirstOrDefault(request.Channels.ContainsKey) ?? s_loads.FirstOrDefault(channels.ContainsKey);

    /// <summary>The load from the channel the person named, else from the surest one there is.</summary>
    private static (CrankingSignal? Signal, Note? Refusal) Load(Dictionary<string, Channel> channels, ReadingRequest request, Engine engine)
    {
        return LoadRole(channels, request) switch
        {
            "current" => (
                CrankingSignal.FromCurrent(channels["current"]),
                new Note(
                    "no-cranking",
                    "The current never shows a starter at work. Check the clamp and its range, and start the capture before cranking."
                )
            ),
            "battery" => (
                CrankingSignal.FromBattery(channels["battery"]),
                new Note("no-cranking", "The battery voltage never shows a starter at work. Start the capture before cranking.")
            ),
            "crank" => (
                CrankingSignal.FromCrank(channels["crank"], engine.CrankWheel),
                new Note(
                    "no-wheel",
                    "The crank signal shows no trigger wheel turning at cranking speed. Give the wheel in the engine, or capture the "
                        + "starter current."
                )
            ),
            _ => (
                null,
                new Note(
                    "no-load-channel",
                    "No channel tells the load on the starter. Capture the starter current, the battery voltage or the crank sensor "
                        + "while cranking."
                )
            ),
        };
    }

    /// <summary>The best fit over all periods that may be a cycle; null where too little cranking was captured.</summary>
    private static Found? FindFit(CrankingSignal signal, Engine engine, List<SyncEvent> sync, CancellationToken cancel)
    {
        var load = signal.Load.Samples;
        var settled = SettledStretch(signal);
        if (settled.End - settled.First < 0.5 / CrankingSignal.Step)
            return null;
        var periods = Cycles.CandidatePeriods(load.AsSpan(settled.First, settled.End - settled.First));
        var rough = new List<(double Cost, double[] Start, List<(int From, int To)> Cycles)>();
        var even = engine.FiresEvenly();
        foreach (var period in FittingSync(periods, sync))
        {
            var bounds = Cycles.Track(load, settled.First, settled.End, period);
            if (bounds.Count < 2)
                continue;
            var cycles = Cycles.Steady(load, bounds);
            if (cycles.Count < LeastCycles)
                continue;
            var model = new StarterModel(signal, cycles, engine);
            rough.AddRange(model.Starts(even).Take(even ? 2 : 5).Select(s => (s.Cost, s.Parameters, cycles)));
        }

        // A model remembers its last fold, so every fit that runs beside others has a model of its own.
        return rough
            .OrderBy(r => r.Cost)
            .Take(even ? 4 : 8)
            .SelectMany(r => new[] { r.Start, StarterModel.WithoutLeaks(r.Start) }.Select(start => (r.Cycles, Start: start)))
            .AsParallel()
            .AsOrdered()
            .WithCancellation(cancel)
            .Select(r => (r.Cycles, Near: new StarterModel(signal, r.Cycles, engine).Approach(r.Start, cancel)))
            .OrderBy(r => r.Near.Cost)
            .Take(2)
            .Select(r => (r.Cycles, r.Near, Model: new StarterModel(signal, r.Cycles, engine)))
            .Select(r => new Found(r.Model, r.Model.Fit(r.Near.Parameters, cancel), r.Cycles))
            .AsSequential()
            .OrderBy(f => f.Fit.Cost)
            .Cast<Found?>()
            .FirstOrDefault();
    }

    /// <summary>
    /// Without the inrush and spin-up at the start, the run-down at the end, and any stretch in which nothing rises and falls.
    /// </summary>
    private static (int First, int End) SettledStretch(CrankingSignal signal)
    {
        var length = signal.End - signal.First;
        var spinUp = Math.Min((int)(1.0 / CrankingSignal.Step), length / 4);
        var runDown = Math.Min((int)(0.15 / CrankingSignal.Step), length / 10);
        return LongestLively(signal.Load.Samples, signal.First + spinUp, signal.End - runDown);
    }

    /// <summary>
    /// The longest part whose load keeps rising and falling: where the engine caught, the overrun starter's current
    /// stays flat.
    /// </summary>
    private static (int First, int End) LongestLively(float[] load, int first, int end)
    {
        var window = (int)(LivelySeconds / CrankingSignal.Step);
        var hop = window / 7;
        if (end - first < 3 * window)
            return (first, end);
        var reaches = new List<double>();
        for (var at = first; at + window <= end; at += hop)
            reaches.Add(Statistics.Quantile(load.AsSpan(at, window), 0.98) - Statistics.Quantile(load.AsSpan(at, window), 0.02));
        var least = LivelyShare * Statistics.Quantile(Statistics.Sorted(reaches), 0.8);
        (int From, int Count) best = default;
        for (int i = 0, from = 0; i <= reaches.Count; i++)
        {
            if (i < reaches.Count && reaches[i] >= least)
                continue;
            if (i - from > best.Count)
                best = (from, i - from);
            from = i + 1;
        }

        return (first + best.From * hop, Math.Min(end, first + (best.From + best.Count - 1) * hop + window));
    }

    /// <summary>
    /// Where a sync beats evenly a cycle lasts one beat or two; periods of the load that agree are taken, or else the
    /// beat itself.
    /// </summary>
    private static List<double> FittingSync(List<double> periods, List<SyncEvent> sync)
    {
        var beats = sync.Zip(sync.Skip(1), (a, b) => b.Peak - a.Peak).ToList();
        if (beats.Count == 0)
            return periods;
        var beat = Statistics.Median(beats);
        if (beats.Count(b => Math.Abs(b / beat - 1) < 0.15) < 0.6 * beats.Count)
            return periods;
        var fitting = periods.Where(p => Math.Abs(p / beat - 1) < 0.06 || Math.Abs(p / beat - 2) < 0.12).ToList();
        return fitting.Count > 0 ? fitting : [beat, 2 * beat];
    }

    private static void AddDoubts(Draft draft, Dictionary<string, Channel> channels, CrankingSignal signal, Found found, int syncEvents)
    {
        var notes = draft.Notes;
        if (found.Cycles.Count < FewCycles)
            notes.Add(new("few-cycles", $"Only {found.Cycles.Count} steady cycles: crank longer for a surer figure."));
        if (found.Rpm < SlowRpm)
            notes.Add(
                new("slow-cranking", $"Cranking at {found.Rpm:0} rpm is slow: leaks weigh heavier. Charge or jump the battery and repeat.")
            );
        if (found.Fit.Misfit > DoubtedMisfit)
            notes.Add(
                new(
                    "rough-fit",
                    $"The fitted engine leaves {found.Fit.Misfit:P0} of the signal unexplained: take the percentages as rough."
                )
            );
        if (Fired(signal, found))
            notes.Add(
                new(
                    "engine-fired",
                    "The starter load falls away during cranking: the engine fired or the starter let go. Those cycles are left out; "
                        + "disable fuel or ignition."
                )
            );
        if (channels.TryGetValue("battery", out var battery))
            AddSag(notes, battery, signal);
        if (Clipped(channels[draft.LoadRole!], signal, found))
            notes.Add(new("clipped", "The channel hits its end stop during the cycles used: take a larger range."));
        if (syncEvents == 0 && !channels.ContainsKey("sync"))
            notes.Add(
                new(
                    "no-sync",
                    "No sync was captured, so position 1 is the first compression used and no cylinder is named. Add a clamp on one "
                        + "plug lead or injector."
                )
            );
    }

    private static bool Fired(CrankingSignal signal, Found found)
    {
        var after = (signal.End - found.Cycles[^1].To) * CrankingSignal.Step;
        return after > 2.5 * 120 / found.Rpm + 0.3;
    }

    private static void AddSag(List<Note> notes, Channel battery, CrankingSignal signal)
    {
        var volts = Resampling.ToStep(battery, 0.02).Between(signal.Load.Time[signal.First] + 0.3, signal.Load.Time[signal.End - 1]);
        if (volts.Samples.Length == 0)
            return;
        var lowest = volts.Samples.Min();
        if (lowest < SaggingVolts)
            notes.Add(
                new(
                    "battery-sag",
                    $"The battery falls to {lowest:0.0} V while cranking, below {SaggingVolts} V: a weak battery fakes faults. "
                        + $"Charge it and repeat."
                )
            );
    }

    private static bool Clipped(Channel original, CrankingSignal signal, Found found) =>
        signal.Load.Unit != "rpm"
        && Clipping.LongestFlat(original.Between(signal.Load.Time[found.Cycles[0].From], signal.Load.Time[found.Cycles[^1].To - 1]))
            * original.Time.Step
            > ClippedSeconds;

    /// <summary>The engine found in the capture.</summary>
    private readonly record struct Found(StarterModel Model, StarterFit Fit, List<(int From, int To)> Cycles)
    {
        public double Rpm => 120 / (Cycles.Average(c => c.To - c.From) * CrankingSignal.Step);
    }

    /// <summary>What is known of the result before the fit.</summary>
    private sealed record Draft(Dictionary<string, Channel> Channels, string? LoadRole)
    {
        public List<Note> Notes { get; } = [];

        public RelativeCompressionResult Unusable(string code, string text) =>
            RelativeCompressionReading.Unusable(Channels, new Note(code, text)) with
            {
                Notes = [.. Notes, new Note(code, text)],
            };
    }

    /// <summary>Turns a fit into the result.</summary>
    private sealed class Build(Engine engine, CrankingSignal signal, Found found, Draft draft)
    {
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
                    return new PositionWork(place + 1, cylinder, Math.Round(percents[fitted], 1), Math.Round(spreads[fitted], 1));
                })
                .ToList();
            var low = positions.Where(IsLow).Select(p => new LowPosition(p.Position, p.Cylinder, p.Percent)).ToList();
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

        private bool IsLow(PositionWork p) =>
            p.Percent < LowPercent && 100 - p.Percent > 3 * p.SpreadPercent / Math.Sqrt(found.Cycles.Count);

        private int? Shift(List<SyncEvent>? sync, string kind, int cylinder)
        {
            if (sync is null)
                return null;
            var marks = sync.Select(e => Mark(e, kind))
                .Select(seconds => (seconds - signal.Load.Time.Start) / CrankingSignal.Step)
                .Select(sample => found.Model.DegreesAt(sample, found.Fit.SpeedSwing))
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
                        Math.Round(Seconds(found.Model.SampleAt(cycle, tdc - stroke, found.Fit.SpeedSwing)), 4),
                        Math.Round(Seconds(found.Model.SampleAt(cycle, tdc, found.Fit.SpeedSwing)), 4),
                        position.Position,
                        position.Cylinder
                    )
                );
            }

            return [.. humps.OrderBy(h => h.To)];
        }

        private FoldedCycle Folded(int shift)
        {
            const int bins = StarterModel.Bins;
            var degreesPerBin = 720.0 / bins;
            var first = engine.Angles()[(_n - shift) % _n] + found.Fit.TdcDegrees;
            var offset = (int)Math.Round(first / degreesPerBin);
            var each = found.Model.FoldEach(found.Fit.SpeedSwing);
            float At(double[] values, int bin) => (float)Math.Round(values[(bin + offset) % bins], 2);
            var range = Enumerable.Range(0, bins).ToArray();
            return new FoldedCycle(
                [.. range.Select(b => (float)(b * degreesPerBin))],
                [.. range.Select(b => At(found.Fit.Mean, b))],
                [
                    .. range.Select(b =>
                        (float)Math.Round(Statistics.StandardDeviation([.. each.Select(f => f.Load[(b + offset) % bins])]), 2)
                    ),
                ],
                [.. range.Select(b => At(found.Fit.Fitted, b))]
            );
        }

        private double Seconds(double sample) => signal.Load.Time.Start + sample * CrankingSignal.Step;
    }

    /// <summary>
    /// Work in percent of the median of the cylinders that are not low. The first reference is the upper quartile, so
    /// that an engine with most cylinders weak is measured by those that are sound.
    /// </summary>
    internal static double[] Percents(double[] work)
    {
        var reference = Statistics.Quantile(Statistics.Sorted(work), 0.75);
        for (var pass = 0; pass < 4; pass++)
            reference = Statistics.Median(work.Where(w => w >= LowPercent / 100 * reference));
        return [.. work.Select(w => 100 * w / reference)];
    }
}
