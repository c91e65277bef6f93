using System.Globalization;
using Maschera.Core.Readings;

namespace Maschera.Core.Diagnosis;

/// <summary>What a workshop corrects, and what its own jobs count.</summary>
public sealed partial class Likelihoods
{
    /// <summary>
    /// What ships with a workshop's corrections on top: lines of the same form, each taking the place of the one it is about, and
    /// with what its own jobs turned out to be.
    /// </summary>
    /// <param name="corrections">The lines; empty for none.</param>
    /// <param name="found">Fault to how many jobs it was.</param>
    /// <exception cref="ReadingException">A line is of a wrong form; its number and what is wrong are said.</exception>
    public static Likelihoods Corrected(string corrections, IReadOnlyDictionary<string, int> found)
    {
        var known = Load();
        known._corrected = true;
        var lines = corrections.Split('\n');
        for (var i = 0; i < lines.Length; i++)
        {
            var line = lines[i].Trim();
            if (line.Length == 0 || line[0] == '#')
                continue;
            try
            {
                known.Check(line);
                known.Take(line);
            }
            catch (Exception error) when (error is FormatException or IndexOutOfRangeException or ArgumentException)
            {
                throw new ReadingException($"line {i + 1}: “{line}” is of no known form: {error.Message}");
            }
        }

        known.Count(found);
        return known;
    }

    /// <summary>So many jobs the shipped weights are worth against those a workshop has counted.</summary>
    public const double WorthOfShipped = 100;

    /// <summary>
    /// Weights as the mean of a Dirichlet distribution: what ships as pseudo-counts, and the workshop's own counts on top. (Gelman
    /// et al., Bayesian Data Analysis, 3rd ed., section 3.4.)
    /// </summary>
    private void Count(IReadOnlyDictionary<string, int> found)
    {
        var counted = found.Where(f => _faults.ContainsKey(f.Key)).ToDictionary();
        var all = counted.Values.Sum();
        var whole = _faults.Values.Sum(f => f.Weight);
        if (all == 0)
            return;
        foreach (var fault in _faults.Values.ToList())
        {
            var share = fault.Weight / whole;
            var now = (WorthOfShipped * share + counted.GetValueOrDefault(fault.Name)) / (WorthOfShipped + all);
            _faults[fault.Name] = fault with { Weight = now * whole };
        }
    }

    /// <summary>What the corrections may not do: name what is not there, or a likelihood that is none.</summary>
    private void Check(string line)
    {
        var halves = line.Split(" : ", 2);
        var words = halves[0].Split(' ', StringSplitOptions.RemoveEmptyEntries);
        if (
            words[0]
            is not ("fault" or "complaint" or "code" or "finding" or "seen" or "shared" or "accident" or "check" or "hookup" or "plain")
        )
            throw new FormatException($"'{words[0]}' can't be corrected here.");
        if (words[0] == "fault" && _faults.TryGetValue(words[1], out var old))
        {
            var given = FaultOf(words);
            if (given.Place != old.Place || given.Weight is not (> 0 and < 1e4))
                throw new FormatException("a fault keeps its place and has a weight above 0.");
            return;
        }

        if (words[0] is "fault" or "hookup" or "plain" && !_faults.ContainsKey(words[1]) && _checks.TrueForAll(c => c.Name != words[1]))
            throw new FormatException($"there is no '{words[1]}'.");
        if (words[0] is "shared" && !_shared.ContainsKey(words[1]))
            throw new FormatException($"there is no relation '{words[1]}'.");
        if (words[0] is "complaint" or "code" or "finding" or "seen" or "shared")
            foreach (var (fault, likely) in Pairs(halves[1]))
                if (!_faults.ContainsKey(fault) || likely is not (> 0 and < 1))
                    throw new FormatException(
                        _faults.ContainsKey(fault) ? $"{fault}: a likelihood lies between 0 and 1." : $"there is no fault '{fault}'."
                    );
        if (words[0] is "finding" && !_findings.ContainsKey(words[1]))
            throw new FormatException($"there is no reading '{words[1]}'.");
        if (words[0] is "accident" && double.Parse(words[2], CultureInfo.InvariantCulture) is not (> 0 and < 1))
            throw new FormatException("an accident's likelihood lies between 0 and 1.");
        if (
            words[0] is "check"
            && (
                _checks.TrueForAll(c => c.Name != words[1])
                || double.Parse(words[2], CultureInfo.InvariantCulture) is not (> 0 and < 10_000)
            )
        )
            throw new FormatException("a check is one of the list and takes more than 0 minutes.");
    }
}
