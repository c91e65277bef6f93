using System.Runtime.CompilerServices;
using System.Text;
using Maschera.Core.Basics;
using Maschera.Core.Signals;

namespace Maschera.Formats;

/// <summary>Turns lines of bytes into blocks of samples.</summary>
internal sealed class CsvRows
{
    private const int BlockRows = 16_384;

    /// <summary>A day, s; a clock that falls back by more than half of it has passed midnight.</summary>
    private const double Day = 86_400;

    private readonly CsvLayout _layout;
    private readonly ICaptureSink _sink;
    private readonly byte _delimiter;
    private readonly byte _point;
    private readonly ColumnUse[] _uses;
    private readonly int[] _targets;
    private readonly double[] _timeScale;
    private readonly double[] _lastTime;
    private readonly double[] _clockStart;
    private readonly int[] _days;
    private readonly int[] _firstDay;
    private readonly int[] _missing;
    private readonly SampleBlock _block;
    private readonly byte[] _firstHeaderCell;
    private readonly List<Note> _notes = [];
    private readonly double[] _cells;
    private readonly bool _plain;
    private readonly StateWords?[] _words;
    private bool _begun;
    private long _rows;
    private long _shortRows;
    private long _firstShortRow;

    public CsvRows(CsvLayout layout, ICaptureSink sink)
    {
        _layout = layout;
        _sink = sink;
        _delimiter = (byte)layout.Delimiter;
        _point = (byte)layout.DecimalPoint;
        _uses = [.. layout.Columns.Select(c => c.Use)];
        var channel = 0;
        _targets = [.. layout.Columns.Select(c => c.Use == ColumnUse.Channel ? channel++ : c.Clock)];
        _timeScale = [.. layout.Columns.Select(c => c.Use == ColumnUse.Time ? Units.Seconds(c.Unit) ?? 1 : 1)];
        _lastTime = [.. Enumerable.Repeat(double.NegativeInfinity, layout.Clocks)];
        _clockStart = [.. Enumerable.Repeat(double.NaN, layout.Clocks)];
        _days = new int[layout.Clocks];
        _firstDay = new int[layout.Clocks];
        _missing = new int[layout.Columns.Count];
        _cells = new double[layout.Columns.Count];
        _plain = _uses.All(use => use is ColumnUse.Channel or ColumnUse.Time) && !layout.Columns.Any(c => c.IsWords);
        _words = [.. layout.Columns.Select(c => c.IsWords ? new StateWords() : null)];
        _block = new SampleBlock(layout.Clocks, channel, BlockRows);
        _firstHeaderCell = Encoding.UTF8.GetBytes(layout.Columns[0].Name);
    }

    /// <summary>The number of the line taken last, from 1.</summary>
    public long Line { get; private set; }

    /// <summary>Takes all whole lines; returns how many bytes they are.</summary>
    public int TakeLines(ReadOnlySpan<byte> bytes)
    {
        var lines = bytes[..(bytes.LastIndexOf((byte)'\n') + 1)];
        var at = 0;
        while (at < lines.Length)
        {
            if (_begun && _plain)
                at += TakePlainRows(lines[at..]);
            if (at == lines.Length)
                break;
            var length = lines[at..].IndexOf((byte)'\n');
            Take(lines.Slice(at, length), isLast: false);
            at += length + 1;
        }

        return at;
    }

    /// <summary>Takes what follows the last line feed.</summary>
    public void TakeLastLine(ReadOnlySpan<byte> bytes) => Take(bytes, isLast: true);

    /// <summary>Hands over the last block; returns what was odd about the rows.</summary>
    public IReadOnlyList<Note> Finish()
    {
        Flush();
        if (_rows == 0)
            throw new CaptureFormatException(_layout.File, Line, "has a header but no rows below it.");
        if (_shortRows > 0)
            _notes.Add(
                new(
                    "short-rows",
                    $"{_shortRows} rows have fewer cells than columns, the first in line {_firstShortRow}; the rest of each is taken "
                        + $"as missing."
                )
            );
        for (var i = 0; i < _missing.Length; i++)
            if (_missing[i] > 0)
                _notes.Add(
                    new(
                        "missing-values",
                        $"'{_layout.Columns[i].Name}' has {_missing[i]} cells out of range, empty or not a number; they are left out."
                    )
                );
        NameWords();
        return _notes;
    }

    private void NameWords()
    {
        for (var i = 0; i < _words.Length; i++)
            if (_words[i] is { } words)
            {
                _sink.Name(_targets[i], words.ByNumber);
                _notes.Add(new("words", $"'{_layout.Columns[i].Name}' is told in words: {words}."));
            }
    }

    /// <summary>
    /// Takes rows in a single pass as long as every cell is a plain number of at most fifteen digits, which is exact;
    /// the first line that is anything else is left, untouched, to <see cref="Take"/>.
    /// </summary>
    /// <param name="bytes">Whole lines: the last byte is a line feed, which also ends every run of digits.</param>
    /// <returns>How many bytes the rows taken are.</returns>
    [MethodImpl(MethodImplOptions.AggressiveOptimization)]
    private unsafe int TakePlainRows(ReadOnlySpan<byte> bytes)
    {
        var (point, delimiter, last) = (_point, _delimiter, _cells.Length - 1);
        fixed (byte* start = bytes)
        fixed (double* powers = NumberText.Powers)
        fixed (double* cells = _cells)
        {
            var at = start;
            var end = start + bytes.Length;
            while (at < end)
            {
                var p = at;
                for (var column = 0; column <= last; column++)
                {
                    var negative = *p == '-';
                    if (negative)
                        p++;
                    var number = p;
                    ulong mantissa = 0;
                    uint digit;
                    while ((digit = *p - (uint)'0') <= 9)
                    {
                        mantissa = mantissa * 10 + digit;
                        p++;
                    }

                    var digits = (int)(p - number);
                    var fraction = 0;
                    if (*p == point)
                    {
                        number = ++p;
                        while ((digit = *p - (uint)'0') <= 9)
                        {
                            mantissa = mantissa * 10 + digit;
                            p++;
                        }

                        fraction = (int)(p - number);
                        digits += fraction;
                    }

                    if (digits is 0 or > 15)
                        return (int)(at - start);
                    var value = mantissa / powers[fraction];
                    cells[column] = negative ? -value : value;
                    if (column < last && *p++ != delimiter)
                        return (int)(at - start);
                }

                if (*p == '\r')
                    p++;
                if (*p++ != '\n')
                    return (int)(at - start);
                at = p;
                Line++;
                KeepPlainRow();
            }

            return bytes.Length;
        }
    }

    [MethodImpl(MethodImplOptions.AggressiveOptimization)]
    private void KeepPlainRow()
    {
        var row = _block.Count;
        for (var column = 0; column < _cells.Length; column++)
        {
            if (_uses[column] == ColumnUse.Channel)
                _block.Values[_targets[column]][row] = (float)_cells[column];
            else
                KeepTime(column, _cells[column] * _timeScale[column], row);
        }

        EndRow();
    }

    private void EndRow()
    {
        if (_layout.Interval is { } interval)
            _block.Times[0][_block.Count] = _rows * interval;
        _rows++;
        if (++_block.Count == BlockRows)
            Flush();
    }

    private void Take(ReadOnlySpan<byte> line, bool isLast)
    {
        Line++;
        if (line.Length > 0 && line[^1] == '\r')
            line = line[..^1];
        if (Line < _layout.FirstDataLine || line.Trim((byte)' ').IsEmpty || line[0] == '#' || line.StartsWith("//"u8))
            return;
        if (line[0] == ';' && _delimiter != ';')
            return;
        var control = line.IndexOfAnyInRange((byte)0, (byte)8);
        if (control >= 0)
            throw Refuse($"a control byte (0x{line[control]:X2}) stands among the text.");
        var row = _block.Count;
        var column = 0;
        var cellsLeft = line;
        var ended = false;
        while (!ended)
        {
            var cell = NextCell(ref cellsLeft, out ended);
            if (column < _uses.Length)
                TakeCell(column, cell, row, isLast);
            else if (!(ended && cell.IsEmpty))
                throw Refuse($"has {column + 1 + CountCells(cellsLeft, ended)} cells, but there are {_uses.Length} columns.");
            column++;
        }

        if (column < _uses.Length && !TakeShortRow(column, row, isLast))
            return;
        EndRow();
    }

    private int CountCells(ReadOnlySpan<byte> rest, bool ended) => ended ? 0 : rest.Count(_delimiter) + 1;

    /// <summary>Fills up a row with too few cells; false where it is the last one, cut short.</summary>
    private bool TakeShortRow(int column, int row, bool isLast)
    {
        if (isLast)
        {
            _notes.Add(new("cut-short", $"The last line ({Line}) is cut short and is left out."));
            for (var clock = 0; clock < _lastTime.Length; clock++)
                _block.Times[clock][row] = 0;
            return false;
        }

        if (_shortRows++ == 0)
            _firstShortRow = Line;
        for (var i = column; i < _uses.Length; i++)
            TakeCell(i, default, row, isLast);
        return true;
    }

    private ReadOnlySpan<byte> NextCell(ref ReadOnlySpan<byte> rest, out bool ended)
    {
        if (rest.Length > 0 && rest[0] == '"' || rest.Length > 1 && rest[0] == ' ' && rest.TrimStart((byte)' ') is [(byte)'"', ..])
            return QuotedCell(ref rest, out ended);
        var length = rest.IndexOf(_delimiter);
        ended = length < 0;
        var cell = ended ? rest : rest[..length];
        rest = ended ? default : rest[(length + 1)..];
        return cell.Length > 0 && (cell[0] == ' ' || cell[^1] == ' ') ? cell.Trim((byte)' ') : cell;
    }

    private ReadOnlySpan<byte> QuotedCell(ref ReadOnlySpan<byte> rest, out bool ended)
    {
        rest = rest.TrimStart((byte)' ')[1..];
        var close = rest.IndexOf((byte)'"');
        if (close < 0)
            throw Refuse("a quote is opened and never closed.");
        var cell = rest[..close];
        rest = rest[(close + 1)..];
        var next = rest.IndexOf(_delimiter);
        ended = next < 0;
        rest = ended ? default : rest[(next + 1)..];
        return cell.Trim((byte)' ');
    }

    private void TakeCell(int column, ReadOnlySpan<byte> cell, int row, bool isLast)
    {
        switch (_uses[column])
        {
            case ColumnUse.Channel:
                if (!(_words[column] is { } words ? words.TryNumber(cell, out var value) : NumberText.TryRead(cell, _point, out value)))
                {
                    value = double.NaN;
                    if (!isLast)
                        _missing[column]++;
                    if (column == 0)
                        RefuseHeaderAgain(cell);
                }

                _block.Values[_targets[column]][row] = (float)value;
                break;
            case ColumnUse.Time:
                TakeTime(column, cell, row);
                break;
            case ColumnUse.Clock:
                TakeClock(column, cell, row);
                break;
        }
    }

    private void TakeTime(int column, ReadOnlySpan<byte> cell, int row)
    {
        if (cell.IsEmpty && _lastTime.Length > 1)
        {
            _block.Times[_targets[column]][row] = double.NaN;
            return;
        }

        if (!NumberText.TryRead(cell, _point, out var time) || !double.IsFinite(time))
        {
            RefuseHeaderAgain(cell);
            throw new CaptureFormatException(
                _layout.File,
                Line,
                _layout.Columns[column].Name,
                $"'{Encoding.UTF8.GetString(cell)}' is not a time."
            );
        }

        KeepTime(column, time * _timeScale[column], row);
        if (!_begun)
            Begin(TimeQuantum());
    }

    private void TakeClock(int column, ReadOnlySpan<byte> cell, int row)
    {
        var clock = _targets[column];
        var text = Encoding.UTF8.GetString(cell);
        if (!ClockText.TryRead(text, out var seconds, out var day))
        {
            RefuseHeaderAgain(cell);
            throw new CaptureFormatException(_layout.File, Line, _layout.Columns[column].Name, $"'{text}' is not a time of day.");
        }

        if (double.IsNaN(_clockStart[clock]))
            (_clockStart[clock], _firstDay[clock]) = (seconds, day ?? 0);
        if (day is not null)
            _days[clock] = day.Value - _firstDay[clock];
        else if (seconds - _clockStart[clock] + _days[clock] * Day < _lastTime[clock] - Day / 2)
            _days[clock]++;
        var time = seconds - _clockStart[clock] + _days[clock] * Day;

        KeepTime(column, time, row);
        if (!_begun)
            Begin(Math.Pow(10, -NumberText.Decimals(cell, text.Contains(',') ? (byte)',' : (byte)'.')));
    }

    private void KeepTime(int column, double time, int row)
    {
        var clock = _targets[column];
        if (time < _lastTime[clock])
            throw new CaptureFormatException(
                _layout.File,
                Line,
                _layout.Columns[column].Name,
                $"time goes backwards, from {_lastTime[clock]:0.######} s to {time:0.######} s. Cut the file there."
            );
        _lastTime[clock] = time;
        _block.Times[clock][row] = time;
    }

    private void RefuseHeaderAgain(ReadOnlySpan<byte> cell)
    {
        if (_firstHeaderCell.Length > 0 && cell.StartsWith(_firstHeaderCell))
            throw Refuse("a second header stands among the rows. Split the file there.");
    }

    /// <summary>The last written place of the times, s: the finest among the first rows, for "0" may stand for 0.0000.</summary>
    private double TimeQuantum()
    {
        var finest = double.PositiveInfinity;
        for (var column = 0; column < _uses.Length; column++)
            foreach (
                var row in _layout.FirstRows.Where(row => _uses[column] == ColumnUse.Time && column < row.Length && row[column].Length > 0)
            )
                finest = Math.Min(
                    finest,
                    Math.Pow(10, -NumberText.Decimals(Encoding.UTF8.GetBytes(row[column]), _point)) * _timeScale[column]
                );
        return finest;
    }

    private void Begin(double quantum)
    {
        _begun = true;
        _sink.Begin(_layout.Channels, _layout.Clocks, quantum);
    }

    private void Flush()
    {
        if (_block.Count == 0)
            return;
        if (!_begun)
            Begin(_layout.Interval is { } interval ? interval * 1e-9 : 0);
        _sink.Append(_block);
        _block.Count = 0;
    }

    private CaptureFormatException Refuse(string why) => new(_layout.File, Line, why);
}
