using Microsoft.AspNetCore.Identity;

namespace Maschera.Store.People;

/// <summary>Somebody of the workshop. The name they enter with is <see cref="IdentityUser{TKey}.UserName"/>.</summary>
public sealed class Person : IdentityUser
{
    /// <summary>What the person may do: one of <see cref="Roles"/>.</summary>
    public string Role { get; set; } = Roles.Look;

    /// <summary>When the person was added, UTC.</summary>
    public DateTime AddedAt { get; set; }

    /// <summary>When they last entered, UTC; null for never.</summary>
    public DateTime? EnteredAt { get; set; }
}

/// <summary>What people may do, each more than the one before.</summary>
public static class Roles
{
    public const string Look = "look",
        Work = "work",
        Run = "run";

    /// <summary>All, the least first.</summary>
    public static IReadOnlyList<string> All { get; } = [Look, Work, Run];

    /// <summary>True where a role may do what another may.</summary>
    public static bool Covers(string? role, string needed) => All.ToList().IndexOf(role ?? "") >= All.ToList().IndexOf(needed);
}
