using CsCheck;
using Maschera.Core.Engines;

namespace Maschera.Core.Tests;

/// <summary>Engines: what is refused, and the geometry of the crank.</summary>
public class EngineTests
{
    private static readonly Engine s_four = new()
    {
        Name = "four",
        Cylinders = 4,
        FiringOrder = [1, 3, 4, 2],
    };

    [Fact]
    public void Any_order_of_any_count_is_sound() =>
        Gen.Int[1, Engine.MostCylinders]
            .SelectMany(n => Gen.Shuffle(Enumerable.Range(1, n).ToArray()))
            .Sample(
                order =>
                {
                    var engine = new Engine { Cylinders = order.Length, FiringOrder = order };
                    Assert.Empty(engine.Problems());
                    Assert.True(engine.FiresEvenly());
                    Assert.Equal(720.0 * (order.Length - 1) / order.Length, engine.Angles()[^1], 9);
                },
                iter: 100
            );

    [Fact]
    public void A_cylinder_twice_missing_and_out_of_range_are_each_said_at_the_firing_order()
    {
        var problems = (s_four with { FiringOrder = [1, 3, 3, 9] }).Problems();
        Assert.Equal(3, problems.Count);
        Assert.All(problems, p => Assert.Equal(nameof(Engine.FiringOrder), p.Field));
        Assert.Contains(problems, p => p.Text.Contains("no cylinder 9", StringComparison.Ordinal));
        Assert.Contains(problems, p => p.Text.Contains("Cylinder 3 stands", StringComparison.Ordinal));
        Assert.Contains(problems, p => p.Text.Contains("Cylinder 2, 4 is missing", StringComparison.Ordinal));
    }

    [Fact]
    public void Every_other_field_is_checked_too()
    {
        Assert.Equal(nameof(Engine.Cylinders), Assert.Single((s_four with { Cylinders = 0 }).Problems()).Field);
        Assert.Equal(nameof(Engine.Stroke), Assert.Single((s_four with { Stroke = 2 }).Problems()).Field);
        Assert.Equal(nameof(Engine.FiringAngles), Assert.Single((s_four with { FiringAngles = [0, 200, 180, 540] }).Problems()).Field);
        Assert.Equal(nameof(Engine.FiringAngles), Assert.Single((s_four with { FiringAngles = [0, 180, 360, 720] }).Problems()).Field);
        Assert.Equal(
            nameof(Engine.Banks),
            Assert
                .Single(
                    (
                        s_four with
                        {
                            Banks =
                            [
                                [1, 2],
                                [3, 3],
                            ],
                        }
                    ).Problems()
                )
                .Field
        );
        Assert.Equal(nameof(Engine.CrankWheel), Assert.Single((s_four with { CrankWheel = new CrankWheel(36, [40]) }).Problems()).Field);
        Assert.Equal(
            nameof(Engine.CrankWheel),
            Assert.Single((s_four with { CrankWheel = new CrankWheel(36, [1], 400) }).Problems()).Field
        );
        Assert.Equal(
            nameof(Engine.Geometry),
            Assert.Single((s_four with { Geometry = new EngineGeometry(80, 80, 30, 10) }).Problems()).Field
        );
    }

    [Fact]
    public void Odd_fire_is_told_from_even_fire()
    {
        Assert.False((s_four with { FiringAngles = [0, 90, 360, 450] }).FiresEvenly());
        Assert.True((s_four with { FiringAngles = [0, 180, 360, 540] }).FiresEvenly());
    }

    [Fact]
    public void The_crank_sweeps_its_volume()
    {
        var crank = new SliderCrank(10, 3.3);
        Assert.Equal(1.0 / 9, crank.Volume(0), 12);
        Assert.Equal(10.0 / 9, crank.Volume(Math.PI), 12);
        Assert.Equal(0, crank.VolumeSlope(0), 12);
        foreach (var angle in (double[])[0.3, 1.2, 2.9, -0.7])
            Assert.Equal((crank.Volume(angle + 1e-6) - crank.Volume(angle - 1e-6)) / 2e-6, crank.VolumeSlope(angle), 6);
    }
}
