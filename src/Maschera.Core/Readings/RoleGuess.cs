namespace Maschera.Core.Readings;

/// <summary>What a channel may stand for, told from its name and unit over the roles of all readings.</summary>
public static class RoleGuess
{
    /// <summary>A word that stands by itself in the name says more than one inside another.</summary>
    private const int WholeWord = 3;

    private const int FittingUnit = 2;

    /// <summary>The likeliest role of a channel; null where nothing speaks for one.</summary>
    public static string? Of(string name, string unit) =>
        ReadingRegistry
            .All.SelectMany(reading => reading.Roles)
            .Select(role => (role.Name, Score: Score(role, name, unit)))
            .Where(guess => guess.Score > 0)
            .OrderByDescending(guess => guess.Score)
            .FirstOrDefault()
            .Name;

    /// <summary>A role for each channel in turn, every role once, at the first channel that speaks for it.</summary>
    public static string?[] OfAll(IReadOnlyList<(string Name, string Unit)> channels)
    {
        var guesses = channels.Select(c => Of(c.Name, c.Unit)).ToArray();
        for (var i = 0; i < guesses.Length; i++)
            if (Array.IndexOf(guesses, guesses[i]) < i)
                guesses[i] = null;
        return guesses;
    }

    private static int Score(Role role, string name, string unit)
    {
        var byName = role.Words.Select(word => Score(word, name)).DefaultIfEmpty(0).Max();
        var byUnit = role.Units.Contains(unit, StringComparer.OrdinalIgnoreCase);
        // A unit alone tells a role only where next to nothing else has it.
        return byName > 0 ? byName + (byUnit ? FittingUnit : 0)
            : byUnit && role.Units[0] == "A" ? 1
            : 0;
    }

    private static int Score(string word, string name)
    {
        var at = name.IndexOf(word, StringComparison.OrdinalIgnoreCase);
        if (at < 0)
            return 0;
        var end = at + word.Length;
        var whole = (at == 0 || !char.IsLetter(name[at - 1])) && (end == name.Length || !char.IsLetter(name[end]));
        return word.Length + (whole ? WholeWord : 0);
    }
}
