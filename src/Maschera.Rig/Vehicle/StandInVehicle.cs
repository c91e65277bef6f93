using System.Text;
using System.Threading.Channels;
using Maschera.Core.Engines;
using Maschera.Core.Vehicle;
using Maschera.Instruments;

namespace Maschera.Rig.Vehicle;

/// <summary>What is wrong with the stand-in vehicle.</summary>
public sealed record VehiclePlan(Engine Engine)
{
    /// <summary>The cylinder that misfires, 0 for none.</summary>
    public int Misfires { get; init; }

    /// <summary>The boost hose is split: boost stays below what is desired.</summary>
    public bool SplitHose { get; init; }

    /// <summary>The fuel level sender is faulty, so the misfire monitor is suspended.</summary>
    public bool FuelSender { get; init; }

    /// <summary>The codes were cleared just before.</summary>
    public bool JustCleared { get; init; }

    public double BatteryVolts { get; init; } = 12.5;
    public int Seed { get; init; } = 1;
}

/// <summary>
/// The vehicle that ships with Maschera: an engine control unit and a gearbox control unit on a CAN bus in memory. They
/// answer services $01, $02, $03, $04, $06, $07, $09 and $0A of SAE J1979.
/// </summary>
public sealed class StandInVehicle : ICanAdapter
{
    private const uint AllModules = 0x7DF,
        EngineRequest = 0x7E0,
        EngineAnswer = 0x7E8,
        GearboxAnswer = 0x7E9;

    private readonly VehiclePlan _plan;
    private readonly Func<double> _clock;
    private readonly Channel<CanFrame> _bus = System.Threading.Channels.Channel.CreateUnbounded<CanFrame>();
    private readonly Dictionary<uint, Queue<byte[]>> _waiting = [];
    private readonly List<string> _permanent;
    private List<string> _stored,
        _pending;
    private Dictionary<byte, byte[]>? _frozen;
    private bool _cleared;

    /// <summary>The vehicle with its engine running; <paramref name="clock"/> gives the seconds its drive goes by.</summary>
    public StandInVehicle(VehiclePlan plan, Func<double> clock)
    {
        (_plan, _clock, _cleared) = (plan, clock, plan.JustCleared);
        List<string> codes = [];
        if (plan.Misfires > 0)
            codes.Add($"P03{plan.Misfires:00}");
        if (plan.SplitHose)
            codes.Add("P0299");
        if (plan.FuelSender)
            codes.Add("P0463");
        _permanent = codes;
        _stored = plan.JustCleared ? [] : codes;
        _pending = plan.JustCleared || plan.Misfires == 0 ? [] : ["P0300"];
        _frozen = _stored.Count > 0 ? Freeze(_stored[0]) : null;
    }

    public string Name => "Stand-in vehicle";

    public Task SendAsync(CanFrame frame, CancellationToken cancel)
    {
        if (frame.Data.Length == 0)
            return Task.CompletedTask;
        if (frame.Data[0] >> 4 == 3)
            GoOn(frame.Id + 8);
        else if (frame.Data[0] is > 0 and < 8 && frame.Id is AllModules or EngineRequest or EngineRequest + 1)
        {
            var request = frame.Data.AsSpan(1, frame.Data[0]).ToArray();
            if (frame.Id != EngineRequest + 1 && Engine(request) is { } engine)
                Answer(EngineAnswer, engine);
            if (frame.Id != EngineRequest && Gearbox(request) is { } gearbox)
                Answer(GearboxAnswer, gearbox);
        }

        return Task.CompletedTask;
    }

    public async Task<CanFrame?> ReceiveAsync(TimeSpan wait, CancellationToken cancel)
    {
        // A bus in memory has its answers at once; nobody waits for more.
        if (_bus.Reader.TryRead(out var frame))
            return frame;
        await Task.Yield();
        cancel.ThrowIfCancellationRequested();
        return _bus.Reader.TryRead(out frame) ? frame : null;
    }

    private void Answer(uint id, byte[] payload)
    {
        if (payload.Length < 8)
        {
            Put(id, [(byte)payload.Length, .. payload]);
            return;
        }

        Put(id, [(byte)(0x10 | payload.Length >> 8), (byte)payload.Length, .. payload.Take(6)]);
        _waiting[id] = new Queue<byte[]>(payload.Skip(6).Chunk(7).Select((chunk, i) => (byte[])[(byte)(0x20 | (i + 1) % 16), .. chunk]));
    }

    private void GoOn(uint id)
    {
        if (!_waiting.Remove(id, out var rest))
            return;
        while (rest.TryDequeue(out var data))
            Put(id, data);
    }

    private void Put(uint id, byte[] data) =>
        _bus.Writer.TryWrite(new CanFrame(0, "can0", id, false, [.. data.Concat(Enumerable.Repeat((byte)0, 8)).Take(8)]));

    private byte[]? Gearbox(byte[] request) =>
        request[0] switch
        {
            0x03 => [0x43, 0],
            0x01 when request is [_, 0x00] => [0x41, 0x00, 0, 0, 0x80, 0],
            0x01 when request is [_, 0x11] => [0x41, 0x11, Live(0x11)![0]],
            _ => null,
        };

    private byte[]? Engine(byte[] request) =>
        request[0] switch
        {
            0x01 => Current(request),
            0x02 => Frozen(request),
            0x03 => Codes(0x43, _stored),
            0x04 => Clear(),
            0x06 when request.Length > 1 => Tests(request[1]),
            0x07 => Codes(0x47, _pending),
            0x09 when request.Length > 1 => About(request[1]),
            0x0A => Codes(0x4A, _permanent),
            _ => [0x7F, request[0], 0x11],
        };

    private static byte[] Codes(byte service, List<string> codes) =>
        [service, (byte)codes.Count, .. codes.SelectMany(c => TroubleCode.Bytes(c) is var (high, low) ? (byte[])[high, low] : [])];

    private byte[] Clear()
    {
        (_stored, _pending, _frozen, _cleared) = ([], [], null, true);
        return [0x44];
    }

    private byte[]? Current(byte[] request)
    {
        var answer = new List<byte> { 0x41 };
        foreach (var id in request.Skip(1))
        {
            if (id % 0x20 == 0)
                answer.AddRange([id, .. Mask(id, LiveIds)]);
            else if (id == 0x01)
                answer.AddRange([id, (byte)(_stored.Count | (_stored.Count > 0 ? 0x80 : 0)), 0x07, 0x65, (byte)(_cleared ? 0x65 : 0)]);
            else if (Live(id) is { } bytes)
                answer.AddRange([id, .. bytes]);
        }

        return answer.Count > 1 ? [.. answer] : null;
    }

    private byte[] Frozen(byte[] request)
    {
        if (request.Length < 2 || _frozen is null)
            return request is [_, 0x02, ..] ? [0x42, 0x02, 0, 0, 0] : [0x7F, 0x02, 0x12];
        if (request[1] % 0x20 == 0)
            return [0x42, request[1], 0, .. Mask(request[1], [.. _frozen.Keys])];
        return _frozen.TryGetValue(request[1], out var bytes) ? [0x42, request[1], 0, .. bytes] : [0x7F, 0x02, 0x12];
    }

    private static byte[]? About(byte id) =>
        id switch
        {
            0x00 => [0x49, 0x00, 0x54, 0, 0, 0],
            0x02 => [0x49, 0x02, 1, .. Encoding.ASCII.GetBytes("NEB0MADEUP0000001")],
            0x04 => [0x49, 0x04, 1, .. Encoding.ASCII.GetBytes("STANDIN-ENGINE-1")],
            _ => null,
        };

    /// <summary>Catalyst, oxygen sensor and misfire monitors; a suspended or just cleared one answers with zeros.</summary>
    private byte[]? Tests(byte monitor)
    {
        var cylinders = _plan.Engine.Cylinders;
        byte[] monitors = [0x01, 0x21, .. Enumerable.Range(0, Math.Min(12, cylinders) + 1).Select(i => (byte)(0xA1 + i))];
        if (monitor % 0x20 == 0)
            return [0x46, monitor, .. Mask(monitor, monitors)];
        if (!monitors.Contains(monitor))
            return null;
        if (monitor == 0x01)
            return [0x46, .. Test(0x01, 0x01, 0x0A, 3_690, 1_000, 7_000), .. Test(0x01, 0x02, 0x0A, 3_450, 1_000, 7_000)];
        if (monitor == 0x21)
            return [0x46, .. _cleared ? Test(0x21, 0x80, 0x01, 0, 0, 0) : Test(0x21, 0x80, 0x01, 512, 0, 1_200)];
        var counts = (int cylinder) =>
            _cleared || _plan.FuelSender ? 0
            : cylinder == _plan.Misfires ? 143
            : cylinder == 0 && _plan.Misfires > 0 ? 143
            : 0;
        var count = counts(monitor - 0xA1);
        return [0x46, .. Test(monitor, 0x0B, 0x24, (int)(0.8 * count), 0, 65_535), .. Test(monitor, 0x0C, 0x24, count, 0, 65_535)];
    }

    private static byte[] Test(byte monitor, byte test, byte unit, int value, int low, int high) =>
        [monitor, test, unit, (byte)(value >> 8), (byte)value, (byte)(low >> 8), (byte)low, (byte)(high >> 8), (byte)high];

    /// <summary>Four bytes that say which of the 32 ids after <paramref name="first"/> there are, and whether there are more.</summary>
    private static byte[] Mask(byte first, IReadOnlyList<byte> ids)
    {
        uint mask = 0;
        foreach (var id in ids)
            if (id > first && id <= first + 0x20)
                mask |= 1u << (first + 0x20 - id);
        if (ids.Any(id => id > first + 0x20))
            mask |= 1;
        return [(byte)(mask >> 24), (byte)(mask >> 16), (byte)(mask >> 8), (byte)mask];
    }

    /// <summary>Ids of service $01 that carry live numbers.</summary>
    public static IReadOnlyList<byte> LiveIds { get; } =
    [0x01, 0x04, 0x05, 0x0B, 0x0C, 0x0D, 0x0F, 0x10, 0x11, 0x2F, 0x33, 0x42, 0x46, 0x49];

    private static Dictionary<byte, byte[]> Freeze(string code)
    {
        var (high, low) = TroubleCode.Bytes(code);
        return new Dictionary<byte, byte[]>
        {
            [0x02] = [high, low],
            [0x04] = [92],
            [0x05] = [71],
            [0x0B] = [44],
            [0x0C] = [0x0E, 0x10],
            [0x0D] = [0],
            [0x0F] = [64],
        };
    }

    /// <summary>The bytes of a live value at this moment of the drive; null where there is no such value.</summary>
    private byte[]? Live(byte id)
    {
        var drive = Drive.At(_clock(), _plan);
        byte Clipped(double value) => (byte)Math.Clamp(Math.Round(value), 0, 255);
        byte[] Word(double value) => Math.Clamp((int)Math.Round(value), 0, 65_535) is var n ? [(byte)(n >> 8), (byte)n] : [];
        return id switch
        {
            0x04 => [Clipped(drive.Load * 2.55)],
            0x05 => [Clipped(drive.Coolant + 40)],
            0x0B => [Clipped(drive.Manifold)],
            0x0C => Word(drive.Rpm * 4),
            0x0D => [Clipped(drive.Speed)],
            0x0F => [Clipped(drive.Intake + 40)],
            0x10 => Word(drive.AirMass * 100),
            0x11 => [Clipped(drive.Throttle * 2.55)],
            0x2F => [Clipped(_plan.FuelSender ? 255 : 130)],
            0x33 => [94],
            0x42 => Word(_plan.BatteryVolts + (drive.Rpm > 0 ? 1.6 : 0) is var volts ? volts * 1000 : 0),
            0x46 => [61],
            0x49 => [Clipped(drive.Pedal * 2.55)],
            _ => null,
        };
    }

    /// <summary>A made-up drive: idle, a pull, a slow-down, over and over.</summary>
    private readonly record struct Drive(
        double Rpm,
        double Speed,
        double Pedal,
        double Throttle,
        double Manifold,
        double Load,
        double AirMass,
        double Coolant,
        double Intake
    )
    {
        private const double Round = 40,
            IdleUntil = 12,
            PullUntil = 24;

        public static Drive At(double seconds, VehiclePlan plan)
        {
            var at = seconds % Round;
            var ripple = Math.Sin(seconds * 7.1 + plan.Seed) + 0.6 * Math.Sin(seconds * 23.7);
            double pedal,
                rpm,
                speed;
            if (at < IdleUntil)
                (pedal, rpm, speed) = (0, 790 + (plan.Misfires > 0 ? 45 : 6) * ripple, 0);
            else if (at < PullUntil)
            {
                var share = (at - IdleUntil) / (PullUntil - IdleUntil);
                (pedal, rpm, speed) = (Math.Min(96, share * 500), 1_000 + 3_400 * share, 95 * share);
            }
            else
            {
                var share = (at - PullUntil) / (Round - PullUntil);
                (pedal, rpm, speed) = (0, 4_400 - 3_600 * Math.Min(1, 1.25 * share), 95 * (1 - Math.Min(1, share * 1.1)));
            }

            var throttle = 3 + 0.95 * pedal;
            var manifold = Math.Clamp(34 + 0.6 * pedal + ripple, 20, plan.SplitHose ? 86 : 94);
            return new Drive(
                rpm,
                speed,
                pedal,
                throttle,
                manifold,
                Math.Clamp(18 + 0.8 * pedal, 0, 100),
                rpm * manifold / 4_400,
                88,
                27 + 2 * Math.Sin(seconds / 90)
            );
        }
    }
}
