using System.Buffers.Text;

namespace Maschera.Formats;

/// <summary>Reads decimal numbers from bytes.</summary>
internal static class NumberText
{
    private static readonly double[] s_powers =
    [
        1,
        1e1,
        1e2,
        1e3,
        1e4,
        1e5,
        1e6,
        1e7,
        1e8,
        1e9,
        1e10,
        1e11,
        1e12,
        1e13,
        1e14,
        1e15,
        1e16,
        1e17,
        1e18,
        1e19,
        1e20,
        1e21,
        1e22,
    ];

    /// <summary>Ten to the power of 0 to 22.</summary>
    public static double[] Powers => s_powers;

    /// <summary>
    /// Reads the whole of <paramref name="text"/>. A mantissa below 2^53 with a power of ten up to 22 is exact with one
    /// multiplication or division (Clinger 1990); anything else may have its thousands marked (1.800 where a comma stands before
    /// decimals), or goes to the library.
    /// </summary>
    public static bool TryRead(ReadOnlySpan<byte> text, byte point, out double value)
    {
        value = 0;
        var i = 0;
        var negative = false;
        if (text.Length > 0 && (text[0] == '-' || text[0] == '+'))
        {
            negative = text[0] == '-';
            i = 1;
        }

        ulong mantissa = 0;
        int digits = 0,
            fraction = 0;
        for (; i < text.Length && (uint)(text[i] - '0') <= 9; i++, digits++)
            mantissa = mantissa * 10 + (uint)(text[i] - '0');
        if (i < text.Length && text[i] == point)
        {
            var from = ++i;
            for (; i < text.Length && (uint)(text[i] - '0') <= 9; i++)
                mantissa = mantissa * 10 + (uint)(text[i] - '0');
            fraction = i - from;
            digits += fraction;
        }

        if (digits == 0)
            return false;
        if (i < text.Length || digits > 18 || mantissa > 1UL << 53 || fraction > 22)
            return TryGrouped(text, point, out value) || TryLibrary(text, point, out value);
        value = mantissa / s_powers[fraction];
        if (negative)
            value = -value;
        return true;
    }

    /// <summary>
    /// Reads a number with marks between its thousands, which are taken out only where three digits follow: the comma or point that is
    /// not the decimal one, a space of any width, an apostrophe.
    /// </summary>
    private static bool TryGrouped(ReadOnlySpan<byte> text, byte point, out double value)
    {
        value = 0;
        if (text.Length is 0 or > 40)
            return false;
        Span<byte> plain = stackalloc byte[text.Length];
        var (length, marks) = (0, 0);
        for (var i = 0; i < text.Length; )
        {
            var wide = MarkAt(text[i..], point);
            if (wide == 0)
            {
                plain[length++] = text[i++];
                continue;
            }

            i += wide;
            if (
                !LeadsThousands(plain[..length], marks)
                || i + 3 > text.Length
                || text[i..(i + 3)].ContainsAnyExceptInRange((byte)'0', (byte)'9')
            )
                return false;
            marks++;
        }

        return marks > 0 && TryRead(plain[..length], point, out value);
    }

    /// <summary>One to three digits, the first no nought, stand before the first mark.</summary>
    private static bool LeadsThousands(ReadOnlySpan<byte> before, int marks)
    {
        var digits = before.TrimStart("+-"u8);
        return marks > 0 || digits.Length is > 0 and <= 3 && digits[0] is > (byte)'0' and <= (byte)'9';
    }

    /// <summary>Bytes of the mark between thousands that stands first; 0 where none does.</summary>
    private static int MarkAt(ReadOnlySpan<byte> rest, byte point) =>
        rest[0] == (point == '.' ? (byte)',' : (byte)'.') || rest[0] is (byte)' ' or (byte)'\'' ? 1
        : rest.StartsWith("\u00A0"u8) ? 2
        : rest.StartsWith("\u202F"u8) || rest.StartsWith("’"u8) ? 3
        : 0;

    /// <summary>Digits behind the point, to learn how finely times are written.</summary>
    public static int Decimals(ReadOnlySpan<byte> text, byte point)
    {
        var at = text.IndexOf(point);
        var count = 0;
        while (at >= 0 && at + 1 + count < text.Length && (uint)(text[at + 1 + count] - '0') <= 9)
            count++;
        var exponent = text.IndexOfAny((byte)'e', (byte)'E');
        if (exponent > 0 && Utf8Parser.TryParse(text[(exponent + 1)..], out int power, out _))
            count -= power;
        return Math.Clamp(count, 0, 15);
    }

    private static bool TryLibrary(ReadOnlySpan<byte> text, byte point, out double value)
    {
        value = 0;
        if (text.Length > 64)
            return false;
        Span<byte> copy = stackalloc byte[text.Length];
        text.CopyTo(copy);
        if (point != (byte)'.')
            copy.Replace(point, (byte)'.');
        if (copy.Length > 0 && copy[0] == '+')
            copy = copy[1..];
        return Utf8Parser.TryParse(copy, out value, out var used) && used == copy.Length;
    }
}
