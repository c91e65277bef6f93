using Maschera.Core.Basics;
using Maschera.Core.Signals;

namespace Maschera.Core.Expressions;

/// <summary>
/// A condition over channels: values compared (&lt; &lt;= &gt; &gt;= = !=) and joined by and, or, not and brackets, for example
/// <c>rpm > 3000 and boost desired - boost actual > 20</c>. A channel is named as it is called, by a part of its name that only
/// it has, or by its unit. Where a channel has no value nothing is known of a comparison with it, nor of its opposite: the
/// condition does not hold there unless the rest alone makes it so.
/// </summary>
public sealed class Condition
{
    private readonly Func<double, bool?> _holds;
    private readonly List<Channel> _channels = [];

    private Condition(Term term, IReadOnlyList<Channel> channels)
    {
        _holds = Holds(term, channels);
        if (_channels.Count == 0)
            throw new ExpressionException("The condition names no channel; write one, for example rpm > 3000.");
    }

    /// <summary>Understands a condition.</summary>
    /// <exception cref="ExpressionException">It can't be understood; the message says where.</exception>
    public static Condition Parse(string text, IReadOnlyList<Channel> channels)
    {
        if (string.IsNullOrWhiteSpace(text))
            throw new ExpressionException("Write a condition, for example rpm > 3000.");
        var term = Notation.Read(text, channels.Select(c => c.Name));
        return term is Claim
            ? new Condition(term, channels)
            : throw ExpressionException.At(text.Length + 1, "a comparison was expected: <, <=, >, >=, = or !=");
    }

    /// <summary>
    /// Stretches in which it holds, at the times of the finest channel it names; those shorter than <paramref name="least"/>
    /// seconds are left out.
    /// </summary>
    public IReadOnlyList<Stretch> Stretches(double least = 0)
    {
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

    private Func<double, bool?> Holds(Term term, IReadOnlyList<Channel> channels)
    {
        switch (term)
        {
            case Joined joined:
                var (a, b) = (Holds(joined.Left, channels), Holds(joined.Right, channels));
                return joined.Both ? t => a(t) == false ? false : a(t) & b(t) : t => a(t) == true ? true : a(t) | b(t);
            case Opposite opposite:
                var turned = Holds(opposite.Of, channels);
                return t => !turned(t);
            default:
                return Compares((Comparison)term, channels);
        }
    }

    private Func<double, bool?> Compares(Comparison comparison, IReadOnlyList<Channel> channels)
    {
        var (left, right) = (Value(comparison.Left, channels), Value(comparison.Right, channels));
        Func<double, double, bool> compare = comparison.Sign switch
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

    private Func<double, double> Value(Term term, IReadOnlyList<Channel> channels)
    {
        switch (term)
        {
            case Number number:
                return _ => number.Value;
            case Operation operation:
                var (left, right, works) = (Value(operation.Left, channels), Value(operation.Right, channels), operation.Works);
                return t => works(left(t), right(t));
            case Call call:
                return Called(call, [.. call.Arguments.Select(part => Value(part, channels))]);
            default:
                var channel = ChannelNames.Find((ChannelName)term, channels, c => c.Name, c => c.Unit);
                _channels.Add(channel);
                return t => t < channel.Time.Start || t > channel.Time.End ? double.NaN : Resampling.Held(channel, t);
        }
    }

    private static Func<double, double> Called(Call call, Func<double, double>[] of) =>
        (call.Function, of) switch
        {
            ("abs", [var x]) => t => Math.Abs(x(t)),
            ("sqrt", [var x]) => t => Math.Sqrt(x(t)),
            ("min", [var x, var y]) => t => Math.Min(x(t), y(t)),
            ("max", [var x, var y]) => t => Math.Max(x(t), y(t)),
            ("abs" or "sqrt" or "min" or "max", _) => throw ExpressionException.At(
                call.At,
                $"{call.Function} takes {(call.Function is "min" or "max" ? "two values" : "one value")} in its brackets"
            ),
            _ => throw ExpressionException.At(
                call.At,
                $"a condition reckons with abs, sqrt, min and max; make a channel of {call.Function}(…) first and compare that"
            ),
        };
}
