using System.Text.Json.Serialization.Metadata;
using Maschera.Core.Basics;
using Maschera.Core.Logs;
using Maschera.Core.Quantities;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Tracking;

/// <summary>Whether an actual value follows the desired one.</summary>
public sealed class TrackingReading : ReadingOf<TrackingResult>
{
    private const int LeastSamples = 20;

    /// <summary>A typical rise over this many seconds is slow, an overshoot over this many percent one too many.</summary>
    private const double UsualRiseLimit = 2,
        UsualOvershootLimit = 20;

    private const int MostPoints = 1_200;

    public override string Method =>
        "Each step of the desired value is followed in the actual one: 10 and 90 % of the step on the line between samples, the top "
        + "by a parabola, settled when inside the band for good.\n"
        + "Bias, breaches and verdict come from what is left when the time a step may take is taken out; only stretches inside the "
        + "gate count.";

    /// <summary>More pairs than this in one log are left to be asked for.</summary>
    private const int MostPairs = 8;

    public override JsonTypeInfo ResultJson => TrackingJson.Default.TrackingResult;
    public override string Kind => "tracking";
    public override string Title => "Desired and actual";

    public override JobStep Step => JobStep.Look;
    public override IReadOnlyList<Verdict> Verdicts { get; } =
    [
        new("tracks", Tone.Fine, "follows"),
        new("below", Tone.Fault, "stays below"),
        new("above", Tone.Fault, "stays above"),
        new("stuck", Tone.Fault, "does not move"),
        new("slow", Tone.Fault, "follows too slowly"),
        new("overshoots", Tone.Fault, "overshoots"),
        new("oscillates", Tone.Fault, "oscillates"),
        Verdict.Unusable,
    ];

    public override IReadOnlyList<ReadingOption> Options { get; } =
    [
        new("band", "Band, 5% or in its unit", OptionType.NumberOrPercent) { Usual = "10%" },
        new("gate-above", "Counts while the gate is above", OptionType.Number),
        new("rise-limit", "Slow from a rise of", OptionType.Number) { Unit = "s", Usual = "2" },
        new("overshoot-limit", "Overshoots from", OptionType.Number) { Unit = "%", Usual = "20" },
    ];

    public override IEnumerable<Suggestion> Suggest(CaptureFacts capture) =>
        capture.IsLog
            ? QuantityPairs
                .Find([.. capture.Channels.Select(c => c.Name)])
                .Take(MostPairs)
                .Select(pair => new Suggestion(
                    new Dictionary<string, string> { ["desired"] = pair.Desired, ["actual"] = pair.Actual },
                    OnlyIfUsable: true
                ))
            : [];

    /// <summary>A log may have many pairs of desired and actual: each is a question of its own.</summary>
    public override string Identity(IReadOnlyDictionary<string, string> channels) => channels.GetValueOrDefault("desired", "");

    private static string Pair(IReadOnlyDictionary<string, string> channels) =>
        QuantityPairs.Find([.. channels.Values]) is [var pair, ..] ? pair.Stem : channels.GetValueOrDefault("actual", "");

    public override string TitleOf(ReadingResult result) => result.Channels.Count == 0 ? Title : $"{Title}: {Pair(result.Channels)}";

    public override IReadOnlyList<Role> Roles { get; } =
    [
        new("desired", "Desired", [], QuantityPairs.DesiredWords),
        new("actual", "Actual", [], QuantityPairs.ActualWords),
        new("gate", "Counts only while this is high", [], []),
        new("band", "Half the band, where a channel gives it", [], []),
    ];

    protected override TrackingResult Make(ReadingRequest request, CancellationToken cancel)
    {
        if (request.Channels.Count == 0 && QuantityPairs.Find(request.Capture.Channels) is [var pair, ..])
            request = request with
            {
                Channels = new Dictionary<string, string> { ["desired"] = pair.Desired, ["actual"] = pair.Actual },
            };
        var channels = RoleResolver.Resolve(this, request);
        if (!channels.TryGetValue("desired", out var desired) || !channels.TryGetValue("actual", out var actual))
            return Unusable(
                channels,
                new Note(
                    "no-pair",
                    "A desired and an actual value are needed. Say which with --channel desired=COLUMN --channel actual=COLUMN."
                )
            );
        (desired, actual) = (Numbers(desired), UnitConversion.In(Numbers(actual), desired.Unit));
        if (desired.Samples.Length < LeastSamples || actual.Samples.Length < LeastSamples)
            return Unusable(
                channels,
                new Note(
                    "short",
                    $"Only {Math.Min(desired.Samples.Length, actual.Samples.Length)} values: log at least {LeastSamples}, better a "
                        + $"minute in which desired moves."
                )
            );
        if (
            Math.Min(desired.Time.End, actual.Time.End) - Math.Max(desired.Time.Start, actual.Time.Start)
            < 0.5 * (actual.Time.End - actual.Time.Start)
        )
            return Unusable(channels, new Note("apart", "Desired and actual were hardly logged at the same time."));
        cancel.ThrowIfCancellationRequested();
        return Judge(request, channels, desired, actual);
    }

    private static TrackingResult Judge(ReadingRequest request, Dictionary<string, Channel> channels, Channel desired, Channel actual)
    {
        var gate = Gate(request, channels);
        var range = Range(desired);
        var band = TrackBand.Of(request.Options.GetValueOrDefault("band"), range, channels.GetValueOrDefault("band"));
        var riseLimit = request.Number("rise-limit", UsualRiseLimit);
        var overshootLimit = request.Number("overshoot-limit", UsualOvershootLimit);
        var steps = TrackedSteps
            .Find(desired, actual, band, range)
            .Where(s => gate((s.From + s.To) / 2) && gate(s.From + 0.1 * (s.To - s.From)))
            .ToList();
        var course = Enumerable
            .Range(0, actual.Samples.Length)
            .Select(i => actual.Time[i])
            .Where(t => t >= desired.Time.Start && t <= desired.Time.End && gate(t))
            .Select(t => Resampling.Held(desired, t) is var d ? new TrackPoint(t, d, Resampling.Held(actual, t), band.At(t, d)) : default)
            .ToArray();
        if (course.Length < LeastSamples)
            return Unusable(channels, new Note("gate", "Hardly anything lies inside the gate: lower it, or log longer."));
        var facts = new TrackFacts(desired, actual, course, steps, riseLimit);
        var verdict = facts.Verdict(riseLimit, overshootLimit);
        return new TrackingResult
        {
            Verdict = verdict,
            Sentence = Sentence(verdict, facts, desired, actual),
            Notes = Notes(facts, band, desired.Unit),
            Channels = RoleResolver.Names(channels),
            Span = new Stretch(course[0].Seconds, course[^1].Seconds),
            InsideBandPercent = 100.0 * course.Count(p => Math.Abs(p.Actual - p.Desired) <= p.Band) / course.Length,
            Bias = facts.Bias,
            DelaySeconds = TrackFacts.Typical(steps, s => s.DelaySeconds),
            RiseSeconds = facts.Sided(s => s.RiseSeconds),
            OvershootPercent = facts.Sided(s => s.OvershootPercent),
            SettleSeconds = facts.Sided(s => s.SettleSeconds),
            Unit = desired.Unit,
            Steps = steps,
            Breaches = facts.Breaches,
            Course = Resampling.Thinned(course, MostPoints),
        };
    }

    private static string Sentence(string verdict, TrackFacts f, Channel desired, Channel actual)
    {
        var who = QuantityPairs.Find([desired.Name, actual.Name]) is [var pair, ..] && pair.Stem.Length > 0 ? pair.Stem : actual.Name;
        string Said(double value) => $"{value:0.##} {desired.Unit}".TrimEnd();
        var rise = f.Sided(s => s.RiseSeconds) is { } r ? $", a typical rise of {r:0.0#} s" : "";
        return verdict switch
        {
            "tracks" when f.Short is [var one] =>
                $"{who} follows what is desired{rise}, but never reaches {Said(one.End)} at {one.From:0.#} s.",
            "tracks" when f.BehindSeconds is { } behind => $"{who} follows what is desired, about {behind:0.0#} s behind it.",
            "slow" when f.BehindSeconds is { } behind => $"{who} follows what is desired too slowly, about {behind:0.0#} s behind it.",
            "tracks" => $"{who} follows what is desired{rise}.",
            "below" or "above" when f.IsShortOnly =>
                $"{who} ends {(verdict == "below" ? "short of" : "beyond")} desired on {f.Short.Count} of "
                    + $"{f.Steps} steps, by {Said(f.Short.Max(s => Math.Abs(s.SteadyError!.Value)))} at worst, and reaches it on "
                    + "the others.",
            "below" => $"{who} stays below desired, by {Said(f.Worst(-1))} at worst.",
            "above" => $"{who} stays above desired, by {Said(f.Worst(1))} at worst.",
            "stuck" => $"{who} does not move while desired does.",
            "slow" => $"{who} gets there, but too slowly{rise}.",
            "overshoots" => $"{who} shoots {f.Largest(s => s.OvershootPercent):0} % beyond the step before it settles.",
            _ => $"{who} swings round desired and does not come to rest.",
        };
    }

    /// <summary>Where noise reaches beyond the band in more than this share of the samples it is said.</summary>
    private const double Scattered = 0.05;

    private static List<Note> Notes(TrackFacts f, TrackBand band, string unit)
    {
        List<Note> notes = [];
        if (f.Steps == 0)
            notes.Add(
                new(
                    "no-steps",
                    "Desired makes no clear step here, so rise, delay and overshoot can't be told: log a stretch in which it jumps."
                )
            );
        if (f.IsNoise && f.Below + f.Above > Scattered)
            notes.Add(
                new("scatters", "Actual scatters beyond the band from sample to sample: noise on the wire or a coarse sensor, no swing.")
            );
        if (f.BehindSeconds is { } behind)
            notes.Add(new("behind", $"Actual runs about {behind:0.0#} s behind desired."));
        if (f.Steps is 1 or 2)
            notes.Add(new("few-steps", $"Only {f.Steps} step{(f.Steps == 1 ? "" : "s")}: log more for a safer figure."));
        if (f.Short is [var one] && !f.Oscillates)
            notes.Add(
                new(
                    "short-step",
                    $"The step to {one.End:0.##} {unit} at {one.From:0.#} s is never reached, actual ends "
                        + $"{Math.Abs(one.SteadyError!.Value):0.##} {unit} off: log that demand again."
                )
            );
        if (band.Channel is not null)
            notes.Add(new("band-channel", $"The band follows {band.Channel.Name}."));
        return notes;
    }

    /// <summary>True at times that count.</summary>
    private static Func<double, bool> Gate(ReadingRequest request, Dictionary<string, Channel> channels)
    {
        if (!channels.TryGetValue("gate", out var gate))
            return _ => true;
        if (!request.Options.ContainsKey("gate-above"))
            throw new ReadingException("A gate needs --gate-above X: from which value on it counts.");
        var above = request.Number("gate-above", 0);
        return seconds => Resampling.Held(gate, seconds) > above;
    }

    private static double Range(Channel channel) => channel.Samples.Max() - (double)channel.Samples.Min();

    /// <summary>The channel without values that are none.</summary>
    private static Channel Numbers(Channel channel)
    {
        if (channel.Samples.All(float.IsFinite))
            return channel;
        var kept = Enumerable.Range(0, channel.Samples.Length).Where(i => float.IsFinite(channel.Samples[i])).ToArray();
        return channel with
        {
            Time = TimeAxis.FromStamps([.. kept.Select(i => channel.Time[i])]),
            Samples = [.. kept.Select(i => channel.Samples[i])],
        };
    }
}
