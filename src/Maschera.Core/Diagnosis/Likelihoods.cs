using System.Globalization;
using System.Text.RegularExpressions;

namespace Maschera.Core.Diagnosis;

/// <summary>A fault that can be suspected.</summary>
/// <param name="Name">The contract's word.</param>
/// <param name="Weight">How often it is met, against the others.</param>
/// <param name="Place">What it belongs to.</param>
public sealed record Fault(string Name, double Weight, FaultPlace Place);

/// <summary>Where a fault sits.</summary>
public enum FaultPlace
{
    Engine,
    Cylinder,
    Wheel,
}

/// <summary>A check with its usual minutes and the findings it can lead to: a reading, or a reading with its subject.</summary>
public sealed record Check(string Name, double Minutes, IReadOnlyList<string> Readings);

/// <summary>How likely each finding is with each fault, from one file that a workshop can read and correct (likelihoods.txt).</summary>
public sealed partial class Likelihoods
{
    private readonly Dictionary<string, Fault> _faults = [];
    private readonly Dictionary<string, Dictionary<string, double>> _complaints = [];
    private readonly List<(Regex Code, Dictionary<string, double> Faults)> _codes = [];
    private readonly List<string> _patterns = [];
    private readonly List<(string Name, Regex Words)> _subjects = [];
    private readonly List<(string Complaint, Regex Words)> _said = [];
    private readonly Dictionary<string, Dictionary<string, Dictionary<string, double>>> _findings = [];
    private readonly List<Check> _checks = [];
    private readonly Dictionary<string, string> _parts = [];
    private readonly Dictionary<string, string> _hookUps = [];
    private readonly Dictionary<string, string> _told = [];
    private readonly Dictionary<string, string> _plain = [];

    private const string SeenPrefix = "seen/";

    private readonly Dictionary<string, double> _accidents = [];
    private readonly Dictionary<string, Dictionary<string, double>> _fuels = new(StringComparer.OrdinalIgnoreCase);
    private readonly Dictionary<string, Dictionary<string, double>> _shared = [];

    /// <summary>A pattern that somebody typed may take so long on a code, no longer.</summary>
    private static readonly TimeSpan s_patience = TimeSpan.FromMilliseconds(50);

    /// <summary>True once what ships is read and corrections follow.</summary>
    private bool _corrected;

    private Likelihoods() { }

    /// <summary>The file that ships with Maschera.</summary>
    public static Likelihoods Usual { get; } = Load();

    public IReadOnlyCollection<Fault> Faults => _faults.Values;

    public IReadOnlyList<Check> Checks => _checks;

    /// <summary>What a person can see without an instrument, in the order of the file.</summary>
    public IEnumerable<string> Seen =>
        _findings.Keys.Where(k => k.StartsWith(SeenPrefix, StringComparison.Ordinal)).Select(k => k[SeenPrefix.Length..]);

    /// <summary>Parts that can be renewed or swapped: the fault each cures, with its name for a person.</summary>
    public IReadOnlyDictionary<string, string> Parts => _parts;

    /// <summary>How a check is hooked up, set and run; empty for one that is not known.</summary>
    public string HookUp(string check) => _hookUps.GetValueOrDefault(check, "");

    /// <summary>How a driver puts a complaint.</summary>
    public string Told(string complaint) => _told.GetValueOrDefault(complaint, complaint.Replace('-', ' '));

    /// <summary>What a fault means, for the customer, without a full stop.</summary>
    public string Plain(string fault, int? cylinder, string? wheel = null)
    {
        var of =
            cylinder is { } c ? $" of cylinder {c}"
            : wheel is { } w ? $" {w.Replace('-', ' ')}"
            : "";
        return _plain.GetValueOrDefault(fault, fault.Replace('-', ' ')).Replace("{of}", of, StringComparison.Ordinal);
    }

    /// <summary>The fault of that name; null where there is none.</summary>
    public Fault? Find(string name) => _faults.GetValueOrDefault(name);

    /// <summary>The share of its weight that a fault keeps on an engine of that fuel, 0 to 1; 1 where the fuel is not said.</summary>
    public double OnFuel(string? fuel, string fault) =>
        fuel is not null && _fuels.TryGetValue(fuel, out var faults) ? faults.GetValueOrDefault(fault, 1) : 1;

    /// <summary>The complaints that a sentence names; of two of which one says more, that one.</summary>
    public IReadOnlyList<string> Complained(string text)
    {
        var told = _said.Where(s => s.Words.IsMatch(text)).Select(s => s.Complaint).Distinct().ToList();
        return [.. told.Where(c => !told.Exists(other => other.StartsWith(c + "-", StringComparison.Ordinal)))];
    }

    /// <summary>Fault to likelihood of a complaint; null for one that is not known.</summary>
    public IReadOnlyDictionary<string, double>? Complaint(string word) => _complaints.GetValueOrDefault(word);

    /// <summary>Fault to likelihood of a trouble code, and the cylinder the code names; null for one that is not known.</summary>
    public (IReadOnlyDictionary<string, double> Faults, int? Cylinder)? Code(string code)
    {
        foreach (var (pattern, faults) in _codes)
            if (MatchOf(pattern, code) is { Success: true } match)
                return (faults, match.Groups.Count > 1 && match.Groups[1].Success ? CylinderOf(code, match.Groups[1].Value) : null);
        return null;
    }

    /// <summary>A pattern that takes too long matches nothing.</summary>
    private static Match? MatchOf(Regex pattern, string code)
    {
        try
        {
            return pattern.Match(code);
        }
        catch (RegexMatchTimeoutException)
        {
            return null;
        }
    }

    /// <summary>All complaints that are known.</summary>
    public IReadOnlyCollection<string> ComplaintWords => _complaints.Keys;

    /// <summary>Codes that a fault may set, one of each kind, with how likely it is; those whose pattern spells one out.</summary>
    public IEnumerable<(string Code, double Likely)> CodesOf(string fault, int? cylinder)
    {
        for (var i = 0; i < _codes.Count; i++)
            if (_codes[i].Faults.TryGetValue(fault, out var likely) && Spelled(_patterns[i].Split('|')[0], cylinder) is { } code)
                yield return (code, likely);
    }

    /// <summary>The first code a pattern stands for; null where it leaves too much open.</summary>
    private static string? Spelled(string pattern, int? cylinder)
    {
        if (pattern.Contains("(?", StringComparison.Ordinal) || pattern.Contains('.', StringComparison.Ordinal))
            return null;
        if (pattern.Contains('(', StringComparison.Ordinal))
            return cylinder is >= 1 and <= 9 && pattern.EndsWith("([1-9])", StringComparison.Ordinal) ? pattern[..^7] + cylinder : null;
        return Choice().Replace(pattern, m => m.Groups[1].Value);
    }

    [GeneratedRegex(@"\[(.)[^\]]*\]")]
    private static partial Regex Choice();

    /// <summary>How likely a reading's abnormal verdict is with a fault that does not explain it.</summary>
    public double Accident(string reading) =>
        _accidents.TryGetValue(reading, out var own)
            ? own
            : _accidents.GetValueOrDefault(reading.Split('/')[0], Diagnosis.Finding.Accident);

    /// <summary>Faults that cylinders of a relation share, with how likely a finding that names just them is with each.</summary>
    public IReadOnlyDictionary<string, double> Shared(string relation) => _shared.GetValueOrDefault(relation, []);

    /// <summary>What a column, a command or a component speaks of; null for nothing known.</summary>
    public string? Subject(string text) => _subjects.Find(s => s.Words.IsMatch(text)).Name;

    /// <summary>The abnormal verdicts of a reading with what each is likely with; null for a reading that is not known.</summary>
    public IReadOnlyDictionary<string, Dictionary<string, double>>? Verdicts(string reading) => _findings.GetValueOrDefault(reading);

    /// <summary>
    /// Cylinders from the tenth on have a row of their own, and each cylinder has three codes from P0261 on (SAE J2012).
    /// </summary>
    private static int CylinderOf(string code, string digits)
    {
        var number = int.Parse(digits, CultureInfo.InvariantCulture);
        if (code.StartsWith("P02", StringComparison.Ordinal) && number >= 61)
            return (number - 61) / 3 + 1;
        return number + (code[..4] is "P031" or "P021" or "P036" ? 10 : 0);
    }

    /// <summary>The file that ships, as it is read.</summary>
    public static string ShippedText
    {
        get
        {
            using var stream = typeof(Likelihoods).Assembly.GetManifestResourceStream("Maschera.Core.Diagnosis.likelihoods.txt")!;
            using var text = new StreamReader(stream);
            return text.ReadToEnd();
        }
    }

    private static Likelihoods Load()
    {
        var known = new Likelihoods();
        foreach (var line in ShippedText.Split('\n').Where(l => l.Length > 0 && l[0] != '#'))
            known.Take(line);
        return known;
    }

    private void Take(string line)
    {
        var halves = line.Split(" : ", 2);
        var words = halves[0].Split(' ', 3, StringSplitOptions.RemoveEmptyEntries);
        switch (words[0])
        {
            case "fault":
                _faults[words[1]] = FaultOf(line.Split(' '));
                break;
            case "complaint":
                _complaints[words[1]] = Pairs(halves[1]);
                break;
            case "code":
                // The first that matches counts: a correction goes before what ships.
                _patterns.Insert(_corrected ? 0 : _patterns.Count, words[1]);
                _codes.Insert(
                    _corrected ? 0 : _codes.Count,
                    (new Regex($"^(?:{words[1]})$", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant, s_patience), Pairs(halves[1]))
                );
                break;
            case "fuel":
                _fuels[words[1]] = Pairs(halves[1]);
                break;
            case "subject":
                _subjects.Add((words[1], new Regex(halves[1], RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)));
                break;
            case "said":
                _said.Add((words[1], new Regex(halves[1], RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)));
                break;
            case "finding":
                Finding(words[1])[words[2]] = Pairs(halves[1]);
                break;
            case "seen":
                Finding(SeenPrefix + words[1])["present"] = Pairs(halves[1]);
                break;
            case "part":
                _parts[words[1]] = halves[1];
                break;
            case "plain":
                _plain[words[1]] = halves[1];
                break;
            case "told":
                _told[words[1]] = halves[1];
                break;
            case "hookup":
                _hookUps[words[1]] = halves[1];
                break;
            case "shared":
                _shared[words[1]] = Pairs(halves[1]);
                break;
            case "accident":
                _accidents[words[1]] = double.Parse(words[2], CultureInfo.InvariantCulture);
                break;
            case "check":
                TakeCheck(
                    new(words[1], double.Parse(words[2], CultureInfo.InvariantCulture), halves.Length > 1 ? halves[1].Split(' ') : [])
                );
                break;
        }
    }

    /// <summary>A check of that name keeps its readings where none are said.</summary>
    private void TakeCheck(Check check)
    {
        var at = _checks.FindIndex(c => c.Name == check.Name);
        if (at < 0)
            _checks.Add(check);
        else
            _checks[at] = check.Readings.Count > 0 ? check : _checks[at] with { Minutes = check.Minutes };
    }

    private static Fault FaultOf(string[] words) =>
        new(
            words[1],
            double.Parse(words[2], CultureInfo.InvariantCulture),
            words.Length < 4 ? FaultPlace.Engine
                : words[3] == "wheel" ? FaultPlace.Wheel
                : FaultPlace.Cylinder
        );

    private Dictionary<string, Dictionary<string, double>> Finding(string reading) =>
        _findings.TryGetValue(reading, out var known) ? known : _findings[reading] = [];

    private static Dictionary<string, double> Pairs(string text) =>
        text.Split(' ', StringSplitOptions.RemoveEmptyEntries)
            .Select(p => p.Split('='))
            .ToDictionary(p => p[0], p => double.Parse(p[1], CultureInfo.InvariantCulture));
}
