using System.Text.Json.Serialization;
using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Expressions;
using Maschera.Core.Quantities;
using Maschera.Core.Signals;
using Maschera.Core.Vehicle;

namespace Maschera.Core.Readings;

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

    /// <summary>
    /// Further known-good captures of the same engine, with their roles: what they differ by among themselves is the spread to
    /// judge against.
    /// </summary>
    public IReadOnlyList<KnownGood> MoreReferences { get; init; } = [];

    /// <summary>Columns that are, or are fed from, a supply of so many volts.</summary>
    public IReadOnlyDictionary<string, double> Supplies { get; init; } = new Dictionary<string, double>();

    /// <summary>What a person said columns of certain names carry: name to quantity, empty for none.</summary>
    public IReadOnlyDictionary<string, string>? Quantities { get; init; }

    /// <summary>Diagnostic messages, for readings that take those instead of channels.</summary>
    public MessageLog Messages { get; init; } = MessageLog.Empty;

    /// <summary>What was measured at a component, for the reading that takes that instead of channels.</summary>
    public CircuitSheet Sheet { get; init; } = CircuitSheet.Empty;

    /// <summary>Start of the stretch to use, s; the whole capture where null.</summary>
    public double? From { get; init; }

    /// <summary>End of the stretch to use, s.</summary>
    public double? To { get; init; }

    /// <summary>A number among the options.</summary>
    /// <exception cref="ReadingException">It is no number.</exception>
    public double Number(string option, double otherwise) =>
        !Options.TryGetValue(option, out var text)
            ? otherwise
            : TypedNumber.Parse(text) ?? throw new ReadingException($"--{option} takes a number, not '{text}'.");

    /// <summary>A whole number among the options.</summary>
    /// <exception cref="ReadingException">It is not a whole number.</exception>
    public int WholeNumber(string option, int otherwise) =>
        !Options.TryGetValue(option, out var text)
            ? otherwise
            : TypedNumber.ParseWhole(text) ?? throw new ReadingException($"--{option} takes a whole number, not '{text}'.");
}

/// <summary>The part every result shares. A result never carries a number it had to invent.</summary>
public abstract record ReadingResult
{
    [JsonPropertyOrder(-9)]
    public string Reading { get; init; } = "";

    [JsonPropertyOrder(-8)]
    public string Verdict { get; init; } = Basics.Verdict.UnusableWord;

    [JsonPropertyOrder(-7)]
    public string Sentence { get; init; } = "";

    [JsonPropertyOrder(1)]
    public IReadOnlyList<Note> Notes { get; init; } = [];

    [JsonPropertyOrder(2)]
    public IReadOnlyDictionary<string, string> Channels { get; init; } = new Dictionary<string, string>();

    [JsonPropertyOrder(3)]
    public string Method { get; init; } = "";

    [JsonPropertyOrder(4)]
    public Stretch Span { get; init; }

    /// <summary>What this result says of single cylinders, for the ledger; empty where it says nothing of them.</summary>
    [JsonIgnore]
    public virtual IReadOnlyList<LedgerEntry> Ledger => [];

    [JsonIgnore]
    public bool IsUnusable => Verdict == Basics.Verdict.UnusableWord;

    /// <summary>Its main figures, for tables and for before and after; empty where a picture says it better.</summary>
    [JsonIgnore]
    public virtual IReadOnlyList<KeyFigure> Figures => [];

    /// <summary>What it was asked about beside its channels, a cylinder say: only the same is held against each other.</summary>
    [JsonIgnore]
    public virtual string About => "";

    /// <summary>Figures to be held against those of another visit: its main ones and those of the cylinders.</summary>
    [JsonIgnore]
    public virtual IReadOnlyList<KeyFigure> Compared =>
        [.. Figures, .. Ledger.Select(l => new KeyFigure($"Cylinder {l.Cylinder}", l.Value, l.Unit, l.Spread))];

    /// <summary>What stands against a verdict that by itself says all is well, to be said with it; null for nothing.</summary>
    [JsonIgnore]
    public virtual string? But => null;

    /// <summary>Stretches of the capture it speaks of one by one, for the lanes.</summary>
    [JsonIgnore]
    public virtual IReadOnlyList<LaneMark> Marks => [];

    /// <summary>The column its marks lie on; null for all.</summary>
    [JsonIgnore]
    public virtual string? MarkedChannel => null;

    /// <summary>Crank degrees from the wheel's gap to firing TDC that it found, to be kept with the engine; null for none.</summary>
    [JsonIgnore]
    public virtual double? FoundGapToTdc => null;

    /// <summary>What the firing wheel shows of it; null for nothing.</summary>
    public virtual CylinderWheel? OnWheel(Engine engine) => null;
}

/// <summary>One cell of the ledger: a cylinder's figure in one reading.</summary>
/// <param name="Cylinder">The cylinder's number.</param>
/// <param name="Value">The figure.</param>
/// <param name="Spread">Its standard deviation over cycles, in the same unit; null for a count.</param>
/// <param name="Unit">The unit of both.</param>
/// <param name="Odd">True where this cylinder stands out.</param>
public sealed record LedgerEntry(int Cylinder, double Value, double? Spread, string Unit, bool Odd);

/// <summary>A figure with its name and unit; the value is null where it can't be told.</summary>
/// <param name="Spread">How far the same measured again may lie off, one standard deviation in the same unit; null where not known.</param>
public sealed record KeyFigure(string Name, double? Value, string Unit, double? Spread = null);

/// <summary>A stretch marked on the lanes.</summary>
/// <param name="From">Start, s.</param>
/// <param name="To">End, s.</param>
/// <param name="Label">What is written on it.</param>
/// <param name="Odd">True where it stands out.</param>
public sealed record LaneMark(double From, double To, string Label, bool Odd);

/// <summary>One cylinder on the firing wheel.</summary>
/// <param name="Label">Its number, or its position in brackets.</param>
/// <param name="Percent">Its length, 100 at the rim; null without a figure.</param>
/// <param name="Odd">True where it stands out.</param>
public sealed record WheelCell(string Label, double? Percent, bool Odd);

/// <summary>What the firing wheel shows: a cell for each place of the firing order.</summary>
/// <param name="Title">What the lengths mean.</param>
/// <param name="Cells">In firing order.</param>
/// <param name="ShowsPercent">False where the length is a picture and no figure.</param>
public sealed record CylinderWheel(string Title, IReadOnlyList<WheelCell> Cells, bool ShowsPercent = true);

/// <summary>A request that can't be understood; its message is one line for the person.</summary>
public sealed class ReadingException(string message) : Exception(message);
