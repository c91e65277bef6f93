using Maschera.Core.Expressions;

namespace Maschera.Core.Vehicle;

/// <summary>
/// A unit-and-scaling id of SAE J1979 (service $06 and data identifiers): 16 bits, two's complement from id $80 on.
/// </summary>
/// <param name="Id">The id.</param>
/// <param name="Unit">Unit of the scaled value; empty without one.</param>
/// <param name="Factor">Units a bit.</param>
/// <param name="Offset">Added after scaling.</param>
public readonly record struct UnitAndScaling(byte Id, string Unit, double Factor, double Offset)
{
    private static readonly Dictionary<byte, UnitAndScaling> s_known = new UnitAndScaling[]
    {
        new(0x01, "", 1, 0),
        new(0x02, "", 0.1, 0),
        new(0x03, "", 0.01, 0),
        new(0x04, "", 0.001, 0),
        new(0x05, "", 0.0000305, 0),
        new(0x06, "", 0.000305, 0),
        new(0x07, "rpm", 0.25, 0),
        new(0x08, "km/h", 0.01, 0),
        new(0x09, "km/h", 1, 0),
        new(0x0A, "V", 0.000122, 0),
        new(0x0B, "V", 0.001, 0),
        new(0x0C, "V", 0.01, 0),
        new(0x0D, "mA", 0.00390625, 0),
        new(0x0E, "A", 0.001, 0),
        new(0x0F, "A", 0.01, 0),
        new(0x10, "s", 0.001, 0),
        new(0x11, "s", 0.1, 0),
        new(0x12, "s", 1, 0),
        new(0x13, "Ω", 0.001, 0),
        new(0x14, "Ω", 1, 0),
        new(0x15, "Ω", 1000, 0),
        new(0x16, "°C", 0.1, -40),
        new(0x17, "kPa", 0.01, 0),
        new(0x18, "kPa", 0.0117, 0),
        new(0x19, "kPa", 0.079, 0),
        new(0x1A, "kPa", 1, 0),
        new(0x1B, "kPa", 10, 0),
        new(0x1C, "°", 0.01, 0),
        new(0x1D, "°", 0.5, 0),
        new(0x1E, "lambda", 0.0000305, 0),
        new(0x1F, "A/F", 0.05, 0),
        new(0x20, "", 0.00390625, 0),
        new(0x21, "Hz", 0.001, 0),
        new(0x22, "Hz", 1, 0),
        new(0x23, "Hz", 1000, 0),
        new(0x24, "counts", 1, 0),
        new(0x25, "km", 1, 0),
        new(0x26, "V/s", 0.0001, 0),
        new(0x27, "g/s", 0.01, 0),
        new(0x28, "g/s", 1, 0),
        new(0x29, "Pa/s", 0.25, 0),
        new(0x2A, "kg/h", 0.001, 0),
        new(0x2B, "switches", 1, 0),
        new(0x2C, "g/cyl", 0.01, 0),
        new(0x2D, "mg/stroke", 0.01, 0),
        new(0x2E, "true/false", 1, 0),
        new(0x2F, "%", 0.01, 0),
        new(0x30, "%", 0.001526, 0),
        new(0x31, "l", 0.001, 0),
        new(0x32, "in", 0.0000305, 0),
        new(0x33, "lambda", 0.00024414, 0),
        new(0x34, "min", 1, 0),
        new(0x35, "s", 0.01, 0),
        new(0x36, "g", 0.01, 0),
        new(0x37, "g", 0.1, 0),
        new(0x38, "g", 1, 0),
        new(0x39, "%", 0.01, -327.68),
        new(0x3A, "g", 0.001, 0),
        new(0x3B, "g", 0.0001, 0),
        new(0x3C, "µs", 0.1, 0),
        new(0x3D, "mA", 0.01, 0),
        new(0x3E, "mm²", 0.00006103516, 0),
        new(0x3F, "l", 0.01, 0),
        new(0x40, "ppm", 1, 0),
        new(0x41, "µA", 0.01, 0),
        new(0x81, "", 1, 0),
        new(0x82, "", 0.1, 0),
        new(0x83, "", 0.01, 0),
        new(0x84, "", 0.001, 0),
        new(0x85, "", 0.0000305, 0),
        new(0x86, "", 0.000305, 0),
        new(0x87, "ppm", 1, 0),
        new(0x8A, "V", 0.000122, 0),
        new(0x8B, "V", 0.001, 0),
        new(0x8C, "V", 0.01, 0),
        new(0x8D, "mA", 0.00390625, 0),
        new(0x8E, "A", 0.001, 0),
        new(0x90, "s", 0.001, 0),
        new(0x96, "°C", 0.1, 0),
        new(0x99, "kPa", 0.1, 0),
        new(0x9C, "°", 0.01, 0),
        new(0x9D, "°", 0.5, 0),
        new(0xA8, "g/s", 1, 0),
        new(0xA9, "Pa/s", 0.25, 0),
        new(0xAD, "mg/stroke", 0.01, 0),
        new(0xAE, "mg/stroke", 0.1, 0),
        new(0xAF, "%", 0.01, 0),
        new(0xB0, "%", 0.003052, 0),
        new(0xB1, "V/s", 0.002, 0),
        new(0xFC, "kPa", 0.01, 0),
        new(0xFD, "kPa", 0.001, 0),
        new(0xFE, "Pa", 0.25, 0),
    }.ToDictionary(u => u.Id);

    /// <summary>The id as the standard defines it; null for a reserved one, whose values can only be told raw.</summary>
    public static UnitAndScaling? Find(byte id) => s_known.TryGetValue(id, out var known) ? known : null;

    /// <summary>All ids the table holds.</summary>
    public static IEnumerable<UnitAndScaling> All => s_known.Values;

    /// <summary>True where 16 bits are a signed number.</summary>
    public static bool IsSigned(byte id) => id >= 0x80;

    /// <summary>The number in 16 bits, by the id's sign.</summary>
    public static int Number(byte id, byte high, byte low) => IsSigned(id) ? (short)(high << 8 | low) : high << 8 | low;

    /// <summary>A number in the id's unit.</summary>
    public double Scaled(int number) => number * Factor + Offset;
}
