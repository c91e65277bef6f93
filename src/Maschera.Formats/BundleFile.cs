using System.Buffers.Binary;
using System.IO.Compression;
using System.Runtime.InteropServices;
using System.Text.Json;
using Maschera.Core.Basics;
using Maschera.Core.Expressions;
using Maschera.Core.Signals;

namespace Maschera.Formats;

/// <summary>A channel on its way into a file.</summary>
/// <param name="Reader">Its samples.</param>
/// <param name="Role">What it is in a reading's words; null for nothing in particular.</param>
/// <param name="Expression">What it was computed from; null where it was measured.</param>
public sealed record OutgoingChannel(ISampleReader Reader, string? Role = null, string? Expression = null);

/// <summary>A channel as capture.json describes it.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Unit">Its unit; empty where none is known.</param>
/// <param name="Count">Number of samples.</param>
/// <param name="Start">Time of the first sample, s.</param>
/// <param name="Step">Sample interval, s; null where <paramref name="Times"/> names a column.</param>
/// <param name="Samples">Entry of the samples: float32, little-endian, NaN where missing.</param>
/// <param name="Times">Entry of the times: float64, little-endian, s.</param>
/// <param name="Role">What it is in a reading's words.</param>
/// <param name="Expression">What it was computed from.</param>
/// <param name="Range">Its input measures from minus this to plus this, in its unit; null where that is not known.</param>
public sealed record BundleChannel(
    string Name,
    string Unit,
    int Count,
    double Start,
    double? Step,
    string Samples,
    string? Times,
    string? Role,
    string? Expression,
    double? Range = null
);

/// <summary>capture.json of a bundle.</summary>
/// <param name="Format">"maschera-capture".</param>
/// <param name="Version">1.</param>
/// <param name="Name">The capture's name.</param>
/// <param name="TakenAt">When it was taken, UTC.</param>
/// <param name="Conditions">What engine and person did: state, coolantCelsius, disabled, remark, syncKind, syncCylinder.</param>
/// <param name="Notes">Doubts about the capture.</param>
/// <param name="Channels">Its channels.</param>
public sealed record BundleHead(
    string Format,
    int Version,
    string Name,
    DateTime TakenAt,
    IReadOnlyDictionary<string, string> Conditions,
    IReadOnlyList<Note> Notes,
    IReadOnlyList<BundleChannel> Channels
)
{
    public const string FormatName = "maschera-capture";
}

/// <summary>The open bundle: a zip of `capture.json` and one raw little-endian column a channel. See docs/files.md.</summary>
public static class BundleFile
{
    private const string HeadName = "capture.json";
    private const int BlockRows = 16_384;
    private const int MostHeadBytes = 4 << 20;

    /// <summary>True for a file that begins as a zip does.</summary>
    public static bool Begins(ReadOnlySpan<byte> head) => head.StartsWith("PK\u0003\u0004"u8);

    /// <summary>Writes a bundle.</summary>
    public static void Write(
        Stream stream,
        string name,
        DateTime takenAt,
        IReadOnlyDictionary<string, string> conditions,
        IReadOnlyList<Note> notes,
        IReadOnlyList<OutgoingChannel> channels,
        CancellationToken cancel = default
    )
    {
        using var zip = new ZipArchive(stream, ZipArchiveMode.Create, leaveOpen: true);
        var described = channels
            .Select(
                (c, i) =>
                    new BundleChannel(
                        c.Reader.Name,
                        c.Reader.Unit,
                        c.Reader.Count,
                        c.Reader.Start,
                        c.Reader.IsUniform ? c.Reader.Step : null,
                        $"{i + 1}.f32",
                        c.Reader.IsUniform ? null : $"{i + 1}.f64",
                        c.Role,
                        c.Expression,
                        c.Reader.Range
                    )
            )
            .ToList();
        using (var head = zip.CreateEntry(HeadName, CompressionLevel.Fastest).Open())
            JsonSerializer.Serialize(
                head,
                new BundleHead(BundleHead.FormatName, 1, name, takenAt, conditions, notes, described),
                FormatsJson.Default.BundleHead
            );
        for (var i = 0; i < channels.Count; i++)
        {
            Column(zip, described[i].Samples, channels[i].Reader, WriteSamples, cancel);
            if (described[i].Times is { } times)
                Column(zip, times, channels[i].Reader, WriteTimes, cancel);
        }
    }

    /// <summary>Reads capture.json.</summary>
    /// <exception cref="CaptureFormatException">It is no bundle that can be read.</exception>
    public static BundleHead Inspect(Stream stream, string file)
    {
        using var zip = Open(stream, file);
        return Head(zip, file);
    }

    /// <summary>Reads all columns into <paramref name="sink"/>.</summary>
    /// <exception cref="CaptureFormatException">A column is missing or does not hold what capture.json says.</exception>
    public static IReadOnlyList<Note> Read(
        Stream stream,
        string file,
        ICaptureSink sink,
        IProgress<long>? progress = null,
        CancellationToken cancel = default
    )
    {
        using var zip = Open(stream, file);
        var head = Head(zip, file);
        var columns = new List<ColumnReader>();
        try
        {
            foreach (var channel in head.Channels)
                columns.Add(new ColumnReader(zip, channel, file));
            sink.Begin(Infos(head), columns.Count, 0);
            var block = new SampleBlock(columns.Count, columns.Count, BlockRows);
            var longest = head.Channels.Max(c => c.Count);
            for (var first = 0; first < longest; first += BlockRows)
            {
                cancel.ThrowIfCancellationRequested();
                block.Count = Math.Min(BlockRows, longest - first);
                for (var c = 0; c < columns.Count; c++)
                    columns[c].Fill(block.Values[c].AsSpan(0, block.Count), block.Times[c].AsSpan(0, block.Count), first);
                sink.Append(block);
                progress?.Report((long)(stream.Length * ((double)(first + block.Count) / longest)));
            }
        }
        catch (InvalidDataException error)
        {
            throw new CaptureFormatException(file, $"a column can't be unpacked: {error.Message}");
        }
        finally
        {
            foreach (var column in columns)
                column.Dispose();
        }

        return [.. (head.Notes ?? []).Where(note => note is { Code: not null, Text: not null })];
    }

    /// <summary>The channels as a sink wants them; each has a clock of its own.</summary>
    public static IReadOnlyList<ChannelInfo> Infos(BundleHead head) =>
        [
            .. head.Channels.Select(
                (c, i) => new ChannelInfo(c.Name, c.Unit, i, c.Step, c.Range is > 0 and < double.PositiveInfinity ? c.Range : null)
            ),
        ];

    private static ZipArchive Open(Stream stream, string file)
    {
        try
        {
            return new ZipArchive(stream, ZipArchiveMode.Read, leaveOpen: true);
        }
        catch (InvalidDataException)
        {
            throw new CaptureFormatException(file, "the zip is damaged or cut short; export it again.");
        }
    }

    private static BundleHead Head(ZipArchive zip, string file)
    {
        var entry =
            zip.GetEntry(HeadName) ?? throw new CaptureFormatException(file, $"the zip holds no {HeadName}, so it is no capture bundle.");
        if (entry.Length > MostHeadBytes)
            throw new CaptureFormatException(file, $"{HeadName} is larger than {MostHeadBytes >> 20} MB.");
        BundleHead? head;
        try
        {
            using var stream = entry.Open();
            head = JsonSerializer.Deserialize(stream, FormatsJson.Default.BundleHead);
        }
        catch (Exception error) when (error is JsonException or InvalidDataException)
        {
            throw new CaptureFormatException(file, $"{HeadName} can't be understood: {error.Message}");
        }

        if (head?.Format != BundleHead.FormatName)
            throw new CaptureFormatException(file, $"{HeadName} does not name the format \"{BundleHead.FormatName}\".");
        if (head.Version != 1)
            throw new CaptureFormatException(file, $"{HeadName} has version {head.Version}; only version 1 is known here.");
        if (head.Channels is not { Count: > 0 and <= FileLimits.MostChannels })
            throw new CaptureFormatException(file, $"{HeadName} lists no channels, or more than {FileLimits.MostChannels}.");
        foreach (var channel in head.Channels)
            Check(channel, file);
        return head.Channels.All(c => c.Count == 0) ? throw new CaptureFormatException(file, "the bundle holds no samples.") : head;
    }

    private static void Check(BundleChannel? channel, string file)
    {
        if (channel?.Name is null || channel.Unit is null || channel.Samples is null)
            throw new CaptureFormatException(file, $"{HeadName}: every channel has a name, a unit and samples.");
        if (channel.Count < 0)
            throw new CaptureFormatException(file, $"{HeadName}: channel '{channel.Name}' claims {channel.Count} samples.");
        var timed = channel.Times is not null || channel.Step is > 0 and < double.PositiveInfinity && double.IsFinite(channel.Start);
        if (!timed)
            throw new CaptureFormatException(
                file,
                $"{HeadName}: channel '{channel.Name}' needs a step above zero with a start, or a column of times."
            );
    }

    private static void Column(
        ZipArchive zip,
        string name,
        ISampleReader reader,
        Action<SamplePiece, Stream> write,
        CancellationToken cancel
    )
    {
        using var stream = zip.CreateEntry(name, CompressionLevel.Fastest).Open();
        foreach (var piece in reader.Read(0, reader.Count))
        {
            cancel.ThrowIfCancellationRequested();
            write(piece, stream);
        }
    }

    private static void WriteSamples(SamplePiece piece, Stream stream)
    {
        var bytes = new byte[sizeof(float) * piece.Samples.Length];
        for (var i = 0; i < piece.Samples.Length; i++)
            BinaryPrimitives.WriteSingleLittleEndian(bytes.AsSpan(sizeof(float) * i), piece.Samples.Span[i]);
        stream.Write(bytes);
    }

    private static void WriteTimes(SamplePiece piece, Stream stream)
    {
        var bytes = new byte[sizeof(double) * piece.Samples.Length];
        for (var i = 0; i < piece.Samples.Length; i++)
            BinaryPrimitives.WriteDoubleLittleEndian(bytes.AsSpan(sizeof(double) * i), piece.TimeOf(i));
        stream.Write(bytes);
    }

    /// <summary>Reads samples and times of one channel side by side.</summary>
    private sealed class ColumnReader : IDisposable
    {
        private readonly BundleChannel _channel;
        private readonly string _file;
        private readonly Stream _samples;
        private readonly Stream? _times;
        private double _last = double.NegativeInfinity;

        public ColumnReader(ZipArchive zip, BundleChannel channel, string file)
        {
            (_channel, _file) = (channel, file);
            _samples = Open(zip, channel.Samples, sizeof(float));
            _times = channel.Times is { } times ? Open(zip, times, sizeof(double)) : null;
        }

        /// <summary>Fills rows from number <paramref name="first"/>; rows behind the channel's end have no time.</summary>
        public void Fill(Span<float> values, Span<double> times, int first)
        {
            var count = Math.Clamp(_channel.Count - first, 0, values.Length);
            times[count..].Fill(double.NaN);
            if (count == 0)
                return;
            try
            {
                // The column is little-endian, as every machine this runs on.
                _samples.ReadExactly(MemoryMarshal.AsBytes(values[..count]));
                if (_times is not null)
                    _times.ReadExactly(MemoryMarshal.AsBytes(times[..count]));
            }
            catch (EndOfStreamException)
            {
                throw new CaptureFormatException(_file, $"a column of '{_channel.Name}' ends before its {_channel.Count} samples.");
            }

            for (var i = 0; i < count; i++)
            {
                if (_times is null)
                    times[i] = _channel.Start + (first + i) * _channel.Step!.Value;
                if (!(times[i] >= _last) || double.IsInfinity(times[i]))
                    throw new CaptureFormatException(_file, $"the time of '{_channel.Name}' goes backwards at sample {first + i + 1}.");
                _last = times[i];
            }
        }

        public void Dispose()
        {
            _samples.Dispose();
            _times?.Dispose();
        }

        private Stream Open(ZipArchive zip, string name, int width)
        {
            var entry =
                zip.GetEntry(name)
                ?? throw new CaptureFormatException(_file, $"the column '{name}' of '{_channel.Name}' is not in the zip.");
            if (entry.Length != (long)width * _channel.Count)
                throw new CaptureFormatException(
                    _file,
                    $"the column '{name}' of '{_channel.Name}' holds {entry.Length / width} samples, but {HeadName} claims "
                        + $"{_channel.Count}."
                );
            return entry.Open();
        }
    }
}
