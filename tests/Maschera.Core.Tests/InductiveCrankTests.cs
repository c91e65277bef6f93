using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Readings.CamTiming;
using Maschera.Core.Signals;

namespace Maschera.Core.Tests;

/// <summary>
/// Inductive crank sensors while cranking: the voltage grows with the speed, which falls before every compression, and only one
/// of a tooth's two crossings is the same in every capture.
/// </summary>
public class InductiveCrankTests
{
    private const double Rate = 10_000;

    public static TheoryData<int, int, int> Wheels =>
        new()
        {
            { 24, 1, 4 },
            { 36, 1, 4 },
            { 36, 2, 6 },
            { 60, 2, 4 },
            { 60, 2, 3 },
            { 58, 2, 6 },
            { 120, 3, 4 },
        };

    [Theory]
    [MemberData(nameof(Wheels))]
    public void The_offset_is_right_to_less_than_half_a_tooth(int teeth, int missing, int cylinders)
    {
        for (var seed = 1; seed <= 6; seed++)
        {
            var offset = (seed % 3) switch
            {
                0 => 0,
                1 => 7.05,
                _ => -11.5,
            };
            var engine = Of(cylinders, teeth, missing);
            var result = Read(Cranking(engine, seed, 170 + 15 * seed, offset), Cranking(engine, 50 + seed, 240 - 12 * seed, 0), engine);
            Assert.False(result.IsUnusable, $"seed {seed}: {result.Sentence}");
            Assert.Equal(teeth, result.Wheel!.Teeth);
            Assert.True(
                Math.Abs(result.OffsetDegrees!.Value - offset) < 0.6,
                $"seed {seed}: {result.OffsetDegrees:0.00} where {offset} is true; {string.Join(", ", result.Notes.Select(n => n.Code))}"
            );
        }
    }

    [Fact]
    public void A_hall_sensor_in_one_capture_leaves_half_a_tooth_open_and_says_so()
    {
        var engine = Of(4, 60, 2);
        var result = Read(Cranking(engine, 1, 220, 0), Cranking(engine, 2, 220, 0, isHall: true), engine);
        Assert.False(result.IsUnusable, result.Sentence);
        Assert.Contains("3.0°", result.Notes.Single(n => n.Code == "other-sensor").Text, StringComparison.Ordinal);
        Assert.InRange(result.OffsetDegrees!.Value, -3.5, 3.5);
        Assert.DoesNotContain(Read(Cranking(engine, 1, 220, 0), Cranking(engine, 2, 220, 0), engine).Notes, n => n.Code is "other-sensor");
    }

    private static Engine Of(int cylinders, int teeth, int missing) =>
        new()
        {
            Name = "cranked",
            Cylinders = cylinders,
            FiringOrder = [.. Enumerable.Range(1, cylinders)],
            CrankWheel = new CrankWheel(teeth, [missing]) { GapToTdc = 90 },
        };

    private static CamTimingResult Read(Capture capture, Capture reference, Engine engine)
    {
        var roles = new Dictionary<string, string> { ["crank"] = "Crank sensor", ["cam"] = "Cam sensor" };
        return (CamTimingResult)
            new CamTimingReading().Read(
                new ReadingRequest(capture)
                {
                    Engine = engine,
                    Channels = roles,
                    Reference = reference,
                    ReferenceChannels = roles,
                }
            );
    }

    /// <summary>Four seconds on the starter; the cam's hall sensor switches at its places, later by the offset.</summary>
    private static Capture Cranking(Engine engine, int seed, double rpm, double offset, bool isHall = false)
    {
        var random = new Random(seed);
        var wheel = engine.CrankWheel!;
        var count = (int)(4 * Rate);
        var (crank, cam) = (new float[count], new float[count]);
        var degrees = 720 * random.NextDouble();
        for (var i = 0; i < count; i++)
        {
            // Slowest just before each compression's end.
            var speed = 6 * rpm * (1 + 0.22 * Math.Cos(Math.Tau * (degrees - 90) / (720.0 / engine.Cylinders))) * (1 - 0.02 * i / Rate);
            degrees += speed / Rate;
            crank[i] = (float)((isHall ? Hall(wheel, degrees) : Inductive(wheel, degrees, speed)) + 0.01 * (random.NextDouble() - 0.5));
            cam[i] = CamSwitch(degrees - offset) ? 5 : 0.2f;
        }

        var time = TimeAxis.Uniform(0, 1 / Rate, count);
        return new Capture("cranking", [new("Crank sensor", "V", time, crank), new("Cam sensor", "V", time, cam)], []);
    }

    private static bool CamSwitch(double degrees)
    {
        var at = ((degrees % 720) + 720) % 720;
        return at is > 40 and < 190 or > 300 and < 360 or > 560 and < 640;
    }

    /// <summary>A tooth's wave over one pitch, through zero in the middle of the tooth; a little of the gap's flanks beside it.</summary>
    private static double Inductive(CrankWheel wheel, double degrees, double speed)
    {
        var place = ((degrees % 360) + 360) % 360 / (360.0 / wheel.Teeth);
        var tooth = (int)place;
        return tooth >= wheel.Teeth - wheel.Missing.Sum() ? 0 : 0.001 * speed * Math.Sin(Math.Tau * (place - tooth));
    }

    private static double Hall(CrankWheel wheel, double degrees)
    {
        var place = ((degrees % 360) + 360) % 360 / (360.0 / wheel.Teeth);
        var tooth = (int)place;
        return tooth < wheel.Teeth - wheel.Missing.Sum() && place - tooth < 0.5 ? 5 : 0.2;
    }
}
