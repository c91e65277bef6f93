using System.Text.Json;
using System.Text.Json.Nodes;
using Maschera.Core.Basics;

namespace Maschera.Core.Diagnosis;

/// <summary>A suspect with what speaks for and against it.</summary>
public sealed record Suspect(
    string Fault,
    int? Cylinder,
    string? Wheel,
    double Probability,
    IReadOnlyList<string> For,
    IReadOnlyList<string> Against
);

/// <summary>A fault that a finding leaves next to no room for.</summary>
public sealed record RuledOut(string Fault, int? Cylinder, string By, string Text);

/// <summary>A check and what it would tell.</summary>
/// <param name="Bits">Expected information about the suspects.</param>
/// <param name="Outcomes">What may come of it and who would lead then, the likeliest first; empty where that can't be foreseen.</param>
public sealed record NextCheck(string Check, int? Cylinder, double Minutes, double Bits, string Text, IReadOnlyList<CheckOutcome> Outcomes);

/// <summary>What a check may show.</summary>
/// <param name="Reading">The reading, with its subject behind a stroke where it has one; seen/WORD for something seen.</param>
/// <param name="Verdict">Its verdict; empty where nothing is found wrong.</param>
/// <param name="Cylinder">The cylinder it would name; null for none.</param>
/// <param name="Probability">How likely it is to come out so.</param>
/// <param name="Suspect">Who would lead then; something-else where no suspect would.</param>
/// <param name="SuspectCylinder">The suspect's cylinder.</param>
/// <param name="Then">The suspect's probability then.</param>
public sealed record CheckOutcome(
    string Reading,
    string Verdict,
    int? Cylinder,
    double Probability,
    string Suspect,
    int? SuspectCylinder,
    double Then
);

/// <summary>What is known of a job, weighed.</summary>
public sealed record DecisionResult(
    IReadOnlyList<Suspect> Suspects,
    IReadOnlyList<RuledOut> RuledOut,
    IReadOnlyList<NextCheck> Next,
    bool Explained,
    IReadOnlyList<Note> Notes
);

/// <summary>
/// Weighs all findings of a job by Bayes' rule over single faults, pairs of them and something else. Probabilities are worth what the
/// likelihoods are: they order suspects, they prove nothing.
/// </summary>
public sealed class Decision
{
    /// <summary>How often the trouble is something that is not on the list, against the whole list; and two faults at once.</summary>
    private const double SomethingElse = 0.06,
        TwoAtOnce = 0.02;

    /// <summary>The same part at a second cylinder is oftener at fault too: it is as old.</summary>
    private const double SameAtTwo = 0.1;

    /// <summary>A fault whose part was replaced is so much less likely, but not gone.</summary>
    private const double AfterReplacing = 0.15;

    /// <summary>Two faults are tried together where each explains a finding; at most so many.</summary>
    private const int MostInPairs = 40;

    /// <summary>How often a fault of one cylinder sits at the one that was chosen to be looked into.</summary>
    private const double ChosenRightly = 0.5;

    /// <summary>Ruled out: less likely than this, with a finding that the fault would have shown otherwise.</summary>
    private const double NextToNothing = 0.004,
        WouldShow = 0.65;

    /// <summary>Suspects below this are not listed; their sum goes to something else.</summary>
    private const double Listed = 0.0005;

    /// <summary>Sources that look at every cylinder and name those that are at fault.</summary>
    private static readonly string[] s_ofAll =
    [
        "codes",
        "misfire",
        "relative-compression",
        "contribution",
        "pulses",
        "injector-balance",
        "on-board-tests",
    ];

    private readonly Likelihoods _known;
    private readonly CaseFile _case;
    private readonly List<Suspicion> _all;
    private readonly double[] _single;
    private readonly double _else;

    /// <summary>How likely each finding is with each suspect, in the order of both.</summary>
    private readonly double[][] _likely;

    /// <summary>How likely each finding is with all that may be at fault, as they are weighed.</summary>
    private readonly double[] _expected;

    private Decision(CaseFile file, Likelihoods known)
    {
        (_case, _known) = (file, known);
        _all = [.. known.Faults.SelectMany(Everywhere)];
        _likely = [.. file.Findings.Select(f => _all.Select(f.With).ToArray())];
        (_single, _else) = Weigh();
        _expected =
        [
            .. file.Findings.Select((f, k) => Math.Max(1e-9, _single.Select((p, i) => p * _likely[k][i]).Sum() + _else * f.With(null))),
        ];
    }

    /// <summary>Weighs a case.</summary>
    /// <exception cref="Readings.ReadingException">It is of a wrong form: one line that says what.</exception>
    public static DecisionResult Of(JsonElement root) => Of(root, Likelihoods.Usual);

    /// <summary>The same with other strengths.</summary>
    /// <exception cref="Readings.ReadingException">It is of a wrong form: one line that says what.</exception>
    public static DecisionResult Of(JsonElement root, Likelihoods known) => new Decision(new CaseFile(root, known), known).Result();

    /// <summary>The same of a case that was put together here.</summary>
    /// <exception cref="Readings.ReadingException">It is of a wrong form: one line that says what.</exception>
    public static DecisionResult Of(JsonObject root, Likelihoods known)
    {
        using var document = JsonDocument.Parse(root.ToJsonString());
        return Of(document.RootElement, known);
    }

    private IEnumerable<Suspicion> Everywhere(Fault fault) =>
        fault.Place switch
        {
            FaultPlace.Cylinder => Enumerable.Range(1, _case.Cylinders).Select(c => new Suspicion(fault, c, null)),
            FaultPlace.Wheel => Wheels().Select(w => new Suspicion(fault, null, w)),
            _ => [new(fault, null, null)],
        };

    /// <summary>The wheels that findings name; one that is not named otherwise.</summary>
    private List<string?> Wheels()
    {
        var named = _case.Findings.Select(f => f.Wheel).Where(w => w is not null).Distinct().ToList();
        return named.Count > 0 ? named : [null];
    }

    private double Prior(Suspicion s)
    {
        var places = s.Fault.Place == FaultPlace.Cylinder ? _case.Cylinders : 1;
        var replaced = _case.Replaced.Any(r => r.Fault == s.Fault.Name && (r.Cylinder is null || r.Cylinder == s.Cylinder));
        return s.Fault.Weight * _known.OnFuel(_case.Fuel, s.Fault.Name) / places * (replaced ? AfterReplacing : 1);
    }

    /// <summary>The share of each suspect, alone or in a pair, and of something else; together 1.</summary>
    private (double[] Single, double Else) Weigh()
    {
        var findings = _case.Findings;
        var priors = _all.Select(Prior).ToArray();
        var whole = priors.Sum();
        var naming = findings.Where(f => f.IsAbnormal && f.Cylinders.Count > 0 && f.Cylinders.Count < _case.Cylinders).ToList();
        var unmeant = ByChance(naming);
        var chances = _all.Select(s => IsMeant(naming, s) ? 1 : unmeant).ToArray();
        var shares = priors.Select((prior, i) => prior / whole * chances[i] * _likely.Aggregate(1.0, (p, with) => p * with[i])).ToArray();
        var other = SomethingElse * unmeant * findings.Aggregate(1.0, (p, f) => p * f.With(null));
        var inPairs = Enumerable
            .Range(0, _all.Count)
            .Where(i => findings.Any(f => f.Source != "complaint" && f.IsExplainedBy(_all[i])))
            .OrderByDescending(i => shares[i])
            .Take(MostInPairs)
            .ToList();
        var alone = (double[])shares.Clone();
        for (var a = 0; a < inPairs.Count; a++)
        for (var b = a + 1; b < inPairs.Count; b++)
        {
            var (one, two) = (_all[inPairs[a]], _all[inPairs[b]]);
            var likely = 1.0;
            for (var k = 0; k < findings.Count; k++)
                likely *= findings[k].With(one, _likely[k][inPairs[a]], two, _likely[k][inPairs[b]]);
            var chance = Math.Max(chances[inPairs[a]], chances[inPairs[b]]);
            var both = (one.Fault == two.Fault ? SameAtTwo : TwoAtOnce) * priors[inPairs[a]] / whole * priors[inPairs[b]] * chance * likely;
            alone[inPairs[a]] += both / 2;
            alone[inPairs[b]] += both / 2;
        }

        var sum = alone.Sum() + other;
        return sum > 0 ? ([.. alone.Select(p => p / sum)], other / sum) : ([.. alone.Select(_ => 0.0)], 1);
    }

    /// <summary>
    /// How likely just these cylinders are named where what is at fault sits at none of them and is not shared by them: any of the
    /// engine's might have been, oftener one that was chosen to be looked into, for that was chosen with a reason. Once for all
    /// findings, for those of one fault name one cylinder.
    /// </summary>
    private double ByChance(List<Finding> naming)
    {
        if (naming.Count == 0)
            return 1;
        return Math.Min(1, 1 / (_case.Cylinders * (naming.Exists(f => s_ofAll.Contains(f.Source)) ? 1 : ChosenRightly)));
    }

    /// <summary>True for a suspect that sits at a named cylinder, or is what the named ones share.</summary>
    private static bool IsMeant(List<Finding> naming, Suspicion suspect) =>
        naming.Exists(f => suspect.Cylinder is { } own ? f.Cylinders.Contains(own) : f.Shared.ContainsKey(suspect.Fault.Name));

    private DecisionResult Result()
    {
        var order = Enumerable.Range(0, _all.Count).OrderByDescending(i => _single[i]).ToList();
        var shown = order.Where(i => _single[i] > Listed).ToList();
        var left = 1 - shown.Sum(i => _single[i]);
        List<Suspect> suspects = [.. shown.Select(Suspect), new("something-else", null, null, Math.Max(0, left), [], [])];
        var notes = _case.Notes.ToList();
        if (_case.Findings.All(f => f.Source is "complaint"))
            notes.Add(
                new(
                    "nothing-measured",
                    _case.Done.Count == 0
                        ? "Nothing was measured yet: the suspects are only what is usual with this complaint."
                        : "Nothing that was measured can be weighed: the suspects are only what is usual with this complaint."
                )
            );
        return new(
            [.. suspects.OrderByDescending(s => s.Probability)],
            Ruled(),
            new NextChecks(_known, _case, _all, _single, _else).Sorted(),
            IsExplained(order[0], _else),
            notes
        );
    }

    private Suspect Suspect(int index)
    {
        var suspect = _all[index];
        bool IsFor(Finding f, int k) => f.IsAbnormal ? f.IsExplainedBy(suspect) : _likely[k][index] / _expected[k] > 1.3;
        bool IsAgainst(Finding f, int k) => f.IsAbnormal ? f.IsAgainst(suspect) : _likely[k][index] < 0.6;
        List<string> Told(Func<Finding, int, bool> chosen) => [.. _case.Findings.Where(chosen).Select(f => f.Text).Distinct()];
        return new(suspect.Fault.Name, suspect.Cylinder, suspect.Wheel, _single[index], Told(IsFor), Told(IsAgainst));
    }

    private List<RuledOut> Ruled()
    {
        List<RuledOut> ruled = [];
        for (var i = 0; i < _all.Count; i++)
        {
            if (_single[i] > NextToNothing)
                continue;
            var by = _case
                .Findings.Index()
                .Where(f => !f.Item.IsAbnormal && f.Item.Weight >= 1 && _likely[f.Index][i] < 1 - WouldShow)
                .OrderBy(f => _likely[f.Index][i])
                .Select(f => f.Item)
                .FirstOrDefault();
            if (by is null)
                continue;
            var name = _all[i].Fault.Name.Replace('-', ' ');
            ruled.Add(new(_all[i].Fault.Name, _all[i].Cylinder, by.Source, $"{name}: would hardly leave this: {by.Text}"));
        }

        return ruled;
    }

    private bool IsExplained(int first, double other) =>
        other <= 0.3 && _case.Findings.Where(f => f.IsAbnormal && f.Weight >= 0.5).All(f => !f.IsAgainst(_all[first]));
}
