using Maschera.App;
using Maschera.Core.Quantities;
using Maschera.Store;

namespace Maschera.Web.Tests;

/// <summary>Which lanes start on one scale, and on whose scale a channel is drawn.</summary>
public class LaneScaleTests
{
    [Theory]
    [InlineData("Front left sensor", "Front right sensor", true)]
    [InlineData("WHEEL_SPD_FL", "WHEEL_SPD_RR", true)]
    [InlineData("O2 bank 1", "O2 bank 2", true)]
    [InlineData("Front left sensor", "Front left sensor", false)]
    [InlineData("Rear window", "Front sensor", false)]
    [InlineData("Left", "Right", false)]
    [InlineData("Ring", "Mark", false)]
    [InlineData("Frontal", "Frontar", false)]
    public void Sides_of_one_thing_differ_by_the_side_alone(string a, string b, bool sides) =>
        Assert.Equal(sides, SideNames.AreSides(a, b));

    [Fact]
    public void Four_wheels_start_on_the_scale_of_the_first_and_the_pedal_on_its_own()
    {
        var capture = Of(("vl", "km/h"), ("vr", "km/h"), ("hl", "km/h"), ("hr", "km/h"), ("Pedal", ""));
        Assert.Equal([1, 1, 1, 1, 5], Holders(Arrangement.Of(capture), capture));
    }

    [Fact]
    public void Two_sensors_of_an_axle_start_on_one_scale_and_the_mark_beside_them_does_not()
    {
        var capture = Of(("Left sensor", "V"), ("Mark", "V"), ("Right sensor", "V"));
        Assert.Equal([1, 2, 1], Holders(Arrangement.Of(capture), capture));
    }

    [Fact]
    public void A_channel_shown_in_another_unit_leaves_the_scale()
    {
        var capture = Of(("a", "km/h"), ("b", "km/h"));
        var arranged = Arrangement.Of(capture);
        var lanes = arranged.Lanes.Select(l =>
            l with
            {
                Channels = [.. l.Channels.Select(c => c.Channel == 2 ? c with { Unit = "mph" } : c)],
            }
        );
        Assert.Equal([1, 2], Holders(arranged with { Lanes = [.. lanes] }, capture));
    }

    [Fact]
    public void A_lane_laid_on_a_channel_that_is_gone_has_its_own_scale_and_one_laid_on_itself_is_refused()
    {
        var capture = Of(("a", "V"), ("b", "V"));
        capture.ArrangementJson = """{"lanes":[{"channels":[{"channel":1,"as":7}]},{"channels":[{"channel":2}]}]}""";
        Assert.Equal([1, 2], Holders(Arrangement.Of(capture), capture));
        foreach (var like in (int[])[1, 7])
        {
            var wrong = new Arrangement([new(null, [new LaneChannel(1, As: like)])]);
            Assert.Contains("scale", wrong.Problem(capture), StringComparison.Ordinal);
        }
    }

    private static IEnumerable<int> Holders(Arrangement arranged, StoredCapture capture) =>
        arranged.Lanes.SelectMany(l => l.Channels).Select(c => arranged.ScaleOf(c, capture).Channel);

    private static StoredCapture Of(params (string Name, string Unit)[] channels)
    {
        var capture = new StoredCapture();
        foreach (var (i, (name, unit)) in channels.Index())
            capture.Channels.Add(
                new StoredChannel
                {
                    Id = i + 1,
                    Ordinal = i,
                    Name = name,
                    Unit = unit,
                }
            );
        return capture;
    }
}
