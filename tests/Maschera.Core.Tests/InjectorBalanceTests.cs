using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Readings.InjectorBalance;
using Maschera.Core.Signals;

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
            var rail = new Rail(seed)
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

    [Theory]
    [MemberData(nameof(Seeds))]
    public void The_one_that_gives_less_or_more_is_named_with_its_flow(int seed)
    {
        foreach (var flow in (double[])[0.78, 1.25])
        {
            var cylinder = 1 + seed % 4;
            var result = Read(
                new Rail(seed)
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
        var bad = new Rail(seed) { All = 0.8 };
        Assert.Equal("even", Read(bad.Log()).Verdict);
        var good = new Rail(seed + 50) { Start = 3.4, Unit = "kPa" };
        var result = Read(bad.Log(), good.Log());
        Assert.True(result.Verdict == "all-low", result.Sentence);
        Assert.InRange(result.AgainstReferencePercent!.Value, 76, 84);
        Assert.Equal("even", Read(new Rail(seed).Log(), good.Log()).Verdict);
        Assert.Equal("all-high", Read(new Rail(seed) { All = 1.2 }.Log(), good.Log()).Verdict);
    }

    [Fact]
    public void Two_rounds_give_one_entry_a_cylinder_with_its_spread()
    {
        var result = Read(
            new Rail(7)
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
            Assert.Throws<ReadingException>(() => Read(new Rail(1).Log(), null, ("order", order))).Message,
            StringComparison.Ordinal
        );

    [Fact]
    public void A_sensor_that_stands_still_and_a_missing_pulse_are_unusable()
    {
        var log = new Rail(2).Log();
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

    /// <summary>A rail of 4 bar; each pulse of 0.15 s takes about a third of a bar, flow going with the root of the pressure.</summary>
    internal sealed class Rail(int seed)
    {
        private readonly Random _random = new(seed);
        private readonly Dictionary<int, double> _flows = [];

        public int? Odd { get; init; }
        public double OddFlow { get; init; } = 1;
        public double All { get; init; } = 1;
        public double Leak { get; init; }
        public bool FixedDrop { get; init; }
        public bool HasPulses { get; init; } = true;
        public int Rounds { get; init; } = 1;
        public double Start { get; init; } = 4;
        public string Unit { get; init; } = "bar";

        public double FlowOf(int cylinder)
        {
            if (!_flows.TryGetValue(cylinder, out var flow))
                _flows[cylinder] = flow = cylinder == Odd ? OddFlow : 1 + 0.03 * (_random.NextDouble() - 0.5);
            return flow;
        }

        public double Usual => Statistics.Median(s_order.Select(FlowOf));

        public Capture Log()
        {
            const double step = 0.002,
                perSecond = 1.1;
            List<float> pressures = [];
            List<float> pulses = [];
            var (pressure, target, next, fired) = (Start, double.NaN, 1.0, 0);
            for (var t = 0.0; t < 1 + 2.0 * Rounds * 4 + 1; t += step)
            {
                if (fired < Rounds * 4 && t >= next && double.IsNaN(target))
                    target = FixedDrop ? pressure - 0.3 : t + 0.15;
                var open = !double.IsNaN(target);
                if (open && (FixedDrop ? pressure <= target : t >= target))
                {
                    (target, open) = (double.NaN, false);
                    next += 2;
                    fired++;
                }

                var flow = open ? All * FlowOf(s_order[fired % 4]) * perSecond * Math.Sqrt(pressure) : 0;
                pressure -= step * (flow + Leak * pressure);
                pressures.Add((float)((pressure + 0.004 * (_random.NextDouble() - 0.5)) * (Unit == "kPa" ? 100 : 1)));
                pulses.Add(open ? 0.4f : 12.4f);
            }

            var axis = TimeAxis.Uniform(0, step, pressures.Count);
            List<Channel> channels = [new("Rail pressure", Unit, axis, [.. pressures])];
            if (HasPulses)
                channels.Add(new("Injector pulse", "V", axis, [.. pulses]));
            return new Capture("rail.csv", channels, []);
        }
    }
}
