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

    /// <summary>
    /// Over a narrow tooth an inductive cam sensor swings once through zero; along a long segment it answers each end with a half
    /// wave of its own and rests in between.
    /// </summary>
    [Theory]
    [InlineData(CamKind.Segments, 10)]
    [InlineData(CamKind.Segments, 50)]
    [InlineData(CamKind.Teeth, 10)]
    [InlineData(CamKind.Teeth, 50)]
    [InlineData(CamKind.OneTooth, 20)]
    public void Inductive_cams_with_long_segments_and_with_narrow_teeth_are_both_timed(CamKind kind, double kiloRate)
    {
        var engine = Of(4, 36, 1);
        foreach (var (offset, rpm, seed) in ((double, double, int)[])[(0, 900, 1), (7.05, 1_400, 2), (-11.5, 650, 3), (3, 230, 4)])
        {
            Capture Taken(double by, double speed, int with) => Cranking(engine, with, speed, by, cam: kind, rate: 1_000 * kiloRate);
            var result = Read(Taken(offset, rpm, seed), Taken(0, 1_000, 70 + seed), engine);
            Assert.False(result.IsUnusable, $"{offset}: {result.Sentence}");
            Assert.Equal(offset, result.OffsetDegrees!.Value, 0.5);
            Assert.DoesNotContain(result.Notes, n => n.Code is "turned-round" or "edges-differ");
        }
    }

    /// <summary>Over an even gap a coarse converter shows the very same level: the crossing has no moment of its own there.</summary>
    [Theory]
    [InlineData(12, 1, 6)]
    [InlineData(24, 1, 8)]
    [InlineData(60, 2, 7)]
    public void A_gap_without_a_trace_of_noise_moves_nothing(int teeth, int missing, int bits)
    {
        var engine = Of(4, teeth, missing);
        for (var seed = 1; seed <= 4; seed++)
        {
            var coarse = Cranking(engine, seed, 900, 4);
            var crank = coarse.Channels[0];
            var step = 2 * crank.Samples.Max() / Math.Pow(2, bits);
            coarse = coarse with
            {
                Channels =
                [
                    crank with
                    {
                        Samples = Array.ConvertAll(crank.Samples, v => (float)(step * Math.Round(v / step))),
                    },
                    coarse.Channels[1],
                ],
            };
            var result = Read(coarse, Cranking(engine, 10 + seed, 700, 0), engine);
            Assert.Equal(4, result.OffsetDegrees!.Value, 0.8);
        }
    }

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public void Too_few_samples_a_tooth_are_the_reason_that_is_given(bool inTheReference)
    {
        var engine = Of(4, 120, 2);
        var coarse = Cranking(engine, 1, 2_740, 0, isHall: true, rate: 10_000);
        var fine = Cranking(engine, 2, 800, 0, isHall: true, rate: 50_000);
        var result = inTheReference ? Read(fine, coarse, engine) : Read(coarse, fine, engine);
        Assert.True(result.IsUnusable);
        Assert.Contains(result.Notes, n => n.Code == (inTheReference ? "reference-coarse" : "coarse"));
        Assert.Equal(inTheReference, result.Sentence.Contains("known-good", StringComparison.Ordinal));
        Assert.Contains("higher rate", result.Sentence, StringComparison.Ordinal);
    }

    public enum CamKind
    {
        Hall,
        Segments,
        Teeth,
        OneTooth,
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
    private static Capture Cranking(
        Engine engine,
        int seed,
        double rpm,
        double offset,
        bool isHall = false,
        CamKind cam = CamKind.Hall,
        double rate = Rate
    )
    {
        var random = new Random(seed);
        var wheel = engine.CrankWheel!;
        var count = (int)(4 * rate);
        var (crank, cams) = (new float[count], new float[count]);
        var degrees = 720 * random.NextDouble();
        for (var i = 0; i < count; i++)
        {
            // Slowest just before each compression's end.
            var speed =
                6
                * rpm
                * (1 + (rpm < 400 ? 0.22 : 0.03) * Math.Cos(Math.Tau * (degrees - 90) / (720.0 / engine.Cylinders)))
                * (1 - 0.02 * i / rate);
            degrees += speed / rate;
            crank[i] = (float)((isHall ? Hall(wheel, degrees) : Inductive(wheel, degrees, speed)) + 0.01 * (random.NextDouble() - 0.5));
            cams[i] = (float)(CamVolts(cam, degrees - offset, speed) + 0.01 * (random.NextDouble() - 0.5));
        }

        var time = TimeAxis.Uniform(0, 1 / rate, count);
        return new Capture("cranking", [new("Crank sensor", "V", time, crank), new("Cam sensor", "V", time, cams)], []);
    }

    private static double CamVolts(CamKind kind, double degrees, double speed)
    {
        if (kind == CamKind.Hall)
            return CamSwitch(degrees) ? 5 : 0.2;
        double[] ends = kind == CamKind.OneTooth ? [120] : [40, 190, 300, 360, 560, 640];
        double sum = 0;
        for (var i = 0; i < ends.Length; i++)
        {
            var off = (((degrees - ends[i]) % 720 + 720 + 360) % 720 - 360) / 4;
            sum += (kind == CamKind.Segments ? (i % 2 == 0 ? 1 : -1) : -off) * Math.Exp(-off * off / 2);
        }

        return 0.0005 * speed * sum;
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
