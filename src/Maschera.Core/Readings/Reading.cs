using System.Text.Json.Serialization;
using Maschera.Core.Engines;
using Maschera.Core.Signals;
using Maschera.Core.Vehicle;

namespace Maschera.Core.Readings;

/// <summary>A doubt or remark: a short stable code, and the sentence for a person.</summary>
public sealed record Note(string Code, string Text);

/// <summary>A stretch of a capture, seconds on its own axis.</summary>
public readonly record struct Span(double From, double To);

/// <summary>A known-good capture, and role to column of it; guessed where left out.</summary>
public sealed record KnownGood(Capture Capture, IReadOnlyDictionary<string, string> Channels);

/// <summary>What a reading is asked to do.</summary>
public sealed record ReadingRequest(Capture Capture)
{
    /// <summary>The engine, for readings that need one.</summary>
    public Engine? Engine { get; init; }

    /// <summary>Role to column, as the person said; the rest is guessed.</summary>
    public IReadOnlyDictionary<string, string> Channels { get; init; } = new Dictionary<string, string>();

    /// <summary>Further words of the command line, by name without dashes.</summary>
    public IReadOnlyDictionary<string, string> Options { get; init; } = new Dictionary<string, string>();

    /// <summary>A known-good capture to compare with; null without one.</summary>
    public Capture? Reference { get; init; }

    /// <summary>Role to column of the reference; the capture's own words where they are left out.</summary>
    public IReadOnlyDictionary<string, string> ReferenceChannels { get; init; } = new Dictionary<string, string>();

    /// <summary>Further known-good captures of the same engine, with their roles: what they differ by among themselves is the spread to judge against.</summary>
    public IReadOnlyList<KnownGood> MoreReferences { get; init; } = [];

    /// <summary>Columns that are, or are fed from, a supply of so many volts.</summary>
    public IReadOnlyDictionary<string, double> Supplies { get; init; } = new Dictionary<string, double>();

    /// <summary>What a person said columns of certain names carry: name to quantity, empty for none.</summary>
    public IReadOnlyDictionary<string, string>? Quantities { get; init; }

    /// <summary>Diagnostic messages, for readings that take those instead of channels.</summary>
    public MessageLog Messages { get; init; } = MessageLog.Empty;

    /// <summary>Start of the stretch to use, s; the whole capture where null.</summary>
    public double? From { get; init; }

    /// <summary>End of the stretch to use, s.</summary>
    public double? To { get; init; }

    /// <summary>A number above zero among the options.</summary>
    /// <exception cref="ReadingException">It is no number.</exception>
    public double Number(string option, double otherwise)
    {
        if (!Options.TryGetValue(option, out var text)) return otherwise;
        return double.TryParse(text, System.Globalization.CultureInfo.InvariantCulture, out var number) && double.IsFinite(number) ? number : throw new ReadingException($"--{option} takes a number, not '{text}'.");
    }

    /// <summary>A whole number among the options.</summary>
    /// <exception cref="ReadingException">It is not a whole number.</exception>
    public int WholeNumber(string option, int otherwise)
    {
        if (!Options.TryGetValue(option, out var text)) return otherwise;
        return int.TryParse(text, out var number) ? number : throw new ReadingException($"--{option} takes a whole number, not '{text}'.");
    }
}

/// <summary>The part every result shares. A result never carries a number it had to invent.</summary>
public abstract record ReadingResult
{
    /// <summary>The verdict of a capture that can't answer.</summary>
    public const string Unusable = "unusable";

    [JsonPropertyOrder(-9)] public required string Reading { get; init; }
    [JsonPropertyOrder(-8)] public required string Verdict { get; init; }
    [JsonPropertyOrder(-7)] public required string Sentence { get; init; }
    [JsonPropertyOrder(1)] public IReadOnlyList<Note> Notes { get; init; } = [];
    [JsonPropertyOrder(2)] public IReadOnlyDictionary<string, string> Channels { get; init; } = new Dictionary<string, string>();
    [JsonPropertyOrder(3)] public required string Method { get; init; }
    [JsonPropertyOrder(4)] public Span Span { get; init; }

    /// <summary>What this result says of single cylinders, for the ledger; empty where it says nothing of them.</summary>
    [JsonIgnore] public virtual IReadOnlyList<LedgerEntry> Ledger => [];

    [JsonIgnore] public bool IsUnusable => Verdict == Unusable;
}

/// <summary>One cell of the ledger: a cylinder's figure in one reading.</summary>
/// <param name="Cylinder">The cylinder's number.</param>
/// <param name="Value">The figure.</param>
/// <param name="Spread">Its standard deviation over cycles, in the same unit; null for a count.</param>
/// <param name="Unit">The unit of both.</param>
/// <param name="Odd">True where this cylinder stands out.</param>
public sealed record LedgerEntry(int Cylinder, double Value, double? Spread, string Unit, bool Odd);

/// <summary>A role a reading fills with a channel, and the words by which it is guessed.</summary>
/// <param name="Name">The role's name in the contract.</param>
/// <param name="Label">What a person calls it.</param>
/// <param name="Units">Units that fit.</param>
/// <param name="Words">Parts of column names that fit.</param>
public sealed record Role(string Name, string Label, IReadOnlyList<string> Units, IReadOnlyList<string> Words);

/// <summary>One computation from capture and engine to a result. Adding one means adding a folder with a class of this kind.</summary>
public interface IReading
{
    /// <summary>The name on the command line.</summary>
    string Kind { get; }

    /// <summary>The name for a person.</summary>
    string Title { get; }

    /// <summary>True where the reading can't be made without an engine.</summary>
    bool NeedsEngine { get; }

    /// <summary>The type of its results, for those who keep them.</summary>
    Type ResultType { get; }

    /// <summary>The roles it knows, the main one first.</summary>
    IReadOnlyList<Role> Roles { get; }

    /// <summary>The options of its own beside those all readings share, without dashes.</summary>
    IReadOnlyList<string> Options { get; }

    /// <summary>True where a known-good capture can be compared with.</summary>
    bool TakesReference => false;

    /// <summary>The roles a known-good capture has to fill to be compared with.</summary>
    IReadOnlyList<string> ReferenceRoles => [Roles[0].Name];

    /// <summary>True where diagnostic messages are read instead of channels.</summary>
    bool ReadsMessages => false;

    /// <summary>Samples a second beyond which more of them tell this reading nothing; who loads may take means.</summary>
    double UsefulRate => double.PositiveInfinity;

    /// <summary>Makes the reading. Unfit data give an unusable result, not an exception.</summary>
    /// <exception cref="ReadingException">The request can't be understood: a column that isn't there, a wrong word.</exception>
    ReadingResult Read(ReadingRequest request, CancellationToken cancel = default);
}

/// <summary>A request that can't be understood; its message is one line for the person.</summary>
public sealed class ReadingException(string message) : Exception(message);
