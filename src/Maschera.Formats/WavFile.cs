using System.Buffers.Binary;
using Maschera.Core.Basics;
using Maschera.Core.Signals;

namespace Maschera.Formats;

/// <summary>
/// WAV (RIFF WAVE, PCM of 8, 16, 24 or 32 bit and IEEE float of 32 or 64) for scopes that record as sound. Channels
/// are named 1, 2, …; values are shares of full scale, -1 to 1, until a probe's scale is applied.
/// </summary>
public static class WavFile
{
    private const int BlockFrames = 16_384;

    /// <summary>No scope has more inputs; a header that claims more is damaged, and memory for them is not to be had.</summary>
    private const ushort Pcm = 1,
        Float = 3,
        Extensible = 0xFFFE;

    private readonly record struct Format(ushort Kind, ushort Channels, uint Rate, ushort Bits)
    {
        public int FrameBytes => Channels * Bits / 8;

        public bool IsFraction => Kind == Float;
    }

    /// <summary>True for a file that begins as WAV does.</summary>
    public static bool Begins(ReadOnlySpan<byte> head) => head.Length >= 12 && head.StartsWith("RIFF"u8) && head[8..].StartsWith("WAVE"u8);

    /// <summary>The channels, and the rate in Hz.</summary>
    /// <exception cref="CaptureFormatException">It is no WAV that can be read.</exception>
    public static (IReadOnlyList<ChannelInfo> Channels, double Rate) Inspect(Stream stream, string file)
    {
        var (format, _) = Header(stream, file);
        return (Infos(format), format.Rate);
    }

    /// <summary>Reads all whole frames into <paramref name="sink"/>; a file cut short gives what is whole, and a note.</summary>
    public static IReadOnlyList<Note> Read(
        Stream stream,
        string file,
        ICaptureSink sink,
        IProgress<long>? progress = null,
        CancellationToken cancel = default
    )
    {
        var (format, claimed) = Header(stream, file);
        List<Note> notes = [new("full-scale", "WAV values are shares of full scale; give each channel's probe its scale.")];
        sink.Begin(Infos(format), 1, 0);
        var block = new SampleBlock(1, format.Channels, BlockFrames);
        var bytes = new byte[BlockFrames * format.FrameBytes];
        long frames = 0,
            left = claimed;
        while (left > 0)
        {
            cancel.ThrowIfCancellationRequested();
            var read = stream.ReadAtLeast(
                bytes.AsSpan(0, (int)Math.Min(bytes.Length, left)),
                (int)Math.Min(bytes.Length, left),
                throwOnEndOfStream: false
            );
            left -= read;
            block.Count = read / format.FrameBytes;
            Decode(bytes, format, block, frames);
            if (block.Count > 0)
                sink.Append(block);
            frames += block.Count;
            if (stream.CanSeek)
                progress?.Report(stream.Position);
            if (read < bytes.Length)
                break;
        }

        if (frames == 0)
            throw new CaptureFormatException(file, "the WAV file holds no samples.");
        if (left > 0)
            notes.Add(
                new("cut-short", $"The header claims {claimed / format.FrameBytes} samples, but only {frames} are there; they are read.")
            );
        else if (claimed % format.FrameBytes != 0)
            notes.Add(new("cut-short", $"The data end in the middle of a sample of all channels; the {frames} whole ones are read."));
        return notes;
    }

    private static List<ChannelInfo> Infos(Format format) =>
        [
            .. Enumerable
                .Range(1, format.Channels)
                .Select(i => new ChannelInfo(
                    i.ToString(System.Globalization.CultureInfo.InvariantCulture),
                    "",
                    0,
                    // Whole numbers end at full scale; those with a fraction need not.
                    Range: format.IsFraction ? null : 1
                )),
        ];

    private static (Format Format, long DataBytes) Header(Stream stream, string file)
    {
        var head = new byte[12];
        if (stream.ReadAtLeast(head, 12, throwOnEndOfStream: false) < 12 || !Begins(head))
            throw new CaptureFormatException(file, "is not a WAV file.");
        Format? format = null;
        var chunk = new byte[8];
        while (stream.ReadAtLeast(chunk, 8, throwOnEndOfStream: false) == 8)
        {
            long size = BinaryPrimitives.ReadUInt32LittleEndian(chunk.AsSpan(4));
            if (chunk.AsSpan().StartsWith("data"u8))
                return format is { } f
                    ? (f, size)
                    : throw new CaptureFormatException(file, "the WAV data come before the format; the file is damaged.");
            var body = new byte[Math.Min(size + (size & 1), 1 << 20)];
            var read = stream.ReadAtLeast(body, body.Length, throwOnEndOfStream: false);
            if (chunk.AsSpan().StartsWith("fmt "u8))
                format = ReadFormat(body.AsSpan(0, read), file);
            if (read < body.Length)
                break;
        }

        throw new CaptureFormatException(file, "the WAV file ends before its data.");
    }

    private static Format ReadFormat(ReadOnlySpan<byte> body, string file)
    {
        if (body.Length < 16)
            throw new CaptureFormatException(file, "the WAV format block is cut short.");
        var kind = BinaryPrimitives.ReadUInt16LittleEndian(body);
        if (kind == Extensible && body.Length >= 26)
            kind = BinaryPrimitives.ReadUInt16LittleEndian(body[24..]);
        var format = new Format(
            kind,
            BinaryPrimitives.ReadUInt16LittleEndian(body[2..]),
            BinaryPrimitives.ReadUInt32LittleEndian(body[4..]),
            BinaryPrimitives.ReadUInt16LittleEndian(body[14..])
        );
        var known = format is { Kind: Pcm, Bits: 8 or 16 or 24 or 32 } or { Kind: Float, Bits: 32 or 64 };
        if (!known)
            throw new CaptureFormatException(file, $"WAV encoding {kind} with {format.Bits} bit can't be read; save it as PCM or float.");
        if (format.Channels > FileLimits.MostChannels)
            throw new CaptureFormatException(
                file,
                $"the WAV header names {format.Channels} channels; {FileLimits.MostChannels} are the most."
            );
        if (format.Channels == 0 || format.Rate == 0)
            throw new CaptureFormatException(file, "the WAV header names no channels or no rate.");
        return format;
    }

    private static void Decode(byte[] bytes, Format format, SampleBlock block, long first)
    {
        var width = format.Bits / 8;
        for (var frame = 0; frame < block.Count; frame++)
        {
            block.Times[0][frame] = (first + frame) / (double)format.Rate;
            for (var c = 0; c < format.Channels; c++)
                block.Values[c][frame] = Sample(bytes.AsSpan(frame * format.FrameBytes + c * width, width), format);
        }
    }

    private static float Sample(ReadOnlySpan<byte> s, Format format) =>
        (format.Kind, format.Bits) switch
        {
            (Pcm, 8) => (s[0] - 128) / 128f,
            (Pcm, 16) => BinaryPrimitives.ReadInt16LittleEndian(s) / 32768f,
            (Pcm, 24) => ((s[0] << 8 | s[1] << 16 | s[2] << 24) >> 8) / 8388608f,
            (Pcm, _) => (float)(BinaryPrimitives.ReadInt32LittleEndian(s) / 2147483648.0),
            (_, 32) => BinaryPrimitives.ReadSingleLittleEndian(s),
            _ => (float)BinaryPrimitives.ReadDoubleLittleEndian(s),
        };
}
