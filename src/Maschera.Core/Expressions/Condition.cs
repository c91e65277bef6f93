using System.Text.RegularExpressions;
using Maschera.Core.Basics;
using Maschera.Core.Signals;

namespace Maschera.Core.Expressions;

/// <summary>A condition that can't be understood; its message names the place.</summary>
public sealed class ConditionException(string message) : Exception(message);

/// <summary>
/// A condition over channels: comparisons (&lt; &lt;= &gt; &gt;= = !=) of channels and numbers, joined by and, or, not and
/// brackets, for example <c>rpm > 3000 and throttle > 90</c>. A channel is named as it is called, by a part of its name
/// that only it has, or by its unit; a name with spaces may stand in quotation marks. Where a channel has no value nothing is
/// known of a comparison with it, nor of its opposite: the condition does not hold there unless the rest alone makes it so.
/// </summary>
public sealed partial class Condition
{
    private const int MostWords = 400;

    private readonly Func<double, bool?> _holds;
    private readonly IReadOnlyList<Channel> _channels;

    private Condition(Func<double, bool?> holds, IReadOnlyList<Channel> channels) => (_holds, _channels) = (holds, channels);

    /// <summary>Understands a condition.</summary>
    /// <exception cref="ConditionException">It can't be understood.</exception>
    public static Condition Parse(string text, IReadOnlyList<Channel> channels)
    {
        var parser = new Parser(text, channels);
        return new Condition(parser.Whole(), parser.Used);
    }

    /// <summary>
    /// Stretches in which it holds, at the times of the finest channel it names; those shorter than <paramref name="least"/>
    /// seconds are left out.
    /// </summary>
    public IReadOnlyList<Stretch> Stretches(double least = 0)
    {
        if (_channels.Count == 0)
            return [];
        var time = _channels.MinBy(c => c.Time.Step)!.Time;
        var stretches = new List<Stretch>();
        double? from = null;
        for (var i = 0; i <= time.Count; i++)
        {
            var holds = i < time.Count && _holds(time[i]) == true;
            if (holds)
                from ??= time[i];
            else if (from is { } start)
            {
                // It holds until the first time at which it does not.
                var to = i < time.Count ? time[i] : time.End;
                if (to - start >= least)
                    stretches.Add(new Stretch(start, to));
                from = null;
            }
        }

        return stretches;
    }

    private sealed class Parser
    {
        private readonly List<(string Word, int At)> _words;
        private readonly IReadOnlyList<Channel> _channels;
        private int _next;

        public Parser(string text, IReadOnlyList<Channel> channels)
        {
            _channels = channels;
            _words = [.. Words().Matches(text).Select(m => (m.Value, m.Index + 1))];
            if (_words.Count > MostWords)
                throw new ConditionException($"A condition has at most {MostWords} words.");
            if (_words.Count == 0)
                throw new ConditionException("Write a condition, for example rpm > 3000.");
        }

        /// <summary>The channels named.</summary>
        public List<Channel> Used { get; } = [];

        public Func<double, bool?> Whole()
        {
            var whole = Or(0);
            return _next < _words.Count ? throw Wrong("nothing more was expected") : whole;
        }

        private Func<double, bool?> Or(int depth)
        {
            var left = And(depth);
            while (Take("or"))
            {
                var (a, b) = (left, And(depth));
                left = t => a(t) == true ? true : a(t) | b(t);
            }

            return left;
        }

        private Func<double, bool?> And(int depth)
        {
            var left = One(depth);
            while (Take("and"))
            {
                var (a, b) = (left, One(depth));
                left = t => a(t) == false ? false : a(t) & b(t);
            }

            return left;
        }

        private Func<double, bool?> One(int depth)
        {
            if (depth > 50)
                throw new ConditionException("The brackets are nested too deeply.");
            if (Take("not"))
            {
                var turned = One(depth + 1);
                return t => !turned(t);
            }

            if (Take("("))
            {
                var inner = Or(depth + 1);
                return Take(")") ? inner : throw Wrong("a closing bracket was expected");
            }

            var left = Value();
            var sign = _next < _words.Count ? _words[_next].Word : "";
            if (sign is not ("<" or "<=" or ">" or ">=" or "=" or "==" or "!="))
                throw Wrong("a comparison was expected: <, <=, >, >=, = or !=");
            _next++;
            var right = Value();
            Func<double, double, bool> compare = sign switch
            {
                "<" => (a, b) => a < b,
                "<=" => (a, b) => a <= b,
                ">" => (a, b) => a > b,
                ">=" => (a, b) => a >= b,
                "!=" => (a, b) => a != b,
                _ => (a, b) => a == b,
            };
            return t => left(t) is var a && right(t) is var b && (double.IsNaN(a) || double.IsNaN(b)) ? null : compare(a, b);
        }

        private Func<double, double> Value()
        {
            if (_next >= _words.Count)
                throw Wrong("a channel or a number was expected");
            var word = _words[_next].Word;
            if (TypedNumber.Parse(word) is { } number)
            {
                _next++;
                return _ => number;
            }

            var channel = Named();
            Used.Add(channel);
            return t => t < channel.Time.Start || t > channel.Time.End ? double.NaN : Resampling.Held(channel, t);
        }

        /// <summary>A channel named by one word or by several in a row.</summary>
        private Channel Named()
        {
            var start = _next;
            if (_words[_next].Word.StartsWith('"'))
            {
                var quoted = _words[_next++].Word.Trim('"');
                return _channels.FirstOrDefault(c => string.Equals(c.Name, quoted, StringComparison.OrdinalIgnoreCase))
                    ?? throw Wrong($"there is no channel \"{quoted}\"", start);
            }

            while (_next < _words.Count && IsName(_words[_next].Word))
                _next++;
            if (_next == start)
                throw Wrong("a channel or a number was expected", start);
            var name = string.Join(' ', _words[start.._next].Select(w => w.Word));
            var fitting = _channels.Where(c => string.Equals(c.Name, name, StringComparison.OrdinalIgnoreCase)).ToList();
            if (fitting.Count == 0)
                fitting = [.. _channels.Where(c => string.Equals(c.Unit, name, StringComparison.OrdinalIgnoreCase))];
            if (fitting.Count == 0)
                fitting = [.. _channels.Where(c => c.Name.Contains(name, StringComparison.OrdinalIgnoreCase))];
            return fitting.Count switch
            {
                1 => fitting[0],
                0 => throw Wrong($"no channel is called \"{name}\"", start),
                _ => throw Wrong($"\"{name}\" may be {string.Join(" or ", fitting.Select(c => $"\"{c.Name}\""))}", start),
            };
        }

        private static bool IsName(string word) =>
            (char.IsLetter(word[0]) || word[0] == '_' || char.IsDigit(word[0])) && word.ToLowerInvariant() is not ("and" or "or" or "not");

        private bool Take(string word)
        {
            if (_next >= _words.Count || !string.Equals(_words[_next].Word, word, StringComparison.OrdinalIgnoreCase))
                return false;
            _next++;
            return true;
        }

        private ConditionException Wrong(string what, int? at = null)
        {
            var place = at ?? _next;
            return new ConditionException(
                place < _words.Count ? $"At place {_words[place].At}, \"{_words[place].Word}\": {what}." : $"At the end: {what}."
            );
        }
    }

    [GeneratedRegex("\"[^\"]*\"?|<=|>=|!=|==|[<>=()]|-?\\d+(?:[.,]\\d+)?(?![\\p{L}\\d_])|[^\\s<>=!()\"]+|!")]
    private static partial Regex Words();
}
