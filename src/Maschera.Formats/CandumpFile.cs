using System.Buffers;
using System.Diagnostics.CodeAnalysis;
using System.Globalization;
using Maschera.Core.Basics;
using Maschera.Core.Vehicle;

namespace Maschera.Formats;

/// <summary>Frames of a log, and every doubt about it.</summary>
public sealed record FrameLog(IReadOnlyList<CanFrame> Frames, IReadOnlyList<Note> Notes);

/// <summary>
/// Logs of CAN frames as candump writes them: the log form `(1700000000.000000) can0 7E8#0341...` and the form for the
/// screen `(000.000000)  can0  7E8   [8]  03 41 ...`, with or without time; and plain text of one hexadecimal payload a line.
/// </summary>
public static class CandumpFile
{
    /// <summary>Bytes of a CAN FD frame.</summary>
    private const int MostBytes = 64;

    private static readonly SearchValues<char> s_digits = SearchValues.Create("0123456789abcdefABCDEF");

    private const uint ErrorFlag = 0x20000000,
        ExtendedFlag = 0x80000000;

    /// <summary>True where the first line that says anything is a frame.</summary>
    public static bool Begins(string text)
    {
        var line = text.Split('\n').Select(l => l.Trim()).FirstOrDefault(l => l.Length > 0 && !IsRemark(l));
        var bus = "";
        return line is not null && TryFrame(line, ref bus, out _, out _);
    }

    /// <summary>The frames of a log; a line that is none is refused with its number.</summary>
    /// <exception cref="CaptureFormatException">A line is no frame, or there is none.</exception>
    public static FrameLog Read(string text, string name)
    {
        List<Note> notes = [];
        using var log = new StringReader(text);
        return new FrameLog([.. Frames(log, name, notes)], notes);
    }

    /// <summary>The frames of a log one by one, s from the first; a line that is none is refused with its number.</summary>
    /// <param name="notes">Takes every doubt, once the log is at its end.</param>
    /// <exception cref="CaptureFormatException">A line is no frame, or there is none.</exception>
    public static IEnumerable<CanFrame> Frames(TextReader log, string name, ICollection<Note> notes)
    {
        var (count, number, cut, errors) = (0, 0, 0, 0);
        var (first, clockless, bus) = (double.NaN, false, "");
        while (log.ReadLine() is { } text)
        {
            number++;
            var line = text.AsSpan().Trim();
            if (line.Length == 0 || IsRemark(line))
                continue;
            // The last line of a log that was stopped may be cut short; one with others behind it is none.
            if (cut > 0 || !TryFrame(line, ref bus, out var frame, out var isData) && count == 0)
                throw new CaptureFormatException(
                    name,
                    cut > 0 ? cut : number,
                    "is no CAN frame. Each line reads (seconds) bus id#data, as candump writes it."
                );
            if (frame is null)
            {
                cut = number;
                continue;
            }

            if (!isData)
            {
                errors++;
                continue;
            }

            if (double.IsNaN(frame.Seconds))
                (clockless, frame) = (true, frame with { Seconds = count * 1e-3 });
            if (double.IsNaN(first))
                first = frame.Seconds;
            count++;
            // The log's last written place; seconds since 1970 leave a double little more.
            yield return frame with
            {
                Seconds = Math.Round(frame.Seconds - first, 6),
            };
        }

        if (count == 0)
            throw new CaptureFormatException(name, "holds no CAN frames.");
        if (cut > 0)
            notes.Add(new("cut-line", $"The last line, {cut}, is cut short and left out."));
        if (errors > 0)
            notes.Add(new("error-frames", $"{errors} error or remote frames are left out."));
        if (clockless)
            notes.Add(new("no-time", "The log has no times: frames are taken a millisecond apart."));
    }

    /// <summary>Whole diagnostic messages of a log, or of a text with one payload in hexadecimal digits a line.</summary>
    /// <exception cref="CaptureFormatException">It is neither.</exception>
    public static MessageLog ReadMessages(string text, string name)
    {
        if (Begins(text))
        {
            var log = Read(text, name);
            var assembler = MessageAssembler.Of(log.Frames.Where(f => f.MayAnswer));
            return new MessageLog(assembler.Messages, [.. log.Notes, .. assembler.Notes]);
        }

        var messages = new List<DiagnosticMessage>();
        var lines = text.Split('\n');
        for (var i = 0; i < lines.Length; i++)
        {
            var line = lines[i].Trim();
            if (line.Length == 0 || IsRemark(line))
                continue;
            var digits = line.Replace(" ", "", StringComparison.Ordinal);
            if (digits.Length % 2 != 0 || !digits.All(char.IsAsciiHexDigit))
                throw new CaptureFormatException(name, i + 1, "is no payload in hexadecimal digits, two a byte.");
            messages.Add(new DiagnosticMessage(0, null, Convert.FromHexString(digits)));
        }

        if (messages.Count == 0)
            throw new CaptureFormatException(name, "holds no payloads.");
        return new MessageLog(messages, []);
    }

    /// <summary>The messages of a file.</summary>
    /// <exception cref="CaptureFormatException">It can't be read.</exception>
    public static MessageLog LoadMessages(string path)
    {
        var name = Path.GetFileName(path);
        return ReadMessages(TextFile.Load(path), name);
    }

    private static bool IsRemark(ReadOnlySpan<char> line) => line[0] is '#' or ';' || line.StartsWith("//", StringComparison.Ordinal);

    private static bool TryFrame(ReadOnlySpan<char> line, ref string bus, [NotNullWhen(true)] out CanFrame? frame, out bool isData)
    {
        (frame, isData) = (null, true);
        var seconds = double.NaN;
        var word = Word(ref line);
        if (word is ['(', ..])
        {
            if (
                word is not ['(', .., ')']
                || !double.TryParse(word[1..^1], NumberStyles.Float, CultureInfo.InvariantCulture, out seconds)
                || !double.IsFinite(seconds)
            )
                return false;
            word = Word(ref line);
        }

        // A log is of one bus, or of a few in turn.
        bus = word.SequenceEqual(bus) ? bus : word.ToString();
        word = Word(ref line);
        if (word.Length == 0)
            return false;
        return word.Contains('#')
            ? Logged(seconds, bus, word, out frame, out isData)
            : Shown(seconds, bus, word, line, out frame, out isData);
    }

    /// <summary>Takes the next word off a line; empty at its end.</summary>
    private static ReadOnlySpan<char> Word(ref ReadOnlySpan<char> line)
    {
        line = line.TrimStart(" \t");
        var end = line.IndexOfAny(' ', '\t');
        var word = end < 0 ? line : line[..end];
        line = line[word.Length..];
        return word;
    }

    /// <summary>The log form: 7E8#0341, FD frames with ## and a digit of flags, remote frames with R.</summary>
    private static bool Logged(double seconds, string bus, ReadOnlySpan<char> word, out CanFrame? frame, out bool isData)
    {
        isData = true;
        var cut = word.IndexOf('#');
        var id = word[..cut];
        var data = word[(cut + 1)..];
        if (data is ['#', ..])
            data = data.Length > 1 ? data[2..] : "x";
        if (data is ['R', ..])
        {
            isData = false;
            data = "";
        }

        if (data.Contains('.'))
            data = data.ToString().Replace(".", "", StringComparison.Ordinal);
        return Make(seconds, bus, id, data, ref isData, out frame);
    }

    /// <summary>The form for the screen: 7E8   [8]  03 41 00.</summary>
    private static bool Shown(
        double seconds,
        string bus,
        ReadOnlySpan<char> id,
        ReadOnlySpan<char> rest,
        out CanFrame? frame,
        out bool isData
    )
    {
        (frame, isData) = (null, true);
        var said = Word(ref rest);
        if (said is not ['[', .., ']'] || !int.TryParse(said[1..^1], NumberStyles.None, CultureInfo.InvariantCulture, out var count))
            return false;
        Span<char> data = stackalloc char[2 * MostBytes];
        var length = 0;
        for (var i = 0; i < count; i++)
        {
            var word = Word(ref rest);
            if (i == 0 && word.SequenceEqual("remote"))
            {
                isData = false;
                break;
            }

            if (word.Length == 0 || length + word.Length > data.Length)
                return false;
            word.CopyTo(data[length..]);
            length += word.Length;
        }

        return Make(seconds, bus, id, data[..length], ref isData, out frame);
    }

    private static bool Make(
        double seconds,
        string bus,
        ReadOnlySpan<char> id,
        ReadOnlySpan<char> data,
        ref bool isData,
        out CanFrame? frame
    )
    {
        frame = null;
        if (id.Length is not (3 or 8) || !uint.TryParse(id, NumberStyles.AllowHexSpecifier, CultureInfo.InvariantCulture, out var number))
            return false;
        if (data.Length % 2 != 0 || data.Length > 2 * MostBytes || data.ContainsAnyExcept(s_digits))
            return false;
        if (id.Length == 8 && (number & ErrorFlag) != 0)
            isData = false;
        frame = new CanFrame(seconds, bus, number & ~ExtendedFlag, id.Length == 8, Convert.FromHexString(data));
        return true;
    }
}
