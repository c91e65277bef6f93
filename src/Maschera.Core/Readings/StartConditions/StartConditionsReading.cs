using System.Text.Json.Serialization.Metadata;
using System.Text.RegularExpressions;
using Maschera.Core.Basics;
using Maschera.Core.Quantities;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.StartConditions;

/// <summary>What keeps an engine from starting, from a log taken while cranking.</summary>
public sealed partial class StartConditionsReading : ReadingOf<StartConditionsResult>
{
    /// <summary>Less cranking tells nothing, s.</summary>
    private const double LeastCranking = 1;

    private static readonly string[] s_needs = ["battery", "speed", "rail-pressure", "sync"];

    public override JsonTypeInfo ResultJson => StartConditionsJson.Default.StartConditionsResult;
    public override string Kind => "start-conditions";
    public override string Title => "Start conditions";

    public override string Method =>
        "Battery and speed are medians while cranking without its first 0.3 s, the rail what it comes to, sync the time until cam and "
        + "crank are in step.\n"
        + "The gates are judged in the order battery, speed, rail, sync, fuel, immobiliser; what follows from one that is shut is not "
        + "accused.";

    public override JobStep Step => JobStep.Look;

    public override IReadOnlyList<Verdict> Verdicts { get; } =
    [
        new("starts", Tone.Fine, "it starts"),
        new("all-met", Tone.Watch, "all met, no start"),
        new("missing", Tone.Fault, "something is missing"),
        Verdict.Unusable,
    ];

    public override IReadOnlyList<Role> Roles { get; } =
    [
        new("rpm", "Engine speed", [], []),
        new("battery", "Battery voltage", [], []),
        new("rail-pressure", "Rail pressure", [], []),
        new("rail-desired", "Rail pressure desired", [], []),
        new("quantity", "Commanded fuel", [], []),
        new("sync", "Cam and crank in step", [], []),
        new("immobiliser", "Immobiliser", [], []),
        new("throttle", "Throttle", [], []),
    ];

    public override IReadOnlyList<ReadingOption> Options { get; } =
    [new("need", "It needs, such as rail-pressure=250", OptionType.Words) { Usual = "9.6 V, 120 or 150 rpm, 200 bar for a diesel" }];

    public override IEnumerable<Suggestion> Suggest(CaptureFacts capture) =>
        capture is { IsLog: true, State: "cranking" } && capture.Channels.Any(c => SyncNames().IsMatch(c.Name))
            ? [new(OnlyIfUsable: true)]
            : [];

    protected override StartConditionsResult Make(ReadingRequest request, CancellationToken cancel)
    {
        var told = Needs(request);
        var channels = RoleResolver.Resolve(this, request with { Channels = RoleResolver.WithGuesses(request, RoleOf) });
        RoleResolver.InUnits(channels, ("battery", "V"), ("rail-pressure", "bar"), ("rail-desired", "bar"), ("rpm", "rpm"));
        if (!channels.ContainsKey("rpm") && !channels.ContainsKey("battery"))
            return Unusable(
                channels,
                new Note(
                    "no-cranking-seen",
                    "Engine speed or battery voltage is needed to see when the starter turns. Log at least one of them."
                )
            );
        var log = new CrankingLog(channels);
        if (log.Span is not { } span || span.To - span.From < LeastCranking)
            return Unusable(
                channels,
                new Note(
                    "not-cranked",
                    $"The engine is turned for {(log.Span is { } s ? s.To - s.From : 0):0.0} s. Log while cranking "
                        + "for five seconds, from key on."
                )
            );
        return Judge(request, channels, log, told);
    }

    private static StartConditionsResult Judge(
        ReadingRequest request,
        Dictionary<string, Channel> channels,
        CrankingLog log,
        IReadOnlyDictionary<string, double> told
    )
    {
        var gates = new Gates(log, request.Engine is { IsDiesel: true }, told).All();
        // A locked immobiliser explains no fuel and no step.
        var first = gates.Find(g => g.IsMissing && (g.Condition != "immobiliser" || !gates.Any(o => o.IsMissing && o != g)));
        var verdict =
            log.Runs ? "starts"
            : first is not null ? "missing"
            : "all-met";
        List<Note> notes = [];
        if (log.Runs && first is not null)
            notes.Add(new("missing-on-the-way", $"It starts, though on the way: {first.Text}"));
        var silent = gates
            .Where(g => g is { State: StartCondition.NotLogged, Figure: null } && g.Text.EndsWith("not logged.", StringComparison.Ordinal))
            .ToList();
        if (silent.Count > 0 && !log.Runs)
            notes.Add(
                new(
                    "not-logged",
                    $"{string.Join(" ", silent.Select(g => g.Text))} Log it as well before this is taken for the whole story."
                )
            );
        if (verdict == "all-met" && Unjudged(gates) is { } brief)
            notes.Add(new("turned-briefly", $"{brief.Text} Turn it for {brief.Need + 1:0} s and log that."));
        if (request.Engine is null)
            notes.Add(new("fuel-unknown", "Whether it is a diesel is not known: the limits of a petrol engine are taken."));
        return new StartConditionsResult
        {
            Verdict = verdict,
            Sentence = Sentence(verdict, first, gates),
            Notes = notes,
            Channels = RoleResolver.Names(channels),
            Span = log.Span!.Value,
            First = verdict == "missing" ? first!.Condition : null,
            Conditions = gates,
        };
    }

    private static string Sentence(string verdict, StartCondition? first, List<StartCondition> gates)
    {
        if (verdict == "starts")
            return "The engine starts.";
        if (verdict == "missing")
            return first!.Text;
        var met = gates.Where(g => g.State == StartCondition.Met).Select(g => Said(g.Condition)).ToList();
        var fine = $"It does not start although {string.Join(", ", met)} {(met.Count == 1 ? "is as it" : "are as they")} should be";
        return Unjudged(gates) is { } brief
            ? $"{fine}. {brief.Text}"
            : $"{fine}: what is left is compression, spark, injectors and what they are fed with.";
    }

    /// <summary>Step of cam and crank, where it was logged and the engine was turned too briefly to miss it; null else.</summary>
    private static StartCondition? Unjudged(List<StartCondition> gates) =>
        gates.Find(g => g is { Condition: "sync", State: StartCondition.NotLogged, Need: not null });

    private static string Said(string condition) =>
        condition switch
        {
            "speed" => "cranking speed",
            "rail-pressure" => "rail pressure",
            "sync" => "step of cam and crank",
            "fuel-command" => "the fuel command",
            _ => condition,
        };

    private static Dictionary<string, double> Needs(ReadingRequest request)
    {
        if (!request.Options.TryGetValue("need", out var text))
            return [];
        var needs = new Dictionary<string, double>();
        foreach (var part in text.Split([' ', ';'], StringSplitOptions.RemoveEmptyEntries))
        {
            var pair = part.Split('=');
            if (pair.Length != 2 || !s_needs.Contains(pair[0]) || TypedNumber.Parse(pair[1]) is not { } number || number <= 0)
                throw new ReadingException(
                    $"--need takes {string.Join(", ", s_needs)} with a number, such as rail-pressure=250, not '{part}'."
                );
            needs[pair[0]] = number;
        }

        return needs;
    }

    private static string? RoleOf(Channel channel) =>
        channel.Unit.Equals("rpm", StringComparison.OrdinalIgnoreCase) ? "rpm"
        : ImmobiliserNames().IsMatch(channel.Name) ? "immobiliser"
        : SyncNames().IsMatch(channel.Name) ? "sync"
        : IsPressure(channel.Unit)
            ? DesiredNames().IsMatch(channel.Name) ? "rail-desired"
                : RailNames().IsMatch(channel.Name) ? "rail-pressure"
                : null
        : UnitConversion.Factor(channel.Unit, "V") is not null && BatteryNames().IsMatch(channel.Name) ? "battery"
        : QuantityNames().IsMatch(channel.Name) ? "quantity"
        : ThrottleNames().IsMatch(channel.Name) ? "throttle"
        : null;

    private static bool IsPressure(string unit) => UnitConversion.Factor(unit, "bar") is not null;

    [GeneratedRegex(@"immo|\bWFS\b|wegfahr", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex ImmobiliserNames();

    [GeneratedRegex(@"sync|\bNW KW\b|cam.?crank|in step", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex SyncNames();

    [GeneratedRegex(@"soll|desired|target|set\b|demand|command", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex DesiredNames();

    [GeneratedRegex(@"rail|\bFRP\b|fuel|kraftstoff", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex RailNames();

    [GeneratedRegex(@"batt|supply|ubat|\bB\+|bord", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex BatteryNames();

    [GeneratedRegex(
        @"quantity|menge|inject|\binj\b|\bti\b|fuel demand|on.?time|einspritz",
        RegexOptions.IgnoreCase | RegexOptions.CultureInvariant
    )]
    private static partial Regex QuantityNames();

    [GeneratedRegex(@"throttle|\btp\b|drossel|pedal", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex ThrottleNames();
}
