using Maschera.Core.Readings;
using Maschera.Core.Readings.PulseCount;
using Maschera.Core.Signals;
using Maschera.Rig.Road;

namespace Maschera.Core.Tests;

/// <summary>Two sensors of one axle: what their size, levels and swelling speak for.</summary>
public class SideBySideTests
{
    public static TheoryData<int> Seeds => [.. Enumerable.Range(1, 10)];

    [Theory]
    [MemberData(nameof(Seeds))]
    public void A_weak_coil_is_told_by_its_size_at_the_same_pace_and_a_swap_is_proposed(int seed)
    {
        var beside = Read(Coil(seed) with { Strength = 0.5 }, Coil(seed))!;
        Assert.InRange(beside.Ratio, 0.47, 0.53);
        Assert.Contains("gap too wide", beside.Text, StringComparison.Ordinal);
        Assert.StartsWith("Swap the two sensors", beside.Swap, StringComparison.Ordinal);
        Assert.Equal("weak beside the other side", beside.Shortcoming);
        Assert.Null(Read(Coil(seed), Coil(seed) with { Strength = 0.5 })!.Shortcoming);
        Assert.Contains("smaller gap here", Read(Coil(seed), Coil(seed) with { Strength = 0.5 })!.Text, StringComparison.Ordinal);
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Sound_sides_are_alike_whatever_they_ride_on(int seed)
    {
        var beside = Read(Coil(seed) with { Standing = 2.4 }, Coil(seed) with { Strength = 1.08 })!;
        Assert.Contains("alike", beside.Text, StringComparison.Ordinal);
        Assert.Empty(beside.Swap);
        Assert.Equal(48, beside.Shape.Count);
        Assert.InRange(beside.Shape.Max() / beside.OtherShape.Max(), 0.88, 0.98);
        var hall = Read(Hall(seed), Hall(seed))!;
        Assert.Contains("Both levels are the other side's", hall.Text, StringComparison.Ordinal);
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void A_hub_that_wobbles_is_no_weak_sensor(int seed)
    {
        var beside = Read(Coil(seed) with { Wobble = 0.4, Strength = 0.6 }, Coil(seed))!;
        Assert.Contains("wobbles", beside.Text, StringComparison.Ordinal);
        Assert.InRange(beside.UnevenPercent, 25, 50);
        Assert.Empty(beside.Swap);
    }

    [Theory]
    [InlineData(1.0, 0.9, 0.0, "low level stands 0.90 V higher")]
    [InlineData(0.7, 0.0, 0.0, "high level stands 1.32 V lower")]
    [InlineData(1.0, 0.0, 1.2, "Both levels stand 1.20 V higher")]
    public void The_levels_of_a_switching_sensor_speak_for_its_wires(double strength, double lift, double standing, string said)
    {
        var own = Hall(3) with { Strength = strength, Lift = lift, Standing = standing };
        Assert.Contains(said, Read(own, Hall(3))!.Text, StringComparison.Ordinal);
    }

    [Fact]
    public void A_side_of_another_pace_is_brought_to_it_and_a_side_without_pulses_is_said()
    {
        var slow = Coil(5).Capture().Channels[0];
        var fast = slow with { Name = "Fast", Time = TimeAxis.Uniform(0, slow.Time.Step / 3, slow.Time.Count) };
        var result = Read([fast with { Samples = [.. fast.Samples.Select(v => 3 * v)] }, slow with { Name = "Slow" }], "Fast", "Slow");
        Assert.Null(result.Beside!.PulsesPerSecond);
        Assert.InRange(result.Beside.Ratio, 0.95, 1.05);
        Assert.Contains(result.Notes, n => n.Code == "other-pace");
        var still = slow with { Name = "Still", Samples = new float[slow.Samples.Length] };
        result = Read([fast, still], "Fast", "Still");
        Assert.Null(result.Beside);
        Assert.Contains(result.Notes, n => n.Code == "not-beside");
    }

    private static ToothedRing Coil(int seed) => new(seed) { IsSine = true };

    private static ToothedRing Hall(int seed) => new(seed);

    private static SensorBeside? Read(ToothedRing own, ToothedRing other)
    {
        var first = own.Capture();
        return Read([first.Channels[0], other.Capture().Channels[0] with { Name = "Other side" }], "Wheel sensor", "Other side").Beside;
    }

    private static PulseCountResult Read(IReadOnlyList<Channel> channels, string own, string other) =>
        (PulseCountResult)
            new PulseCountReading().Read(
                new ReadingRequest(new Capture("axle.csv", channels, []))
                {
                    Channels = new Dictionary<string, string> { ["signal"] = own, ["other"] = other },
                    Options = new Dictionary<string, string> { ["revolutions"] = "6" },
                }
            );
}
