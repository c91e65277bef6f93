using Maschera.Core.Readings;
using Maschera.Core.Signals;
using Maschera.Formats;
using Maschera.Store;

namespace Maschera.App;

/// <summary>What can be told of a capture before a person looked at it. The person may correct all of it.</summary>
public static class IntakeGuess
{
    /// <summary>The channels as they are, each with the role its name and unit speak for.</summary>
    public static IReadOnlyList<ChannelChoice> Choices(IReadOnlyList<ChannelInfo> channels)
    {
        var roles = RoleGuess.OfAll([.. channels.Select(c => (c.Name, c.Unit))]);
        return [.. channels.Select((c, i) => new ChannelChoice(c.Name, c.Unit, 1, roles[i]))];
    }

    /// <summary>
    /// The conditions of a file: as a bundle says; else the starter's current means cranking, and a sync is first taken to be an
    /// ignition lead of cylinder 1.
    /// </summary>
    public static Conditions Conditions(FileOverview file, IReadOnlyList<string?> roles)
    {
        if (file.Bundle is { } bundle)
            return ConditionsOf(bundle);
        var sync = roles.Contains("sync");
        return new Conditions(roles.Contains("current") ? "cranking" : null, null, null, null, sync ? "ignition" : null, sync ? 1 : null);
    }

    /// <summary>The conditions a bundle says of itself.</summary>
    public static Conditions ConditionsOf(BundleHead bundle)
    {
        var said = bundle.Conditions ?? new Dictionary<string, string>();
        return new Conditions(
            said.GetValueOrDefault("state"),
            Core.Basics.TypedNumber.Parse(said.GetValueOrDefault("coolantCelsius")),
            said.GetValueOrDefault("disabled"),
            said.GetValueOrDefault("remark"),
            said.GetValueOrDefault("syncKind"),
            Core.Basics.TypedNumber.ParseWhole(said.GetValueOrDefault("syncCylinder"))
        );
    }
}
