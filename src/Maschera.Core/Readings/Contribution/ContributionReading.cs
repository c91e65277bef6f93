using System.Globalization;
using System.Text.Json;
using System.Text.Json.Serialization;
using System.Text.Json.Serialization.Metadata;
using System.Text.RegularExpressions;
using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Contribution;

/// <summary>One cylinder's balance: the typical value and its spread, in the log's unit, and how far it lies from the others.</summary>
/// <param name="Weak">How much less it gives than the median of the others, whichever way the vehicle counts.</param>
/// <param name="IsOdd">True where it stands clear of the others.</param>
public sealed record CylinderBalance(int Cylinder, double Value, double Spread, double Weak, bool IsOdd)
{
    /// <summary>True where it still moves away at the end of the log.</summary>
    [JsonIgnore]
    public bool IsLearning { get; init; }

    /// <summary>True where it lies apart, but not clear enough of the others' scatter to be called odd.</summary>
    [JsonIgnore]
    public bool IsClose { get; init; }
}

/// <summary>Contribution or balance of each cylinder as the vehicle logs it.</summary>
public sealed record ContributionResult : ReadingResult
{
    public string Unit { get; init; } = "";

    /// <summary>"higher-is-weak" where fuel is added to a weak cylinder, "lower-is-weak" where its speed or work is told.</summary>
    public string Sign { get; init; } = "";

    public IReadOnlyList<CylinderBalance> Cylinders { get; init; } = [];

    /// <summary>The rim is the usual cylinder, a shorter spoke gives less; without the odd ones all reach it.</summary>
    public override CylinderWheel OnWheel(Engine engine)
    {
        var most = Math.Max(1e-9, Cylinders.Select(c => Math.Abs(c.Weak)).DefaultIfEmpty(0).Max());
        return new(
            "Contribution: shorter gives less",
            [
                .. engine.FiringOrder.Select(number =>
                    Cylinders.FirstOrDefault(c => c.Cylinder == number) is { } own
                        ? new WheelCell($"{number}", 100 - (own.IsOdd ? 60 * own.Weak / most : 0), own.IsOdd)
                        : new WheelCell($"{number}", null, false)
                ),
            ],
            ShowsPercent: false
        );
    }

    [JsonIgnore]
    public override IReadOnlyList<LedgerEntry> Ledger =>
        [.. Cylinders.Select(c => new LedgerEntry(c.Cylinder, c.Value, c.Spread, Unit.Length > 0 ? Unit : "as logged", c.IsOdd))];
}

/// <summary>How it is written as JSON, worked out when building.</summary>
[JsonSourceGenerationOptions(JsonSerializerDefaults.Web)]
[JsonSerializable(typeof(ContributionResult))]
internal sealed partial class ContributionJson : JsonSerializerContext;

/// <summary>Reads the balance a vehicle logs for each cylinder and names the one that stands out.</summary>
public sealed partial class ContributionReading : ReadingOf<ContributionResult>
{
    private const int MostCylinders = 16,
        LeastValues = 5;

    public override string Method =>
        "The median of each cylinder's logged balance, against the median of all others; it stands out where it lies clear of their "
        + "scatter and of its own spread.\n"
        + "Vehicles count both ways: fuel added to a weak cylinder makes a higher figure, a speed that drops a lower one. Which way "
        + "is guessed from the unit, or said.";

    public override JsonTypeInfo ResultJson => ContributionJson.Default.ContributionResult;
    public override string Kind => "contribution";
    public override string Title => "Contribution";
    public override string Brief => "contrib.";

    public override JobStep Step => JobStep.Look;
    public override IReadOnlyList<Verdict> Verdicts { get; } =
    [
        new("even", Tone.Fine, "all alike"),
        new("one-odd", Tone.Fault, "one cylinder odd"),
        new("several-odd", Tone.Fault, "several cylinders odd"),
        Verdict.Unusable,
    ];

    public override IReadOnlyList<ReadingOption> Options { get; } =
    [
        new("weak-is", "A weak cylinder shows a", OptionType.Choice)
        {
            Usual = "guess by unit",
            Choices = [("higher", "higher figure (fuel added)"), ("lower", "lower figure (speed, work)")],
        },
    ];

    public override IReadOnlyList<Role> RolesFor(Engine? engine) => engine is null ? Roles : [.. Roles.Take(engine.Cylinders)];

    public override IEnumerable<Suggestion> Suggest(CaptureFacts capture) =>
        capture.IsLog && capture.Channels.Count(c => CylinderNames().IsMatch(c.Name)) >= 3 ? [new(OnlyIfUsable: true)] : [];

    public override bool NeedsEngine => true;
    public override IReadOnlyList<Role> Roles { get; } =
    [.. Enumerable.Range(1, MostCylinders).Select(n => new Role($"cylinder{n}", $"Cylinder {n}", [], []))];

    protected override ContributionResult Make(ReadingRequest request, CancellationToken cancel)
    {
        var named = request.Channels.Count > 0 ? request.Channels : ByName(request.Capture, request.Engine!);
        var channels = RoleResolver.Resolve(this, request with { Channels = named });
        var own = channels
            .Where(c => request.Engine!.FiringOrder.Contains(int.Parse(c.Key[8..], CultureInfo.InvariantCulture)))
            .ToDictionary(c => int.Parse(c.Key[8..], CultureInfo.InvariantCulture), c => c.Value);
        if (own.Count < 3)
            return Unusable(
                channels,
                new Note(
                    "no-balance",
                    $"At least three cylinders are needed to tell which is odd; {own.Count} were found. Name them with --channel "
                        + $"cylinder1=COLUMN and so on."
                )
            );
        if (own.Values.Any(c => c.Samples.Count(float.IsFinite) < LeastValues))
            return Unusable(
                channels,
                new Note("short", $"Fewer than {LeastValues} values of a cylinder: log half a minute at a warm idle.")
            );
        var units = own.Values.Select(c => c.Unit).Distinct().ToList();
        if (units.Count > 1)
            return Unusable(channels, new Note("units", $"The cylinders come in different units ({string.Join(", ", units)})."));
        var rests = Rests.Of(own.Values);
        var active = own.ToDictionary(c => c.Key, c => Rests.Without(c.Value, rests));
        if (active.Values.Any(c => c.Samples.Count(float.IsFinite) < LeastValues))
            return Unusable(
                channels,
                new Note(
                    "at-rest",
                    "All cylinders show one and the same figure: the module does not balance here. Most do so at a warm idle only: log "
                        + "half a minute of that."
                )
            );
        return Build(request, channels, active, AtRest(rests, units[0], own.Values.First()));
    }

    private static List<Note> AtRest(IReadOnlyList<Stretch> rests, string unit, Channel column) =>
        rests.Count == 0
            ? []
            :
            [
                new(
                    "at-rest",
                    $"For {rests.Sum(r => r.To - r.From):0} s, first at {rests[0].From:0.0} s, all cylinders show "
                        + $"{Resampling.Held(column, rests[0].From):0.##} {unit}".TrimEnd()
                        + ": the module does not balance there, and that is left out."
                ),
            ];

    private static ContributionResult Build(
        ReadingRequest request,
        Dictionary<string, Channel> channels,
        Dictionary<int, Channel> own,
        List<Note> notes
    )
    {
        var unit = own.Values.First().Unit;
        var sign = Sign(request, unit, own.Values.First().Name, notes);
        var missing = request.Engine!.FiringOrder.Where(number => !own.ContainsKey(number)).Order().ToList();
        if (missing.Count > 0)
            notes.Add(
                new Note(
                    "no-column",
                    $"Nothing is logged for cylinder {string.Join(", ", missing)}: it is left out, and could be the odd one."
                )
            );
        var balances = Balances.Judge(own, sign == "higher-is-weak");
        var learning = balances.Where(b => b.IsLearning).Select(b => b.Cylinder).ToList();
        if (learning.Count > 0)
            notes.Add(
                new Note(
                    "still-learning",
                    $"Cylinder {string.Join(", ", learning)} still moves at the end of the log: the module has not finished balancing. "
                        + "Log half a minute longer for the figure."
                )
            );
        if (balances.Where(b => b.IsClose).ToList() is { Count: > 0 } close)
            notes.Add(
                new Note(
                    "close",
                    $"Cylinder {string.Join(", ", close.Select(c => c.Cylinder))} lies apart, but not clear of how much the others "
                        + "differ: log again, or check it another way, before it counts as sound or as odd."
                )
            );
        var odd = balances.Where(b => b.IsOdd).OrderByDescending(b => Math.Abs(b.Weak)).ToList();
        return new ContributionResult
        {
            Verdict =
                odd.Count == 0 ? "even"
                : odd.Count == 1 ? "one-odd"
                : "several-odd",
            Sentence = odd.Count == 0 ? "All cylinders give about the same." : string.Join(" ", odd.Select(o => Said(o, unit))),
            Notes = notes,
            Channels = RoleResolver.Names(channels),
            Span = new Stretch(own.Values.Min(c => c.Time.Start), own.Values.Max(c => c.Time.End)),
            Unit = unit,
            Sign = sign,
            Cylinders = balances,
        };
    }

    private static string Said(CylinderBalance odd, string unit) =>
        $"Cylinder {odd.Cylinder} gives clearly {(odd.Weak > 0 ? "less" : "more")} than the others: {odd.Value:0.##} {unit}".TrimEnd()
        + ".";

    private static string Sign(ReadingRequest request, string unit, string name, List<Note> notes)
    {
        if (request.Options.TryGetValue("weak-is", out var said))
            return said switch
            {
                "higher" => "higher-is-weak",
                "lower" => "lower-is-weak",
                _ => throw new ReadingException($"--weak-is takes higher or lower, not '{said}'."),
            };
        var fuel = !WorkNames().IsMatch(name) && (FuelUnits().IsMatch(unit) || FuelNames().IsMatch(name));
        notes.Add(
            new Note(
                "sign-guessed",
                fuel
                    ? "The figures are taken for fuel added: a higher one means a weaker cylinder. Say so if this vehicle counts the "
                        + "other way."
                    : "The figures are taken for speed or work: a lower one means a weaker cylinder. Say so if this vehicle counts "
                        + "the other way."
            )
        );
        return fuel ? "higher-is-weak" : "lower-is-weak";
    }

    /// <summary>
    /// Columns that name a cylinder: those of the wording that comes once for most of them, with a cylinder's word before the
    /// number, or else with the number alone.
    /// </summary>
    private static Dictionary<string, string> ByName(Signals.Capture capture, Engine engine)
    {
        var named = ByName(capture, engine, CylinderNames());
        return named.Count >= 3 ? named : ByName(capture, engine, BareNumbers());
    }

    private static Dictionary<string, string> ByName(Signals.Capture capture, Engine engine, Regex number)
    {
        var found = capture
            .Channels.Select(c => (Channel: c.Name, Match: number.Match(c.Name)))
            .Where(c => c.Match.Success && engine.FiringOrder.Contains(NumberOf(c.Match)))
            .GroupBy(c => c.Channel.Remove(c.Match.Index, c.Match.Length).Trim(), StringComparer.OrdinalIgnoreCase)
            .OrderByDescending(g => g.Select(c => NumberOf(c.Match)).Distinct().Count())
            .FirstOrDefault();
        return found?.GroupBy(c => $"cylinder{NumberOf(c.Match)}").ToDictionary(g => g.Key, g => g.First().Channel) ?? [];
    }

    private static int NumberOf(Match match) => int.Parse(match.Groups[1].Value, CultureInfo.InvariantCulture);

    [GeneratedRegex(
        @"(?:cylinder|cyl\.?|zylinder|zyl\.?|cilindro|cylindre)\s*_?0?(\d{1,2})(?!\d)",
        RegexOptions.IgnoreCase | RegexOptions.CultureInvariant
    )]
    private static partial Regex CylinderNames();

    /// <summary>The only whole number of a name.</summary>
    [GeneratedRegex(@"(?<=^[^\d]*)\b0?(\d{1,2})\b(?=[^\d]*$)", RegexOptions.CultureInvariant)]
    private static partial Regex BareNumbers();

    [GeneratedRegex(
        "fuel|quantity|menge|injection|balance rate|correction|korrektur|trim",
        RegexOptions.IgnoreCase | RegexOptions.CultureInvariant
    )]
    private static partial Regex FuelNames();

    /// <summary>What tells of work done, though it may come in percent or be called a correction.</summary>
    [GeneratedRegex(
        "torque|power|share|speed|work|moment|leistung|drehzahl|couple|coppia|roughness",
        RegexOptions.IgnoreCase | RegexOptions.CultureInvariant
    )]
    private static partial Regex WorkNames();

    /// <summary>A mass or a volume, by the stroke or alone.</summary>
    [GeneratedRegex(@"^(?:mg|mm³|mm3|mm\^3|µl|ul)(?:\b|/|$)", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex FuelUnits();
}
