using System.Buffers.Binary;
using System.Buffers.Text;
using System.Text;
using Maschera.Core.Signals;

namespace Maschera.Formats;

/// <summary>Writes captures as CSV and WAV.</summary>
public static class CaptureExport
{
    private const int RowBytes = 40;

    /// <summary>
    /// CSV with commas, decimal points, CRLF and UTF-8. Channels on one axis share a time column; where there are
    /// several axes each has its own. Times are written to a ten-thousandth of a step at least, values as the shortest text that
    /// reads back the same; missing ones stay empty.
    /// </summary>
    public static void WriteCsv(Stream stream, IReadOnlyList<ISampleReader> channels, CancellationToken cancel = default)
    {
        var groups = Grouped(channels);
        stream.Write(
            Encoding.UTF8.GetBytes(
                string.Join(
                    ",",
                    groups.SelectMany(
                        (g, i) => g.Select(c => Heading(c.Name, c.Unit)).Prepend(i == 0 ? "Time (s)" : Heading("Time " + g[0].Name, "s"))
                    )
                ) + "\r\n"
            )
        );
        using var columns = new Columns(groups);
        var rows = channels.Max(c => c.Count);
        var line = new byte[RowBytes * (channels.Count + groups.Count) + 2];
        for (var row = 0; row < rows; row++)
        {
            if (row % 4096 == 0)
                cancel.ThrowIfCancellationRequested();
            var at = 0;
            foreach (var group in columns.Groups)
            {
                var there = false;
                foreach (var column in group)
                    there = column.Next();
                at += Cell(line.AsSpan(at), there ? Math.Round(group[0].Time, group[0].TimeDecimals) : double.NaN);
                foreach (var column in group)
                    at += Cell(line.AsSpan(at), there ? column.Value : float.NaN);
            }

            // The last comma gives way to the line's end.
            (line[at - 1], line[at]) = ((byte)'\r', (byte)'\n');
            stream.Write(line.AsSpan(0, at + 1));
        }
    }

    /// <summary>WAV of 32-bit floats, the values as they are in their units.</summary>
    /// <exception cref="CaptureFormatException">
    /// The channels don't share one even axis with a whole rate, or are too long for WAV.
    /// </exception>
    public static void WriteWav(Stream stream, string file, IReadOnlyList<ISampleReader> channels, CancellationToken cancel = default)
    {
        var rate = 1 / channels[0].Step;
        if (Grouped(channels).Count > 1 || !channels[0].IsUniform)
            throw new CaptureFormatException(
                file,
                "WAV holds one even rate, and these channels have several or uneven ones. Export CSV or a bundle."
            );
        if (Math.Abs(rate - Math.Round(rate)) > 1e-6 * rate || rate is < 1 or > uint.MaxValue)
            throw new CaptureFormatException(
                file,
                $"WAV holds whole samples a second, and this capture has {rate:0.######}. Export CSV or a bundle."
            );
        var bytes = (long)channels[0].Count * channels.Count * sizeof(float);
        if (bytes > uint.MaxValue - 64)
            throw new CaptureFormatException(file, "WAV ends at 4 GB. Export a shorter window, or a bundle.");
        stream.Write(WavHeader((ushort)channels.Count, (uint)Math.Round(rate), (uint)bytes));
        using var held = new Columns([channels]);
        var columns = held.Groups[0];
        var frame = new byte[sizeof(float) * columns.Count];
        for (var row = 0; row < channels[0].Count; row++)
        {
            if (row % 4096 == 0)
                cancel.ThrowIfCancellationRequested();
            for (var c = 0; c < columns.Count; c++)
            {
                columns[c].Next();
                BinaryPrimitives.WriteSingleLittleEndian(frame.AsSpan(sizeof(float) * c), columns[c].Value);
            }

            stream.Write(frame);
        }
    }

    /// <summary>RIFF WAVE header with a format chunk of kind 3 (IEEE float), a fact chunk and the data chunk's head.</summary>
    private static byte[] WavHeader(ushort channels, uint rate, uint bytes)
    {
        var header = new MemoryStream();
        using var writer = new BinaryWriter(header);
        writer.Write("RIFF"u8);
        writer.Write(bytes + 50);
        writer.Write("WAVEfmt "u8);
        writer.Write(18u);
        writer.Write((ushort)3);
        writer.Write(channels);
        writer.Write(rate);
        writer.Write(rate * channels * sizeof(float));
        writer.Write((ushort)(channels * sizeof(float)));
        writer.Write((ushort)32);
        writer.Write((ushort)0);
        writer.Write("fact"u8);
        writer.Write(4u);
        writer.Write(bytes / sizeof(float) / channels);
        writer.Write("data"u8);
        writer.Write(bytes);
        return header.ToArray();
    }

    /// <summary>Channels that share an axis together, in the order they come.</summary>
    private static List<List<ISampleReader>> Grouped(IReadOnlyList<ISampleReader> channels)
    {
        var groups = new List<List<ISampleReader>>();
        foreach (var channel in channels)
        {
            var group = groups.FirstOrDefault(g =>
                g[0].IsUniform
                && channel.IsUniform
                && g[0].Count == channel.Count
                && g[0].Start == channel.Start
                && g[0].Step == channel.Step
            );
            if (group is null)
                groups.Add([channel]);
            else
                group.Add(channel);
        }

        return groups;
    }

    private static string Heading(string name, string unit)
    {
        var heading = unit.Length > 0 ? $"{name} ({unit})" : name;
        return heading.IndexOfAny([',', '"', '\n', '\r']) < 0 ? heading : $"\"{heading.Replace("\"", "\"\"", StringComparison.Ordinal)}\"";
    }

    private static int Cell(Span<byte> into, double value)
    {
        var written = 0;
        if (!double.IsNaN(value))
            Utf8Formatter.TryFormat(value, into, out written);
        into[written] = (byte)',';
        return written + 1;
    }

    private static int Cell(Span<byte> into, float value)
    {
        var written = 0;
        if (float.IsFinite(value))
            Utf8Formatter.TryFormat(value, into, out written);
        into[written] = (byte)',';
        return written + 1;
    }

    /// <summary>One channel, sample by sample.</summary>
    private sealed class Column(ISampleReader reader) : IDisposable
    {
        private readonly IEnumerator<SamplePiece> _pieces = reader.Read(0, reader.Count).GetEnumerator();
        private SamplePiece _piece;
        private int _at = -1;

        public float Value => _piece.Samples.Span[_at];

        public double Time => _piece.TimeOf(_at);

        /// <summary>Decimals of a second that still say something of the time.</summary>
        public int TimeDecimals { get; } = Math.Clamp((int)Math.Ceiling(-Math.Log10(reader.Step)) + 4, 6, 15);

        /// <summary>Goes on; false behind the end.</summary>
        public bool Next()
        {
            if (++_at < _piece.Samples.Length)
                return true;
            if (!_pieces.MoveNext())
                return false;
            (_piece, _at) = (_pieces.Current, 0);
            return true;
        }

        public void Dispose() => _pieces.Dispose();
    }

    /// <summary>Columns that are let go together: each holds its reader open until then.</summary>
    private sealed class Columns(IEnumerable<IReadOnlyList<ISampleReader>> groups) : IDisposable
    {
        public IReadOnlyList<IReadOnlyList<Column>> Groups { get; } = [.. groups.Select(g => g.Select(c => new Column(c)).ToList())];

        public void Dispose()
        {
            foreach (var column in Groups.SelectMany(g => g))
                column.Dispose();
        }
    }
}
