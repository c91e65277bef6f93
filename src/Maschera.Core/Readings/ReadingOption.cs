using Maschera.Core.Basics;

namespace Maschera.Core.Readings;

/// <summary>What an option takes.</summary>
public enum OptionType
{
    Number,
    WholeNumber,
    Choice,

    /// <summary>A number, or one of the option's choices.</summary>
    NumberOrChoice,

    /// <summary>A number, or a percentage.</summary>
    NumberOrPercent,

    /// <summary>Words the reading understands itself.</summary>
    Words,
}

/// <summary>The known-good figure that sets a limit where nobody says one: its upper end.</summary>
/// <param name="Figure">Its name.</param>
/// <param name="Role">The role in whose channel's unit the limit is.</param>
/// <param name="Written">The limit as the option takes it.</param>
public sealed record KnownLimit(string Figure, string Role, Func<double, string> Written);

/// <summary>An option of a reading.</summary>
/// <param name="Name">Its word on the command line, without dashes.</param>
/// <param name="Label">What a form calls it.</param>
/// <param name="Type">What it takes.</param>
public sealed record ReadingOption(string Name, string Label, OptionType Type)
{
    /// <summary>The unit of its number; null for none.</summary>
    public string? Unit { get; init; }

    /// <summary>What is taken where it is left out, in words.</summary>
    public string? Usual { get; init; }

    /// <summary>The words it takes, each with what a person calls it.</summary>
    public IReadOnlyList<(string Word, string Said)> Choices { get; init; } = [];

    /// <summary>The figure of the shelf that sets it; null for none.</summary>
    public KnownLimit? Known { get; init; }

    /// <summary>The two roles whose channels name the moving window of the shelf that sets it; null for none.</summary>
    public (string Value, string Other)? KnownOver { get; init; }

    /// <summary>What the sync probe is on.</summary>
    public static ReadingOption SyncKind { get; } =
        new("sync-kind", "Sync is on", OptionType.Choice)
        {
            Usual = "ignition",
            Choices = [("ignition", "ignition"), ("injector", "injector"), ("cam", "cam"), ("pressure", "pressure")],
        };

    /// <summary>The cylinder the sync probe is on.</summary>
    public static ReadingOption SyncCylinder { get; } = new("sync-cylinder", "of cylinder", OptionType.WholeNumber) { Usual = "1" };

    /// <summary>Why a text can't be this option's value; null where it can.</summary>
    public string? Problem(string text)
    {
        var number = TypedNumber.Parse(text) is not null;
        var choice = Choices.Any(c => c.Word == text);
        return Type switch
        {
            OptionType.Number when !number => $"--{Name} takes a number, not '{text}'.",
            OptionType.WholeNumber when TypedNumber.ParseWhole(text) is null => $"--{Name} takes a whole number, not '{text}'.",
            OptionType.Choice when !choice => $"--{Name} is {Words()}, not '{text}'.",
            OptionType.NumberOrChoice when !number && !choice => $"--{Name} takes a number or {Words()}, not '{text}'.",
            OptionType.NumberOrPercent when TypedNumber.Parse(text.TrimEnd('%')) is null =>
                $"--{Name} takes a number or a percentage, for example 0.1 or 5%, not '{text}'.",
            _ => null,
        };
    }

    private string Words() => string.Join(", ", Choices.Select(c => c.Word));
}
