using Maschera.Core.Quantities;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings;

/// <summary>Columns that a reading needs together and that share no time; its message is the note.</summary>
internal sealed class TimesApartException(string message) : Exception(message);

/// <summary>Gives each role its channel: the one named by the person, else the best guess by name and unit.</summary>
public static class RoleResolver
{
    /// <summary>Role to channel for every role that was named or could be guessed, cut to the requested stretch.</summary>
    /// <exception cref="ReadingException">A named column or role does not exist.</exception>
    /// <exception cref="TimesApartException">Named columns share no time.</exception>
    public static Dictionary<string, Channel> Resolve(IReading reading, ReadingRequest request)
    {
        var found = new Dictionary<string, Channel>();
        foreach (var (role, column) in request.Channels)
        {
            if (reading.Roles.All(known => known.Name != role))
                throw new ReadingException(
                    $"{reading.Kind} has no role '{role}'; it knows {string.Join(", ", reading.Roles.Select(r => r.Name))}."
                );
            found[role] = request.Capture.Find(column) ?? throw NoColumn(request.Capture, column);
        }

        var named = found.Count > 0;
        foreach (var role in reading.Roles)
        {
            if (found.ContainsKey(role.Name))
                continue;
            var guess = Guess(role, request.Capture.Channels.Where(c => !found.ContainsValue(c)), onlyByName: named);
            if (guess is not null)
                found[role.Name] = guess;
        }

        // The only channel there is can only be what the reading is about, unless its unit is of something else.
        if (found.Count == 0 && request.Capture.Channels is [var only] && MayBe(reading.Roles[0], only))
            found[reading.Roles[0].Name] = only;

        LeaveOutOtherTimes(reading, request, found);
        if (request.From is null && request.To is null)
            return found;
        return found.ToDictionary(
            pair => pair.Key,
            pair => pair.Value.Between(request.From ?? double.NegativeInfinity, request.To ?? double.PositiveInfinity)
        );
    }

    /// <summary>
    /// Columns with times of their own may lie apart: what was guessed is left out where it shares no time with the channel of the
    /// first role; what was named makes the capture unusable.
    /// </summary>
    private static void LeaveOutOtherTimes(IReading reading, ReadingRequest request, Dictionary<string, Channel> found)
    {
        if (reading.Roles.Select(r => found.GetValueOrDefault(r.Name)).FirstOrDefault(c => c is not null) is not { } first)
            return;
        foreach (var (role, other) in found.Where(f => f.Value.Time.Start > first.Time.End || f.Value.Time.End < first.Time.Start).ToList())
            if (request.Channels.ContainsKey(role))
                throw new TimesApartException(
                    $"'{first.Name}' ({first.Time.Start:0.###} to {first.Time.End:0.###} s) and '{other.Name}' "
                        + $"({other.Time.Start:0.###} to {other.Time.End:0.###} s) share no time. Record them together."
                );
            else
                found.Remove(role);
    }

    /// <summary>
    /// What the person named, and for every other column the role that <paramref name="roleOf"/> tells, where it is free.
    /// </summary>
    public static Dictionary<string, string> WithGuesses(ReadingRequest request, Func<Channel, string?> roleOf)
    {
        var named = request.Channels.ToDictionary(c => c.Key, c => c.Value);
        foreach (var channel in request.Capture.Channels.Where(c => !named.Values.Contains(c.Name, StringComparer.OrdinalIgnoreCase)))
            if (roleOf(channel) is { } role)
                named.TryAdd(role, channel.Name);
        return named;
    }

    /// <summary>The names of the resolved columns by role.</summary>
    public static Dictionary<string, string> Names(IReadOnlyDictionary<string, Channel> channels) =>
        channels.ToDictionary(pair => pair.Key, pair => pair.Value.Name);

    /// <summary>True where the unit says nothing against the role: none, volts of any sensor, or one of the role's own.</summary>
    private static bool MayBe(Role role, Channel channel) =>
        role.Units.Count == 0 || channel.Unit is "" or "V" or "mV" || role.Units.Contains(channel.Unit, StringComparer.OrdinalIgnoreCase);

    private static Channel? Guess(Role role, IEnumerable<Channel> channels, bool onlyByName)
    {
        var best = channels.Select(c => (Channel: c, Score: Score(role, c, onlyByName))).OrderByDescending(x => x.Score).FirstOrDefault();
        return best.Score > 0 ? best.Channel : null;
    }

    private static int Score(Role role, Channel channel, bool onlyByName)
    {
        var byName = role.Words.Any(word => channel.Name.Contains(word, StringComparison.OrdinalIgnoreCase)) ? 2 : 0;
        var byUnit = role.Units.Contains(channel.Unit, StringComparer.OrdinalIgnoreCase) ? 1 : 0;
        if (byName == 0 && (onlyByName || role.Words.Count > 0 && role.Units.Count == 0))
            return 0;
        return byName + byUnit;
    }

    private static ReadingException NoColumn(Capture capture, string column) =>
        new($"{capture.Name}: there is no column '{column}'; it has {string.Join(", ", capture.Channels.Select(c => $"'{c.Name}'"))}.");

    /// <summary>Brings the channels of roles to the units that the reading's rules are written in.</summary>
    public static void InUnits(Dictionary<string, Channel> channels, params ReadOnlySpan<(string Role, string Unit)> units)
    {
        foreach (var (role, unit) in units)
            if (channels.TryGetValue(role, out var channel))
                channels[role] = UnitConversion.In(channel, unit);
    }
}
