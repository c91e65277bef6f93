namespace Maschera.Core.Basics;

/// <summary>How a verdict is meant: nothing to do, keep an eye on it, act, or the data can't tell.</summary>
public enum Tone
{
    Fine,
    Watch,
    Fault,
    Unusable,
}

/// <summary>One thing a reading can conclude.</summary>
/// <param name="Word">The word of the contract.</param>
/// <param name="Tone">How it is meant.</param>
/// <param name="Said">What a person says instead.</param>
public sealed record Verdict(string Word, Tone Tone, string Said)
{
    /// <summary>The word of a capture that can't answer.</summary>
    public const string UnusableWord = "unusable";

    /// <summary>The verdict every reading has.</summary>
    public static Verdict Unusable { get; } = new(UnusableWord, Tone.Unusable, "can't tell");
}
