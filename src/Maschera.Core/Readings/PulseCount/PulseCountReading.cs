using System.Globalization;
using System.Text.Json.Serialization.Metadata;
using System.Text.RegularExpressions;
using Maschera.Core.Basics;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.PulseCount;

/// <summary>Counts the pulses of a toothed or magnetic target against what a revolution should give.</summary>
public sealed partial class PulseCountReading : ReadingOf<PulseCountResult>
{
    private const int LeastPulses = 4;

    public override JsonTypeInfo ResultJson => PulseCountJson.Default.PulseCountResult;
    public override string Kind => "pulse-count";
    public override string Title => "Pulse count";

    public override string Method =>
        "Revolutions are told by the mark, by how often the wheel was turned by hand, or by the pattern that repeats; what most of them "
        + "count is the ring.\n"
        + "A gap at the same tooth of nearly every revolution is a tooth that is gone, one elsewhere a pulse that was lost; run-out is "
        + "half of the largest less the smallest mean tooth. "
        + "Beside another sensor, pulses of the same pace are compared; how a signal swells within a revolution is freed of the pace.";

    public override JobStep Step => JobStep.Circuit;

    public override IReadOnlyList<Verdict> Verdicts { get; } =
    [
        new("matches", Tone.Fine, "the count is right"),
        new("short", Tone.Fault, "too few"),
        new("extra", Tone.Fault, "too many"),
        new("irregular", Tone.Fault, "uneven ring"),
        new("drops-out", Tone.Fault, "pulses get lost"),
        Verdict.Unusable,
    ];

    public override IReadOnlyList<Role> Roles { get; } =
    [
        new("signal", "Signal", [], []),
        new("mark", "One event a revolution", [], []),
        new("other", "Sensor of the other side, to compare with", [], []),
    ];

    public override IReadOnlyList<ReadingOption> Options { get; } =
    [
        new("target", "Pulses a revolution should give", OptionType.WholeNumber),
        new("revolutions", "Turned by hand exactly", OptionType.Number) { Unit = "times" },
        new("low", "Low level from..to", OptionType.Words),
        new("high", "High level from..to", OptionType.Words),
    ];

    /// <summary>Where a wheel's sensor was captured; two of them are each held against the other.</summary>
    public override IEnumerable<Suggestion> Suggest(CaptureFacts capture)
    {
        var sensors =
            capture.IsLog || capture.State is "idle" or "load" or "cranking" ? [] : capture.Channels.Where(IsWheelSensor).ToList();
        return sensors.Count switch
        {
            1 => [new(new Dictionary<string, string> { ["signal"] = sensors[0].Name }, OnlyIfUsable: true)],
            2 => [Pair(sensors[0], sensors[1]), Pair(sensors[1], sensors[0])],
            _ => [],
        };
    }

    private static bool IsWheelSensor(ChannelFacts channel) =>
        channel.Unit == "V" && WheelSensors().IsMatch(channel.Name) && !MarkNames().IsMatch(channel.Name);

    private static Suggestion Pair(ChannelFacts own, ChannelFacts other) =>
        new(new Dictionary<string, string> { ["signal"] = own.Name, ["other"] = other.Name }, OnlyIfUsable: true);

    /// <summary>Two sensors of one capture are a question each.</summary>
    public override string Identity(IReadOnlyDictionary<string, string> channels) => channels.GetValueOrDefault("signal", "");

    public override string TitleOf(ReadingResult result) =>
        result.Channels.TryGetValue("signal", out var signal) ? $"{Title}: {signal}" : Title;

    protected override PulseCountResult Make(ReadingRequest request, CancellationToken cancel)
    {
        var asked = Asked.Of(request);
        var channels = RoleResolver.Resolve(this, request with { Channels = WithGuesses(request) });
        if (!channels.TryGetValue("signal", out var signal))
            return Unusable(channels, new Note("no-signal", "The pulses to count are needed: --channel signal=COLUMN."));
        if (!signal.Samples.Any(float.IsFinite))
            return Unusable(channels, new Note("empty", $"'{signal.Name}' has no value."));
        var pulses = PulseEdges.Find(signal);
        if (pulses.Count < LeastPulses)
            return Unusable(
                channels,
                new Note("no-pulses", $"'{signal.Name}' gives no pulses. Turn the wheel while capturing; check the gap and the supply.")
            );
        if (SamplesAPulse(pulses, signal) is var samples && samples < PulseEdges.LeastSamples)
            return Unusable(
                channels,
                new Note(
                    "undersampled",
                    $"A pulse has {samples:0.0} samples; at least three are needed, ten are better. Capture faster, "
                        + "or turn the wheel slower."
                )
            );
        return Count(request, channels, pulses, asked);
    }

    private static PulseCountResult Count(ReadingRequest request, Dictionary<string, Channel> channels, PulseEdges pulses, Asked asked)
    {
        var marks = channels.TryGetValue("mark", out var mark) ? Events(mark) : [];
        (pulses, var turns) = Revolutions(pulses, marks, asked);
        if (turns is null)
            return Unusable(
                channels,
                new Note(
                    "no-revolution",
                    "Nothing tells a revolution: no mark, no pattern that repeats. Turn the wheel by hand a whole "
                        + "number of times between two "
                        + "pieces of tape and say how often, or capture a mark with it."
                )
            );
        if (marks.Length > 1 && Scattered(turns.Counts))
            return Unusable(
                channels,
                new Note(
                    "counts-differ",
                    $"The revolutions count {Listed(turns.Counts)} pulses: capture faster, or check the mark for double events."
                )
            );
        var ring = new RingMeasure(pulses, turns, asked.Target);
        return new PulseCountMaker(request, channels, pulses, turns, ring, asked).Make();
    }

    /// <summary>Marks first, then turns by hand, then the pattern; pulses counted by the edge that lies further from the mark.</summary>
    private static (PulseEdges Pulses, Turns? Turns) Revolutions(PulseEdges pulses, double[] marks, Asked asked)
    {
        if (marks.Length > 1)
        {
            var chosen = Clear(pulses, marks) >= Clear(pulses.Turned, marks) ? pulses : pulses.Turned;
            return (chosen, Turns.ByMark(chosen, marks));
        }

        if (asked.Revolutions is { } revolutions)
        {
            var even = pulses.Count % revolutions == 0 || pulses.Ends.Length % revolutions != 0;
            return even ? (pulses, Turns.ByHand(pulses, revolutions)) : (pulses.Turned, Turns.ByHand(pulses.Turned, revolutions));
        }

        return (pulses, Turns.ByPattern(pulses, asked.Target));
    }

    /// <summary>How far the marks stay clear of the pulses' edges, in pitches, the worst of them.</summary>
    private static double Clear(PulseEdges pulses, double[] marks)
    {
        var clear = 1.0;
        foreach (var mark in marks)
        {
            var after = PulseEdges.FirstAfter(pulses.Begins, mark);
            if (after == 0 || after >= pulses.Count)
                continue;
            var pitch = pulses.Begins[after] - pulses.Begins[after - 1];
            clear = Math.Min(clear, Math.Min(pulses.Begins[after] - mark, mark - pulses.Begins[after - 1]) / pitch);
        }

        return clear;
    }

    /// <summary>When the mark comes: the edges away from the level it rests at.</summary>
    private static double[] Events(Channel mark)
    {
        var rails = PulseTrain.FindRails(mark.Samples);
        var low = Statistics.Quantile(mark.Samples, 0.001);
        var high = Statistics.Quantile(mark.Samples, 0.999);
        var rest = Statistics.Quantile(mark.Samples, 0.5);
        var (bottom, top) = (
            mark.Samples.Where(float.IsFinite).DefaultIfEmpty(0).Min(),
            mark.Samples.Where(float.IsFinite).DefaultIfEmpty(0).Max()
        );
        if (!(top > bottom))
            return [];
        var up = top - rest > rest - bottom;
        // A short mark is too rare for quantiles: its height is the extreme one.
        var reach = new Rails(up ? Math.Min(rest, low) : bottom, up ? top : Math.Max(rest, high));
        return
        [
            .. PulseTrain
                .FindEdges(mark, rails.Swing > 0.5 * reach.Swing ? rails : reach, 0.1)
                .Where(e => e.Rising == up)
                .Select(e => e.Seconds),
        ];
    }

    /// <summary>The middle of the shorter half of the intervals, in samples.</summary>
    private static double SamplesAPulse(PulseEdges pulses, Channel signal) =>
        Statistics.Quantile(Statistics.Sorted(pulses.Begins.Zip(pulses.Begins.Skip(1), (a, b) => b - a)), 0.25) / signal.Time.Step;

    /// <summary>True where revolutions count so differently that it is no ring that loses a pulse now and then.</summary>
    private static bool Scattered(int[] counts)
    {
        var middle = Statistics.Median(counts.Select(c => (double)c));
        return counts.Length > 1 && counts.Count(c => Math.Abs(c - middle) > Math.Max(2, 0.25 * middle)) > counts.Length / 2;
    }

    private static string Listed(int[] counts) => string.Join(", ", counts.Take(6)) + (counts.Length > 6 ? " …" : "");

    private static Dictionary<string, string> WithGuesses(ReadingRequest request)
    {
        var named = request.Channels.ToDictionary(c => c.Key, c => c.Value);
        var free = request.Capture.Channels.Where(c => !named.Values.Contains(c.Name, StringComparer.OrdinalIgnoreCase)).ToList();
        if (
            !named.ContainsKey("mark")
            && !request.Options.ContainsKey("revolutions")
            && free.FirstOrDefault(c => MarkNames().IsMatch(c.Name)) is { } mark
        )
        {
            named["mark"] = mark.Name;
            free.Remove(mark);
        }

        if (!named.ContainsKey("signal") && free.Count > 0)
            named["signal"] = free.OrderByDescending(c => SignalNames().IsMatch(c.Name)).First().Name;
        return named;
    }

    [GeneratedRegex(@"\bmark|index|strobe|once|turn\b|revolution|tape|marke", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex MarkNames();

    [GeneratedRegex(@"(?:wheel|front|rear|left|right|ring)\b.*\bsensor", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex WheelSensors();

    [GeneratedRegex("ring|wheel|tooth|teeth|speed|sensor|pickup|geber|pulse", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex SignalNames();

    /// <summary>What was asked for.</summary>
    internal sealed record Asked(int? Target, int? Revolutions, (double From, double To)? Low, (double From, double To)? High)
    {
        private const double MostAsked = 100_000;

        public static Asked Of(ReadingRequest request) =>
            new(Positive(request, "target"), Positive(request, "revolutions"), Window(request, "low"), Window(request, "high"));

        private static int? Positive(ReadingRequest request, string option)
        {
            if (!request.Options.ContainsKey(option))
                return null;
            var number = request.Number(option, 0);
            return number >= 1 && number <= MostAsked && number == Math.Round(number)
                ? (int)number
                : throw new ReadingException($"--{option} takes a whole number above 0, not '{request.Options[option]}'.");
        }

        private static (double, double)? Window(ReadingRequest request, string option)
        {
            if (!request.Options.TryGetValue(option, out var text))
                return null;
            var ends = text.Split("..");
            return ends.Length == 2 && TypedNumber.Parse(ends[0]) is { } from && TypedNumber.Parse(ends[1]) is { } to && from <= to
                ? (from, to)
                : throw new ReadingException($"--{option} takes two levels such as 0.2..0.8, not '{text}'.");
        }
    }
}
