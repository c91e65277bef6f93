using Maschera.Rig;

namespace Maschera.Rig.Tests;

/// <summary>The stand-in engine behaves like one.</summary>
public class CrankingRunTests
{
    [Fact]
    public void The_same_seed_gives_the_same_capture()
    {
        var plan = new CrankingPlan(EngineCatalogue.Orsa)
        {
            Cranking = 2,
            SyncCylinder = 1,
            CrankSensor = true,
        };
        var (first, _) = CrankingRun.Record(plan);
        var (second, _) = CrankingRun.Record(plan);
        var (other, _) = CrankingRun.Record(plan with { Seed = 2 });
        Assert.All(first.Channels.Zip(second.Channels), pair => Assert.Equal(pair.First.Samples, pair.Second.Samples));
        Assert.NotEqual(first.Channels[0].Samples, other.Channels[0].Samples);
    }

    [Theory]
    [InlineData(1)]
    [InlineData(3)]
    [InlineData(8)]
    public void A_larger_leak_takes_more_work_and_only_from_its_cylinder(double leak)
    {
        var (_, truth) = CrankingRun.Record(new CrankingPlan(EngineCatalogue.Orsa) { Faults = [new(3, leak)] });
        var (_, worse) = CrankingRun.Record(new CrankingPlan(EngineCatalogue.Orsa) { Faults = [new(3, leak * 1.5)] });
        Assert.InRange(truth.WorkPercent[3], 10, 95);
        Assert.True(worse.WorkPercent[3] < truth.WorkPercent[3]);
        Assert.All((int[])[1, 2, 4], c => Assert.InRange(truth.WorkPercent[c], 97, 103));
    }

    [Fact]
    public void The_inrush_is_the_largest_current_and_the_battery_falls_with_it()
    {
        var (capture, truth) = CrankingRun.Record(new CrankingPlan(EngineCatalogue.Orsa) { ClampNoise = 0 });
        var current = capture.Find("Starter current")!;
        var battery = capture.Find("Battery voltage")!;
        var peak = Array.IndexOf(current.Samples, current.Samples.Max());
        Assert.InRange(current.Time[peak], 0.59, 0.65);
        Assert.InRange(current.Samples[peak], 500, 720);
        Assert.Equal(12.6 - 0.006 * current.Samples[peak], battery.Samples[peak], 0.1);
        Assert.InRange(truth.SpeedRpm, 150, 400);
    }

    [Fact]
    public void A_clamp_beyond_its_range_shows_its_end_stop()
    {
        var (capture, _) = CrankingRun.Record(new CrankingPlan(EngineCatalogue.Orsa) { ClampRange = 300 });
        Assert.InRange(capture.Find("Starter current")!.Samples.Max(), 299, 300);
    }

    [Fact]
    public void An_engine_without_geometry_is_refused() =>
        Assert.Throws<ArgumentException>(() => CrankingRun.Record(new CrankingPlan(EngineCatalogue.Layouts[0])));

    [Fact]
    public void Every_catalogue_engine_is_sound() =>
        Assert.All(EngineCatalogue.Demo.Concat(EngineCatalogue.Layouts), engine => Assert.Empty(engine.Problems()));
}
