namespace Maschera.Core.Expressions;

/// <summary>An expression or condition that can't be understood or worked out; its message names the place and what to do.</summary>
public sealed class ExpressionException(string message) : Exception(message)
{
    /// <summary>Something wrong at a place in the text, from 1.</summary>
    internal static ExpressionException At(int place, string what) => new($"At place {place}: {what}.");
}

/// <summary>A part of an expression: a value, or a claim that holds or does not.</summary>
/// <param name="At">Its place in the text, from 1.</param>
internal abstract record Term(int At)
{
    /// <summary>The terms it is made of.</summary>
    public virtual IReadOnlyList<Term> Parts => [];
}

/// <summary>A number.</summary>
internal sealed record Number(int At, double Value) : Term(At);

/// <summary>A channel by name.</summary>
internal sealed record ChannelName(int At, string Name) : Term(At);

/// <summary>Two values joined by + - * / or ^.</summary>
internal sealed record Operation(int At, char Sign, Term Left, Term Right) : Term(At)
{
    public override IReadOnlyList<Term> Parts => [Left, Right];

    /// <summary>What the sign does.</summary>
    public Func<double, double, double> Works =>
        Sign switch
        {
            '+' => (a, b) => a + b,
            '-' => (a, b) => a - b,
            '*' => (a, b) => a * b,
            '/' => (a, b) => a / b,
            _ => Math.Pow,
        };
}

/// <summary>A function of values.</summary>
internal sealed record Call(int At, string Function, IReadOnlyList<Term> Arguments) : Term(At)
{
    public override IReadOnlyList<Term> Parts => Arguments;
}

/// <summary>A term that holds or does not.</summary>
internal abstract record Claim(int At) : Term(At);

/// <summary>Two values compared by &lt; &lt;= &gt; &gt;= = or !=.</summary>
internal sealed record Comparison(int At, string Sign, Term Left, Term Right) : Claim(At)
{
    public override IReadOnlyList<Term> Parts => [Left, Right];
}

/// <summary>Two claims joined by "and" or by "or".</summary>
internal sealed record Joined(int At, bool Both, Term Left, Term Right) : Claim(At)
{
    public override IReadOnlyList<Term> Parts => [Left, Right];
}

/// <summary>The opposite of a claim.</summary>
internal sealed record Opposite(int At, Term Of) : Claim(At)
{
    public override IReadOnlyList<Term> Parts => [Of];
}
