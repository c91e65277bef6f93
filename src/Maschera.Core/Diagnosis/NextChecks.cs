using System.Globalization;

namespace Maschera.Core.Diagnosis;

/// <summary>What to check next: expected information about the suspects, for the minutes it takes.</summary>
internal sealed class NextChecks(Likelihoods known, CaseFile file, IReadOnlyList<Suspicion> all, double[] shares, double other)
{
    private const string Normal = "";

    /// <summary>A hold that leaks, and one with a way shut: a condition of its own, worth another hold.</summary>
    public const string HeldOpen = "pressure-hold/leaks",
        HeldShut = "pressure-hold/shut";

    /// <summary>Checks that would tell less are not worth a line, bits.</summary>
    private const double Least = 0.003;

    /// <summary>Outcomes shown of a check, and how likely each is at least.</summary>
    private const int MostForeseen = 4;

    private const double LeastForeseen = 0.03;

    /// <summary>A swap tells whether a part of a cylinder is at fault; so many minutes.</summary>
    private const double SwapMinutes = 15,
        SwapShows = 0.9;

    /// <summary>Checks of one component at a time.</summary>
    private static readonly string[] s_byComponent = ["circuit", "supply-voltages", "actuator-response", "pulse-count"];

    /// <summary>Checks of one cylinder through its plug's hole, or with a part beside it.</summary>
    private static readonly string[] s_plugOut = ["in-cylinder-pressure", "leak-down", "borescope", "swap-part"];

    private static readonly string[] s_swapped = ["ignition-coil", "spark-plug", "injector-restricted"];

    /// <summary>What is open about the suspects, bits.</summary>
    private readonly double _open = Entropy(shares.Append(other));

    public List<NextCheck> Sorted() =>
        [
            .. known
                .Checks.Where(c => !IsDone(c))
                .Select(Of)
                .Append(Swap())
                .OfType<NextCheck>()
                .Where(n => n.Bits > Least)
                .OrderByDescending(n => n.Bits / n.Minutes),
        ];

    private bool LeaksSomewhere(string check) => check == "pressure-hold" && file.Done.Contains(HeldOpen) && !file.Done.Contains(HeldShut);

    private bool IsDone(Check check) => !LeaksSomewhere(check.Name) && WasMade(check);

    private bool WasMade(Check check) =>
        file.ByComponent && s_byComponent.Contains(check.Name)
            ? check.Readings.All(file.Done.Contains)
            : file.Done.Contains(check.Name)
                || check.Readings.Any(r => file.Done.Contains(r))
                || check.Readings.Select(Base).Any(b => b != "seen" && file.Done.Contains(b));

    /// <summary>A component that was measured is not measured again.</summary>
    private bool IsMade(Check check, string reading) =>
        file.ByComponent && s_byComponent.Contains(check.Name) && file.Done.Contains(reading);

    private static string Base(string reading) => reading.Split('/')[0];

    /// <summary>As the workshop says or as usual, and what it takes to reach the plug of that cylinder where that is out.</summary>
    private double Minutes(string check, double usual, int? cylinder = null) =>
        file.Minutes.GetValueOrDefault(check, usual) + (s_plugOut.Contains(check) ? file.ToReach(cylinder) : 0);

    private NextCheck? Of(Check check)
    {
        if (check.Name == "codes")
            return new("codes", null, Minutes("codes", check.Minutes), 0.3, "Read the codes first: it costs next to nothing.", []);
        if (check.Name == "in-cylinder-pressure")
            return Suspected().Select(c => At(check, c)).OfType<NextCheck>().MaxBy(n => n.Bits / n.Minutes);
        return At(check, null);
    }

    private NextCheck? At(Check check, int? own)
    {
        var bits = check
            .Readings.Where(r => known.Verdicts(r) is not null && !IsMade(check, r))
            .Select(r => (Reading: r, Bits: Bits(r, own)))
            .ToList();
        if (bits.Count == 0)
            return null;
        // One look sees several things; other checks are made at one place.
        var sum = check.Name is "look" or "leak-down" or "borescope" or "drive-log" ? Together(bits) : bits.Max(b => b.Bits);
        var best = bits.MaxBy(b => b.Bits).Reading;
        var text = LeaksSomewhere(check.Name)
            ? "pressure hold again with the supply shut: which way it goes."
            : Text(check.Name, best, own);
        var plug = own ?? Suspected().Select(c => (int?)c).FirstOrDefault();
        return new(
            check.Name,
            own,
            Minutes(check.Name, check.Minutes, plug),
            sum,
            text + Reach(check.Name, plug),
            Foreseen(check, [.. bits], own)
        );
    }

    /// <summary>
    /// What several readings of one check tell together, bits: each takes its share of what those before it leave open, so that all
    /// never tell more than there is to know.
    /// </summary>
    private double Together(IReadOnlyList<(string Reading, double Bits)> bits) =>
        _open <= 0 ? 0 : _open * (1 - bits.Aggregate(1.0, (left, b) => left * Math.Max(0, 1 - b.Bits / _open)));

    private string Reach(string check, int? cylinder) =>
        s_plugOut.Contains(check) && file.ToReach(cylinder) is > 0 and var more
            ? $" Its plug is hard to reach: {more.ToString("0", CultureInfo.InvariantCulture)} minutes of it."
            : "";

    private static string Text(string check, string best, int? cylinder)
    {
        var subject = best.Contains('/', StringComparison.Ordinal) ? best.Split('/')[1].Replace('-', ' ') : "";
        var name = check.Replace('-', ' ');
        return cylinder is { } own ? $"{name} of cylinder {own} separates the suspects best."
            : subject.Length > 0 ? $"{name}, {subject} before all."
            : $"{name} separates the suspects best.";
    }

    /// <summary>
    /// The cylinder whose faults are likeliest together; where its plug is hard to reach also the likeliest of those that are not.
    /// </summary>
    private List<int> Suspected()
    {
        var order = all.Select((s, i) => (s.Cylinder, Share: shares[i]))
            .Where(s => s.Cylinder is not null)
            .GroupBy(s => s.Cylinder!.Value)
            .Select(g => (Cylinder: g.Key, Share: g.Sum(s => s.Share)))
            .Where(g => g.Share > 0.01)
            .OrderByDescending(g => g.Share)
            .Select(g => g.Cylinder)
            .ToList();
        return [.. order.Take(1).Concat(order.Where(c => file.ToReach(c) < file.ToReach(order[0])).Take(1))];
    }

    private NextCheck? Swap()
    {
        if (file.Done.Contains("swap-part"))
            return null;
        var best = Enumerable
            .Range(0, all.Count)
            .Where(i => s_swapped.Contains(all[i].Fault.Name) || all[i].Fault.Name == "wheel-sensor")
            .MaxBy(i => shares[i]);
        var (fault, cylinder) = (all[best].Fault.Name, all[best].Cylinder);
        if (shares[best] < LeastForeseen)
            return null;
        var moved = shares[best] * SwapShows;
        var bits = Entropy([moved, 1 - moved]) - shares[best] * Entropy([SwapShows, 1 - SwapShows]);
        var part = all[best].Fault.Name.Replace('-', ' ');
        return new(
            "swap-part",
            all[best].Cylinder,
            Minutes("swap-part", SwapMinutes, cylinder),
            Math.Max(0, bits),
            $"Swap what {part} would mean and see whether the fault goes with it.{Reach("swap-part", cylinder)}",
            [new("seen/swap-moved", "present", cylinder, moved, fault, cylinder, Math.Min(0.99, shares[best] * SwapShows / moved))]
        );
    }

    /// <summary>
    /// What may come of a check. One look sees several things, so each of the best is an outcome; another check comes out one way or
    /// the other.
    /// </summary>
    private List<CheckOutcome> Foreseen(Check check, IReadOnlyList<(string Reading, double Bits)> bits, int? own)
    {
        var sees = check.Readings.All(r => r.StartsWith("seen/", StringComparison.Ordinal));
        var readings = bits.OrderByDescending(b => b.Bits).Take(sees ? MostForeseen : 1).Select(b => b.Reading);
        return
        [
            .. readings
                .SelectMany(r => Foreseen(r, own))
                .Where(o => !sees || o.Verdict != Normal)
                .OrderByDescending(o => o.Probability)
                .Take(MostForeseen),
        ];
    }

    /// <summary>Each outcome of a reading with the suspect that would lead then, by Bayes' rule.</summary>
    private IEnumerable<CheckOutcome> Foreseen(string reading, int? own)
    {
        var verdicts = known.Verdicts(reading)!;
        var joint = new Dictionary<Outcome, List<(Suspicion? Suspect, double Share)>>();
        for (var i = -1; i < all.Count; i++)
        {
            var share = i < 0 ? other : shares[i];
            if (share < 1e-5)
                continue;
            var suspect = i < 0 ? null : all[i];
            foreach (var (outcome, likely) in Outcomes(verdicts, suspect, own, reading))
            {
                var key = outcome with { Place = outcome.Place ?? own };
                if (!joint.TryGetValue(key, out var list))
                    joint[key] = list = [];
                list.Add((suspect, share * likely));
            }
        }

        foreach (var ((outcome, place), list) in joint)
        {
            var whole = list.Sum(l => l.Share);
            var (lead, led) = list.MaxBy(l => l.Share);
            if (whole >= LeastForeseen)
                yield return new(
                    reading,
                    outcome,
                    outcome == Normal ? null : place,
                    whole,
                    lead?.Fault.Name ?? "something-else",
                    lead?.Cylinder,
                    led / whole
                );
        }
    }

    /// <summary>Mutual information of the suspects and a reading's outcome, bits.</summary>
    private double Bits(string reading, int? cylinder)
    {
        var verdicts = known.Verdicts(reading)!;
        var outcomes = new Dictionary<Outcome, double>();
        double within = 0;
        for (var i = -1; i < all.Count; i++)
        {
            var share = i < 0 ? other : shares[i];
            if (share < 1e-5)
                continue;
            var own = Outcomes(verdicts, i < 0 ? null : all[i], cylinder, reading);
            within += share * Entropy(own.Select(o => o.Likely));
            foreach (var (outcome, likely) in own)
                outcomes[outcome] = outcomes.GetValueOrDefault(outcome) + share * likely;
        }

        return Math.Max(0, Entropy(outcomes.Values) - within);
    }

    /// <summary>How likely each verdict is with a suspect, null for something else; the last is that all is normal.</summary>
    private static List<(Outcome Outcome, double Likely)> Outcomes(
        IReadOnlyDictionary<string, Dictionary<string, double>> verdicts,
        Suspicion? suspect,
        int? cylinder,
        string reading
    )
    {
        var elsewhere = cylinder is not null && suspect?.Cylinder is { } at && at != cylinder;
        var place = cylinder is null && !reading.StartsWith("seen", StringComparison.Ordinal) ? suspect?.Cylinder : null;
        List<(Outcome Outcome, double Likely)> own = new(verdicts.Count + 1);
        double sum = 0;
        foreach (var (verdict, faults) in verdicts)
        {
            var likely =
                suspect is null ? 2 * Finding.Accident / verdicts.Count
                : elsewhere ? Finding.Accident / verdicts.Count
                : faults.GetValueOrDefault(suspect.Fault.Name, Finding.Accident / verdicts.Count);
            own.Add((new(verdict, place), likely));
            sum += likely;
        }

        var scale = sum > 0.97 ? 0.97 / sum : 1;
        for (var i = 0; i < own.Count; i++)
            own[i] = (own[i].Outcome, own[i].Likely * scale);
        own.Add((new(Normal, null), 1 - sum * scale));
        return own;
    }

    /// <summary>A verdict, and the cylinder that it names.</summary>
    private readonly record struct Outcome(string Verdict, int? Place);

    private static double Entropy(IEnumerable<double> shares) => shares.Where(p => p > 0).Sum(p => -p * Math.Log2(p));
}
