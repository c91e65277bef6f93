using System.Text;

namespace Maschera.Formats;

/// <summary>
/// Gives each word of a column told in words a number: 0 for a word of rest and 1 for its opposite, the next free one for any
/// other. A number written in such a column is a word like the others.
/// </summary>
internal sealed class StateWords
{
    /// <summary>A column of more different words is text and no state.</summary>
    private const int Most = 32;

    private const int LongestWord = 40;

    private static readonly HashSet<string> s_rest = new(StringComparer.OrdinalIgnoreCase)
    {
        "off",
        "no",
        "false",
        "inactive",
        "not active",
        "closed",
        "shut",
        "released",
        "low",
        "lost",
        "stopped",
        "idle",
        "aus",
        "nein",
        "inaktiv",
        "zu",
        "geschlossen",
        "spento",
        "non",
        "arrêt",
        "fermé",
        "chiuso",
        "0",
    };

    private static readonly HashSet<string> s_opposite = new(StringComparer.OrdinalIgnoreCase)
    {
        "on",
        "yes",
        "true",
        "active",
        "open",
        "opened",
        "pressed",
        "high",
        "found",
        "running",
        "ein",
        "an",
        "ja",
        "aktiv",
        "auf",
        "offen",
        "acceso",
        "oui",
        "marche",
        "ouvert",
        "aperto",
        "1",
    };

    private readonly List<string> _words = [];
    private readonly Dictionary<string, int> _numbers = new(StringComparer.OrdinalIgnoreCase);
    private byte[] _lastCell = [];
    private int _lastNumber;

    /// <summary>The words by their number; empty where a number stands for none.</summary>
    public IReadOnlyList<string> ByNumber => _words;

    /// <summary>The number of a cell's word; false for an empty cell, a word for missing, or one word too many.</summary>
    public bool TryNumber(ReadOnlySpan<byte> cell, out double number)
    {
        if (cell.IsEmpty || !cell.SequenceEqual(_lastCell) && !Learn(cell))
        {
            number = double.NaN;
            return false;
        }

        number = _lastNumber;
        return true;
    }

    public override string ToString() =>
        string.Join(", ", _words.Select((word, number) => $"{word} is {number}").Where(told => !told.StartsWith(' ')));

    private bool Learn(ReadOnlySpan<byte> cell)
    {
        var word = Encoding.UTF8.GetString(cell);
        if (cell.Length > LongestWord || CsvLayoutFinder.IsMissing(word))
            return false;
        if (!_numbers.TryGetValue(word, out var number))
        {
            if (_numbers.Count == Most)
                return false;
            _numbers[word] = number = Place(word);
        }

        (_lastCell, _lastNumber) = (cell.ToArray(), number);
        return true;
    }

    private int Place(string word)
    {
        var number = s_opposite.Contains(word) ? 1 : 0;
        while (number < _words.Count && _words[number].Length > 0)
            number++;
        while (_words.Count <= number)
            _words.Add("");
        _words[number] = word;
        return number;
    }
}
