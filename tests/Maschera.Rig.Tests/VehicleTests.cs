using Maschera.Core.Vehicle;
using Maschera.Instruments;
using Maschera.Rig.Vehicle;

namespace Maschera.Rig.Tests;

/// <summary>The stand-in vehicle answers as a vehicle does, over frames.</summary>
public class VehicleTests
{
    [Fact]
    public async Task Codes_freeze_frame_counters_and_number_are_read_over_frames()
    {
        var (tester, _) = Tester(new VehiclePlan(EngineCatalogue.Orsa) { Misfires = 3 });
        var facts = await VehicleCheck.ReadAsync(tester, TestContext.Current.CancellationToken);
        Assert.Equal([("P0303", "stored"), ("P0300", "pending"), ("P0303", "permanent")], facts.Codes.Select(c => (c.Code, c.State)));
        Assert.Equal("P0303", facts.FrozenCode);
        Assert.Equal((900, "rpm"), facts.Frozen.Single(f => f.Name == "Engine speed") is var f ? (f.Value, f.Unit) : default);
        Assert.Equal("NEB0MADEUP0000001", facts.VehicleNumber);
        var counts = Assembled(tester).SelectMany(m => m.Data is [0x46, 0xA4, ..] ? [m.Data] : (byte[][])[]).Single();
        Assert.Equal(143, counts[13] << 8 | counts[14]);
    }

    [Fact]
    public async Task Cleared_codes_leave_zeros_and_permanent_codes()
    {
        var (tester, _) = Tester(new VehiclePlan(EngineCatalogue.Orsa) { Misfires = 2 });
        Assert.Single(await tester.AskAsync([0x04], TestContext.Current.CancellationToken));
        var facts = await VehicleCheck.ReadAsync(tester, TestContext.Current.CancellationToken);
        Assert.Equal([("P0302", "permanent")], facts.Codes.Select(c => (c.Code, c.State)));
        Assert.Null(facts.FrozenCode);
        var counts = Assembled(tester).Last(m => m.Data is [0x46, 0xA3, ..]).Data;
        Assert.Equal(0, counts[13] << 8 | counts[14]);
    }

    [Fact]
    public async Task A_log_of_live_values_follows_the_drive()
    {
        var (tester, clock) = Tester(new VehiclePlan(EngineCatalogue.Ghiro));
        await VehicleCheck.LogAsync(tester, () => (clock[0] += 0.1) < 30, TestContext.Current.CancellationToken);
        var speeds = Assembled(tester)
            .SelectMany(m => LiveData.Decode(m.Data))
            .Where(v => v.Value.Name == "Engine speed")
            .Select(v => v.Number)
            .ToList();
        Assert.InRange(speeds.Count, 280, 310);
        Assert.InRange(speeds.Min(), 700, 800);
        Assert.InRange(speeds.Max(), 4_200, 4_500);
    }

    [Fact]
    public async Task Two_modules_answer_and_unknown_services_are_refused()
    {
        var (tester, _) = Tester(new VehiclePlan(EngineCatalogue.Orsa));
        Assert.Equal(["7E8", "7E9"], (await tester.AskAsync([0x03], TestContext.Current.CancellationToken)).Select(m => m.Ecu));
        Assert.Empty(await tester.AskAsync([0x08], TestContext.Current.CancellationToken));
        await Assert.ThrowsAsync<VehicleException>(() =>
            VehicleCheck.ReadAsync(new DiagnosticTester(new Silence()), TestContext.Current.CancellationToken)
        );
    }

    private static IReadOnlyList<DiagnosticMessage> Assembled(DiagnosticTester tester) => MessageAssembler.Of(tester.Log).Messages;

    private static (DiagnosticTester, double[] Clock) Tester(VehiclePlan plan)
    {
        var clock = new double[1];
        return (new DiagnosticTester(new StandInVehicle(plan, () => clock[0]), () => clock[0]), clock);
    }

    private sealed class Silence : ICanAdapter
    {
        public string Name => "nobody";

        public Task SendAsync(CanFrame frame, CancellationToken cancel) => Task.CompletedTask;

        public Task<CanFrame?> ReceiveAsync(TimeSpan wait, CancellationToken cancel) => Task.FromResult<CanFrame?>(null);
    }
}
