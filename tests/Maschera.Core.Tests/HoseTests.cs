using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Readings.CylinderPressure;
using Maschera.Rig;

namespace Maschera.Core.Tests;

/// <summary>A transducer on a hose: its volume lowers the tower as a lower compression ratio does, and can be told.</summary>
public class HoseTests
{
    private const double Hose = 12;

    private static readonly Engine s_engine = EngineCatalogue.Orsa;

    private static readonly SliderCrank s_crank = SliderCrank.Of(s_engine.Geometry, 10);

    /// <summary>The engine as the gas in the measured cylinder finds it.</summary>
    private static readonly Engine s_hosed = s_engine with
    {
        Geometry = s_engine.Geometry! with { CompressionRatio = s_crank.WithVolume(Hose / s_engine.Geometry.SweptCm3).CompressionRatio },
    };

    [Fact]
    public void A_hose_adds_to_the_clearance()
    {
        var g = s_engine.Geometry!;
        var swept = Math.PI / 4 * g.BoreMm * g.BoreMm * g.StrokeMm / 1000;
        var clearance = swept / (g.CompressionRatio - 1);
        Assert.Equal(swept, g.SweptCm3, 1e-9);
        Assert.Equal((swept + clearance + Hose) / (clearance + Hose), s_crank.WithVolume(Hose / swept).CompressionRatio, 1e-9);
        Assert.Equal(g.CompressionRatio, s_crank.WithVolume(0).CompressionRatio, 1e-9);
    }

    [Fact]
    public void Told_its_volume_the_expected_peak_is_the_measured_one()
    {
        var capture = BreathingRun
            .Record(
                new BreathingPlan(s_hosed)
                {
                    Measured = 1,
                    SpeedRpm = 820,
                    Seconds = 4,
                    CrankSensor = true,
                    Seed = 3,
                }
            )
            .Capture;
        var told = Read(capture, s_engine, $"{Hose}");
        Assert.True(told.Verdict == "normal", told.Sentence);
        Assert.Contains(told.Notes, n => n.Code == "hose");
        Assert.InRange(told.ExpectedPeakBar!.Value / told.PeakBar!.Value, 0.96, 1.05);
        Assert.InRange(told.IntakeShiftDegrees ?? 0, -14, 14);
        Assert.DoesNotContain(Read(capture, s_engine, null).Notes, n => n.Code == "hose");
    }

    [Theory]
    [InlineData("-1")]
    [InlineData("900")]
    [InlineData("some")]
    public void What_is_no_volume_of_a_hose_is_refused(string hose)
    {
        var capture = BreathingRun
            .Record(
                new BreathingPlan(s_engine)
                {
                    Measured = 1,
                    Seconds = 2,
                    Seed = 1,
                }
            )
            .Capture;
        var error = Assert.Throws<ReadingException>(() => Read(capture, s_engine, hose));
        Assert.Contains("hose", error.Message, StringComparison.Ordinal);
    }

    [Fact]
    public void Without_bore_and_stroke_a_hose_can_t_be_reckoned_with_and_that_is_said()
    {
        var capture = BreathingRun
            .Record(
                new BreathingPlan(s_engine)
                {
                    Measured = 1,
                    Seconds = 3,
                    Seed = 1,
                }
            )
            .Capture;
        Assert.Contains(Read(capture, s_engine with { Geometry = null }, "3").Notes, n => n.Code == "hose-unused");
    }

    private static CylinderPressureResult Read(Signals.Capture capture, Engine engine, string? hose) =>
        (CylinderPressureResult)
            new CylinderPressureReading().Read(
                new ReadingRequest(capture)
                {
                    Engine = engine,
                    Options = hose is null ? [] : new Dictionary<string, string> { ["hose"] = hose },
                }
            );
}
