using Maschera.Core.Signals;

namespace Maschera.Rig.Fuel;

/// <summary>A rail of 4 bar; each pulse of 0.15 s takes about a third of a bar, flow going with the root of the pressure.</summary>
public sealed class FiredRail(int seed)
{
    private readonly Random _random = new(seed);
    private readonly Dictionary<int, double> _flows = [];

    /// <summary>Cylinders in the order in which they are fired.</summary>
    public IReadOnlyList<int> Order { get; init; } = [1, 3, 4, 2];

    /// <summary>The cylinder of another flow, and its flow with 1 for the usual one.</summary>
    public int? Odd { get; init; }
    public double OddFlow { get; init; } = 1;

    /// <summary>Flow of all together.</summary>
    public double All { get; init; } = 1;

    /// <summary>Share of the pressure that leaks away a second.</summary>
    public double Leak { get; init; }

    /// <summary>Fired until the pressure has dropped by 0.3 bar instead of for a time.</summary>
    public bool FixedDrop { get; init; }

    /// <summary>Whether the injectors' command is captured with it.</summary>
    public bool HasPulses { get; init; } = true;

    /// <summary>How often each is fired.</summary>
    public int Rounds { get; init; } = 1;

    /// <summary>The pressure at the beginning, bar.</summary>
    public double Start { get; init; } = 4;

    /// <summary>bar or kPa.</summary>
    public string Unit { get; init; } = "bar";

    /// <summary>From one pulse's start to the next one's, s.</summary>
    public double Pause { get; init; } = 2;

    /// <summary>The flow of a cylinder, 1 for the usual one.</summary>
    public double FlowOf(int cylinder)
    {
        if (!_flows.TryGetValue(cylinder, out var flow))
            _flows[cylinder] = flow = cylinder == Odd ? OddFlow : 1 + 0.03 * (_random.NextDouble() - 0.5);
        return flow;
    }

    /// <summary>The median flow.</summary>
    public double Usual => Statistics.Median(Order.Select(FlowOf));

    /// <summary>The rail's pressure while one after another is fired, engine standing.</summary>
    public Capture Log()
    {
        const double step = 0.002,
            perSecond = 1.1;
        List<float> pressures = [];
        List<float> pulses = [];
        var (pressure, target, next, fired) = (Start, double.NaN, 1.0, 0);
        for (var t = 0.0; t < 1 + Pause * Rounds * Order.Count + 1; t += step)
        {
            if (fired < Rounds * Order.Count && t >= next && double.IsNaN(target))
                target = FixedDrop ? pressure - 0.3 : t + 0.15;
            var open = !double.IsNaN(target);
            if (open && (FixedDrop ? pressure <= target : t >= target))
            {
                (target, open) = (double.NaN, false);
                next += Pause;
                fired++;
            }

            var flow = open ? All * FlowOf(Order[fired % Order.Count]) * perSecond * Math.Sqrt(pressure) : 0;
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
