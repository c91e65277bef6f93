using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Readings.CamTiming;
using Maschera.Core.Readings.Misfire;
using Maschera.Core.Signals;

namespace Maschera.Core.Tests;

/// <summary>Wheels whose turn only a cam tells, cams whose segments are all alike, sensors of which one crossing hides the gap.</summary>
public class CamSegmentTests
{
    [Theory]
    [InlineData(24, 4, 4)]
    [InlineData(36, 8, 8)]
    [InlineData(36, 6, 6)]
    [InlineData(24, 4, 2)]
    [InlineData(36, 6, 1)]
    [InlineData(30, 5, 5)]
    [InlineData(24, 6, 6)]
    [InlineData(24, 8, 8)]
    public void Teeth_without_a_gap_are_counted_by_the_rhythm_of_the_firings_where_the_segments_are_alike(
        int teeth,
        int cylinders,
        int segments
    )
    {
        var bench = new SensorBench(teeth) { Cylinders = cylinders, Segments = SensorBench.Like(segments) };
        var result = Read(bench with { Late = -3.5 }, bench with { Rpm = 950, Seed = 2 });
        Assert.Equal((teeth, 0), (result.Wheel!.Teeth, result.Wheel.Missing.Count));
        Assert.Equal(800, result.SpeedRpm!.Value, 8.0);
        Assert.Equal(-3.5, result.OffsetDegrees!.Value, 0.25);
        Assert.DoesNotContain(result.Notes, n => n.Code == "wheel-guessed");
    }

    [Fact]
    public void Without_a_rhythm_it_is_said_that_the_teeth_are_guessed()
    {
        var bench = new SensorBench(24) { Segments = SensorBench.Like(4), Swing = 0 };
        Assert.Contains(Read(bench, bench with { Seed = 2 }).Notes, n => n.Code == "wheel-guessed" && n.Text.Contains("6 teeth"));
        var uneven = new SensorBench(24) { Segments = [(0, 150), (300, 60)], Swing = 0 };
        var told = Read(uneven, uneven with { Seed = 2 });
        Assert.Equal(24, told.Wheel!.Teeth);
        Assert.DoesNotContain(told.Notes, n => n.Code == "wheel-guessed");
    }

    [Fact]
    public void An_engine_that_does_not_fire_evenly_has_no_rhythm_to_count_by()
    {
        var bench = new SensorBench(36) { Cylinders = 6, Segments = SensorBench.Like(6) };
        var uneven = bench.Engine() with { FiringAngles = [0, 90, 240, 330, 480, 570] };
        Assert.Contains(Read(bench, bench with { Seed = 2 }, uneven).Notes, n => n.Code == "wheel-guessed");
    }

    [Fact]
    public void One_spark_a_turn_is_not_taken_for_one_a_cycle_of_half_a_wheel()
    {
        var bench = new SensorBench(24) { Segments = [(0, 4), (360, 4)] };
        var result = (MisfireResult)
            new MisfireReading().Read(
                new ReadingRequest(bench.Run())
                {
                    Engine = bench.Engine(),
                    Channels = new Dictionary<string, string> { ["crank"] = "Crank sensor", ["sync"] = "Cam sensor" },
                    Options = new Dictionary<string, string> { ["sync-kind"] = "ignition", ["sync-cylinder"] = "1" },
                }
            );
        Assert.Contains(result.Notes, n => n.Text.Contains("marks every turn"));
    }

    [Theory]
    [InlineData(3, 48)]
    [InlineData(1, 48)]
    [InlineData(3, 60)]
    public void Gaps_that_come_twice_a_turn_are_told_by_a_cam_of_like_segments_too(int segments, int teeth)
    {
        var bench = new SensorBench(teeth, 2, 2) { Cylinders = 3, Segments = SensorBench.Like(segments) };
        var result = Read(bench with { Late = 8.2 }, bench with { Seed = 2 });
        Assert.Equal((teeth, 2), (result.Wheel!.Teeth, result.Wheel.Missing.Count));
        Assert.Equal(800, result.SpeedRpm!.Value, 8.0);
        Assert.Equal(8.2, result.OffsetDegrees!.Value, 0.25);
    }

    [Theory]
    [InlineData(48, 4)]
    [InlineData(60, 8)]
    public void Gaps_that_come_twice_a_turn_beside_segments_that_come_with_them_are_told_by_the_rhythm_and_doubted(int teeth, int cylinders)
    {
        var bench = new SensorBench(teeth, 2, 2)
        {
            Cylinders = cylinders,
            Segments = SensorBench.Like(cylinders),
            Rpm = 1800,
        };
        var result = Read(bench with { Late = 5 }, bench with { Rpm = 2100, Seed = 2 });
        Assert.Equal((teeth, 2), (result.Wheel!.Teeth, result.Wheel.Missing.Count));
        Assert.Equal(5, result.OffsetDegrees!.Value, 0.3);
        Assert.Contains(result.Notes, n => n.Code == "wheel-guessed" && n.Text.Contains("2 times a turn"));
        var one = new SensorBench(teeth / 2, 2)
        {
            Cylinders = cylinders,
            Segments = SensorBench.Like(cylinders),
            Rpm = 1800,
        };
        Assert.Equal(teeth / 2, Read(one, one with { Seed = 2 }).Wheel!.Teeth);
    }

    [Theory]
    [InlineData(0, 1900, true)]
    [InlineData(0.01, 1900, false)]
    [InlineData(0, 1200, false)]
    public void A_racing_engine_whose_cam_has_like_segments_may_turn_at_half_the_speed(double swing, double rpm, bool doubted)
    {
        var bench = new SensorBench(30, 2)
        {
            Cylinders = 8,
            Segments = SensorBench.Like(4),
            Rpm = 2 * rpm,
            Swing = swing,
        };
        var result = Read(bench, bench with { Seed = 2 });
        Assert.Equal(2 * rpm, result.SpeedRpm!.Value, 0.01 * rpm);
        Assert.Equal(doubted, result.Notes.Any(n => n.Code == "wheel-guessed" && n.Text.Contains("twice a turn")));
    }

    [Fact]
    public void Five_segments_that_lie_between_teeth_make_no_wheel_of_more()
    {
        var bench = new SensorBench(24, 1) { Cylinders = 5, Segments = SensorBench.Like(5) };
        var result = Read(bench with { Late = 2 }, bench with { Seed = 2 });
        Assert.Equal((24, 1), (result.Wheel!.Teeth, result.Wheel.Missing.Count));
        Assert.Equal(2, result.OffsetDegrees!.Value, 0.25);
    }

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public void Crossings_that_hide_a_gap_of_one_tooth_are_not_gone_by(bool turned)
    {
        var bench = new SensorBench(12, 1)
        {
            IsInductive = true,
            IsTurned = turned,
            Smear = 0.35,
            Cylinders = 6,
        };
        var result = Read(bench with { Late = 5 }, bench with { Seed = 2, Rpm = 1000 });
        Assert.Equal((12, 1), (result.Wheel!.Teeth, result.Wheel.Missing.Count));
        Assert.Equal(5, result.OffsetDegrees!.Value, 0.25);
    }

    [Theory]
    [InlineData(0.25, 0.05, true)]
    [InlineData(0.35, 0.2, true)]
    [InlineData(0.42, 0.1, false)]
    [InlineData(0.5, 0.05, true)]
    [InlineData(0.5, 0.2, true)]
    [InlineData(0.5, 0.1, false)]
    public void A_sensor_wired_the_other_way_round_than_in_the_known_good_is_seen_and_said(double smear, double swing, bool told)
    {
        var bench = new SensorBench(60, 2)
        {
            IsInductive = true,
            Smear = smear,
            Rpm = 300,
            Swing = swing,
        };
        var result = Read(bench with { IsTurned = true, Late = 1.5 }, bench with { Seed = 2, Rpm = 320 }, bench.Engine(told));
        Assert.Equal(1.5, result.OffsetDegrees!.Value, 0.3);
        Assert.Contains(result.Notes, n => n.Code == "half-tooth" && n.Text.Contains("other way round"));
    }

    [Theory]
    [InlineData(150, 0, 0.02, 0.005)]
    [InlineData(40, 0.03, 0, 0.005)]
    [InlineData(300, 0.02, 0.04, 0.005)]
    [InlineData(40, 0, 0, 0)]
    public void Where_an_inductive_cam_rests_between_its_segments_it_is_not_timed(double width, double hum, double goodHum, double noise)
    {
        var bench = new SensorBench(60, 2)
        {
            IsCamInductive = true,
            Segments = [(0, width)],
            CamNoise = noise,
        };
        var result = Read(bench with { Late = 6.5, CamHum = hum }, bench with { Rpm = 900, CamHum = goodHum, Seed = 2 });
        Assert.Equal(6.5, result.OffsetDegrees!.Value, 0.25);
    }

    [Fact]
    public void A_cam_beside_a_wheel_without_a_gap_may_stand_a_tooth_further_off_and_that_is_said()
    {
        var bench = new SensorBench(36) { Segments = [(0, 150), (300, 60)] };
        var hall = Read(bench with { Late = 10.4 }, bench with { Seed = 2 });
        Assert.Equal(0.4, hall.OffsetDegrees!.Value, 0.25);
        Assert.Contains("10.0° more or less.", hall.Sentence);
        Assert.Equal(10, hall.Cams[0].OtherwiseBy!.Value, 0.01);
        var inductive = bench with { IsInductive = true };
        Assert.Contains("or half a tooth", Read(inductive, inductive with { Seed = 2 }).Sentence);
        Assert.DoesNotContain("more or less", Read(new SensorBench(36, 1), new SensorBench(36, 1) { Seed = 2 }).Sentence);
    }

    [Theory]
    [InlineData(36, 5, 2.0)]
    [InlineData(24, 5, 3.0)]
    [InlineData(24, 4, 15.0)]
    [InlineData(30, 3, 12.0)]
    public void Like_segments_beside_a_wheel_without_a_gap_fit_at_more_angles_than_whole_teeth(int teeth, int cylinders, double step)
    {
        var bench = new SensorBench(teeth) { Cylinders = cylinders, Segments = SensorBench.Like(cylinders) };
        var result = Read(bench with { Late = 3.4 }, bench with { Seed = 2 }, bench.Engine(told: true));
        Assert.Equal(step, result.Cams[0].OtherwiseBy!.Value, 0.3);
        Assert.Equal(0, Math.IEEERemainder(result.OffsetDegrees!.Value - 3.4, step), 0.25);
    }

    private static CamTimingResult Read(SensorBench bench, SensorBench good, Engine? engine = null) =>
        (CamTimingResult)
            new CamTimingReading().Read(new ReadingRequest(bench.Run()) { Reference = good.Run(), Engine = engine ?? bench.Engine() });
}
