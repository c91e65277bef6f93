using System.Globalization;

namespace Maschera.Core.Expressions;

/// <summary>
/// Reads the notation of derived channels and of conditions: numbers, channel names, + - * / ^, brackets and functions;
/// comparisons, not, and, or. ^ binds strongest and to the right, then * and /, then + and -, comparisons, not, and, or; a leading
/// minus lies between * and ^. A name that holds signs of the notation stands in quotation marks, unless it can't be read otherwise.
/// </summary>
internal sealed class Notation
{
    /// <summary>Longest text read.</summary>
    public const int MostCharacters = 2_000;

    /// <summary>Deepest nesting.</summary>
    public const int MostDepth = 40;

    /// <summary>Most terms.</summary>
    public const int MostTerms = 200;

    private const string Signs = "+-*/^(),<>=!";

    private readonly string _text;
    private readonly IReadOnlyList<string> _names;
    private int _at;
    private int _depth;
    private int _terms;
    private int _calls;

    private Notation(string text, IEnumerable<string> names)
    {
        _text = text.Replace('−', '-').Replace('×', '*').Replace('·', '*');
        _names = [.. names.Where(n => n.Length > 0 && !double.TryParse(n, CultureInfo.InvariantCulture, out _)).OrderBy(n => -n.Length)];
    }

    /// <summary>Reads a value or a claim.</summary>
    /// <param name="names">The channels' names, so that they may stand bare.</param>
    /// <exception cref="ExpressionException">It is neither, or larger than the limits.</exception>
    public static Term Read(string text, IEnumerable<string> names)
    {
        if (text.Length > MostCharacters)
            throw new ExpressionException(
                $"The expression has {text.Length} characters; {MostCharacters} are the most. Split it into several channels."
            );
        var notation = new Notation(text, names);
        var term = notation.Either();
        return notation.AtEnd ? term : throw notation.Wrong($"'{notation.Here}' is not expected here");
    }

    private bool AtEnd
    {
        get
        {
            while (_at < _text.Length && char.IsWhiteSpace(_text[_at]))
                _at++;
            return _at == _text.Length;
        }
    }

    private char Here => AtEnd ? '\0' : _text[_at];

    private Term Either()
    {
        Deeper();
        var left = Both();
        for (var at = _at + 1; Take("or"); at = _at + 1)
            left = Counted(new Joined(at, false, AsClaim(left), AsClaim(Both())));
        _depth--;
        return left;
    }

    private Term Both()
    {
        var left = Turned();
        for (var at = _at + 1; Take("and"); at = _at + 1)
            left = Counted(new Joined(at, true, AsClaim(left), AsClaim(Turned())));
        return left;
    }

    private Term Turned()
    {
        var at = _at + 1;
        if (!Take("not"))
            return Compared();
        Deeper();
        var turned = Counted(new Opposite(at, AsClaim(Turned())));
        _depth--;
        return turned;
    }

    private Term Compared()
    {
        var left = Sum();
        if (Here is not ('<' or '>' or '=' or '!' or '≤' or '≥' or '≠'))
            return left;
        var at = _at + 1;
        var sign = ComparisonSign();
        return Counted(new Comparison(at, sign, AsValue(left), AsValue(Sum())));
    }

    private string ComparisonSign()
    {
        var first = _text[_at++];
        var equals = _at < _text.Length && _text[_at] == '=';
        if (first is '<' or '>' or '=' or '!' && equals)
            _at++;
        return (first, equals) switch
        {
            ('<', false) => "<",
            ('>', false) => ">",
            ('<' or '≤', _) => "<=",
            ('>' or '≥', _) => ">=",
            ('=', _) => "=",
            ('≠', _) or ('!', true) => "!=",
            _ => throw ExpressionException.At(_at, "a comparison was expected: <, <=, >, >=, = or !="),
        };
    }

    private Term Sum()
    {
        var left = Product();
        while (Here is '+' or '-')
            left = Worked(left, Product);
        return left;
    }

    private Term Product()
    {
        var left = Signed();
        while (Here is '*' or '/')
            left = Worked(left, Signed);
        return left;
    }

    private Operation Worked(Term left, Func<Term> next)
    {
        var (at, sign) = (_at + 1, _text[_at++]);
        return Counted(new Operation(at, sign, AsValue(left), AsValue(next())));
    }

    private Term Signed()
    {
        if (Here != '-')
            return Power();
        Deeper();
        var at = ++_at;
        var term = Counted(new Operation(at, '-', new Number(at, 0), AsValue(Signed())));
        _depth--;
        return term;
    }

    private Term Power()
    {
        var left = Single();
        if (Here != '^')
            return left;
        Deeper();
        var at = ++_at;
        var term = Counted(new Operation(at, '^', AsValue(left), AsValue(Signed())));
        _depth--;
        return term;
    }

    private Term Single()
    {
        var here = Here;
        var start = _at;
        if (here == '(')
        {
            _at++;
            var inside = Either();
            Expect(')');
            return inside;
        }

        if (here == '"')
            return Counted(new ChannelName(start + 1, Quoted()));
        if (Bare() is { } name)
            return Counted(new ChannelName(start + 1, name));
        if (char.IsAsciiDigit(here) || here == '.')
            return Counted(ReadNumber());
        if (InWord(here))
            return Word();
        throw Wrong(AtEnd ? "it ends too early; a channel or a number was expected" : $"'{here}' is not expected here");
    }

    /// <summary>
    /// The longest channel name that stands here as it is; one without signs before one with them, for there the sign is meant.
    /// </summary>
    private string? Bare()
    {
        var here = _names.Where(StandsHere).ToList();
        var name = here.Find(n => n.IndexOfAny([.. Signs]) < 0) ?? (here.Count > 0 ? here[0] : null);
        if (name is null)
            return null;
        var start = _at;
        _at += name.Length;
        // speed( is the function, whatever a channel is called; and a word more makes another name of it.
        if (Here != '(' && !AnotherWord)
            return name;
        _at = start;
        return null;
    }

    private bool StandsHere(string name)
    {
        var end = _at + name.Length;
        return string.Compare(_text, _at, name, 0, name.Length, StringComparison.OrdinalIgnoreCase) == 0
            && end <= _text.Length
            && (end == _text.Length || !InWord(_text[end]) || !InWord(_text[end - 1]));
    }

    private string Quoted()
    {
        var end = _text.IndexOf('"', _at + 1);
        if (end < 0)
            throw Wrong("the quotation mark is never closed");
        var name = _text[(_at + 1)..end];
        _at = end + 1;
        return name;
    }

    private Number ReadNumber()
    {
        var start = _at;
        while (_at < _text.Length && (char.IsAsciiDigit(_text[_at]) || _text[_at] == '.' || IsDecimalComma() || IsExponent()))
            _at++;
        var text = _text[start.._at];
        return
            double.TryParse(text.Replace(',', '.'), NumberStyles.Float, CultureInfo.InvariantCulture, out var value)
            && double.IsFinite(value)
            ? new Number(start + 1, value)
            : throw ExpressionException.At(start + 1, $"'{text}' is not a number");

        bool IsExponent() =>
            _text[_at] is 'e' or 'E' && _at + 1 < _text.Length && (char.IsAsciiDigit(_text[_at + 1]) || _text[_at + 1] is '-' or '+')
            || _text[_at] is '-' or '+' && _text[_at - 1] is 'e' or 'E';

        // Between the brackets of a function a comma parts what it takes.
        bool IsDecimalComma() =>
            _calls == 0 && _text[_at] == ',' && _at > start && _at + 1 < _text.Length && char.IsAsciiDigit(_text[_at + 1]);
    }

    /// <summary>A function, or a part of a channel's name in one word or several.</summary>
    private Term Word()
    {
        var start = _at;
        Run();
        if (Here == '(')
            return Function(start, _text[start.._at].TrimEnd());
        var end = _at;
        while (AnotherWord)
        {
            Run();
            end = _at;
        }

        _at = end;
        return Counted(new ChannelName(start + 1, _text[start..end].TrimEnd()));
    }

    private void Run()
    {
        while (_at < _text.Length && InWord(_text[_at]))
            _at++;
    }

    private Call Function(int start, string name)
    {
        _at++;
        _calls++;
        var arguments = new List<Term>();
        if (Here != ')')
        {
            arguments.Add(AsValue(Either()));
            while (Here == ',')
            {
                _at++;
                arguments.Add(AsValue(Either()));
            }
        }

        Expect(')');
        _calls--;
        return Counted(new Call(start + 1, name.ToLowerInvariant(), arguments));
    }

    private static bool InWord(char c) => char.IsLetterOrDigit(c) || c is '_' or '.' or '%' or '°' or '#';

    private bool AnotherWord => InWord(Here) && !Ahead("and") && !Ahead("or") && !Ahead("not");

    private bool Ahead(string word) =>
        !AtEnd
        && string.Compare(_text, _at, word, 0, word.Length, StringComparison.OrdinalIgnoreCase) == 0
        && (_at + word.Length == _text.Length || !InWord(_text[_at + word.Length]));

    private bool Take(string word)
    {
        if (!Ahead(word))
            return false;
        _at += word.Length;
        return true;
    }

    private void Expect(char sign)
    {
        if (Here != sign)
            throw Wrong($"'{sign}' is missing");
        _at++;
    }

    private void Deeper()
    {
        if (++_depth > MostDepth)
            throw Wrong($"it is nested more than {MostDepth} deep");
    }

    private static Term AsClaim(Term term) =>
        term is Claim ? term : throw ExpressionException.At(term.At, "a comparison was expected: <, <=, >, >=, = or !=");

    private static Term AsValue(Term term) =>
        term is not Claim ? term : throw ExpressionException.At(term.At, "a comparison gives no number to reckon with");

    private T Counted<T>(T term)
        where T : Term => ++_terms <= MostTerms ? term : throw Wrong($"it has more than {MostTerms} terms");

    private ExpressionException Wrong(string what) => ExpressionException.At(_at + 1, what);
}
