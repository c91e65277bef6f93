using Maschera.Core.Basics;
using Maschera.Core.Signals;

namespace Maschera.Formats;

/// <summary>What a column is for.</summary>
public enum ColumnUse
{
    /// <summary>A measured channel.</summary>
    Channel,

    /// <summary>Seconds or another unit of time since some start.</summary>
    Time,

    /// <summary>A time of day, with or without a date before it.</summary>
    Clock,

    /// <summary>Not read: a date beside a clock.</summary>
    Ignored,
}

/// <summary>One column as it was understood.</summary>
/// <param name="Name">Name without unit.</param>
/// <param name="Unit">Unit as written.</param>
/// <param name="Use">What it is for.</param>
/// <param name="Clock">The number of the time column that belongs to it, or that it is.</param>
/// <param name="IsWords">True for a channel told in words.</param>
public sealed record CsvColumn(string Name, string Unit, ColumnUse Use, int Clock, bool IsWords = false);

/// <summary>What was understood of a CSV file before its rows are read.</summary>
public sealed record CsvLayout
{
    public required string File { get; init; }
    public required string Encoding { get; init; }
    public required char Delimiter { get; init; }

    /// <summary>True where lines end in a carriage return alone.</summary>
    public bool ReturnsEndLines { get; init; }

    public required char DecimalPoint { get; init; }

    /// <summary>The line of the column names, from 1; null where the file has none.</summary>
    public required int? HeaderLine { get; init; }

    public required int FirstDataLine { get; init; }
    public required IReadOnlyList<CsvColumn> Columns { get; init; }

    /// <summary>Interval between rows, s, where the file has no time column.</summary>
    public double? Interval { get; init; }

    public required IReadOnlyList<Note> Notes { get; init; }

    /// <summary>The first rows as written.</summary>
    public required IReadOnlyList<string[]> FirstRows { get; init; }

    /// <summary>Bytes of the encoding's mark at the start.</summary>
    internal int MarkLength { get; init; }

    /// <summary>How many time axes the channels have.</summary>
    public int Clocks => Math.Max(1, Columns.Count(c => c.Use is ColumnUse.Time or ColumnUse.Clock));

    /// <summary>The channels, in the file's order.</summary>
    public IReadOnlyList<ChannelInfo> Channels =>
        [.. Columns.Where(c => c.Use == ColumnUse.Channel).Select(c => new ChannelInfo(c.Name, c.Unit, c.Clock))];
}
