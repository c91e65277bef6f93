using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Readings.InjectorBalance;
using Maschera.Core.Signals;
using Maschera.Rig.Fuel;

namespace Maschera.Core.Tests;

/// <summary>Made-up rails whose injectors are fired one after another.</summary>
public class InjectorBalanceTests
{
    private static readonly int[] s_order = [1, 3, 4, 2];

    public static TheoryData<int> Seeds => [.. Enumerable.Range(1, 10)];

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Even_injectors_are_even_in_every_way_of_firing(int seed)
    {
        foreach (
            var (fixedDrop, leak, pulses) in (ReadOnlySpan<(bool, double, bool)>)
                [(false, 0, true), (false, 0.02, true), (true, 0, true), (true, 0, false)]
        )
        {
            var rail = new FiredRail(seed)
            {
                FixedDrop = fixedDrop,
                Leak = leak,
                HasPulses = pulses,
            };
            var result = Read(rail.Log());
            Assert.True(result.Verdict == "even", $"{fixedDrop} {leak} {pulses}: {result.Sentence}");
            Assert.Equal(fixedDrop ? "fixed-drop" : "fixed-time", result.Mode);
            Assert.Equal([1, 3, 4, 2], result.Injectors.Select(i => i.Cylinder));
            Assert.All(result.Injectors, i => Assert.InRange(i.FlowPercent - 100 * rail.FlowOf(i.Cylinder) / rail.Usual, -2.5, 2.5));
            Assert.Contains(result.Notes, n => n.Code == "alike-is-not-good");
        }
    }

    /// <summary>Pulses that fill less than a hundredth of a capture, as a state of 0 and 1 or a voltage with its noise.</summary>
    [Theory]
    [MemberData(nameof(Seeds))]
    public void Rare_pulses_are_seen_on_a_state_as_on_a_voltage(int seed)
    {
        var rail = new FiredRail(seed);
        var usual = Read(rail.Log());
        var log = rail.Log();
        var random = new Random(seed);
        var before = (int)(60 / log.Channels[0].Time.Step);
        foreach (var isState in (bool[])[true, false])
        {
            var rare = log with { Channels = [.. log.Channels.Select(Behind)] };
            var result = Read(rare);
            Assert.True(result.Verdict == usual.Verdict, result.Sentence);
            Assert.DoesNotContain(result.Notes, n => n.Code == "no-pulse");
            foreach (var (late, own) in result.Injectors.Zip(usual.Injectors))
            {
                Assert.Equal((own.Cylinder, own.PulseMilliseconds!.Value), (late.Cylinder, late.PulseMilliseconds!.Value), SameTime);
                Assert.InRange(late.FlowPercent - own.FlowPercent, -1.5, 1.5);
            }

            Channel Behind(Channel channel)
            {
                var quiet = Enumerable.Repeat(channel.Samples[0], before);
                var samples =
                    channel.Unit == "bar" ? [.. quiet, .. channel.Samples] : quiet.Concat(channel.Samples).Select(Pulse).ToArray();
                return channel with { Time = TimeAxis.Uniform(0, channel.Time.Step, samples.Length), Samples = samples };
            }

            float Pulse(float volts) => isState ? (volts < 6 ? 1 : 0) : volts + 0.1f * (random.NextSingle() - 0.5f);
        }

        static bool SameTime((int Cylinder, double Length) a, (int Cylinder, double Length) b) =>
            a.Cylinder == b.Cylinder && Math.Abs(a.Length - b.Length) < 2;
    }

    [Fact]
    public void A_rail_that_falls_to_zero_and_pulses_of_few_samples_are_said()
    {
        var log = new FiredRail(1).Log();
        var rail = log.Channels[0];
        var low = Read(log with { Channels = [rail with { Samples = [.. rail.Samples.Select(p => p - 3.2f)] }, .. log.Channels.Skip(1)] });
        Assert.Equal("empty", Assert.Single(low.Notes).Code);
        Assert.Empty(low.Injectors);
        var slow = log with { Channels = [.. log.Channels.Select(Every8th)] };
        Assert.Contains(Read(slow).Notes, n => n.Code == "coarse");
        Assert.DoesNotContain(Read(log).Notes, n => n.Code == "coarse");

        static Channel Every8th(Channel channel)
        {
            var samples = channel.Samples.Where((_, i) => i % 8 == 0).ToArray();
            return channel with { Time = TimeAxis.Uniform(channel.Time.Start, 8 * channel.Time.Step, samples.Length), Samples = samples };
        }
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Without_the_command_noise_in_long_pauses_is_no_pulse(int seed)
    {
        var rail = new FiredRail(seed)
        {
            HasPulses = false,
            Pause = 6,
            Odd = 4,
            OddFlow = 0.7,
        };
        var result = Read(rail.Log());
        Assert.True(result.Verdict == "outliers", result.Sentence);
        Assert.Equal(4, Assert.Single(result.Outliers).Cylinder);
        Assert.All(result.Injectors, i => Assert.InRange(i.FlowPercent - 100 * rail.FlowOf(i.Cylinder) / rail.Usual, -3, 3));
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void The_one_that_gives_less_or_more_is_named_with_its_flow(int seed)
    {
        foreach (var flow in (double[])[0.78, 1.25])
        {
            var cylinder = 1 + seed % 4;
            var result = Read(
                new FiredRail(seed)
                {
                    Odd = cylinder,
                    OddFlow = flow,
                    Leak = seed % 2 * 0.01,
                }.Log()
            );
            var outlier = Assert.Single(result.Outliers);
            Assert.Equal(cylinder, outlier.Cylinder);
            Assert.InRange(outlier.FlowPercent - 100 * flow, -3, 3);
            Assert.True(result.Ledger.Single(l => l.Odd).Cylinder == cylinder);
        }
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void All_alike_but_bad_is_seen_only_against_a_known_good_set(int seed)
    {
        var bad = new FiredRail(seed) { All = 0.8 };
        Assert.Equal("even", Read(bad.Log()).Verdict);
        var good = new FiredRail(seed + 50) { Start = 3.4, Unit = "kPa" };
        var result = Read(bad.Log(), good.Log());
        Assert.True(result.Verdict == "all-low", result.Sentence);
        Assert.InRange(result.AgainstReferencePercent!.Value, 76, 84);
        Assert.Equal("even", Read(new FiredRail(seed).Log(), good.Log()).Verdict);
        Assert.Equal("all-high", Read(new FiredRail(seed) { All = 1.2 }.Log(), good.Log()).Verdict);
    }

    [Fact]
    public void Two_rounds_give_one_entry_a_cylinder_with_its_spread()
    {
        var result = Read(
            new FiredRail(7)
            {
                Rounds = 2,
                Odd = 2,
                OddFlow = 0.8,
            }.Log()
        );
        Assert.Equal(4, result.Injectors.Count);
        Assert.All(result.Injectors, i => Assert.NotNull(i.SpreadPercent));
        Assert.Equal(2, Assert.Single(result.Outliers).Cylinder);
    }

    [Theory]
    [InlineData("1,3,4", "leaves out")]
    [InlineData("1,3,4,4", "twice")]
    [InlineData("1,3,4,5", "has not")]
    [InlineData("first", "takes cylinders")]
    public void An_order_that_can_not_be_is_refused(string order, string why) =>
        Assert.Contains(
            why,
            Assert.Throws<ReadingException>(() => Read(new FiredRail(1).Log(), null, ("order", order))).Message,
            StringComparison.Ordinal
        );

    [Fact]
    public void A_sensor_that_stands_still_and_a_missing_pulse_are_unusable()
    {
        var log = new FiredRail(2).Log();
        var dead = log.Channels[0] with { Samples = [.. log.Channels[0].Samples.Select((_, i) => 3 + 0.002f * (i % 5))] };
        Assert.Contains(Read(log with { Channels = [dead, log.Channels[1]] }).Notes, n => n.Code == "no-drop");
        var shorter = log with { Channels = [.. log.Channels.Select(c => c.Between(0, 7))] };
        Assert.Contains(Read(shorter).Notes, n => n.Code == "pulses-and-order");
    }

    private static InjectorBalanceResult Read(Capture capture, Capture? reference = null, params (string Name, string Value)[] options) =>
        (InjectorBalanceResult)
            new InjectorBalanceReading().Read(
                new ReadingRequest(capture)
                {
                    Reference = reference,
                    Engine = new Engine { Cylinders = 4, FiringOrder = s_order },
                    Options = options.ToDictionary(o => o.Name, o => o.Value),
                }
            );
}
