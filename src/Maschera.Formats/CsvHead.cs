using System.Globalization;
using System.Text.RegularExpressions;
using Maschera.Core.Basics;

namespace Maschera.Formats;

/// <summary>Finds the layout from the lines of the head.</summary>
internal sealed class CsvHead(string file, List<string> lines)
{
    /// <summary>A delimiter that also fits the names counts this many times as much.</summary>
    private const double NamedBonus = 4;

    private const int PreviewRows = 8;

    private readonly List<Note> _notes = [];
    private char _delimiter;
    private int _firstData;
    private int _width;

    public CsvLayout Find()
    {
        FindData();
        var rows = lines
            .Skip(_firstData)
            .Where(l => l.Length > 0 && !CsvLayoutFinder.IsComment(l))
            .Take(200)
            .Select(l => CsvLayoutFinder.Cells(l, _delimiter))
            .ToList();
        var point = DecimalPoint(rows);
        var (names, units, headerLine) = Header();
        var columns = Columns(names, units, rows);
        var interval = columns.Any(c => c.Use is ColumnUse.Time or ColumnUse.Clock)
            ? (double?)null
            : RateLine.Interval(lines.Take(headerLine ?? _firstData), _notes) ?? throw NoRate();
        if (columns.All(c => c.Use != ColumnUse.Channel))
            throw new CaptureFormatException(file, _firstData + 1, "there is a time column but no measured channel beside it.");
        return new CsvLayout
        {
            File = file,
            Encoding = "",
            Delimiter = _delimiter,
            DecimalPoint = point,
            HeaderLine = headerLine + 1,
            FirstDataLine = _firstData + 1,
            Columns = columns,
            Interval = interval,
            Notes = _notes,
            FirstRows = [.. rows.Take(PreviewRows)],
        };
    }

    /// <summary>The delimiter and first row that explain the most lines as rows of numbers.</summary>
    private void FindData()
    {
        var best = (Score: 0.0, Delimiter: ',', First: -1, Width: 0);
        foreach (var delimiter in CsvLayoutFinder.Delimiters)
        {
            var (first, width, rows, cells) = FirstRun(delimiter);
            if (first < 0)
                continue;
            var score = (cells + (width > 1 ? rows : 0)) * (NamesFit(first, width, delimiter) ? NamedBonus : 1);
            // Of one column the lines may end in the delimiter.
            score += lines[first].Contains(delimiter) ? 0.5 : 0;
            if (score > best.Score)
                best = (score, delimiter, first, width);
        }

        if (best.First < 0)
        {
            var widest = lines
                .Select((line, i) => (Cells: line.Count(c => CsvLayoutFinder.Delimiters.Contains(c)) + 1, Line: i + 1))
                .MaxBy(l => l.Cells);
            FileLimits.CheckCount(file, widest.Line, widest.Cells);
            var why = lines.All(string.IsNullOrWhiteSpace)
                ? "has nothing but blank lines."
                : "has a header but no rows of numbers below it.";
            throw new CaptureFormatException(file, lines.Count, why);
        }

        (_, _delimiter, _firstData, _width) = best;
    }

    /// <summary>True where the line above the rows has as many cells as they have.</summary>
    private bool NamesFit(int first, int width, char delimiter) =>
        Above(first) is { } line && Fitted(CsvLayoutFinder.Cells(line, delimiter), width).Length == width;

    /// <summary>The last line above that is neither empty nor a comment.</summary>
    private string? Above(int first) => lines.Take(first).LastOrDefault(line => line.Length > 0 && !CsvLayoutFinder.IsComment(line));

    /// <summary>
    /// The first row of numbers in that delimiter that the next rows follow. Cells behind the last filled one count as
    /// columns where another row, or the names above, fill them; a delimiter that only ends the line makes none.
    /// </summary>
    private (int First, int Width, int Rows, double Cells) FirstRun(char delimiter)
    {
        for (var i = 0; i < lines.Count; i++)
        {
            if (!IsRow(lines[i], delimiter, out var written, out var width))
                continue;
            var rows = 0;
            double cells = 0;
            for (var j = i; j < lines.Count && rows < 40; j++)
            {
                if (lines[j].Length == 0 || CsvLayoutFinder.IsComment(lines[j]))
                    continue;
                if (!IsRow(lines[j], delimiter, out _, out var other) || other > written)
                    break;
                rows++;
                cells += other;
                width = Math.Max(width, other);
            }

            if (width < written && Above(i) is { } names && CsvLayoutFinder.Cells(names, delimiter) is { } named)
                width = named.Length == written && named[^1].Length > 0 && !CsvLayoutFinder.IsNumber(named[^1]) ? written : width;
            if (rows >= 2 || i == lines.Count - 1)
                return (i, width, rows, cells);
        }

        return (-1, 0, 0, 0);
    }

    /// <summary>
    /// A row has a number or clock in its first cell, or a word for missing there and numbers in half of the others: columns
    /// told in words may outnumber the rest.
    /// </summary>
    /// <param name="written">How many cells stand in the line.</param>
    /// <param name="width">How many up to the last one that holds anything.</param>
    private static bool IsRow(string line, char delimiter, out int written, out int width)
    {
        (written, width) = (0, 0);
        if (line.Length == 0 || CsvLayoutFinder.IsComment(line) && delimiter != ';')
            return false;
        var cells = CsvLayoutFinder.Cells(line, delimiter);
        if (delimiter == ',' && cells.Any(c => c.AsSpan().IndexOfAny(';', '\t', '|') >= 0))
            return false;
        written = cells.Length;
        width = Math.Max(1, Array.FindLastIndex(cells, c => c.Length > 0) + 1);
        var numbers = cells.Count(c => CsvLayoutFinder.IsNumber(c) || CsvLayoutFinder.LooksLikeClock(c) || CsvLayoutFinder.IsDate(c));
        var filled = cells.Count(c => c.Length > 0);
        if (CsvLayoutFinder.LooksLikeClock(cells[0]) || CsvLayoutFinder.IsDate(cells[0]))
            return true;
        return numbers > 0
            && (
                2 * numbers >= filled && CsvLayoutFinder.IsMissing(cells[0]) || 6 * numbers >= filled && CsvLayoutFinder.IsNumber(cells[0])
            );
    }

    private char DecimalPoint(List<string[]> rows)
    {
        var comma = 0;
        var point = 0;
        foreach (var cell in rows.SelectMany(r => r).Where(CsvLayoutFinder.IsNumber))
        {
            var lastComma = cell.LastIndexOf(',');
            var lastPoint = cell.LastIndexOf('.');
            if (lastComma > lastPoint && (lastPoint >= 0 || !IsThousands(cell, ',')))
                comma++;
            if (lastPoint > lastComma && (lastComma >= 0 || !IsThousands(cell, '.')))
                point++;
        }

        if (
            comma == 0
            && point == 0
            && _delimiter != ','
            && rows.SelectMany(r => r).Any(c => CsvLayoutFinder.IsNumber(c) && c.Contains(','))
        )
            return ',';
        return comma > point ? ',' : '.';
    }

    /// <summary>1,234 or 12,345,678: groups of three behind one to three digits, the first not a zero.</summary>
    private static bool IsThousands(string cell, char mark)
    {
        var groups = cell.TrimStart('+', '-').Split(mark);
        return groups.Length > 1 && groups[0].Length is >= 1 and <= 3 && groups[0] != "0" && groups.Skip(1).All(g => g.Length == 3);
    }

    private (string[]? Names, string[]? Units, int? Line) Header()
    {
        var above = Enumerable.Range(0, _firstData).Reverse().Where(i => lines[i].Trim().Length > 0).Take(3).ToList();
        var candidates = above
            .Where(i => !CsvLayoutFinder.IsComment(lines[i]) || IsUnitsBehindNone(lines[i]))
            .Select(i => (Line: i, Cells: Fitted(CsvLayoutFinder.Cells(lines[i], _delimiter), _width)))
            .ToList();
        if (candidates.Count == 0)
            return InComment(above);
        var last = candidates[0];
        if (candidates.Count > 1 && FitsWidth(candidates[1].Cells) && IsUnitRow(last.Cells, candidates[1].Cells))
            return (Named(candidates), last.Cells, candidates[1].Line);
        if (FitsWidth(last.Cells) || _width == 1)
            return (last.Cells, null, last.Line);
        if (last.Cells.Length > _width)
            throw new CaptureFormatException(
                file,
                last.Line + 1,
                $"the header names {last.Cells.Length} columns, but the rows have {_width}."
            );
        return last.Cells.Length > 1 ? (last.Cells, null, last.Line) : (null, null, null);
    }

    /// <summary>Names behind the mark of a comment, in the line right above the rows: a word for each column, one of them for time.</summary>
    private (string[]? Names, string[]? Units, int? Line) InComment(List<int> above)
    {
        if (above.Count == 0 || _width < 2)
            return (null, null, null);
        var cells = CsvLayoutFinder.Cells(lines[above[0]].TrimStart('#', '/', ';', ' '), _delimiter);
        return cells.Length == _width && cells.All(c => c.Any(char.IsLetter)) && cells.Any(c => Units.IsTimeName(Units.Split(c).Name))
            ? (cells, null, above[0])
            : (null, null, null);
    }

    /// <summary>
    /// At least half of the cells are known units, or stand in brackets, or some come again and again as names above them do not; one
    /// unknown unit does not spoil the row.
    /// </summary>
    private bool IsUnitRow(string[] cells, string[] above)
    {
        var filled = cells.Where(c => c.Length > 0).ToList();
        if (!FitsWidth(cells) || !filled.All(Units.CouldBeUnit))
            return false;
        var known = filled.Count(Units.LooksLikeUnit);
        return 2 * known >= filled.Count || known > 0 && Repeats(cells) && !Repeats(above);
    }

    /// <summary>A row of units whose first column, a clock, has none: with semicolons it begins as a comment does.</summary>
    private bool IsUnitsBehindNone(string line) =>
        _delimiter == ';'
        && Fitted(CsvLayoutFinder.Cells(line, _delimiter), _width) is ["", .. var others]
        && others.Length + 1 == _width
        && others.Any(c => c.Length > 0)
        && others.All(c => c.Length == 0 || Units.LooksLikeUnit(c));

    private static bool Repeats(string[] cells) =>
        cells.Where(c => c.Length > 0).GroupBy(c => c, StringComparer.OrdinalIgnoreCase).Any(g => g.Count() > 1);

    /// <summary>The names above the units; a cell left empty there takes the name of the row above it.</summary>
    private string[] Named(List<(int Line, string[] Cells)> candidates)
    {
        var names = candidates[1].Cells;
        if (candidates.Count < 3 || !FitsWidth(candidates[2].Cells))
            return names;
        return [.. names.Zip(candidates[2].Cells, (name, above) => name.Length > 0 ? name : above)];
    }

    private bool FitsWidth(string[] cells) => cells.Length == _width;

    /// <summary>Without the empty cell behind a delimiter at the end of the line, unless a column stands there.</summary>
    private static string[] Fitted(string[] cells, int width) =>
        cells.Length > 1 && cells.Length != width && cells[^1].Length == 0 ? cells[..^1] : cells;

    private List<CsvColumn> Columns(string[]? names, string[]? units, List<string[]> rows)
    {
        var unnamed = new List<int>();
        var plain = new List<(string Name, string Unit)>();
        for (var i = 0; i < _width; i++)
        {
            var (name, unit) = Units.Split(names is not null && i < names.Length ? names[i] : "");
            if (units is not null && i < units.Length && unit.Length == 0)
                unit = Units.Bare(units[i]);
            if (name.Length == 0)
            {
                name = $"Column {i + 1}";
                unnamed.Add(i + 1);
            }

            var copies = plain.Count(p => string.Equals(p.Name, name, StringComparison.OrdinalIgnoreCase));
            plain.Add((copies == 0 || Units.IsTimeName(name) ? name : $"{name} {copies + 1}", unit));
        }

        // A column headed by a unit of time alone is time in that unit.
        for (var i = 0; i < plain.Count; i++)
            if (plain[i].Unit.Length == 0 && Units.Seconds(plain[i].Name) is not null && plain.All(p => !Units.IsTimeName(p.Name)))
                plain[i] = ("Time", plain[i].Name);
        if (unnamed.Count > 0)
            _notes.Add(new("unnamed-columns", $"Column {string.Join(", ", unnamed)} has no name in the file."));
        return Uses(plain, rows, names is null);
    }

    private List<CsvColumn> Uses(List<(string Name, string Unit)> plain, List<string[]> rows, bool headless)
    {
        string Cell(int column) => rows.Select(r => column < r.Length ? r[column] : "").FirstOrDefault(c => c.Length > 0) ?? "";
        var uses = new ColumnUse[plain.Count];
        for (var i = 0; i < plain.Count; i++)
        {
            var cell = Cell(i);
            uses[i] =
                CsvLayoutFinder.IsDate(cell) ? ColumnUse.Ignored
                : CsvLayoutFinder.LooksLikeClock(cell) ? ColumnUse.Clock
                : Units.IsTimeName(plain[i].Name) && (plain[i].Unit.Length == 0 || Units.Seconds(plain[i].Unit) is not null)
                    ? ColumnUse.Time
                : ColumnUse.Channel;
        }

        if (headless && uses.All(u => u != ColumnUse.Clock) && plain.Count > 1 && Rises(rows))
        {
            uses[0] = ColumnUse.Time;
            _notes.Add(new("first-column-time", "The file names no columns; the first one rises from row to row and is taken as time."));
        }

        // A clock beside a plain time says the same again.
        if (uses.Contains(ColumnUse.Time) && uses.Contains(ColumnUse.Clock))
            for (var i = 0; i < uses.Length; i++)
                if (uses[i] == ColumnUse.Clock)
                    uses[i] = ColumnUse.Ignored;
        return Paired(plain, uses, rows);
    }

    /// <summary>True where most of a column's filled cells begin with a letter and are not words for missing.</summary>
    private static bool ToldInWords(List<string[]> rows, int column)
    {
        var cells = rows.Where(r => column < r.Length && !CsvLayoutFinder.IsMissing(r[column])).Select(r => r[column]).ToList();
        return 2 * cells.Count(c => !CsvLayoutFinder.IsNumber(c) && char.IsLetter(c[0])) > cells.Count;
    }

    /// <summary>Channels belong to the nearest time column before them, those before the first one to the first.</summary>
    private List<CsvColumn> Paired(List<(string Name, string Unit)> plain, ColumnUse[] uses, List<string[]> rows)
    {
        var clock = -1;
        var columns = new List<CsvColumn>();
        for (var i = 0; i < plain.Count; i++)
        {
            if (uses[i] is ColumnUse.Time or ColumnUse.Clock)
                clock++;
            if (uses[i] == ColumnUse.Time && plain[i].Unit.Length == 0)
                _notes.Add(new("time-unit-assumed", $"'{plain[i].Name}' has no unit and is taken as seconds."));
            var isWords = uses[i] == ColumnUse.Channel && ToldInWords(rows, i);
            columns.Add(new(plain[i].Name, plain[i].Unit, uses[i], Math.Max(0, clock), isWords));
        }

        return columns;
    }

    private static bool Rises(List<string[]> rows)
    {
        var times = rows.Select(r => double.TryParse(r[0].Replace(',', '.'), CultureInfo.InvariantCulture, out var t) ? t : double.NaN)
            .ToList();
        return times.Count > 1 && times.Zip(times.Skip(1)).All(p => p.Second > p.First);
    }

    private CaptureFormatException NoRate() =>
        new(
            file,
            _firstData + 1,
            "there is no time column, and no line above the rows tells a sample rate or interval. Add one, for example '# sample "
                + "rate: 10000 Hz'."
        );
}
