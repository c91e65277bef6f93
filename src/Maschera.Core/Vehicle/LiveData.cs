using Maschera.Core.Expressions;

namespace Maschera.Core.Vehicle;

/// <summary>A value of service $01 (and of freeze frames, service $02) of SAE J1979.</summary>
/// <param name="Id">Its parameter id.</param>
/// <param name="Name">Its name for a person.</param>
/// <param name="Unit">Unit of the value.</param>
/// <param name="Bytes">Bytes of its answer.</param>
/// <param name="Scaled">The value from the answer's bytes.</param>
public sealed record LiveValue(byte Id, string Name, string Unit, int Bytes, Func<ReadOnlyMemory<byte>, double> Scaled);

/// <summary>The values of service $01 that are numbers.</summary>
public static class LiveData
{
    private static readonly Dictionary<byte, LiveValue> s_values = Table().ToDictionary(v => v.Id);

    /// <summary>All of them.</summary>
    public static IReadOnlyCollection<LiveValue> All => s_values.Values;

    /// <summary>The value of that id; null where it is no number or not in the table.</summary>
    public static LiveValue? Find(byte id) => s_values.GetValueOrDefault(id);

    /// <summary>
    /// The values of an answer to service $01 ($41, then ids with their bytes). What follows an id that is not in the
    /// table can't be told apart and is left out.
    /// </summary>
    public static IEnumerable<(LiveValue Value, double Number)> Decode(byte[] payload)
    {
        if (payload is not [0x41, ..])
            yield break;
        for (var at = 1; at < payload.Length; )
        {
            if (Find(payload[at]) is not { } value || at + 1 + value.Bytes > payload.Length)
                yield break;
            yield return (value, value.Scaled(payload.AsMemory(at + 1, value.Bytes)));
            at += 1 + value.Bytes;
        }
    }

    private static IEnumerable<LiveValue> Table()
    {
        LiveValue One(byte id, string name, string unit, double factor, double offset = 0) =>
            new(id, name, unit, 1, d => d.Span[0] * factor + offset);
        LiveValue Two(byte id, string name, string unit, double factor, double offset = 0) =>
            new(id, name, unit, 2, d => (d.Span[0] << 8 | d.Span[1]) * factor + offset);
        const double percent = 100 / 255.0;
        yield return One(0x04, "Engine load", "%", percent);
        yield return One(0x05, "Coolant temperature", "°C", 1, -40);
        foreach (
            var (id, name) in ((byte, string)[])
                [
                    (0x06, "Short fuel trim bank 1"),
                    (0x07, "Long fuel trim bank 1"),
                    (0x08, "Short fuel trim bank 2"),
                    (0x09, "Long fuel trim bank 2"),
                ]
        )
            yield return One(id, name, "%", 100 / 128.0, -100);
        yield return One(0x0A, "Fuel pressure", "kPa", 3);
        yield return One(0x0B, "Manifold pressure", "kPa", 1);
        yield return Two(0x0C, "Engine speed", "rpm", 0.25);
        yield return One(0x0D, "Vehicle speed", "km/h", 1);
        yield return One(0x0E, "Ignition advance", "°", 0.5, -64);
        yield return One(0x0F, "Intake air temperature", "°C", 1, -40);
        yield return Two(0x10, "Air mass flow", "g/s", 0.01);
        yield return One(0x11, "Throttle", "%", percent);
        for (byte n = 0; n < 8; n++)
            yield return new LiveValue((byte)(0x14 + n), $"Oxygen sensor {n + 1} voltage", "V", 2, d => d.Span[0] * 0.005);
        yield return Two(0x1F, "Time since start", "s", 1);
        yield return Two(0x21, "Distance with warning lamp on", "km", 1);
        yield return Two(0x22, "Rail pressure against manifold", "kPa", 0.079);
        yield return Two(0x23, "Rail pressure", "kPa", 10);
        yield return One(0x2C, "Exhaust gas recirculation desired", "%", percent);
        yield return One(0x2D, "Exhaust gas recirculation error", "%", 100 / 128.0, -100);
        yield return One(0x2E, "Purge desired", "%", percent);
        yield return One(0x2F, "Fuel level", "%", percent);
        yield return One(0x30, "Warm-ups since codes cleared", "", 1);
        yield return Two(0x31, "Distance since codes cleared", "km", 1);
        yield return One(0x33, "Barometric pressure", "kPa", 1);
        for (byte n = 0; n < 8; n++)
            yield return new LiveValue(
                (byte)(0x34 + n),
                $"Oxygen sensor {n + 1} lambda",
                "lambda",
                4,
                d => (d.Span[0] << 8 | d.Span[1]) * 2 / 65536.0
            );
        for (byte n = 0; n < 4; n++)
            yield return Two((byte)(0x3C + n), $"Catalyst temperature bank {n % 2 + 1} sensor {n / 2 + 1}", "°C", 0.1, -40);
        yield return Two(0x42, "Control module voltage", "V", 0.001);
        yield return Two(0x43, "Absolute load", "%", percent);
        yield return Two(0x44, "Lambda desired", "lambda", 2 / 65536.0);
        yield return One(0x45, "Relative throttle", "%", percent);
        yield return One(0x46, "Ambient temperature", "°C", 1, -40);
        foreach (
            var (id, name) in ((byte, string)[])
                [
                    (0x47, "Throttle B"),
                    (0x48, "Throttle C"),
                    (0x49, "Accelerator pedal D"),
                    (0x4A, "Accelerator pedal E"),
                    (0x4B, "Accelerator pedal F"),
                    (0x4C, "Throttle desired"),
                    (0x52, "Ethanol share"),
                    (0x5A, "Relative accelerator pedal"),
                ]
        )
            yield return One(id, name, "%", percent);
        yield return Two(0x4D, "Time with warning lamp on", "min", 1);
        yield return Two(0x4E, "Time since codes cleared", "min", 1);
        yield return Two(0x59, "Rail pressure absolute", "kPa", 10);
        yield return One(0x5C, "Oil temperature", "°C", 1, -40);
        yield return Two(0x5D, "Injection timing", "°", 1 / 128.0, -210);
        yield return Two(0x5E, "Fuel rate", "l/h", 0.05);
        yield return One(0x61, "Torque desired", "%", 1, -125);
        yield return One(0x62, "Torque actual", "%", 1, -125);
        yield return Two(0x63, "Reference torque", "Nm", 1);
    }
}
