using System.Globalization;
using System.Text.Json.Serialization.Metadata;
using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Signals;
using Maschera.Core.Timing;

namespace Maschera.Core.Readings.CamTiming;

/// <summary>How far the cam stands from where a known-good engine has it, in crank degrees.</summary>
public sealed class CamTimingReading : ReadingOf<CamTimingResult>
{
    private const int MostCams = 4;

    /// <summary>Limits where the engine file has none, degrees.</summary>
    private const double UsualWatch = 6,
        UsualFault = 10;

    private const int FewCycles = 8;

    /// <summary>Known-good captures are never known to agree better than this, degrees.</summary>
    private const double LeastSpread = 0.3;

    /// <summary>An offset this near a whole number of teeth of the drive is a skipped tooth.</summary>
    private const double NearTooth = 0.25;

    public override string Method =>
        "Tooth edges of the crank give the angle at any time; each cam edge is dated in crank degrees and folded on the cycle of "
        + "720°, whatever the speed.\n"
        + "The whole pattern is laid on the known-good's; the offset is the mean over its edges of the median over cycles, flutter its "
        + "standard deviation over cycles.";

    public override JsonTypeInfo ResultJson => CamTimingJson.Default.CamTimingResult;
    public override string Kind => "cam-timing";
    public override string Title => "Cam timing";

    public override JobStep Step => JobStep.Timing;
    public override IReadOnlyList<Verdict> Verdicts { get; } =
    [new("ok", Tone.Fine, "in time"), new("watch", Tone.Watch, "slightly off"), new("fault", Tone.Fault, "out of time"), Verdict.Unusable];

    public override bool TakesReference => true;
    public override IReadOnlyList<string> ReferenceRoles => ["crank", "cam"];

    public override IReadOnlyList<Role> Roles { get; } =
    [
        new("crank", "Crank sensor", [], ["crank", "ckp", "kurbel", "vilebrequin", "albero motore"]),
        new("cam", "Cam sensor", [], ["cam", "cmp", "nocken", "camme"]),
        .. Enumerable
            .Range(2, MostCams - 1)
            .Select(n => new Role($"cam{n}", $"Cam sensor {n}", [], [$"cam {n}", $"cam{n}", $"cam sensor {n}"])),
    ];

    protected override CamTimingResult Make(ReadingRequest request, CancellationToken cancel)
    {
        var channels = RoleResolver.Resolve(this, request);
        if (!channels.ContainsKey("crank") || !channels.ContainsKey("cam"))
            return Unusable(
                channels,
                new Note(
                    "no-sensors",
                    "Both a crank and a cam sensor are needed. Say which with --channel crank=COLUMN --channel cam=COLUMN."
                )
            );
        var (measured, problem) = CamSensors.Measure(channels, request.Engine);
        if (measured is null)
            return Unusable(channels, problem!);
        cancel.ThrowIfCancellationRequested();
        if (request.Reference is null && request.Engine?.CamPattern is null)
            return Unusable(
                channels,
                new Note(
                    "no-reference",
                    "There is nothing to compare with: give a known-good capture of the same engine, or store its pattern in the "
                        + "engine file."
                ),
                measured
            );
        CamSensors? reference = null;
        if (request.Reference is { } good)
        {
            var words = request.ReferenceChannels.Count > 0 ? request.ReferenceChannels : request.Channels;
            var theirs = RoleResolver.Resolve(
                this,
                new ReadingRequest(good)
                {
                    Channels = words.Where(w => good.Find(w.Value) is not null || request.ReferenceChannels.Count > 0).ToDictionary(),
                }
            );
            if (!theirs.ContainsKey("crank") || !theirs.ContainsKey("cam"))
                return Unusable(
                    channels,
                    new Note("reference-sensors", "The known-good lacks a crank or a cam sensor. Say which with --reference-channel."),
                    measured
                );
            (reference, problem) = CamSensors.Measure(theirs, request.Engine);
            if (reference is null)
                return Unusable(channels, new Note("reference-" + problem!.Code, "The known-good: " + problem.Text), measured);
            (measured, reference) = CamSensors.SameWheel(channels, theirs, measured, reference, request.Engine);
            (measured, reference) = CamSensors.SameCrossing(channels, theirs, measured, reference, request.Engine);
            (measured, reference) = CamSensors.SameEdges(measured, reference);
        }

        return Compare(request, channels, measured, reference);
    }

    /// <summary>
    /// Takes the mean of all known-good captures for the reference: each further one is laid on the first, and what they
    /// differ by among themselves is the spread.
    /// </summary>
    private List<CamOffset> AgainstAll(ReadingRequest request, CamSensors reference, List<CamOffset> cams, List<Note> notes)
    {
        var offsets = cams.ToDictionary(c => c.Role, _ => new List<double> { 0 });
        foreach (var known in request.MoreReferences)
        {
            var theirs = RoleResolver.Resolve(this, new ReadingRequest(known.Capture) { Channels = known.Channels });
            var (sensors, problem) =
                theirs.ContainsKey("crank") && theirs.ContainsKey("cam")
                    ? CamSensors.Measure(theirs, request.Engine)
                    : (null, new Note("reference-sensors", "it lacks a crank or a cam sensor."));
            if (sensors is not null && !sensors.Clock.Wheel.IsLike(reference.Clock.Wheel))
                (sensors, problem) = (null, new Note("other-wheel", "it has another wheel."));
            if (sensors is not null)
                AddOffsets(offsets, CamSensors.SameEdges(sensors, reference));
            else
                notes.Add(new("reference-left-out", $"The known-good capture '{known.Capture.Name}' is left out: {problem!.Text}"));
        }

        return [.. cams.Select(c => c.Against([.. offsets[c.Role]]))];
    }

    private static void AddOffsets(Dictionary<string, List<double>> offsets, (CamSensors Known, CamSensors First) pair)
    {
        foreach (var (role, list) in offsets)
            if (
                pair.Known.Cams.GetValueOrDefault(role) is { } pattern
                && pair.First.Cams.GetValueOrDefault(role) is { } first
                && CamMatch.Of(role, role, pattern, first, pair.Known.Clock, []) is { } laid
            )
                list.Add(laid.OffsetDegrees);
    }

    private CamTimingResult Compare(
        ReadingRequest request,
        Dictionary<string, Channel> channels,
        CamSensors measured,
        CamSensors? reference
    )
    {
        if (reference is not null && !measured.Clock.Wheel.IsLike(reference.Clock.Wheel))
            return Unusable(
                channels,
                new Note(
                    "other-wheel",
                    $"The known-good has a wheel of {reference.Clock.Wheel.Said}, this capture one of {measured.Clock.Wheel.Said}: it "
                        + $"is of another engine."
                ),
                measured
            );
        List<Note> notes = [.. measured.Clock.Notes];
        if (reference is not null && CamSensors.HalfTooth(measured, reference) is { } half)
            notes.Add(half);
        if (reference is not null)
            notes.AddRange(
                reference
                    .Clock.Notes.Where(n => notes.All(m => m.Code != n.Code))
                    .Select(n => n with { Text = "The known-good: " + n.Text })
            );
        var cams = new List<CamOffset>();
        foreach (var (role, pattern) in measured.Cams)
        {
            var theirs = reference is null
                ? role == "cam"
                    ? CamPattern.Stored(request.Engine!.CamPattern!)
                    : null
                : reference.Cams.GetValueOrDefault(role);
            if (theirs is null)
            {
                notes.Add(new("cam-without-reference", $"{channels[role].Name} has nothing to be compared with."));
                continue;
            }

            var like = reference is null ? measured.Like(role, theirs) : pattern;
            if (CamMatch.Of(role, channels[role].Name, like, theirs, measured.Clock, notes) is { } cam)
                cams.Add(cam);
        }

        if (cams.Count == 0 || cams[0].Role != "cam")
            return Unusable(
                channels,
                new Note(
                    "other-pattern",
                    "The cam's edges fit the known-good's at no angle: another cam wheel, another engine, or the sensor connected "
                        + "otherwise."
                ),
                measured
            );
        if (reference is not null && request.MoreReferences.Count > 0)
            cams = AgainstAll(request, reference, cams, notes);
        return Build(request, channels, measured, reference, cams, notes);
    }

    private static CamTimingResult Build(
        ReadingRequest request,
        Dictionary<string, Channel> channels,
        CamSensors measured,
        CamSensors? reference,
        List<CamOffset> cams,
        List<Note> notes
    )
    {
        var worst = cams.MaxBy(c => Math.Abs(c.OffsetDegrees))!;
        var limits = request.Engine?.CamLimits ?? new CamLimits(UsualWatch, UsualFault);
        var size = Math.Abs(worst.OffsetDegrees);
        var verdict =
            size >= limits.Fault ? "fault"
            : size >= limits.Watch ? "watch"
            : "ok";
        if (
            verdict == "ok"
            && worst.ReferenceSpreadDegrees is { } spread
            && worst.ReferenceCaptures >= 3
            && size > 3 * Math.Max(spread, LeastSpread)
        )
            notes.Add(
                new(
                    "outside-spread",
                    $"{worst.ReferenceCaptures} known-good captures differ by ± "
                        + $"{spread.ToString("0.0", CultureInfo.InvariantCulture)}° among themselves; this one lies further off than "
                        + $"any sound engine of the shelf would."
                )
            );
        if (cams[0].Cycles < FewCycles || reference is not null && cams[0].ReferenceCycles < FewCycles)
            notes.Add(
                new(
                    "few-cycles",
                    $"Only {Math.Min(cams[0].Cycles, reference is null ? int.MaxValue : cams[0].ReferenceCycles)} whole cycles: "
                        + $"capture five seconds or more for a safer figure."
                )
            );
        return new CamTimingResult
        {
            Verdict = verdict,
            Sentence =
                Sentence(verdict, worst, cams.Count) + Teeth(verdict, worst, request.Engine?.CamDrive) + Otherwise(worst, measured.Clock),
            Notes = notes,
            Channels = RoleResolver.Names(channels),
            Span = new Stretch(measured.Clock.Seconds[0], measured.Clock.Seconds[^1]),
            OffsetDegrees = cams[0].OffsetDegrees,
            FlutterDegrees = cams[0].FlutterDegrees,
            Cycles = cams[0].Cycles,
            ReferenceCycles = cams[0].ReferenceCycles,
            SpeedRpm = measured.Clock.SpeedRpm,
            ReferenceSpeedRpm = reference?.Clock.SpeedRpm,
            Wheel = new FoundWheel(measured.Clock.Wheel.Teeth, measured.Clock.Wheel.Missing)
            {
                Extra = measured.Clock.Wheel.HasExtraTooth ? 1 : 0,
            },
            Edges = cams[0].Edges,
            Cams = cams,
        };
    }

    private static string Sentence(string verdict, CamOffset worst, int cams)
    {
        var size = Math.Abs(worst.OffsetDegrees).ToString("0.0", CultureInfo.InvariantCulture);
        var side = worst.OffsetDegrees > 0 ? "late" : "early";
        var which = cams > 1 ? worst.Channel : "The cam";
        return verdict switch
        {
            "ok" => $"{which} stands where the known-good has it, {size}° {side}.",
            "watch" => $"{which} stands {size}° {side} against the known-good: worn chain or belt, or one adjustment off; watch it.",
            _ => $"{which} stands {size}° {side} against the known-good: the timing has slipped or was set wrong.",
        };
    }

    /// <summary>The other angles at which like teeth or like segments fit as well; empty where there are none.</summary>
    private static string Otherwise(CamOffset worst, AngleClock clock)
    {
        if (worst.OtherwiseBy is not { } step)
            return "";
        var half = clock.InductiveCrossing is null || clock.Wheel.HasMark ? "" : ", or half a tooth if its sensor is wired otherwise";
        var like = clock.Wheel.HasMark ? "The cam's segments are alike" : "The crank wheel has no gap";
        return $" {like}: it may as well be {step.ToString("0.0", CultureInfo.InvariantCulture)}° more or less{half}.";
    }

    /// <summary>What the offset is in teeth of the drive; empty where that is not known or nothing is wrong.</summary>
    private static string Teeth(string verdict, CamOffset worst, CamDrive? drive)
    {
        if (drive is null || verdict == "ok")
            return "";
        var teeth = Math.Abs(worst.OffsetDegrees) / drive.DegreesPerTooth;
        var whole = (int)Math.Round(teeth);
        var side = worst.OffsetDegrees > 0 ? "late" : "early";
        var per = drive.DegreesPerTooth.ToString("0.0", CultureInfo.InvariantCulture);
        return whole >= 1 && Math.Abs(teeth - whole) < NearTooth
            ? $" That is about {(whole == 1 ? "one tooth" : $"{whole} teeth")} {side} on the {drive.Kind} ({per}° a tooth)."
            : $" That is no whole tooth of the {drive.Kind} ({per}° a tooth): stretch, a turned wheel or a phaser rather than a "
                + $"skipped tooth.";
    }

    private static CamTimingResult Unusable(Dictionary<string, Channel> channels, Note note, CamSensors? measured) =>
        Unusable(channels, note, measured?.Clock.Notes ?? []);
}
