using System.Globalization;
using System.Text.Json.Serialization.Metadata;
using System.Text.RegularExpressions;
using Maschera.Core.Basics;
using Maschera.Core.Quantities;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.InjectorBalance;

/// <summary>What each injector takes from the rail with the engine standing.</summary>
public sealed partial class InjectorBalanceReading : ReadingOf<InjectorBalanceResult>
{
    /// <summary>With fewer samples a pulse its length is not seen well enough for an outlier's eight percent.</summary>
    private const double FewSamples = 12;

    private const int MostPulses = 16,
        MostPoints = 120;

    public override JsonTypeInfo ResultJson => InjectorBalanceJson.Default.InjectorBalanceResult;
    public override string Kind => "injector-balance";
    public override string Title => "Injector balance";
    public override string Brief => "flow";

    public override string Method =>
        "The drop of each pulse is the level before it less the level behind it, both brought to its middle by what leaks away between "
        + "the pulses.\n"
        + "Flow is drop a second by the square root of the pressure; an injector stands out 8 % and more off the median of the others and "
        + "clear of its spread.";

    public override JobStep Step => JobStep.IntoTheCylinder;

    public override IReadOnlyList<Verdict> Verdicts { get; } =
    [
        new("even", Tone.Fine, "all alike"),
        new("outliers", Tone.Fault, "some stand out"),
        new("all-low", Tone.Fault, "all give too little"),
        new("all-high", Tone.Fault, "all give too much"),
        Verdict.Unusable,
    ];

    public override IReadOnlyList<Role> Roles { get; } =
    [
        new("pressure", "Rail pressure", [], []),
        new("pulse", "Injector pulse", [], []),
        .. Enumerable.Range(1, MostPulses).Select(n => new Role($"pulse{n}", $"Pulse of injector {n}", [], [])),
    ];

    public override IReadOnlyList<ReadingOption> Options { get; } =
    [new("order", "Fired in the order", OptionType.Words) { Usual = "the firing order" }];

    public override IReadOnlyList<Role> RolesFor(Engines.Engine? engine) => [.. Roles.Take(2 + (engine?.Cylinders ?? 0))];

    public override bool TakesReference => true;

    public override IReadOnlyList<string> ReferenceRoles => ["pressure"];

    /// <summary>Where a rail's pressure was captured with the injectors' command, the engine standing.</summary>
    public override IEnumerable<Suggestion> Suggest(CaptureFacts capture) =>
        capture.State is not ("idle" or "load" or "cranking" or "deceleration")
        && capture.Channels.Any(c => RailNames().IsMatch(c.Name))
        && capture.Channels.Any(c => c.Name.Contains("inject", StringComparison.OrdinalIgnoreCase))
            ? [new(OnlyIfUsable: true)]
            : [];

    protected override InjectorBalanceResult Make(ReadingRequest request, CancellationToken cancel)
    {
        var order = Order(request);
        var channels = RoleResolver.Resolve(this, request with { Channels = WithGuesses(request.Capture, request.Channels) });
        if (!channels.TryGetValue("pressure", out var pressure))
            return Unusable(channels, new Note("no-pressure", "The rail's pressure is needed: --channel pressure=COLUMN."));
        if (order is null)
            return Unusable(
                channels,
                new Note("no-order", "In which order the injectors were fired is needed: --order 1,3,4,2 or an engine.")
            );
        var set = RailSet.Of(channels, pressure, order);
        return set.Problem is { } problem ? Unusable(channels, problem) : Judge(request, channels, set, order);
    }

    private InjectorBalanceResult Judge(ReadingRequest request, Dictionary<string, Channel> channels, RailSet set, IReadOnlyList<int> order)
    {
        var unit = channels["pressure"].Unit;
        var cylinders = set.Cylinders.Distinct().ToList();
        var flows = cylinders.Select(c => Statistics.Median(set.FlowsOf(c))).ToList();
        var doubts = cylinders.Select(set.DoubtOf).ToList();
        var (usual, isOut) = InjectorFlows.Judge(flows, doubts);
        var injectors = order.Where(cylinders.Contains).Distinct().Select(c => Injector(set, c, usual)).ToList();
        List<InjectorOutlier> outliers =
        [
            .. injectors.Where(i => isOut[cylinders.IndexOf(i.Cylinder)]).Select(i => new InjectorOutlier(i.Cylinder, i.FlowPercent)),
        ];
        List<Note> notes = [];
        var against = Against(request, channels, usual, unit, order, notes);
        var verdict =
            outliers.Count > 0 ? "outliers"
            : against < 100 - 100 * InjectorFlows.Outlying ? "all-low"
            : against > 100 + 100 * InjectorFlows.Outlying ? "all-high"
            : "even";
        if (against is null)
            notes.Add(new("alike-is-not-good", "Without a known-good set of this engine all may be equally bad: alike is not yet good."));
        if (outliers.Count * 2 >= injectors.Count && outliers.Count > 0)
            notes.Add(
                new("which-half", "Half of the injectors differ from the other half: which of them is right the capture can't tell.")
            );
        if (!set.HasPulses)
            notes.Add(new("no-pulse", "The injectors' pulse was not captured: pulses are told by the flanks of the pressure."));
        var perPulse = Statistics.Median(set.Drops.All.Select(d => d.Pulse.Seconds)) / set.Step;
        if (perPulse < FewSamples)
            notes.Add(
                new(
                    "coarse",
                    $"A pulse has {perPulse:0} samples: pulses of one length are taken for granted, for one sample more or less would be "
                        + $"{100 / perPulse:0} % of flow. Sample faster."
                )
            );
        return new InjectorBalanceResult
        {
            Verdict = verdict,
            Sentence = Sentence(verdict, outliers, injectors, against),
            Notes = notes,
            Channels = RoleResolver.Names(channels),
            Span = new Stretch(set.Drops.All[0].Pulse.From, set.Drops.All[^1].Pulse.To),
            Mode = set.IsFixedTime ? "fixed-time" : "fixed-drop",
            Unit = unit,
            HoldPerMinute = 60 * set.Drops.All.Average(d => set.Drops.LeakAt(d.Pressure)),
            Injectors = injectors,
            Outliers = outliers,
            AgainstReferencePercent = against,
            Courses = Courses(channels["pressure"], set),
        };
    }

    private static InjectorFlow Injector(RailSet set, int cylinder, double usual)
    {
        var own = set.DropsOf(cylinder);
        var flows = set.FlowsOf(cylinder).Select(f => 100 * f / usual).ToArray();
        return new(
            cylinder,
            own[0].Pulse.From,
            Statistics.Median(own.Select(d => d.Drop)),
            1000 * Statistics.Median(own.Select(d => d.Pulse.Seconds)),
            Statistics.Median(flows),
            flows.Length > 1 ? Statistics.StandardDeviation(flows) : null
        );
    }

    private double? Against(
        ReadingRequest request,
        Dictionary<string, Channel> channels,
        double usual,
        string unit,
        IReadOnlyList<int> order,
        List<Note> notes
    )
    {
        if (request.Reference is not { } reference)
            return null;
        var named = request.ReferenceChannels.Count > 0 ? request.ReferenceChannels : RoleResolver.Names(channels);
        var known = named.Where(c => reference.Find(c.Value) is not null).ToDictionary(c => c.Key, c => c.Value);
        var roles = RoleResolver.Resolve(this, new ReadingRequest(reference) { Channels = WithGuesses(reference, known) });
        var set = roles.TryGetValue("pressure", out var pressure) ? RailSet.Of(roles, pressure, order) : null;
        if (set?.Problem is not null || set is null || Factor(unit) is not { } own || Factor(pressure!.Unit) is not { } other)
        {
            notes.Add(new("reference-unusable", "The known-good set shows no pulses that can be compared: it is left out."));
            return null;
        }

        var cylinders = set.Cylinders.Distinct().ToList();
        var (good, _) = InjectorFlows.Judge(
            [.. cylinders.Select(c => Statistics.Median(set.FlowsOf(c)))],
            [.. cylinders.Select(set.DoubtOf)]
        );
        // Flow goes with the unit itself by the square root of the unit.
        return 100 * usual * Math.Sqrt(own) / (good * Math.Sqrt(other));
    }

    private static double? Factor(string unit) => UnitConversion.Factor(unit, "bar");

    private static string Sentence(string verdict, List<InjectorOutlier> outliers, List<InjectorFlow> injectors, double? against) =>
        verdict switch
        {
            "outliers" => string.Join(
                " ",
                outliers.Select(o =>
                    $"Injector {o.Cylinder} gives {Figure(o.FlowPercent)} % of the others: "
                    + $"{(o.FlowPercent < 100 ? "clogged or slow to open" : "worn or leaking")}."
                )
            ),
            "all-low" => $"All injectors give the same, but only {Figure(against!.Value)} % of the known-good set: dirt in "
                + "all, or too little supply.",
            "all-high" => $"All injectors give the same, but {Figure(against!.Value)} % of the known-good set: another type, or all worn.",
            _ => $"All {injectors.Count} injectors give the same within {Figure(injectors.Max(i => Math.Abs(i.FlowPercent - 100)))} %"
                + (against is { } good ? $", {Figure(good)} % of the known-good set." : "."),
        };

    private static List<PulseCourse> Courses(Channel pressure, RailSet set)
    {
        List<PulseCourse> courses = [];
        for (var i = 0; i < set.Drops.All.Count && i < MostPulses; i++)
        {
            var drop = set.Drops.All[i];
            var (from, to) = (drop.Pulse.From - 0.5 * drop.Pulse.Seconds, drop.Pulse.To + 1.2 * drop.Pulse.Seconds);
            var piece = new MemoryReader(pressure.Between(from, to)).LoadAtMost(MostPoints / Math.Max(1e-3, to - from));
            var known = Enumerable.Range(0, piece.Samples.Length).Where(k => float.IsFinite(piece.Samples[k])).ToList();
            if (known.Count == 0)
                continue;
            var start = known.Take(Math.Max(1, known.Count / 6)).Average(k => (double)piece.Samples[k]);
            courses.Add(
                new(
                    set.Cylinders[i],
                    [.. known.Select(k => Math.Round(piece.Time[k] - drop.Pulse.From, 5))],
                    [.. known.Select(k => Math.Round(piece.Samples[k] - start, 5))]
                )
            );
        }

        return courses;
    }

    /// <summary>The order told, else the engine's firing order; null where neither is known.</summary>
    private static IReadOnlyList<int>? Order(ReadingRequest request)
    {
        if (!request.Options.TryGetValue("order", out var text))
            return request.Engine?.FiringOrder;
        var told = text.Split([',', '-', ' ', ';'], StringSplitOptions.RemoveEmptyEntries).Select(TypedNumber.ParseWhole).ToList();
        if (told.Count == 0 || told.Any(n => n is null))
            throw new ReadingException($"--order takes cylinders such as 1,3,4,2, not '{text}'.");
        var order = told.Select(n => n!.Value).ToList();
        if (order.GroupBy(n => n).FirstOrDefault(g => g.Count() > 1) is { } twice)
            throw new ReadingException($"--order names cylinder {twice.Key} twice.");
        var cylinders = request.Engine?.FiringOrder.Order().ToList() ?? [.. Enumerable.Range(1, order.Count)];
        if (order.Except(cylinders).Cast<int?>().FirstOrDefault() is { } strange)
            throw new ReadingException($"--order names cylinder {strange}, which the engine has not.");
        if (cylinders.Except(order).Cast<int?>().FirstOrDefault() is { } missing)
            throw new ReadingException($"--order leaves out cylinder {missing}.");
        return order;
    }

    private static Dictionary<string, string> WithGuesses(Signals.Capture capture, IReadOnlyDictionary<string, string> named)
    {
        var roles = named.ToDictionary(c => c.Key, c => c.Value);
        var free = capture.Channels.Where(c => !roles.Values.Contains(c.Name, StringComparer.OrdinalIgnoreCase)).ToList();
        if (!roles.ContainsKey("pressure"))
        {
            var found = free.Where(c => Factor(c.Unit) is not null && !OtherPressures().IsMatch(c.Name))
                .OrderBy(c => RailNames().IsMatch(c.Name) ? 0 : 1);
            if (found.FirstOrDefault() is { } pressure)
                roles["pressure"] = pressure.Name;
        }

        if (
            !roles.Keys.Any(r => r.StartsWith("pulse", StringComparison.Ordinal))
            && free.FirstOrDefault(c => PulseNames().IsMatch(c.Name) && Factor(c.Unit) is null) is { } pulse
        )
            roles["pulse"] = pulse.Name;
        return roles;
    }

    private static string Figure(double value) => value.ToString("0.#", CultureInfo.InvariantCulture);

    [GeneratedRegex("rail|fuel|kraftstoff", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex RailNames();

    [GeneratedRegex("manifold|intake|boost|oil|saugrohr|ambient", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex OtherPressures();

    [GeneratedRegex(@"inject|pulse|trig|command|clamp|einspritz", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex PulseNames();
}
