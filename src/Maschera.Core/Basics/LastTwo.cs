namespace Maschera.Core.Basics;

/// <summary>
/// What was worked out for the last two keys: the differences of a fit move one number at a time, and all the others ask for what
/// stays. May be asked from several threads; at worst something is worked out twice.
/// </summary>
public sealed class LastTwo<T>
{
    private sealed record Kept(double Key, T Value);

    private volatile Kept? _last,
        _before;

    /// <summary>The value of a key, made where it is none of the last two.</summary>
    public T Of(double key, Func<double, T> make)
    {
        if (_last is { } last && last.Key == key)
            return last.Value;
        if (_before is { } before && before.Key == key)
            return before.Value;
        var made = new Kept(key, make(key));
        (_before, _last) = (_last, made);
        return made.Value;
    }
}
