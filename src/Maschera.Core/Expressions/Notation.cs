using System.Globalization;
using System.Text;

namespace Maschera.Core.Expressions;

/// <summary>An expression that can't be understood or worked out; its message names the place and what to do.</summary>
public sealed class ExpressionException(string message) : Exception(message);

/// <summary>A part of an expression.</summary>
/// <param name="At">Its place in the text, from 1.</param>
internal abstract record Term(int At);

/// <summary>A number.</summary>
internal sealed record Number(int At, double Value) : Term(At);

/// <summary>A channel by name.</summary>
internal sealed record ChannelName(int At, string Name) : Term(At);

/// <summary>Two terms joined by + - * / or ^.</summary>
internal sealed record Operation(int At, char Sign, Term Left, Term Right) : Term(At);

/// <summary>A function of terms.</summary>
internal sealed record Call(int At, string Function, IReadOnlyList<Term> Arguments) : Term(At);

/// <summary>
/// Reads the notation: numbers, channel names (in quotes where they hold spaces), + - * / ^, brackets and functions.
/// ^ binds strongest and to the right, then * and /, then + and -; a leading minus lies between * and ^.
/// </summary>
internal sealed class Notation
{
    /// <summary>Longest text read.</summary>
    public const int MostCharacters = 2_000;

    /// <summary>Deepest nesting.</summary>
    public const int MostDepth = 40;

    /// <summary>Most terms.</summary>
    public const int MostTerms = 200;

    private readonly string _text;
    private int _at;
    private int _depth;
    private int _terms;

    private Notation(string text) => _text = text;

    /// <summary>Reads an expression.</summary>
    /// <exception cref="ExpressionException">It is none, or larger than the limits.</exception>
    public static Term Read(string text)
    {
        if (text.Length > MostCharacters)
            throw new ExpressionException(
                $"The expression has {text.Length} characters; {MostCharacters} are the most. Split it into several channels."
            );
        var notation = new Notation(text);
        var term = notation.Sum();
        if (!notation.AtEnd)
            throw notation.Wrong($"'{notation.Here}' is not expected here");
        return term;
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

    private Term Sum()
    {
        if (++_depth > MostDepth)
            throw Wrong($"brackets are nested more than {MostDepth} deep");
        var left = Product();
        while (Here is '+' or '-')
            left = Joined(left, Product);
        _depth--;
        return left;
    }

    private Term Product()
    {
        var left = Signed();
        while (Here is '*' or '/')
            left = Joined(left, Signed);
        return left;
    }

    private Operation Joined(Term left, Func<Term> next)
    {
        var (at, sign) = (_at + 1, _text[_at++]);
        return Counted(new Operation(at, sign, left, next()));
    }

    private Term Signed()
    {
        if (Here != '-')
            return Power();
        if (++_depth > MostDepth)
            throw Wrong("there are too many signs in a row");
        var at = ++_at;
        var term = Counted(new Operation(at, '-', new Number(at, 0), Signed()));
        _depth--;
        return term;
    }

    private Term Power()
    {
        var left = Single();
        if (Here != '^')
            return left;
        if (++_depth > MostDepth)
            throw Wrong("powers are nested too deep");
        var at = ++_at;
        var term = Counted(new Operation(at, '^', left, Signed()));
        _depth--;
        return term;
    }

    private Term Single()
    {
        var here = Here;
        if (here == '(')
        {
            _at++;
            var inside = Sum();
            Expect(')');
            return inside;
        }

        if (here == '"')
            return Counted(new ChannelName(_at + 1, Quoted()));
        if (char.IsAsciiDigit(here) || here == '.')
            return Counted(ReadNumber());
        if (char.IsLetter(here) || here == '_')
            return Word();
        throw Wrong(AtEnd ? "the expression ends too early" : $"'{here}' is not expected here");
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
        while (_at < _text.Length && (char.IsAsciiDigit(_text[_at]) || _text[_at] == '.' || IsExponent()))
            _at++;
        var text = _text[start.._at];
        return double.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out var value) && double.IsFinite(value)
            ? new Number(start + 1, value)
            : throw new ExpressionException($"'{text}' at place {start + 1} is not a number.");

        bool IsExponent() =>
            _text[_at] is 'e' or 'E' && _at + 1 < _text.Length && (char.IsAsciiDigit(_text[_at + 1]) || _text[_at + 1] is '-' or '+')
            || _text[_at] is '-' or '+' && _text[_at - 1] is 'e' or 'E' && _text[_at] is '-' or '+';
    }

    private Term Word()
    {
        var start = _at;
        var word = new StringBuilder();
        while (_at < _text.Length && (char.IsLetterOrDigit(_text[_at]) || _text[_at] == '_'))
            word.Append(_text[_at++]);
        if (Here != '(')
            return Counted(new ChannelName(start + 1, word.ToString()));
        _at++;
        var arguments = new List<Term>();
        if (Here != ')')
        {
            arguments.Add(Sum());
            while (Here == ',')
            {
                _at++;
                arguments.Add(Sum());
            }
        }

        Expect(')');
        return Counted(new Call(start + 1, word.ToString().ToLowerInvariant(), arguments));
    }

    private void Expect(char sign)
    {
        if (Here != sign)
            throw Wrong($"'{sign}' is missing");
        _at++;
    }

    private T Counted<T>(T term)
        where T : Term => ++_terms <= MostTerms ? term : throw Wrong($"the expression has more than {MostTerms} terms");

    private ExpressionException Wrong(string what) => new($"At place {_at + 1}: {what}.");
}
