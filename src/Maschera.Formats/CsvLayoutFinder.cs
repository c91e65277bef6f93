using System.Globalization;
using System.Text;
using System.Text.RegularExpressions;
using Maschera.Core.Basics;

namespace Maschera.Formats;

/// <summary>Understands the dialect of a CSV file from its first lines.</summary>
internal static partial class CsvLayoutFinder
{
    /// <summary>What may stand between cells.</summary>
    internal const string Delimiters = "\t;|,";

    private const int HeadBytes = 128 * 1024;

    /// <summary>Reads the head of <paramref name="stream"/> and finds the layout.</summary>
    /// <exception cref="CaptureFormatException">The file is not a CSV that can be understood.</exception>
    public static CsvLayout Find(Stream stream, string file)
    {
        var head = new byte[HeadBytes];
        var length = stream.ReadAtLeast(head, HeadBytes, throwOnEndOfStream: false);
        var (encoding, name, mark) = SniffEncoding(head.AsSpan(0, length));
        if (length == mark)
            throw new CaptureFormatException(file, "is empty.");
        RefuseBinary(head.AsSpan(mark, length - mark), encoding, file);
        var text = encoding.GetString(head, mark, length - mark);
        var returns = text.Contains('\r') && !text.Contains('\n');
        var lines = Lines(returns ? text.Replace('\r', '\n') : text, complete: length < HeadBytes);
        return new CsvHead(file, lines).Find() with { Encoding = name, MarkLength = mark, ReturnsEndLines = returns };
    }

    private static (Encoding Encoding, string Name, int Mark) SniffEncoding(ReadOnlySpan<byte> head)
    {
        if (head.StartsWith<byte>([0xEF, 0xBB, 0xBF]))
            return (Encoding.UTF8, "utf-8", 3);
        if (head.StartsWith<byte>([0xFF, 0xFE]))
            return (Encoding.Unicode, "utf-16", 2);
        if (head.StartsWith<byte>([0xFE, 0xFF]))
            return (Encoding.BigEndianUnicode, "utf-16BE", 2);
        // The head may end inside a character of several bytes: the last line does not decide.
        var whole = head[..(head.LastIndexOf((byte)'\n') + 1)];
        return System.Text.Unicode.Utf8.IsValid(whole.IsEmpty ? head : whole)
            ? (Encoding.UTF8, "utf-8", 0)
            : (Encoding.Latin1, "iso-8859-1", 0);
    }

    private static void RefuseBinary(ReadOnlySpan<byte> head, Encoding encoding, string file)
    {
        if (encoding is UnicodeEncoding)
            return;
        var control = head.IndexOfAnyInRange((byte)0, (byte)8);
        if (control < 0)
            return;
        var line = head[..control].Count((byte)'\n') + 1;
        throw new CaptureFormatException(
            file,
            line,
            $"a control byte (0x{head[control]:X2}) stands where text should be; this is not a CSV file."
        );
    }

    private static List<string> Lines(string text, bool complete)
    {
        var lines = text.Split('\n').Select(line => line.TrimEnd('\r')).ToList();
        if (complete)
        {
            if (lines[^1].Length == 0)
                lines.RemoveAt(lines.Count - 1);
        }
        else if (lines.Count > 1)
        {
            lines.RemoveAt(lines.Count - 1);
        }

        return lines;
    }

    internal static bool IsComment(ReadOnlySpan<char> line)
    {
        var text = line.TrimStart();
        return text.StartsWith("#") || text.StartsWith("//") || text.StartsWith(";");
    }

    /// <summary>Cells of a line; quotes are taken off, doubled quotes inside them halved.</summary>
    internal static string[] Cells(string line, char delimiter)
    {
        var cells = new List<string>();
        var cell = new StringBuilder();
        var quoted = false;
        for (var i = 0; i < line.Length; i++)
        {
            var c = line[i];
            if (c == '"' && quoted && i + 1 < line.Length && line[i + 1] == '"')
                cell.Append(line[++i]);
            else if (c == '"')
                quoted = !quoted;
            else if (c == delimiter && !quoted)
            {
                cells.Add(cell.ToString().Trim());
                cell.Clear();
            }
            else
                cell.Append(c);
        }

        cells.Add(cell.ToString().Trim());
        return [.. cells];
    }

    [GeneratedRegex(@"^[+-]?(\d{1,3}([ '’\u00A0\u202F]\d{3})+([.,]\d*)?|\d+([.,]\d*)*|[.,]\d+)([eE][+-]?\d+)?$")]
    private static partial Regex NumberShape();

    [GeneratedRegex(
        @"^(\d{4}-\d{1,2}-\d{1,2}[T ]|\d{1,2}[./]\d{1,2}[./]\d{2,4} )?(\d{1,2}:\d{2}(:\d{2}([.,]\d+)?)?|\d{1,3}:\d{2}[.,]\d+)"
            + @"(Z| ?[AaPp]\.?[Mm]\.?)?$"
    )]
    private static partial Regex ClockShape();

    [GeneratedRegex(@"^(\d{4}-\d{1,2}-\d{1,2}|\d{1,2}[./]\d{1,2}[./]\d{2,4})$")]
    private static partial Regex DateShape();

    /// <summary>A date, and not a number with points between its thousands.</summary>
    internal static bool IsDate(string cell) =>
        DateShape().IsMatch(cell) && !(cell.Split('.') is { Length: > 1 } groups && groups.Skip(1).All(g => g.Length == 3));

    internal static bool LooksLikeClock(string cell) => ClockShape().IsMatch(cell);

    internal static bool IsNumber(string cell) => NumberShape().IsMatch(cell) && !IsDate(cell);

    /// <summary>True for an empty cell and for the words by which loggers say that there is no value.</summary>
    internal static bool IsMissing(string cell) =>
        cell.Length == 0
        || cell.Trim('-', '+') is "" or "∞"
        || cell.Trim('-', '+').ToLowerInvariant() is "nan" or "inf" or "infinity" or "n/a" or "na" or "null" or "overflow" or "ol";
}
