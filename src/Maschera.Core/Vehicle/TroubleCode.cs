using System.Globalization;

namespace Maschera.Core.Vehicle;

/// <summary>Trouble codes as SAE J2012 writes them and SAE J1979 sends them.</summary>
public static class TroubleCode
{
    /// <summary>The code in two bytes: two bits of letter, two of the first digit, then three digits.</summary>
    public static string Of(byte high, byte low) =>
        $"{"PCBU"[high >> 6]}{(high >> 4) & 3}{((high & 15) << 8 | low).ToString("X3", CultureInfo.InvariantCulture)}";

    /// <summary>The two bytes of a code.</summary>
    /// <exception cref="FormatException">It is no code.</exception>
    public static (byte High, byte Low) Bytes(string code)
    {
        if (!IsCode(code))
            throw new FormatException($"'{code}' is no trouble code.");
        var number = int.Parse(code[2..], NumberStyles.AllowHexSpecifier, CultureInfo.InvariantCulture);
        return (
            (byte)("PCBU".IndexOf(char.ToUpperInvariant(code[0]), StringComparison.Ordinal) << 6 | (code[1] - '0') << 4 | number >> 8),
            (byte)number
        );
    }

    /// <summary>True for a letter of P, C, B, U, a digit to 3 and three hexadecimal digits.</summary>
    public static bool IsCode(string text) =>
        text.Length == 5
        && "PCBUpcbu".Contains(text[0], StringComparison.Ordinal)
        && text[1] is >= '0' and <= '3'
        && text[2..].All(char.IsAsciiHexDigit);

    /// <summary>The codes of an answer to services $03, $07 and $0A on CAN: service, number of codes, two bytes a code.</summary>
    public static IReadOnlyList<string> InAnswer(byte[] payload)
    {
        if (payload is not [0x43 or 0x47 or 0x4A, var count, ..] || payload.Length < 2 + 2 * count)
            return [];
        return [.. Enumerable.Range(0, count).Select(i => Of(payload[2 + 2 * i], payload[3 + 2 * i]))];
    }
}
