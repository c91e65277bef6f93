using System.Globalization;
using System.Text.Json.Serialization.Metadata;
using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Readings.CamTiming;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.Misfire;

/// <summary>Counts misfires from the speed of the crank.</summary>
public sealed class MisfireReading : ReadingOf<MisfireResult>
{
    private const int LeastCycles = 4;

    /// <summary>A cranking engine is slower than this, rpm: it does not fire, so nothing can misfire.</summary>
    private const double LeastSpeed = 350;

    public override string Method =>
        "From the trigger wheel the speed over one firing's span behind and before the work of each firing; the change of its square "
        + "is what the firing added to the crank beyond what the engine took.\n"
        + "What comes every turn at the same place of the wheel is its error and is taken out, and slow changes of speed too; a "
        + "misfire stands clear below all other firings.";

    public override JsonTypeInfo ResultJson => MisfireJson.Default.MisfireResult;
    public override string Kind => "misfire";
    public override string Title => "Misfire";
    public override string Brief => "misfires";

    public override JobStep Step => JobStep.Look;
    public override IReadOnlyList<Verdict> Verdicts { get; } =
    [
        new("none", Tone.Fine, "no misfires"),
        new("single", Tone.Fault, "one cylinder misfires"),
        new("several", Tone.Fault, "several cylinders misfire"),
        new("random", Tone.Fault, "misfires all over"),
        Verdict.Unusable,
    ];

    public override IReadOnlyList<ReadingOption> Options { get; } = [ReadingOption.SyncKind, ReadingOption.SyncCylinder];

    public override IEnumerable<Suggestion> Suggest(CaptureFacts capture) =>
        capture.State == "idle" && capture.IsScopeWith("crank", "sync") && !capture.Has("pressure") && !capture.Has("pulse") ? [new()] : [];

    public override bool NeedsEngine => true;

    public override IReadOnlyList<Role> Roles { get; } =
    [
        new("crank", "Crank sensor", [], ["crank", "ckp", "kurbel", "vilebrequin", "albero motore"]),
        new("sync", "Sync on one cylinder", [], ["ignition", "sync", "spark", "coil", "injector", "zünd"]),
        new("cam", "Cam sensor", [], ["cam", "cmp", "nocken", "camme"]),
    ];

    protected override MisfireResult Make(ReadingRequest request, CancellationToken cancel)
    {
        var channels = RoleResolver.Resolve(this, request);
        var engine = request.Engine!;
        if (!channels.TryGetValue("crank", out var crank))
            return Unusable(channels, new Note("no-crank", "No channel looks like a crank sensor. Say which with --channel crank=COLUMN."));
        var (sync, kind, cylinder) = Sync(request, channels, engine);
        var (clock, problem) = AngleClock.Make(crank, engine, sync is null ? null : CycleMarks.Of(sync));
        if (clock is null)
            return Unusable(channels, problem!);
        if (clock.SpeedRpm < LeastSpeed)
            return Unusable(
                channels,
                new Note(
                    "not-running",
                    $"The crank turns at {clock.SpeedRpm:0} rpm: the starter turns it. Misfires show on a running engine only."
                ),
                clock
            );
        if (clock.Cycles < LeastCycles)
            return Unusable(
                channels,
                new Note(
                    "short",
                    $"The capture holds {clock.Cycles} cycles; at least {LeastCycles} are needed, better fifty. Capture longer."
                ),
                clock
            );
        if (clock.Wheel.Teeth - clock.Wheel.Missing.Sum() < engine.Cylinders)
            return Unusable(channels, new Note("few-teeth", "The wheel has fewer teeth than firings to tell apart."), clock);
        var phase = CyclePhase.Find(clock, engine, sync, kind, cylinder);
        if (phase.Tdc is not { } tdc)
            return Unusable(channels, phase.Doubt!, clock);
        cancel.ThrowIfCancellationRequested();
        List<Note> notes = [.. clock.Notes];
        if (phase.Doubt is { } doubt)
            notes.Add(doubt);
        return Build(channels, engine, clock, MisfireJudge.Judge(clock, engine, tdc), notes);
    }

    private static (Channel? Sync, string Kind, int Cylinder) Sync(
        ReadingRequest request,
        Dictionary<string, Channel> channels,
        Engine engine
    )
    {
        var cylinder = request.WholeNumber("sync-cylinder", 1);
        if (!engine.FiringOrder.Contains(cylinder))
            throw new ReadingException($"--sync-cylinder: there is no cylinder {cylinder} in an engine of {engine.Cylinders}.");
        if (channels.TryGetValue("sync", out var sync))
            return (sync, request.Options.GetValueOrDefault("sync-kind", "ignition"), cylinder);
        return channels.TryGetValue("cam", out var cam) ? (cam, "cam", cylinder) : (null, "ignition", cylinder);
    }

    private static MisfireResult Build(
        Dictionary<string, Channel> channels,
        Engine engine,
        AngleClock clock,
        Judged judged,
        List<Note> notes
    )
    {
        var cylinders = engine
            .FiringOrder.Select(
                (number, place) =>
                {
                    var own = judged.Marks.Where(m => m.Cylinder == number).ToList();
                    var percents = own.Where(m => m.Percent is not null).Select(m => m.Percent!.Value).ToArray();
                    return new CylinderMisfires(
                        number,
                        own.Count,
                        own.Count(m => m.Misfired),
                        percents.Length > 0 ? Statistics.Mean(percents) : null,
                        percents.Length > 1 ? Statistics.StandardDeviation(percents) : null
                    );
                }
            )
            .OrderBy(c => c.Cylinder)
            .ToList();
        if (judged.Doubt is { } doubt)
            notes.Add(doubt);
        notes.AddRange(SteadyWords.Notes(judged.Steady, engine));
        if (EverySecond(cylinders, engine) is { } question)
            notes.Add(question);
        var misfires = cylinders.Sum(c => c.Misfires);
        var verdict = Judged(cylinders, misfires, judged.Marks.Count);
        return new MisfireResult
        {
            Verdict = verdict,
            Sentence = Sentence(verdict, cylinders, misfires, judged.Marks, engine) + SteadyWords.Said(judged.Steady, engine),
            Notes = notes,
            Channels = RoleResolver.Names(channels),
            Span = new Stretch(clock.Seconds[0], clock.Seconds[^1]),
            SpeedRpm = clock.SpeedRpm,
            Cycles = clock.Cycles,
            Firings = judged.Marks.Count,
            Cylinders = cylinders,
            Map = judged.Marks,
        };
    }

    /// <summary>
    /// A question where every second firing of the order gives nothing and the others all do: an engine of half as many fits.
    /// </summary>
    private static Note? EverySecond(List<CylinderMisfires> cylinders, Engine engine)
    {
        const double nearly = 0.8;
        if (engine.Cylinders % 2 != 0)
            return null;
        double Missing(int cylinder) =>
            cylinders.First(c => c.Cylinder == cylinder) is { Firings: > 0 } c ? c.Misfires / (double)c.Firings : 0;
        var halves = engine.FiringOrder.Index().GroupBy(place => place.Index % 2, place => Missing(place.Item)).ToList();
        return halves.Exists(half => half.All(m => m > nearly)) && halves.Exists(half => half.All(m => m < 1 - nearly))
            ? new Note(
                "which-engine",
                $"Every second firing gives nothing and every other one does. Is this the right engine? One of {engine.Cylinders / 2} "
                    + "cylinders would run like this without a fault; else half of this one's cylinders are switched off or share a supply."
            )
            : null;
    }

    /// <summary>One cylinder, some of them, or any of them: random where no cylinder has clearly more than its share.</summary>
    private static string Judged(List<CylinderMisfires> cylinders, int misfires, int firings)
    {
        if (misfires == 0)
            return "none";
        var hit = cylinders.Where(c => c.Misfires > 0).ToList();
        if (hit.Count == 1)
            return "single";
        var most = hit.Max(c => c.Misfires);
        if (most >= 0.8 * misfires && most >= 4)
            return "single";
        var share = misfires / (double)cylinders.Count;
        var standing = cylinders.Count(c => c.Misfires > 2 * share + 1);
        return hit.Count > 0.6 * cylinders.Count && standing == 0 ? "random" : "several";
    }

    private static string Sentence(
        string verdict,
        List<CylinderMisfires> cylinders,
        int misfires,
        IReadOnlyList<FiringMark> marks,
        Engine engine
    )
    {
        var share = (100.0 * misfires / marks.Count).ToString("0.#", CultureInfo.InvariantCulture);
        var hit = cylinders.Where(c => c.Misfires > 0).OrderByDescending(c => c.Misfires).ToList();
        var said = verdict switch
        {
            "none" => $"No misfire in {marks.Count} firings.",
            "single" => $"Cylinder {hit[0].Cylinder} misfires: {hit[0].Misfires} of its {hit[0].Firings} "
                + $"firings{(hit.Count > 1 ? $", others {misfires - hit[0].Misfires}" : "")}.",
            "several" =>
                $"Cylinders {string.Join(", ", hit.Select(c => $"{c.Cylinder} ({c.Misfires})"))} misfire, {share} % of all firings.",
            _ => $"Misfires on any cylinder, {misfires} of {marks.Count} firings: look for what all share, mixture or ignition supply.",
        };
        return said + Pattern(verdict, hit, marks, engine);
    }

    /// <summary>What the cylinders hit have in common, in words; empty where nothing is clear.</summary>
    private static string Pattern(string verdict, List<CylinderMisfires> hit, IReadOnlyList<FiringMark> marks, Engine engine)
    {
        var words = "";
        var numbers = hit.Select(c => c.Cylinder).ToHashSet();
        if (verdict == "several" && numbers.Count == 2 && AreCompanions(engine, [.. numbers]))
            words += " They are companions, 360° apart: a shared coil or its wiring.";
        else if (
            verdict == "several"
            && numbers.Count > 1
            && engine.Banks is { Count: > 1 } banks
            && banks.Any(bank => numbers.SetEquals(bank))
        )
            words += " They are one whole bank: its fuel, its exhaust or its sensor.";
        var missed = marks.Where(m => m.Misfired).Select(m => m.SpeedRpm).ToList();
        if (missed.Count < 5)
            return words;
        var all = Statistics.Sorted(marks.Select(m => m.SpeedRpm));
        var least = missed.Min();
        if (least > Statistics.Quantile(all, 0.4) && all[^1] - all[0] > 0.3 * all[0])
            words += $" Only above {Math.Round(least / 50) * 50:0} rpm.";
        return words;
    }

    private static bool AreCompanions(Engine engine, int[] two)
    {
        var angles = engine.Angles();
        var order = engine.FiringOrder.ToList();
        return Math.Abs(Math.Abs(angles[order.IndexOf(two[0])] - angles[order.IndexOf(two[1])]) - 360) < 1;
    }

    private static MisfireResult Unusable(Dictionary<string, Channel> channels, Note note, AngleClock clock) =>
        Unusable(channels, note, clock.Notes);
}
