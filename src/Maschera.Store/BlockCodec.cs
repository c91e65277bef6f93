using System.IO.Compression;
using System.Runtime.InteropServices;

namespace Maschera.Store;

/// <summary>
/// Packs samples without loss: 16-bit steps where every sample is a whole number of steps from the first, else plain
/// floats; both with the bytes of equal weight side by side, then deflated.
/// </summary>
internal static class BlockCodec
{
    private const byte Floats = 0, Steps = 1, Doubles = 2;

    /// <summary>Packs float samples.</summary>
    public static byte[] Pack(ReadOnlySpan<float> samples)
    {
        if (FindStep(samples) is { } step)
        {
            var steps = new short[samples.Length];
            var exact = true;
            for (var i = 0; i < samples.Length && exact; i++)
            {
                var count = Math.Round((samples[i] - step.First) / step.Step);
                exact = Math.Abs(count) <= short.MaxValue && (float)(step.First + count * step.Step) == samples[i];
                if (exact) steps[i] = (short)count;
            }

            if (exact) return Deflate(Steps, step.First, step.Step, MemoryMarshal.AsBytes<short>(steps), sizeof(short));
        }

        return Deflate(Floats, 0, 0, MemoryMarshal.AsBytes(samples), sizeof(float));
    }

    /// <summary>Packs times.</summary>
    public static byte[] Pack(ReadOnlySpan<double> times) => Deflate(Doubles, 0, 0, MemoryMarshal.AsBytes(times), sizeof(double));

    /// <summary>Unpacks float samples.</summary>
    public static float[] Unpack(byte[] packed, int count)
    {
        var (kind, first, step, body) = Inflate(packed, count);
        if (kind == Floats) return MemoryMarshal.Cast<byte, float>(body).ToArray();
        var samples = new float[count];
        var steps = MemoryMarshal.Cast<byte, short>(body);
        for (var i = 0; i < count; i++) samples[i] = (float)(first + steps[i] * step);
        return samples;
    }

    /// <summary>Unpacks times.</summary>
    public static double[] UnpackTimes(byte[] packed, int count) => MemoryMarshal.Cast<byte, double>(Inflate(packed, count).Body).ToArray();

    /// <summary>The smallest difference of neighbours, if there is one: a converter's step.</summary>
    private static (double First, double Step)? FindStep(ReadOnlySpan<float> samples)
    {
        var least = double.MaxValue;
        for (var i = 1; i < samples.Length; i++)
        {
            var difference = Math.Abs((double)samples[i] - samples[i - 1]);
            if (double.IsNaN(difference)) return null;
            if (difference > 0 && difference < least) least = difference;
        }

        if (least == double.MaxValue) return samples.Length > 0 && float.IsFinite(samples[0]) ? (samples[0], 1) : null;
        // Decimal text gives steps that are round numbers; the float difference only nears them.
        var scale = Math.Pow(10, 3 - Math.Floor(Math.Log10(least)));
        return (Math.Round(samples[0] * scale) / scale, Math.Round(least * scale) / scale);
    }

    private static byte[] Deflate(byte kind, double first, double step, ReadOnlySpan<byte> bytes, int width)
    {
        using var packed = new MemoryStream();
        packed.WriteByte(kind);
        packed.Write(BitConverter.GetBytes(first));
        packed.Write(BitConverter.GetBytes(step));
        using (var deflate = new DeflateStream(packed, CompressionLevel.Fastest, leaveOpen: true)) deflate.Write(Transpose(bytes, width));
        return packed.ToArray();
    }

    private static (byte Kind, double First, double Step, byte[] Body) Inflate(byte[] packed, int count)
    {
        var kind = packed[0];
        var width = kind switch { Steps => sizeof(short), Floats => sizeof(float), _ => sizeof(double) };
        var transposed = new byte[count * width];
        using var deflate = new DeflateStream(new MemoryStream(packed, 17, packed.Length - 17), CompressionMode.Decompress);
        deflate.ReadExactly(transposed);
        var body = new byte[transposed.Length];
        for (var b = 0; b < width; b++)
            for (var i = 0; i < count; i++) body[i * width + b] = transposed[b * count + i];
        return (kind, BitConverter.ToDouble(packed, 1), BitConverter.ToDouble(packed, 9), body);
    }

    private static byte[] Transpose(ReadOnlySpan<byte> bytes, int width)
    {
        var count = bytes.Length / width;
        var transposed = new byte[bytes.Length];
        for (var b = 0; b < width; b++)
            for (var i = 0; i < count; i++) transposed[b * count + i] = bytes[i * width + b];
        return transposed;
    }
}
