using System.Text.Json.Nodes;

namespace Maschera.Core.Diagnosis;

/// <summary>How the next check is chosen.</summary>
public enum SearchWay
{
    /// <summary>As decided: what tells most for the minutes.</summary>
    Decided,

    /// <summary>Always in the order of the file.</summary>
    FixedOrder,

    /// <summary>The cheapest that is left.</summary>
    CheapestFirst,
}

/// <summary>How a hidden fault was looked for.</summary>
/// <param name="Minutes">Of work, up to the answer.</param>
/// <param name="IsRight">True where the answer is the fault at its place.</param>
/// <param name="Said">The answer; something-else for none.</param>
/// <param name="Probability">What was said of it.</param>
/// <param name="Checks">The checks, in their order.</param>
public sealed record SearchResult(double Minutes, bool IsRight, string Said, double Probability, IReadOnlyList<string> Checks);

/// <summary>Looks for a hidden fault check by check, until one suspect is sure enough or nothing is left that tells anything.</summary>
public static class Search
{
    /// <summary>Sure enough to renew a part.</summary>
    public const double Sure = 0.85;

    /// <summary>A check that would tell less a minute than this is not worth its work, bits.</summary>
    private const double Worth = 0.004;

    private const int MostChecks = 24;

    /// <summary>Looks for it.</summary>
    public static SearchResult For(HiddenCase hidden, SearchWay way, double sure = Sure)
    {
        List<JsonObject> evidence = [];
        double minutes = 0;
        var decided = hidden.Weighed(evidence);
        for (var made = 0; made < MostChecks && !IsSure(decided, sure); made++)
        {
            if (Next(decided, hidden, way) is not { } next)
                break;
            minutes += next.Minutes;
            evidence.AddRange(Make(hidden, next));
            decided = hidden.Weighed(evidence);
        }

        var first = decided.Suspects[0];
        return new(
            minutes,
            first.Fault == hidden.Fault.Name && first.Cylinder == hidden.Cylinder,
            first.Fault,
            first.Probability,
            hidden.Done
        );
    }

    private static bool IsSure(DecisionResult decided, double sure) =>
        decided.Suspects[0] is { Fault: not "something-else" } first && first.Probability >= sure;

    private static NextCheck? Next(DecisionResult decided, HiddenCase hidden, SearchWay way)
    {
        var open = decided.Next.Where(n => n.Check is not "codes" || !hidden.Done.Contains("codes")).ToList();
        return way switch
        {
            _ when open.All(n => n.Bits / n.Minutes < Worth) => null,
            SearchWay.CheapestFirst => open.MinBy(n => n.Minutes),
            SearchWay.FixedOrder => open.MinBy(n => Order(n.Check)),
            _ => open[0],
        };
    }

    private static IReadOnlyList<JsonObject> Make(HiddenCase hidden, NextCheck next)
    {
        var part = next.Check == "swap-part" ? next.Outcomes[0].Suspect : null;
        var best = next.Outcomes.Count > 0 ? next.Outcomes[0].Reading : null;
        return hidden.Make(next.Check, best, next.Cylinder, part);
    }

    private static int Order(string check)
    {
        var checks = Likelihoods.Usual.Checks;
        for (var i = 0; i < checks.Count; i++)
            if (checks[i].Name == check)
                return i;
        return checks.Count;
    }
}
