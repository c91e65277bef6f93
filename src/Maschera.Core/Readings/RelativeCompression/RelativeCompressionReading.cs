using System.Text.Json.Serialization.Metadata;
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

    private const int FewCycles = 5;

    /// <summary>A spread over cycles, in points, from which single cylinders can't be told apart.</summary>
    private const double WildSpread = 25;

    /// <summary>As long as this on one extreme value is an end stop, not a crest, s.</summary>
    private const double ClippedSeconds = 0.004;

    /// <summary>Misfit from which the fitted engine is doubted, and from which it is not believed, as a share of the reach.</summary>
    private const double DoubtedMisfit = 0.03,
        RefusedMisfit = 0.09;

    public override string Method =>
        "Fits an engine on its starter (slider-crank gas work, a leak in each cylinder, motor with inertia) to the mean cycle of "
        + "steady cranking.\n"
        + "Each figure is the compression work of the fitted cylinder against the median of those not low; spread over cycles.";

    public override JsonTypeInfo ResultJson => RelativeCompressionJson.Default.RelativeCompressionResult;
    public override string Kind => "relative-compression";
    public override string Title => "Relative compression";
    public override string Brief => "compr.";

    public override JobStep Step => JobStep.Mechanical;
    public override IReadOnlyList<Verdict> Verdicts { get; } =
    [new("even", Tone.Fine, "even"), new("uneven", Tone.Fault, "uneven"), Verdict.Unusable];

    public override IReadOnlyList<ReadingOption> Options { get; } = [ReadingOption.SyncKind, ReadingOption.SyncCylinder];

    public override IEnumerable<Suggestion> Suggest(CaptureFacts capture) =>
        capture.State == "cranking" && capture.IsScopeWith() && !capture.Has("pressure") && !capture.Has("pulse") ? [new()] : [];

    public override bool NeedsEngine => true;

    /// <summary>Humps come some tens a second and sparks last a tenth of a millisecond.</summary>
    public override double UsefulRate => 25_000;

    /// <summary>Samples a second below which no compression is seen.</summary>
    private const double SlowestRate = 25;

    public override IReadOnlyList<Role> Roles { get; } =
    [
        new("current", "Starter current", ["A", "mA", "kA"], ["current", "starter", "strom", "corrente", "courant", "clamp", "amps"]),
        new("battery", "Battery voltage", [], ["battery", "batterie", "batteria", "supply voltage", "b+"]),
        new("crank", "Crank signal", [], ["crank", "ckp", "kurbel", "crankshaft", "giri"]),
        new("sound", "Sound of cranking", [], ["sound", "microphone", "mikrofon", "audio", "recording"]),
        new("sync", "Sync on one cylinder", [], ["sync", "ignition", "spark", "injector", "coil", "zünd", "trigger"]),
    ];

    protected override RelativeCompressionResult Make(ReadingRequest request, CancellationToken cancel)
    {
        var engine = request.Engine!;
        var syncKind = SyncKind(request);
        var syncCylinder = request.WholeNumber("sync-cylinder", 1);
        if (!engine.FiringOrder.Contains(syncCylinder))
            throw new ReadingException($"--sync-cylinder: this engine has no cylinder {syncCylinder}.");
        request = CrankingLoad.WithSound(request);
        var channels = RoleResolver.Resolve(this, request);
        var draft = new CompressionDraft(channels, CrankingLoad.Role(channels, request));
        if (engine.Cylinders < 2)
            return draft.Unusable("one-cylinder", "One cylinder has nothing to be compared with. Capture in-cylinder pressure instead.");
        if (draft.LoadRole is { } role && TooSlow(channels[role]) is { } slow)
            return draft.Unusable(slow.Code, slow.Text);
        var (signal, refusal) = CrankingLoad.Signal(channels, draft.LoadRole, engine);
        if (signal is null)
            return draft.Unusable(refusal!.Code, refusal.Text);
        draft.Notes.AddRange(signal.Doubts);
        // Before and after cranking the marked circuit may be off, which is no rest level.
        var sync = channels.TryGetValue("sync", out var syncChannel)
            ? SyncEvents.Find(syncChannel.Between(signal.Load.Time[signal.First], signal.Load.Time[signal.End - 1]))
            : [];
        var settled = SettledCranking.Of(signal);
        var fitted = FoundEngine.Find(settled, engine, sync, cancel);
        if (fitted is null && settled.IsTooShort)
            return draft.Unusable(
                "too-short",
                "Fewer than three steady cranking cycles. Crank for five seconds, or eight where the starter turns slowly, with fuel or "
                    + "ignition disabled."
            );
        if (fitted is not { Fit.Misfit: <= RefusedMisfit } found)
            return draft.Unusable(
                "no-compressions",
                draft.LoadRole == "sound"
                    ? "What is heard does not rise and fall like this engine's compressions. Check the cylinder count, and record five "
                        + "seconds of cranking close to the starter, without talking, fuel or ignition disabled."
                    : "The load does not rise and fall like this engine's compressions. Check the cylinder count, that the clamp sits "
                        + "on the starter cable, and that the engine does not fire."
            );
        AddDoubts(draft, channels, signal, found, sync.Count);
        var result = new CompressionResultMaker(engine, signal, found, draft).Result(
            syncChannel is null ? null : sync,
            syncKind,
            syncCylinder
        );
        if (result.Positions.Any(p => !(p.SpreadPercent <= WildSpread && double.IsFinite(p.Percent))))
            return draft.Unusable(
                "unsteady",
                "The cycles differ too much from one another to compare cylinders. Crank for five seconds without a break, battery charged."
            );
        return RhythmDoubt.Of(result, found, signal, draft.LoadRole!, sync.Count) is { } doubt
            ? draft.Unusable(doubt.Code, doubt.Text)
            : result;
    }

    private static string SyncKind(ReadingRequest request)
    {
        var kind = request.Options.GetValueOrDefault("sync-kind", "ignition");
        return kind is "ignition" or "injector" or "cam" or "pressure"
            ? kind
            : throw new ReadingException($"--sync-kind is ignition, injector, cam or pressure, not '{kind}'.");
    }

    /// <summary>Compressions come five to twenty times a second; a log that looks at them as seldom shows none.</summary>
    private static Note? TooSlow(Channel load)
    {
        var rate = CrankingLoad.Rate(load);
        return rate < SlowestRate
            ? new(
                "too-slow",
                $"'{load.Name}' has {rate:0.#} samples a second, too few to see single compressions. Capture it with a scope, at 1,000 a "
                    + "second or more."
            )
            : null;
    }

    private static void AddDoubts(
        CompressionDraft draft,
        Dictionary<string, Channel> channels,
        CrankingSignal signal,
        FoundEngine found,
        int syncEvents
    )
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

    private static bool Fired(CrankingSignal signal, FoundEngine found)
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

    private static bool Clipped(Channel original, CrankingSignal signal, FoundEngine found) =>
        signal.Load.Unit != "rpm"
        && Clipping.LongestFlat(original.Between(signal.Load.Time[found.Cycles[0].From], signal.Load.Time[found.Cycles[^1].To - 1]))
            * original.Time.Step
            > ClippedSeconds;
}
