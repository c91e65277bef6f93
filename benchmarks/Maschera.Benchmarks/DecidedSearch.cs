using System.Diagnostics;
using System.Globalization;
using Maschera.Core.Diagnosis;

namespace Maschera.Benchmarks;

/// <summary>
/// Looks for hidden faults as decided, in a fixed order and the cheapest check first: minutes of work, and how often the answer is
/// right. The vehicles answer as the likelihoods say, so this measures the choosing, not the likelihoods.
/// </summary>
internal static class DecidedSearch
{
    private const int Faults = 200;

    public static void Run(int firstSeed)
    {
        CultureInfo.CurrentCulture = CultureInfo.InvariantCulture;
        Console.WriteLine($"{Faults} hidden faults from seed {firstSeed}; sure from {Search.Sure:0.00} on.");
        Console.WriteLine("| way | right | minutes, mean | median | sure and wrong | checks |");
        Console.WriteLine("| --- | --- | --- | --- | --- | --- |");
        var decisions = 0;
        List<SearchResult> likely = [];
        var clock = Stopwatch.StartNew();
        foreach (var way in Enum.GetValues<SearchWay>())
        {
            var found = Enumerable
                .Range(firstSeed, Faults)
                .Select(seed => Search.For(HiddenCase.Draw(Likelihoods.Usual, 4 + 2 * (seed % 2), seed), way))
                .ToList();
            if (way == SearchWay.Decided)
                likely = [.. found.Where(f => f.Probability is >= 0.6 and < 0.8)];
            decisions += found.Sum(f => f.Checks.Count + 1);
            var minutes = found.Select(f => f.Minutes).Order().ToList();
            Console.WriteLine(
                $"| {way} | {100.0 * found.Count(f => f.IsRight) / Faults:0} % | {minutes.Average():0} | {minutes[Faults / 2]:0} | "
                    + $"{found.Count(f => !f.IsRight && f.Probability >= Search.Sure)} | {found.Average(f => f.Checks.Count):0.0} |"
            );
        }

        Console.WriteLine($"Of {likely.Count} answers called 60 to 80 % likely {likely.Count(f => f.IsRight)} are right.");
        Console.WriteLine($"{clock.Elapsed.TotalMilliseconds / decisions:0.0} ms a decision.");
    }
}
