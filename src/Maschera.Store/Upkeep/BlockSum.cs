using System.Numerics;
using System.Runtime.InteropServices;

namespace Maschera.Store.Upkeep;

/// <summary>Stored samples that are not what was written; its message is a sentence for the person.</summary>
public sealed class DamagedDataException(string message) : Exception(message)
{
    /// <summary>A channel's stretch.</summary>
    public static DamagedDataException Of(StoredChannel channel, double from, double to) =>
        new(
            FormattableString.Invariant(
                $"The samples of '{channel.Name}' from {from:0.###} to {to:0.###} s are damaged in the data folder. Bring the capture in "
            ) + "again, or restore a backup."
        );
}

/// <summary>Checksums of stored samples: CRC-32C (Castagnoli, as in RFC 3720), which finds every flipped byte.</summary>
internal static class BlockSum
{
    /// <summary>The sum of samples and their times.</summary>
    public static long Of(byte[] samples, byte[]? times)
    {
        var sum = Over(uint.MaxValue, samples);
        return times is null ? sum : Over(sum, times);
    }

    /// <summary>True where what was read is what was written; also where no sum was kept, as by earlier builds.</summary>
    public static bool Holds(long? sum, byte[] samples, byte[]? times) => sum is not { } kept || kept == Of(samples, times);

    private static uint Over(uint sum, ReadOnlySpan<byte> bytes)
    {
        var words = MemoryMarshal.Cast<byte, ulong>(bytes);
        foreach (var word in words)
            sum = BitOperations.Crc32C(sum, word);
        foreach (var last in bytes[(8 * words.Length)..])
            sum = BitOperations.Crc32C(sum, last);
        return sum;
    }
}
