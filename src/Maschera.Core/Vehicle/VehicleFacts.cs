namespace Maschera.Core.Vehicle;

/// <summary>A code as a module gave it.</summary>
/// <param name="State">stored, pending or permanent.</param>
public sealed record CodeRead(string Code, string State, string Module);

/// <summary>A value of the freeze frame.</summary>
public sealed record FrozenValue(string Name, double Value, string Unit);

/// <summary>What a vehicle says of itself in the answers of an exchange.</summary>
/// <param name="FrozenCode">The code the freeze frame belongs to; null without one.</param>
/// <param name="VehicleNumber">The vehicle identification number; null where it was not asked for.</param>
public sealed record VehicleFacts(
    IReadOnlyList<CodeRead> Codes,
    string? FrozenCode,
    IReadOnlyList<FrozenValue> Frozen,
    string? VehicleNumber
)
{
    private const byte FreezeFrameCode = 0x02;

    /// <summary>
    /// Gathers codes (services $03, $07, $0A), the freeze frame ($02) and the vehicle's number ($09) from whole messages.
    /// </summary>
    public static VehicleFacts Of(IReadOnlyList<DiagnosticMessage> messages)
    {
        var codes = messages
            .SelectMany(m => TroubleCode.InAnswer(m.Data).Select(code => new CodeRead(code, StateOf(m.Data[0]), ModuleOf(m.Ecu))))
            .Distinct()
            .ToList();
        var code = messages.Select(m => m.Data).FirstOrDefault(d => d is [0x42, FreezeFrameCode, _, _, _, ..] && (d[3] | d[4]) != 0);
        var number = messages.Select(m => m.Data).FirstOrDefault(d => d is [0x49, 0x02, _, _, ..]);
        return new VehicleFacts(
            codes,
            code is null ? null : TroubleCode.Of(code[3], code[4]),
            [.. messages.Select(FrozenIn).OfType<FrozenValue>().DistinctBy(v => v.Name)],
            number is null ? null : System.Text.Encoding.ASCII.GetString(number.AsSpan(3)).Trim('\0', ' ')
        );
    }

    private static FrozenValue? FrozenIn(DiagnosticMessage message) =>
        message.Data is [0x42, var id, _, _, ..] && LiveData.Find(id) is { } value && message.Data.Length >= 3 + value.Bytes
            ? new FrozenValue(value.Name, value.Scaled(message.Data.AsMemory(3)), value.Unit)
            : null;

    private static string StateOf(byte service) =>
        service switch
        {
            0x43 => "stored",
            0x47 => "pending",
            _ => "permanent",
        };

    private static string ModuleOf(string? ecu) =>
        ecu switch
        {
            null => "",
            "7E8" => "Engine (7E8)",
            "7E9" => "Gearbox (7E9)",
            _ => ecu,
        };
}
