using System.Globalization;
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

    /// <summary>Patterns whose edges differ by more than this among themselves are not of one engine, degrees.</summary>
    private const double MostDisagreement = 12;

    /// <summary>Edges that differ among themselves by more than this are worth a remark, degrees.</summary>
    private const double RemarkedDisagreement = 1.5;

    /// <summary>An offset that moves more than this within the capture is a cam that is being turned, degrees.</summary>
    private const double Moving = 4;

    private const int FewCycles = 8;

    /// <summary>Known-good captures are never known to agree better than this, degrees.</summary>
    private const double LeastSpread = 0.3;

    /// <summary>An offset this near a whole number of teeth of the drive is a skipped tooth.</summary>
    private const double NearTooth = 0.25;

    public override string Method =>
        "Tooth edges of the crank give the angle at any time; each cam edge is dated in crank degrees and folded on the cycle of "
        + "720°, whatever the speed.\n"
        + "The whole pattern is laid on the reference's; the offset is the mean over its edges of the median over cycles, flutter its "
        + "standard deviation over cycles.";

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
        var (measured, problem) = Sensors.Measure(channels, request.Engine);
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
        Sensors? reference = null;
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
                    new Note("reference-sensors", "The reference lacks a crank or a cam sensor. Say which with --reference-channel."),
                    measured
                );
            (reference, problem) = Sensors.Measure(theirs, request.Engine);
            if (reference is null)
                return Unusable(channels, new Note("reference-" + problem!.Code, "The reference: " + problem.Text), measured);
            (measured, reference) = SameCrossing(channels, theirs, measured, reference, request.Engine);
        }

        return Compare(request, channels, measured, reference);
    }

    /// <summary>
    /// The crossing in the middle of an inductive tooth and the one between teeth lie half a tooth apart. Where one capture does not
    /// tell which is which it takes the one of the other, for the sensor is wired alike in both.
    /// </summary>
    private static (Sensors Measured, Sensors Reference) SameCrossing(
        Dictionary<string, Channel> channels,
        Dictionary<string, Channel> theirs,
        Sensors measured,
        Sensors reference,
        Engine? engine
    )
    {
        if (
            measured.Clock.InductiveCrossing is not { } own
            || reference.Clock.InductiveCrossing is not { } good
            || own.Rising == good.Rising
            || own.IsSure && good.IsSure
        )
            return (measured, reference);
        return own.IsSure
            ? (measured, Sensors.Measure(theirs, engine, own.Rising).Item1 ?? reference)
            : (Sensors.Measure(channels, engine, good.Rising).Item1 ?? measured, reference);
    }

    /// <summary>What the sensors' kinds leave open between capture and reference; null where nothing.</summary>
    private static Note? HalfTooth(Sensors measured, Sensors reference)
    {
        var (own, good) = (measured.Clock.InductiveCrossing, reference.Clock.InductiveCrossing);
        var half = measured.Clock.Wheel.Pitch / 2;
        if (own is null != good is null)
            return new Note(
                "other-sensor",
                $"One capture's crank sensor is inductive, the other's a hall sensor: their edges stand at other places of a tooth, so "
                    + $"the offset is only known to about half a tooth, {half:0.0}°. Compare with a capture of the same kind of sensor."
            );
        if (own is not null && good is not null && own.Rising != good.Rising)
            return new Note(
                "half-tooth",
                own.IsSure && good.IsSure
                    ? "The crank sensor is wired the other way round than in the reference; the middle of the teeth is taken in both."
                    : $"Which crossing of the crank sensor is the middle of a tooth is not sure: the offset may be off by half a tooth, "
                        + $"{half:0.0}°. Capture longer, at a higher rate."
            );
        return null;
    }

    /// <summary>
    /// Takes the mean of all known-good captures for the reference: each further one is laid on the first, and what they
    /// differ by among themselves is the spread.
    /// </summary>
    private List<CamOffset> AgainstAll(ReadingRequest request, Sensors reference, List<CamOffset> cams, List<Note> notes)
    {
        var offsets = cams.ToDictionary(c => c.Role, _ => new List<double> { 0 });
        foreach (var known in request.MoreReferences)
        {
            var theirs = RoleResolver.Resolve(this, new ReadingRequest(known.Capture) { Channels = known.Channels });
            var (sensors, problem) =
                theirs.ContainsKey("crank") && theirs.ContainsKey("cam")
                    ? Sensors.Measure(theirs, request.Engine)
                    : (null, new Note("reference-sensors", "it lacks a crank or a cam sensor."));
            if (sensors is not null && !sensors.Clock.Wheel.IsLike(reference.Clock.Wheel))
                (sensors, problem) = (null, new Note("other-wheel", "it has another wheel."));
            foreach (var (role, list) in offsets)
                if (
                    sensors?.Cams.GetValueOrDefault(role) is { } pattern
                    && reference.Cams.GetValueOrDefault(role) is { } first
                    && Matched(role, role, pattern, first, sensors.Clock, []) is { } laid
                )
                    list.Add(laid.OffsetDegrees);
            if (sensors is null)
                notes.Add(new("reference-left-out", $"The known-good capture '{known.Capture.Name}' is left out: {problem!.Text}"));
        }

        return [.. cams.Select(c => c.Against([.. offsets[c.Role]]))];
    }

    private CamTimingResult Compare(ReadingRequest request, Dictionary<string, Channel> channels, Sensors measured, Sensors? reference)
    {
        if (reference is not null && !measured.Clock.Wheel.IsLike(reference.Clock.Wheel))
            return Unusable(
                channels,
                new Note(
                    "other-wheel",
                    $"The reference has a wheel of {reference.Clock.Wheel.Said}, this capture one of {measured.Clock.Wheel.Said}: it "
                        + $"is of another engine."
                ),
                measured
            );
        List<Note> notes = [.. measured.Clock.Notes];
        if (reference is not null && HalfTooth(measured, reference) is { } half)
            notes.Add(half);
        if (reference is not null)
            notes.AddRange(
                reference.Clock.Notes.Where(n => notes.All(m => m.Code != n.Code)).Select(n => n with { Text = "The reference: " + n.Text })
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

            if (Matched(role, channels[role].Name, pattern, theirs, measured.Clock, notes) is { } cam)
                cams.Add(cam);
        }

        if (cams.Count == 0 || cams[0].Role != "cam")
            return Unusable(
                channels,
                new Note(
                    "other-pattern",
                    "The cam's edges fit the reference's at no angle: another cam wheel, another engine, or the sensor connected otherwise."
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
        Sensors measured,
        Sensors? reference,
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
            Sentence = Sentence(verdict, worst, cams.Count) + Teeth(verdict, worst, request.Engine?.CamDrive),
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
            "ok" => $"{which} stands where the reference has it, {size}° {side}.",
            "watch" => $"{which} stands {size}° {side} against the reference: worn chain or belt, or one adjustment off; watch it.",
            _ => $"{which} stands {size}° {side} against the reference: the timing has slipped or was set wrong.",
        };
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

    /// <summary>Lays the pattern on the reference's; null where it fits at no angle.</summary>
    private static CamOffset? Matched(string role, string channel, CamPattern mine, CamPattern theirs, AngleClock clock, List<Note> notes)
    {
        var count = mine.Edges.Count;
        if (count != theirs.Edges.Count)
            return null;
        var fits = Enumerable.Range(0, count).SelectMany(turn => Fits(mine, theirs, turn, 360.0 / clock.Wheel.Symmetry)).ToList();
        if (fits.Count == 0)
            return null;
        // Among the angles that fit as well as any, the smallest: belts slip by teeth, not by turns.
        var closest = fits.Min(f => f.Disagreement);
        var best = fits.Where(f => f.Disagreement <= closest + Math.Max(1, closest)).MinBy(f => Math.Abs(f.Offset));
        if (best.Disagreement > MostDisagreement)
            return null;
        if (best.Disagreement > RemarkedDisagreement)
            notes.Add(
                new(
                    "edges-differ",
                    $"The edges of {channel} differ from the reference by unequal amounts (up to "
                        + $"{best.Differences.Max() - best.Differences.Min():0.0}° apart): a bent target, a wrong part, or another engine."
                )
            );
        if (best.Flipped)
            notes.Add(
                new(
                    "turned-round",
                    $"{channel} shows its pulses the other way round than the reference; rising and falling are taken for each other."
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
        };
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

    private static CamTimingResult Unusable(Dictionary<string, Channel> channels, Note note, Sensors? measured) =>
        Unusable(channels, note, measured?.Clock.Notes ?? []);

    /// <summary>One capture's clock and its cams on it.</summary>
    private sealed record Sensors(AngleClock Clock, Dictionary<string, CamPattern> Cams)
    {
        public static (Sensors?, Note?) Measure(Dictionary<string, Channel> channels, Engine? engine, bool? rising = null)
        {
            var (crank, cam) = (channels["crank"], channels["cam"]);
            var sensors = channels.ToDictionary(c => c.Key, c => SensorEdges.Find(c.Value));
            var cams = sensors.Where(s => s.Key.StartsWith("cam", StringComparison.Ordinal)).ToDictionary(s => s.Key, s => Usable(s.Value));
            var (clock, problem) = AngleClock.Make(
                crank,
                sensors["crank"],
                engine,
                places => cams["cam"].Select(edges => CamPattern.Repeats(edges, places)).FirstOrDefault(count => count is not null),
                rising
            );
            if (Swapped(crank, sensors["crank"], cam, sensors["cam"], engine))
                return (
                    null,
                    new Note(
                        "swapped",
                        $"Crank and cam seem to be swapped: '{cam.Name}' shows many more teeth than '{crank.Name}'. Name them the "
                            + $"other way round."
                    )
                );
            if (clock is null)
                return (null, problem);
            if (clock.Cycles < 2)
                return (
                    null,
                    new Note(
                        "short",
                        $"The capture holds {(clock.Degrees[^1] - clock.Degrees[0]) / 720:0.0} cycles; at least two whole ones are "
                            + $"needed, better twenty. Capture longer."
                    )
                );
            var patterns = cams.Select(c => (c.Key, Pattern: Sharpest(c.Value, clock)))
                .Where(c => c.Pattern is not null)
                .ToDictionary(c => c.Key, c => c.Pattern!);
            return patterns.ContainsKey("cam")
                ? (new Sensors(clock, patterns), null)
                : (
                    null,
                    new Note(
                        "no-cam-pattern",
                        $"The edges of '{cam.Name}' don't repeat from cycle to cycle. Check the cam sensor's hook-up."
                    )
                );
        }

        /// <summary>
        /// The edges to go by: all of a hall sensor; of an inductive one either those that go up or those that go down, for
        /// only the crossing in the middle of a tooth is sharp, and the other lies somewhere in the rest before it.
        /// </summary>
        private static IReadOnlyList<Edge>[] Usable(SensorEdges sensor) =>
            sensor.IsInductive
                ?
                [
                    [.. sensor.Edges.Where(e => e.Rising)],
                    [.. sensor.Edges.Where(e => !e.Rising)],
                ]
                : [sensor.Edges];

        /// <summary>The pattern whose edges scatter least.</summary>
        private static CamPattern? Sharpest(IReadOnlyList<Edge>[] choices, AngleClock clock) =>
            choices
                .Select(edges => CamPattern.Of(edges, clock))
                .OfType<CamPattern>()
                .MinBy(pattern => pattern.Edges.Average(e => e.Spread));

        private static bool Swapped(Channel crank, SensorEdges crankEdges, Channel cam, SensorEdges camEdges, Engine? engine)
        {
            var (few, many) = (crankEdges.Edges.Count, camEdges.Edges.Count);
            return few > 3 && many > 3 * few && many > 60
                || many > 2 * few
                    && few > 0
                    && AngleClock.Make(cam, camEdges, engine).Clock is not null
                    && AngleClock.Make(crank, crankEdges, engine).Clock is null;
        }
    }
}
