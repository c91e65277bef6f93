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
    private const uint ErrorFlag = 0x20000000,
        ExtendedFlag = 0x80000000;

    /// <summary>True where the first line that says anything is a frame.</summary>
    public static bool Begins(string text)
    {
        var line = text.Split('\n').Select(l => l.Trim()).FirstOrDefault(l => l.Length > 0 && !IsRemark(l));
        return line is not null && TryFrame(line, out _, out _);
    }

    /// <summary>The frames of a log; a line that is none is refused with its number.</summary>
    /// <exception cref="CaptureFormatException">A line is no frame, or there is none.</exception>
    public static FrameLog Read(string text, string name)
    {
        var frames = new List<CanFrame>();
        List<Note> notes = [];
        var lines = text.Split('\n');
        var (first, errors, clockless) = (double.NaN, 0, false);
        for (var i = 0; i < lines.Length; i++)
        {
            var line = lines[i].Trim();
            if (line.Length == 0 || IsRemark(line))
                continue;
            if (!TryFrame(line, out var frame, out var isData))
            {
                // The last line of a log that was stopped may be cut short.
                if (lines.Skip(i + 1).All(l => l.Trim().Length == 0) && frames.Count > 0)
                {
                    notes.Add(new("cut-line", $"The last line, {i + 1}, is cut short and left out."));
                    break;
                }

                throw new CaptureFormatException(
                    name,
                    i + 1,
                    "is no CAN frame. Each line reads (seconds) bus id#data, as candump writes it."
                );
            }

            if (!isData)
            {
                errors++;
                continue;
            }

            if (double.IsNaN(frame.Seconds))
                (clockless, frame) = (true, frame with { Seconds = frames.Count * 1e-3 });
            if (double.IsNaN(first))
                first = frame.Seconds;
            // The log's last written place; seconds since 1970 leave a double little more.
            frames.Add(frame with { Seconds = Math.Round(frame.Seconds - first, 6) });
        }

        if (frames.Count == 0)
            throw new CaptureFormatException(name, "holds no CAN frames.");
        if (errors > 0)
            notes.Add(new("error-frames", $"{errors} error or remote frames are left out."));
        if (clockless)
            notes.Add(new("no-time", "The log has no times: frames are taken a millisecond apart."));
        return new FrameLog(frames, notes);
    }

    /// <summary>Whole diagnostic messages of a log, or of a text with one payload in hexadecimal digits a line.</summary>
    /// <exception cref="CaptureFormatException">It is neither.</exception>
    public static MessageLog ReadMessages(string text, string name)
    {
        if (Begins(text))
        {
            var log = Read(text, name);
            var assembler = MessageAssembler.Of(log.Frames);
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

    private static bool IsRemark(string line) => line[0] is '#' or ';' || line.StartsWith("//", StringComparison.Ordinal);

    private static bool TryFrame(string line, out CanFrame frame, out bool isData)
    {
        (frame, isData) = (null!, true);
        var words = line.Split((char[])[' ', '\t'], StringSplitOptions.RemoveEmptyEntries);
        var at = 0;
        var seconds = double.NaN;
        if (words.Length > 0 && words[0].StartsWith('('))
        {
            if (
                !words[0].EndsWith(')')
                || !double.TryParse(words[0][1..^1], NumberStyles.Float, CultureInfo.InvariantCulture, out seconds)
                || !double.IsFinite(seconds)
            )
                return false;
            at = 1;
        }

        if (words.Length <= at + 1)
            return false;
        var bus = words[at++];
        return words[at].Contains('#', StringComparison.Ordinal)
            ? Logged(seconds, bus, words[at], out frame, out isData)
            : Shown(seconds, bus, words[at..], out frame, out isData);
    }

    /// <summary>The log form: 7E8#0341, FD frames with ## and a digit of flags, remote frames with R.</summary>
    private static bool Logged(double seconds, string bus, string word, out CanFrame frame, out bool isData)
    {
        (frame, isData) = (null!, true);
        var cut = word.IndexOf('#', StringComparison.Ordinal);
        var (id, data) = (word[..cut], word[(cut + 1)..]);
        if (data.StartsWith('#'))
            data = data.Length > 1 ? data[2..] : "x";
        if (data.StartsWith('R'))
            (isData, data) = (false, "");
        return Make(seconds, bus, id, data.Replace(".", "", StringComparison.Ordinal), ref isData, out frame);
    }

    /// <summary>The form for the screen: 7E8   [8]  03 41 00.</summary>
    private static bool Shown(double seconds, string bus, string[] words, out CanFrame frame, out bool isData)
    {
        (frame, isData) = (null!, true);
        if (
            words.Length < 2
            || words[1] is not ['[', .., ']']
            || !int.TryParse(words[1][1..^1], NumberStyles.None, CultureInfo.InvariantCulture, out var count)
        )
            return false;
        if (words.Length > 2 && words[2] == "remote")
            (isData, count) = (false, 0);
        if (words.Length < 2 + count)
            return false;
        return Make(seconds, bus, words[0], string.Concat(words.Skip(2).Take(count)), ref isData, out frame);
    }

    private static bool Make(double seconds, string bus, string id, string data, ref bool isData, out CanFrame frame)
    {
        frame = null!;
        if (id.Length is not (3 or 8) || !uint.TryParse(id, NumberStyles.AllowHexSpecifier, CultureInfo.InvariantCulture, out var number))
            return false;
        if (data.Length % 2 != 0 || data.Length > 128 || !data.All(char.IsAsciiHexDigit))
            return false;
        if (id.Length == 8 && (number & ErrorFlag) != 0)
            isData = false;
        frame = new CanFrame(seconds, bus, number & ~ExtendedFlag, id.Length == 8, Convert.FromHexString(data));
        return true;
    }
}
