using System.Buffers.Binary;
using System.IO.Compression;
using System.Runtime.InteropServices;

namespace Maschera.Store;

/// <summary>
/// Packs samples without loss. Where every sample is a whole number of converter steps, the differences of neighbours
/// are kept in as many bits as the widest of each <see cref="Group"/> needs; else plain floats, deflated.
/// </summary>
internal sealed class BlockCodec(double scale)
{
    private const byte Floats = 0,
        OldSteps = 1,
        Doubles = 2,
        Steps = 3;
    private const int OldHead = 17,
        StepsHead = 25;

    private readonly int[] _steps = new int[SampleStore.BlockSamples];

    /// <summary>What fitted the last block.</summary>
    private (double First, double Step) _usual;

    private static readonly double[] s_decimalSteps = [1, 0.1, 0.01, 1e-3, 1e-4, 1e-5, 1e-6];

    /// <summary>Samples that share one bit width.</summary>
    private const int Group = 128;

    /// <summary>Beyond this many steps a float no longer holds whole numbers.</summary>
    private const double MostSteps = 1 << 24;

    /// <summary>Packs the next samples of a channel as the file gave them; unpacking multiplies them by the scale.</summary>
    public byte[] Pack(ReadOnlySpan<float> raw)
    {
        var steps = _steps.AsSpan(0, raw.Length);
        if (_usual.Step > 0 && Count(raw, _usual.First, _usual.Step, steps))
            return PackSteps(steps, _usual.First, _usual.Step);
        foreach (var candidate in Candidates(raw.ToArray()))
        {
            if (!Count(raw, candidate.First, candidate.Step, steps))
                continue;
            _usual = candidate;
            return PackSteps(steps, candidate.First, candidate.Step);
        }

        var samples = new float[raw.Length];
        for (var i = 0; i < raw.Length; i++)
            samples[i] = (float)(raw[i] * scale);
        return Deflate(Floats, MemoryMarshal.AsBytes<float>(samples), sizeof(float));
    }

    /// <summary>Packs times.</summary>
    public static byte[] Pack(ReadOnlySpan<double> times) => Deflate(Doubles, MemoryMarshal.AsBytes(times), sizeof(double));

    /// <summary>Unpacks float samples.</summary>
    public static float[] Unpack(byte[] packed, int count)
    {
        if (packed[0] == Steps)
            return UnpackSteps(packed, count);
        var body = Inflate(packed, count);
        if (packed[0] == Floats)
            return MemoryMarshal.Cast<byte, float>(body).ToArray();
        var (first, step) = (BitConverter.ToDouble(packed, 1), BitConverter.ToDouble(packed, 9));
        return Array.ConvertAll(MemoryMarshal.Cast<byte, short>(body).ToArray(), n => (float)(first + n * step));
    }

    /// <summary>Unpacks times.</summary>
    public static double[] UnpackTimes(byte[] packed, int count) => MemoryMarshal.Cast<byte, double>(Inflate(packed, count)).ToArray();

    /// <summary>
    /// What the converter's step may be: the least difference of neighbours as it stands and as the round number that
    /// decimal text means, the largest binary fraction all samples are multiples of, and the decimal places of text.
    /// </summary>
    private static IEnumerable<(double First, double Step)> Candidates(float[] samples)
    {
        var least = float.MaxValue;
        var binary = double.MaxValue;
        for (var i = 0; i < samples.Length; i++)
        {
            if (!float.IsFinite(samples[i]))
                yield break;
            if (samples[i] != 0)
                binary = Math.Min(binary, LowestBit(samples[i]));
            var difference = i > 0 ? Math.Abs(samples[i] - samples[i - 1]) : 0;
            if (difference > 0 && difference < least)
                least = difference;
        }

        if (least == float.MaxValue)
        {
            if (samples.Length > 0)
                yield return (samples[0], 1);
            yield break;
        }

        var scale = Math.Pow(10, 3 - Math.Floor(Math.Log10(least)));
        yield return (samples[0], least);
        yield return (Math.Round(samples[0] * scale) / scale, Math.Round(least * scale) / scale);
        yield return (0, binary);
        foreach (var step in s_decimalSteps)
            yield return (0, step);
    }

    /// <summary>The weight of the last bit that is set.</summary>
    private static double LowestBit(float value)
    {
        var bits = BitConverter.SingleToInt32Bits(value);
        var exponent = bits >> 23 & 0xFF;
        var mantissa = bits & 0x7F_FFFF | (exponent > 0 ? 0x80_0000 : 0);
        return Math.ScaleB(mantissa & -mantissa, Math.Max(exponent, 1) - 150);
    }

    /// <summary>Counts each sample in steps; false where one does not come back bit for bit.</summary>
    private static bool Count(ReadOnlySpan<float> samples, double first, double step, Span<int> steps)
    {
        // Adding and taking away this rounds a double of that size to a whole number.
        const double rounding = 3L << 51;
        var perUnit = 1 / step;
        if (!double.IsFinite(perUnit))
            return false;
        for (var i = 0; i < samples.Length; i++)
        {
            var count = (samples[i] - first) * perUnit + rounding - rounding;
            var back = (float)(first + count * step);
            if (!(Math.Abs(count) < MostSteps) || BitConverter.SingleToInt32Bits(back) != BitConverter.SingleToInt32Bits(samples[i]))
                return false;
            steps[i] = (int)count;
        }

        return true;
    }

    private byte[] PackSteps(ReadOnlySpan<int> steps, double first, double step)
    {
        // Differences of 25 bits and their sign take 26 at most; a word of slack for the last write.
        var packed = new byte[StepsHead + (steps.Length / Group + 1) * (1 + Group * 26 / 8) + sizeof(ulong)];
        packed[0] = Steps;
        BinaryPrimitives.WriteDoubleLittleEndian(packed.AsSpan(1), first);
        BinaryPrimitives.WriteDoubleLittleEndian(packed.AsSpan(9), step);
        BinaryPrimitives.WriteDoubleLittleEndian(packed.AsSpan(17), scale);
        Span<uint> folded = stackalloc uint[Group];
        var at = StepsHead;
        var before = 0;
        for (var start = 0; start < steps.Length; start += Group)
        {
            var group = steps.Slice(start, Math.Min(Group, steps.Length - start));
            uint all = 0;
            for (var i = 0; i < group.Length; i++)
            {
                var difference = group[i] - before;
                before = group[i];
                folded[i] = (uint)(difference << 1 ^ difference >> 31);
                all |= folded[i];
            }

            var width = 32 - System.Numerics.BitOperations.LeadingZeroCount(all);
            packed[at++] = (byte)width;
            at += WriteBits(packed.AsSpan(at), folded[..group.Length], width);
        }

        return packed[..at];
    }

    /// <summary>Writes each value in <paramref name="width"/> bits, lowest first; returns the bytes used.</summary>
    private static int WriteBits(Span<byte> into, ReadOnlySpan<uint> values, int width)
    {
        ulong held = 0;
        var bits = 0;
        var at = 0;
        foreach (var value in values)
        {
            held |= (ulong)value << bits;
            bits += width;
            if (bits < 32)
                continue;
            BinaryPrimitives.WriteUInt32LittleEndian(into[at..], (uint)held);
            at += sizeof(uint);
            held >>= 32;
            bits -= 32;
        }

        for (; bits > 0; bits -= 8, held >>= 8)
            into[at++] = (byte)held;
        return at;
    }

    private static float[] UnpackSteps(byte[] packed, int count)
    {
        var (first, step, scale) = (BitConverter.ToDouble(packed, 1), BitConverter.ToDouble(packed, 9), BitConverter.ToDouble(packed, 17));
        var samples = GC.AllocateUninitializedArray<float>(count);
        // Reading whole words needs a few bytes of slack behind the last.
        var padded = new byte[packed.Length + sizeof(ulong)];
        packed.CopyTo(padded, 0);
        var at = StepsHead;
        var number = 0;
        for (var start = 0; start < count; start += Group)
        {
            var inGroup = Math.Min(Group, count - start);
            int width = padded[at++];
            var mask = (1UL << width) - 1;
            for (var i = 0; i < inGroup; i++)
            {
                var bit = i * width;
                var folded = (uint)(BinaryPrimitives.ReadUInt64LittleEndian(padded.AsSpan(at + (bit >> 3))) >> (bit & 7) & mask);
                number += (int)(folded >> 1) ^ -(int)(folded & 1);
                samples[start + i] = (float)((float)(first + number * step) * scale);
            }

            at += (inGroup * width + 7) / 8;
        }

        return samples;
    }

    private static byte[] Deflate(byte kind, ReadOnlySpan<byte> bytes, int width)
    {
        using var packed = new MemoryStream();
        packed.WriteByte(kind);
        packed.Write(new byte[OldHead - 1]);
        using (var deflate = new DeflateStream(packed, CompressionLevel.Fastest, leaveOpen: true))
            deflate.Write(Transpose(bytes, width));
        return packed.ToArray();
    }

    private static byte[] Inflate(byte[] packed, int count)
    {
        var width = packed[0] switch
        {
            OldSteps => sizeof(short),
            Floats => sizeof(float),
            _ => sizeof(double),
        };
        var transposed = new byte[count * width];
        using var deflate = new DeflateStream(new MemoryStream(packed, OldHead, packed.Length - OldHead), CompressionMode.Decompress);
        deflate.ReadExactly(transposed);
        var body = new byte[transposed.Length];
        for (var b = 0; b < width; b++)
        for (var i = 0; i < count; i++)
            body[i * width + b] = transposed[b * count + i];
        return body;
    }

    /// <summary>Puts the bytes of equal weight side by side, where they resemble each other.</summary>
    private static byte[] Transpose(ReadOnlySpan<byte> bytes, int width)
    {
        var count = bytes.Length / width;
        var transposed = new byte[bytes.Length];
        for (var b = 0; b < width; b++)
        for (var i = 0; i < count; i++)
            transposed[b * count + i] = bytes[i * width + b];
        return transposed;
    }
}
