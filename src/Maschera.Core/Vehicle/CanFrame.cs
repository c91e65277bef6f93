using Maschera.Core.Basics;

namespace Maschera.Core.Vehicle;

/// <summary>One frame of a CAN bus.</summary>
/// <param name="Seconds">When, s.</param>
/// <param name="Bus">The bus it was seen on.</param>
/// <param name="Id">Its identifier, 11 or 29 bits.</param>
/// <param name="IsExtended">True for 29 bits.</param>
/// <param name="Data">Up to 8 bytes, 64 on CAN FD.</param>
public sealed record CanFrame(double Seconds, string Bus, uint Id, bool IsExtended, byte[] Data)
{
    /// <summary>The identifier as it is written: three digits or eight.</summary>
    public string IdText => Id.ToString(IsExtended ? "X8" : "X3", System.Globalization.CultureInfo.InvariantCulture);

    /// <summary>
    /// True where a module answers a tester by this identifier: 7E8 to 7EF, or 18DAF1xx (ISO 15765-4, 10.3). Other frames begin with
    /// the same bytes by chance.
    /// </summary>
    public bool MayAnswer => IsExtended ? Id >> 8 == 0x18DAF1 : Id is >= 0x7E8 and <= 0x7EF;
}

/// <summary>A whole diagnostic message: what one identifier sent.</summary>
/// <param name="Seconds">When its first frame came, s.</param>
/// <param name="Ecu">The identifier that sent it; null where a text file does not say.</param>
/// <param name="Data">The payload, service first.</param>
public sealed record DiagnosticMessage(double Seconds, string? Ecu, byte[] Data);

/// <summary>Messages of one exchange, and every doubt about it.</summary>
public sealed record MessageLog(IReadOnlyList<DiagnosticMessage> Messages, IReadOnlyList<Note> Notes)
{
    /// <summary>Nothing.</summary>
    public static MessageLog Empty { get; } = new([], []);
}
