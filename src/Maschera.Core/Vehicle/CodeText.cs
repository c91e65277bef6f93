using System.Text.RegularExpressions;
using Maschera.Core.Vehicle;

namespace Maschera.Core.Vehicle;

/// <summary>States of a trouble code.</summary>
public static class CodeStates
{
    public const string Present = "present",
        Stored = "stored",
        Pending = "pending",
        Permanent = "permanent",
        OwnTesting = "own testing";

    /// <summary>All states, the weightiest first.</summary>
    public static IReadOnlyList<string> All { get; } = [Present, Stored, Pending, Permanent, OwnTesting];
}

/// <summary>A trouble code as it was written down.</summary>
/// <param name="Code">The code, in capitals.</param>
/// <param name="Text">What was written beside it; what the code means where nothing was.</param>
/// <param name="Module">The module that gave it; empty where nobody said.</param>
/// <param name="State">One of <see cref="CodeStates"/>.</param>
public sealed record WrittenCode(string Code, string Text, string Module, string State);

/// <summary>Finds trouble codes in typed or pasted text: one line a code, a line that ends with a colon names the module.</summary>
public static partial class CodeText
{
    private static readonly (string State, Regex At)[] s_states =
    [
        (CodeStates.Permanent, StateAt("permanent")),
        (CodeStates.Pending, StateAt("pending", "provisional", "vorläufig", "in attesa", "en attente")),
        (
            CodeStates.Stored,
            StateAt(
                "stored",
                "memory",
                "historic",
                "history",
                "intermittent",
                "sporadic",
                "gespeichert",
                "sporadisch",
                "memorizzato",
                "mémorisé",
                "not present",
                "not active",
                "not current",
                "inactive",
                "inaktiv",
                "nicht aktiv",
                "inattivo",
                "inactif",
                "passive"
            )
        ),
        (CodeStates.Present, StateAt("present", "current", "active", "confirmed", "aktiv", "vorhanden", "presente", "présent")),
    ];

    /// <summary>The codes of a text, in its order; codes in no known form are left out.</summary>
    public static IReadOnlyList<WrittenCode> Parse(string text)
    {
        var codes = new List<WrittenCode>();
        var module = "";
        foreach (var line in text.Split('\n').Select(l => l.Trim()))
        {
            var found = Code().Match(line);
            if (!found.Success)
            {
                if (line.EndsWith(':') && line.Length is > 1 and < 60)
                    module = line[..^1].Trim();
                continue;
            }

            var code = found.Value.ToUpperInvariant();
            var rest = line.Remove(found.Index, found.Length);
            var (state, words) = State(rest);
            rest = words?.Replace(rest, "") ?? rest;
            var said = Edges().Replace(rest, "").Trim();
            codes.Add(new WrittenCode(code, said.Length > 0 ? said : CodeMeanings.Of(code), module, state));
        }

        return codes;
    }

    /// <summary>
    /// The state a line tells, and the words it is told by; stored without any. A state stands by itself between separators or two
    /// spaces (as a code in front leaves them), or last: inside a description the same words mean something else (a current out
    /// of range).
    /// </summary>
    private static (string State, Regex? Words) State(string rest)
    {
        var found = s_states.FirstOrDefault(s => s.At.IsMatch(rest));
        return found.State is null ? (CodeStates.Stored, null) : (found.State, found.At);
    }

    private static Regex StateAt(params string[] words)
    {
        var any = string.Join('|', words.Select(Regex.Escape));
        // "Current" ends many a description; as a state it has a field of its own or stands first.
        var last = string.Join('|', words.Where(w => w != "current").Select(Regex.Escape));
        return new Regex(
            $@"(?<=(^|[\-–:;,.()\[\]|/*•\t]|\s\s)\s*)\b({any})\b(?=\s*([\-–:;,.()\[\]|/\t]|$)|\s\s)|\b({last})\b(?=[\s.)\]]*$)",
            RegexOptions.IgnoreCase | RegexOptions.CultureInvariant
        );
    }

    [GeneratedRegex(@"(?<![0-9A-Za-z])[PCBU][0-3][0-9A-F]{3}(?![0-9A-Za-z])", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex Code();

    [GeneratedRegex(@"^[\s\-–:;,.()\[\]|/*•]+|[\s\-–:;,(\[|/*]+$|\(\s*\)|\[\s*\]")]
    private static partial Regex Edges();
}

/// <summary>What the common codes of SAE J2012 mean, in our words.</summary>
public static class CodeMeanings
{
    private static readonly Dictionary<string, string> s_meanings = new()
    {
        ["P0016"] = "Crank and cam do not agree, bank 1",
        ["P0017"] = "Crank and exhaust cam do not agree, bank 1",
        ["P0018"] = "Crank and cam do not agree, bank 2",
        ["P0019"] = "Crank and exhaust cam do not agree, bank 2",
        ["P0087"] = "Rail pressure too low",
        ["P0088"] = "Rail pressure too high",
        ["P0101"] = "Air mass does not fit",
        ["P0106"] = "Manifold pressure does not fit",
        ["P0113"] = "Intake air temperature signal high",
        ["P0117"] = "Coolant temperature signal low",
        ["P0118"] = "Coolant temperature signal high",
        ["P0171"] = "Mixture too lean, bank 1",
        ["P0172"] = "Mixture too rich, bank 1",
        ["P0174"] = "Mixture too lean, bank 2",
        ["P0175"] = "Mixture too rich, bank 2",
        ["P0234"] = "Boost too high",
        ["P0299"] = "Boost too low",
        ["P0300"] = "Misfires on any cylinder",
        ["P0315"] = "Crank wheel not learned",
        ["P0335"] = "Crank sensor: no signal",
        ["P0336"] = "Crank sensor: signal does not fit",
        ["P0340"] = "Cam sensor: no signal",
        ["P0341"] = "Cam sensor: signal does not fit",
        ["P0420"] = "Catalyst too weak, bank 1",
        ["P0430"] = "Catalyst too weak, bank 2",
        ["P0460"] = "Fuel level sender",
        ["P0461"] = "Fuel level sender does not move",
        ["P0462"] = "Fuel level sender signal low",
        ["P0463"] = "Fuel level sender signal high",
        ["P0562"] = "System voltage low",
        ["P0563"] = "System voltage high",
        ["U0100"] = "No messages from the engine control unit",
        ["U0101"] = "No messages from the gearbox control unit",
    };

    /// <summary>The meaning; empty where it is not in the list.</summary>
    public static string Of(string code)
    {
        if (code.StartsWith("P03", StringComparison.Ordinal) && int.TryParse(code[3..], out var cylinder) && cylinder is >= 1 and <= 12)
            return $"Misfires, cylinder {cylinder}";
        if (code.StartsWith("P02", StringComparison.Ordinal) && int.TryParse(code[3..], out var injector) && injector is >= 1 and <= 12)
            return $"Injector circuit, cylinder {injector}";
        return s_meanings.GetValueOrDefault(code, "");
    }
}
