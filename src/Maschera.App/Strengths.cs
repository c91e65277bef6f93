using Maschera.Core.Diagnosis;
using Maschera.Core.Readings;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;

namespace Maschera.App;

/// <summary>How strongly each finding speaks in this workshop.</summary>
/// <param name="Known">What ships, with the workshop's corrections and counts.</param>
/// <param name="Problem">Why its corrections are not used; null where they are.</param>
/// <param name="Found">Fault to how many jobs it turned out to be.</param>
/// <param name="Stamp">Changes whenever any of it does.</param>
public sealed record StrengthsNow(Likelihoods Known, string? Problem, IReadOnlyDictionary<string, int> Found, string Stamp);

/// <summary>
/// The strengths of evidence: what ships, corrected by likelihoods.txt in the data folder, its weights moved by what the workshop's
/// own jobs turned out to be.
/// </summary>
public sealed class Strengths(MascheraDb db, DataFolder data)
{
    /// <summary>Most letters of the corrections.</summary>
    public const int MostLetters = 200_000;

    private static readonly Lock s_one = new();
    private static (string Key, StrengthsNow Now)? s_last;

    private StrengthsNow? _now;

    /// <summary>The corrections' file.</summary>
    public string Path => data.Corrections;

    /// <summary>The corrections as they stand; empty for none.</summary>
    public string Text => File.Exists(Path) ? File.ReadAllText(Path) : "";

    /// <summary>The strengths as they are now; once a request.</summary>
    public StrengthsNow Now => _now ??= Read();

    /// <summary>Keeps corrections in the place of those that stand.</summary>
    /// <exception cref="ReadingException">A line is wrong; the corrections that stand are left.</exception>
    public void Keep(string text)
    {
        if (text.Length > MostLetters)
            throw new ReadingException($"Corrections have up to {MostLetters:N0} letters.");
        Likelihoods.Corrected(text, Found());
        var half = Path + ".new";
        File.WriteAllText(half, text.ReplaceLineEndings("\n"));
        File.Move(half, Path, overwrite: true);
        _now = null;
    }

    private StrengthsNow Read()
    {
        var found = Found();
        var text = Text;
        var key = $"{data.Root}\n{string.Join(',', found.OrderBy(f => f.Key).Select(f => $"{f.Key}{f.Value}"))}\n{text}";
        lock (s_one)
        {
            if (s_last is { } last && last.Key == key)
                return last.Now;
            var now = Corrected(text, found, key);
            s_last = (key, now);
            return now;
        }
    }

    private static StrengthsNow Corrected(string text, Dictionary<string, int> found, string key)
    {
        var stamp = $"{key.GetHashCode():x}";
        try
        {
            return new(Likelihoods.Corrected(text.Length > MostLetters ? "" : text, found), null, found, stamp);
        }
        catch (ReadingException error)
        {
            return new(Likelihoods.Corrected("", found), $"likelihoods.txt, {error.Message}", found, stamp);
        }
    }

    /// <summary>What jobs turned out to be: those where somebody said it, not those of the practice room.</summary>
    private Dictionary<string, int> Found() =>
        db
            .RealJobs.Where(j => j.FoundFault != null)
            .GroupBy(j => j.FoundFault!)
            .Select(g => new { g.Key, Count = g.Count() })
            .ToDictionary(g => g.Key, g => g.Count);
}
