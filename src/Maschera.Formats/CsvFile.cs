using System.Text;
using Maschera.Core.Basics;
using Maschera.Core.Signals;

namespace Maschera.Formats;

/// <summary>CSV as instruments and loggers write it. Rows are streamed in blocks of bytes; nothing is kept but the sink's.</summary>
public static class CsvFile
{
    /// <summary>What the file's first lines tell.</summary>
    /// <exception cref="CaptureFormatException">It can't be understood.</exception>
    public static CsvLayout Inspect(Stream stream, string file)
    {
        var layout = CsvLayoutFinder.Find(stream, file);
        FileLimits.Check(file, layout.HeaderLine ?? 1, layout.Channels);
        return layout;
    }

    /// <summary>Reads all rows into <paramref name="sink"/>.</summary>
    /// <param name="stream">At the start of the file.</param>
    /// <param name="progress">Is told the bytes read so far.</param>
    /// <returns>What there was to doubt, the layout's notes first.</returns>
    /// <exception cref="CaptureFormatException">A row can't be read.</exception>
    public static IReadOnlyList<Note> Read(
        Stream stream,
        CsvLayout layout,
        ICaptureSink sink,
        IProgress<long>? progress = null,
        CancellationToken cancel = default
    )
    {
        stream.ReadExactly(new byte[layout.MarkLength]);
        using var text = layout.Encoding.StartsWith("utf-16", StringComparison.Ordinal)
            ? Encoding.CreateTranscodingStream(stream, Encoding.GetEncoding(layout.Encoding), Encoding.UTF8, leaveOpen: true)
            : null;
        var rows = new CsvRows(layout, sink);
        var buffer = new byte[1 << 20];
        var filled = 0;
        while (true)
        {
            cancel.ThrowIfCancellationRequested();
            var read = (text ?? stream).Read(buffer, filled, buffer.Length - filled);
            if (read == 0)
                break;
            if (layout.ReturnsEndLines)
                buffer.AsSpan(filled, read).Replace((byte)'\r', (byte)'\n');
            filled += read;
            var used = rows.TakeLines(buffer.AsSpan(0, filled));
            if (used == 0 && filled == buffer.Length)
                throw new CaptureFormatException(layout.File, rows.Line + 1, "is longer than a megabyte; this is not a CSV file.");
            buffer.AsSpan(used, filled - used).CopyTo(buffer);
            filled -= used;
            if (stream.CanSeek)
                progress?.Report(stream.Position);
        }

        if (filled > 0)
            rows.TakeLastLine(buffer.AsSpan(0, filled));
        return [.. layout.Notes, .. rows.Finish()];
    }
}
