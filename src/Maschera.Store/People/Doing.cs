namespace Maschera.Store.People;

/// <summary>Something a person did, as the trail tells it.</summary>
public interface IDoneBy
{
    /// <summary>Who did it; null where nobody is asked for a name.</summary>
    string? By { get; set; }
}

/// <summary>Who is at work. It goes along into work that a request leaves running behind it.</summary>
public static class AtWork
{
    private static readonly AsyncLocal<string?> s_name = new();

    /// <summary>The person's name; null where nobody is asked.</summary>
    public static string? Name
    {
        get => s_name.Value;
        set => s_name.Value = value;
    }
}
