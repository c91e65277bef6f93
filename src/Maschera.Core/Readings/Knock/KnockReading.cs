using System.Text.Json.Serialization.Metadata;
using System.Text.RegularExpressions;
using Maschera.Core.Basics;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Knock;

/// <summary>Tells knock from what the knock control takes for it.</summary>
public sealed partial class KnockReading : ReadingOf<KnockResult>
{
    private const int LeastSamples = 20,
        MostDots = 400;

    /// <summary>Factors that must speak the same way.</summary>
    private const int Two = 2;

    public override JsonTypeInfo ResultJson => KnockJson.Default.KnockResult;
    public override string Kind => "knock";
    public override string Title => "Knock control";

    public override string Method =>
        "Episodes are stretches of more than 2° retard for at least a fifth of a second; what is heard is where the retard is not on its "
        + "way back.\n"
        + "Load, heat, mixture, spark and speed each speak for knock, for noise, or say nothing; two that agree and none strongly against "
        + "them decide.";

    public override JobStep Step => JobStep.Look;

    public override IReadOnlyList<Verdict> Verdicts { get; } =
    [
        new("none", Tone.Fine, "no knock"),
        new("likely-real", Tone.Fault, "likely real knock"),
        new("likely-false", Tone.Watch, "likely noise"),
        new("cannot-tell", Tone.Watch, "knock or noise"),
        Verdict.Unusable,
    ];

    public override IReadOnlyList<Role> Roles { get; } =
    [
        new("retard", "Knock retard", [], []),
        new("spark", "Spark angle", [], []),
        new("load", "Load", [], []),
        new("throttle", "Throttle", [], []),
        new("rpm", "Engine speed", [], []),
        new("coolant", "Coolant temperature", [], []),
        new("intake-air", "Intake air temperature", [], []),
        new("ambient", "Ambient temperature", [], []),
        new("mixture", "Mixture", [], []),
        new("gear", "Gear", [], []),
    ];

    public override IEnumerable<Suggestion> Suggest(CaptureFacts capture) =>
        capture.IsLog && capture.Channels.Any(c => RetardNames().IsMatch(c.Name)) ? [new(OnlyIfUsable: true)] : [];

    protected override KnockResult Make(ReadingRequest request, CancellationToken cancel)
    {
        var channels = RoleResolver.Resolve(this, request with { Channels = RoleResolver.WithGuesses(request, RoleOf) });
        RoleResolver.InUnits(channels, ("coolant", "°C"), ("intake-air", "°C"), ("ambient", "°C"), ("mixture", "V"), ("rpm", "rpm"));
        if (!channels.TryGetValue("retard", out var retard))
            return Unusable(channels, new Note("no-retard", "The knock control's retard is needed: --channel retard=COLUMN."));
        if (retard.Samples.Count(float.IsFinite) < LeastSamples)
            return Unusable(channels, new Note("short", "Too few values of the retard: log a drive of some minutes."));
        var log = new KnockLog(channels);
        if (!log.Runs.Contains(true))
            return Unusable(
                channels,
                new Note("engine-off", "The engine stands all through the log. Log a drive with some full throttle in it.")
            );
        return log.Episodes.Count == 0 ? None(channels, log) : Judge(channels, log);
    }

    private static KnockResult None(Dictionary<string, Channel> channels, KnockLog log) =>
        new()
        {
            Verdict = "none",
            Sentence = "The knock control takes nothing back for longer than a blip.",
            Channels = RoleResolver.Names(channels),
            Span = new Stretch(log.Seconds[0], log.Seconds[^1]),
            SharePercent = 0,
        };

    private static KnockResult Judge(Dictionary<string, Channel> channels, KnockLog log)
    {
        var factors = new KnockFactors(log).All;
        var verdict = VerdictOf(factors);
        var episodes = log.Episodes.Select(e => Episode(log, e)).ToList();
        var running = log.Runs.Count(r => r);
        return new KnockResult
        {
            Verdict = verdict,
            Sentence = Sentence(verdict, episodes, factors),
            Notes = Notes(factors),
            Channels = RoleResolver.Names(channels),
            Span = new Stretch(log.Seconds[0], log.Seconds[^1]),
            WorstDegrees = episodes.Max(e => e.Worst),
            SharePercent =
                100.0 * Enumerable.Range(0, log.Retard.Length).Count(i => log.Runs[i] && log.Retard[i] > KnockLog.Counts) / running,
            Episodes = episodes,
            Factors = factors,
            Dots = Dots(log),
        };
    }

    /// <summary>Load and spark speak strongly; heat and mixture do where they speak for real knock.</summary>
    private static string VerdictOf(IReadOnlyList<KnockFactor> factors)
    {
        bool Says(string word, params string[] names)
        {
            foreach (var factor in factors)
                if (factor.SpeaksFor == word && names.Contains(factor.Factor))
                    return true;
            return false;
        }

        int Count(string word) => factors.Count(f => f.SpeaksFor == word && f.Factor != "consistency");
        if (Count(KnockFactors.Real) >= Two && !Says(KnockFactors.False, "load", "spark"))
            return "likely-real";
        return Count(KnockFactors.False) >= Two && !Says(KnockFactors.Real, "load", "spark", "heat", "mixture")
            ? "likely-false"
            : "cannot-tell";
    }

    private static KnockEpisode Episode(KnockLog log, (int First, int End) episode)
    {
        var worst = Enumerable.Range(episode.First, episode.End - episode.First).MaxBy(i => log.Retard[i]);
        double? At(string role) => log.Values(role) is { } values && double.IsFinite(values[worst]) ? values[worst] : null;
        return new(log.Seconds[episode.First], log.Seconds[episode.End - 1], log.Retard[worst], At("rpm"), At("load"), At("throttle"));
    }

    private static List<KnockDot> Dots(KnockLog log)
    {
        var (load, rpm) = (log.LoadOrThrottle, log.Values("rpm"));
        var stride = Math.Max(1, log.Retard.Length / MostDots);
        double? Known(double[]? values, int i) => values is not null && double.IsFinite(values[i]) ? Math.Round(values[i], 1) : null;
        return
        [
            .. Enumerable
                .Range(0, log.Retard.Length / stride)
                .Select(k => k * stride)
                .Where(i => log.Runs[i] && double.IsFinite(log.Retard[i]))
                .Select(i => new KnockDot(Math.Round(log.Retard[i], 1), Known(load, i), Known(rpm, i))),
        ];
    }

    private static string Sentence(string verdict, List<KnockEpisode> episodes, IReadOnlyList<KnockFactor> factors)
    {
        var seen =
            $"Up to {episodes.Max(e => e.Worst):0.#}° taken back in {episodes.Count} {(episodes.Count == 1 ? "episode" : "episodes")}";
        var causes = factors.Where(f => f.SpeaksFor == KnockFactors.Real).Select(f => Cause(f.Factor)).Where(c => c.Length > 0).ToList();
        return verdict switch
        {
            "likely-real" => $"{seen}: likely real knock. Look at "
                + $"{(causes.Count > 0 ? string.Join(", ", causes) + ", then at " : "")}the spark map, plugs "
                + "and carbon.",
            "likely-false" => $"{seen}: likely noise and no knock. Look at mounts, valve gear and what is loose before fuel and spark.",
            _ => $"{seen}; whether it is knock or noise this log can't tell.",
        };
    }

    private static string Cause(string factor) =>
        factor switch
        {
            "heat" => "cooling and intake air",
            "mixture" => "the lean mixture",
            _ => "",
        };

    private static List<Note> Notes(IReadOnlyList<KnockFactor> factors)
    {
        List<Note> notes = [];
        foreach (var factor in factors.Where(f => f.Figure is null && f.Factor != "consistency"))
            notes.Add(new($"no-{factor.Factor}", $"{factor.Text} {ToLog(factor.Factor)}"));
        return notes;
    }

    private static string ToLog(string factor) =>
        factor switch
        {
            "load" => "Log load and throttle: knock comes with load.",
            "heat" => "Log coolant and intake air temperature: knock comes with heat.",
            "mixture" => "Log lambda or the sensor's volts: knock comes with a lean mixture.",
            "spark" => "Log the spark angle: knock goes when it is taken back.",
            _ => "Log the engine speed: noise often has one of its own.",
        };

    private static string? RoleOf(Channel channel) =>
        RetardNames().IsMatch(channel.Name) ? "retard"
        : MixtureNames().IsMatch(channel.Name) ? "mixture"
        : CoolantNames().IsMatch(channel.Name) ? "coolant"
        : AirNames().IsMatch(channel.Name) ? "intake-air"
        : AmbientNames().IsMatch(channel.Name) ? "ambient"
        : SparkNames().IsMatch(channel.Name) ? "spark"
        : LoadNames().IsMatch(channel.Name) ? "load"
        : ThrottleNames().IsMatch(channel.Name) ? "throttle"
        : channel.Unit.Equals("rpm", StringComparison.OrdinalIgnoreCase) ? "rpm"
        : null;

    [GeneratedRegex(@"knock|klopf|\bKR\b|retard|taken back", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex RetardNames();

    [GeneratedRegex(@"lambda|\blam\b|wide.?band|\bafr\b|\bo2\b|oxygen|air.?fuel", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex MixtureNames();

    [GeneratedRegex(@"coolant|\bect\b|kühl", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex CoolantNames();

    [GeneratedRegex(@"intake air|\biat\b|ansaug|charge air", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex AirNames();

    [GeneratedRegex(@"ambient|\baat\b|outside|aussen|außen", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex AmbientNames();

    [GeneratedRegex(@"spark|ignition timing|advance|\badv\b|\bzw\b|zünd|timing", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex SparkNames();

    [GeneratedRegex(@"\bload\b|\blast\b", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex LoadNames();

    [GeneratedRegex(@"throttle|\btp\b|drossel|pedal", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex ThrottleNames();
}
