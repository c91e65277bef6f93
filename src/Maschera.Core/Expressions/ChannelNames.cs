using Maschera.Core.Signals;

namespace Maschera.Core.Expressions;

/// <summary>Which channel a name in the notation means.</summary>
internal static class ChannelNames
{
    /// <summary>The channel so called; else the only one in that unit; else the only one whose name holds it.</summary>
    /// <exception cref="ExpressionException">There is none, or several.</exception>
    public static T Find<T>(ChannelName name, IEnumerable<T> channels, Func<T, string> called, Func<T, string> unit)
    {
        bool Is(string text) => string.Equals(text, name.Name, StringComparison.OrdinalIgnoreCase);
        List<T> fitting = [.. channels.Where(c => Is(called(c))).Take(1)];
        if (fitting.Count == 0)
            fitting = [.. channels.Where(c => Is(unit(c)))];
        if (fitting.Count == 0 && name.Name.Length > 0)
            fitting = [.. channels.Where(c => called(c).Contains(name.Name, StringComparison.OrdinalIgnoreCase))];
        return fitting.Count switch
        {
            1 => fitting[0],
            0 => throw ExpressionException.At(name.At, $"there is no channel '{name.Name}'. There are {Listed(channels, ", ")}"),
            _ => throw ExpressionException.At(name.At, $"'{name.Name}' may be {Listed(fitting, " or ")}; write the whole name"),
        };

        string Listed(IEnumerable<T> some, string between) => string.Join(between, some.Select(c => Written(called(c))));
    }

    /// <summary>A channel's name as the notation wants it anywhere.</summary>
    public static string Written(string name) =>
        name.Length > 0 && (char.IsLetter(name[0]) || name[0] == '_') && name.All(c => char.IsLetterOrDigit(c) || c == '_')
            ? name
            : $"\"{name}\"";
}
