using System.Globalization;
using System.Text.Json.Serialization;
using System.Text.RegularExpressions;
using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Contribution;

/// <summary>One cylinder's balance: the typical value and its spread, in the log's unit, and how far it lies from the others.</summary>
/// <param name="Weak">How much less it gives than the median of the others, whichever way the vehicle counts.</param>
/// <param name="IsOdd">True where it stands clear of the others.</param>
public sealed record CylinderBalance(int Cylinder, double Value, double Spread, double Weak, bool IsOdd);

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

/// <summary>Reads the balance a vehicle logs for each cylinder and names the one that stands out.</summary>
public sealed partial class ContributionReading : ReadingOf<ContributionResult>
{
    private const int MostCylinders = 16,
        LeastValues = 5;

    /// <summary>A cylinder stands out from so many times the scatter of the others.</summary>
    private const double Clear = 4;

    public override string Method =>
        "The median of each cylinder's logged balance, against the median of all others; it stands out where it lies clear of their "
        + "scatter and of its own spread.\n"
        + "Vehicles count both ways: fuel added to a weak cylinder makes a higher figure, a speed that drops a lower one. Which way "
        + "is guessed from the unit, or said.";

    public override string Kind => "contribution";
    public override string Title => "Contribution";

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
            .Where(c => int.Parse(c.Key[8..], CultureInfo.InvariantCulture) <= request.Engine!.Cylinders)
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
        return Build(request, channels, own, units[0]);
    }

    private static ContributionResult Build(
        ReadingRequest request,
        Dictionary<string, Channel> channels,
        Dictionary<int, Channel> own,
        string unit
    )
    {
        List<Note> notes = [];
        var sign = Sign(request, unit, own.Values.First().Name, notes);
        var figures = own.Select(c => (Cylinder: c.Key, Values: Statistics.Sorted(c.Value.Samples.Select(v => (double)v))))
            .Select(c =>
                (
                    c.Cylinder,
                    Value: Statistics.Quantile(c.Values, 0.5),
                    Spread: 0.7413 * (Statistics.Quantile(c.Values, 0.75) - Statistics.Quantile(c.Values, 0.25))
                )
            )
            .ToList();
        var balances = figures
            .Select(f =>
            {
                var others = figures.Where(o => o.Cylinder != f.Cylinder).ToList();
                var usual = Statistics.Median(others.Select(o => o.Value));
                var scatter = 1.4826 * Statistics.Median(others.Select(o => Math.Abs(o.Value - usual)));
                var own = others.Average(o => o.Spread);
                var off = f.Value - usual;
                var odd =
                    Math.Abs(off) > Clear * Math.Max(scatter, Math.Max(0.5 * own, 0.08 * figures.Max(o => Math.Abs(o.Value))))
                    && Math.Abs(off) > 2 * f.Spread;
                return new CylinderBalance(f.Cylinder, f.Value, f.Spread, sign == "higher-is-weak" ? off : -off, odd);
            })
            .OrderBy(b => b.Cylinder)
            .ToList();
        var odd = balances.Where(b => b.IsOdd).OrderByDescending(b => Math.Abs(b.Weak)).ToList();
        return new ContributionResult
        {
            Verdict =
                odd.Count == 0 ? "even"
                : odd.Count == 1 ? "one-odd"
                : "several-odd",
            Sentence =
                odd.Count == 0
                    ? "All cylinders give about the same."
                    : $"Cylinder {odd[0].Cylinder} gives clearly {(odd[0].Weak > 0 ? "less" : "more")} than the others: "
                        + $"{figures.First(f => f.Cylinder == odd[0].Cylinder).Value:0.##} {unit}".TrimEnd()
                        + (odd.Count == 0 ? "" : "."),
            Notes = notes,
            Channels = RoleResolver.Names(channels),
            Span = new Stretch(own.Values.Min(c => c.Time.Start), own.Values.Max(c => c.Time.End)),
            Unit = unit,
            Sign = sign,
            Cylinders = balances,
        };
    }

    private static string Sign(ReadingRequest request, string unit, string name, List<Note> notes)
    {
        if (request.Options.TryGetValue("weak-is", out var said))
            return said switch
            {
                "higher" => "higher-is-weak",
                "lower" => "lower-is-weak",
                _ => throw new ReadingException($"--weak-is takes higher or lower, not '{said}'."),
            };
        var fuel = unit is "mg/stroke" or "mg/str" or "mm³" or "mg" or "%" || FuelNames().IsMatch(name);
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

    /// <summary>Columns that name a cylinder: those of the wording that comes once for most of them.</summary>
    private static Dictionary<string, string> ByName(Signals.Capture capture, Engine engine)
    {
        var found = capture
            .Channels.Select(c => (Channel: c.Name, Match: CylinderNames().Match(c.Name)))
            .Where(c =>
                c.Match.Success
                && int.Parse(c.Match.Groups[1].Value, CultureInfo.InvariantCulture) is var n
                && n >= 1
                && n <= engine.Cylinders
            )
            .GroupBy(c => c.Channel.Remove(c.Match.Index, c.Match.Length).Trim(), StringComparer.OrdinalIgnoreCase)
            .OrderByDescending(g => g.Count())
            .FirstOrDefault();
        return found?.GroupBy(c => "cylinder" + c.Match.Groups[1].Value).ToDictionary(g => g.Key, g => g.First().Channel) ?? [];
    }

    [GeneratedRegex(
        @"(?:cylinder|cyl\.?|zylinder|zyl\.?|cilindro|cylindre)\s*_?0?(\d{1,2})(?!\d)",
        RegexOptions.IgnoreCase | RegexOptions.CultureInvariant
    )]
    private static partial Regex CylinderNames();

    [GeneratedRegex(
        "fuel|quantity|menge|injection|balance rate|correction|korrektur",
        RegexOptions.IgnoreCase | RegexOptions.CultureInvariant
    )]
    private static partial Regex FuelNames();
}
