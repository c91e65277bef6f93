using Maschera.Core.Basics;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.InjectorBalance;

/// <summary>All pulses of a capture with their cylinders, drops and flows; or why there are none.</summary>
internal sealed class RailSet
{
    /// <summary>A drop is there from so many times its doubt, and from this share of the pressure.</summary>
    private const double Seen = 4,
        LeastDrop = 0.0015;

    private RailSet(Note problem) => (Problem, Drops, Flows, Cylinders) = (problem, null!, null!, []);

    private RailSet(RailDrops drops, InjectorFlows flows, IReadOnlyList<int> cylinders, bool hasPulses) =>
        (Drops, Flows, Cylinders, HasPulses) = (drops, flows, cylinders, hasPulses);

    public Note? Problem { get; }

    public RailDrops Drops { get; }

    public bool HasPulses { get; }

    /// <summary>From one sample to the next of what tells the pulses, s.</summary>
    public double Step { get; private init; }

    public bool IsFixedTime => Flows.IsFixedTime;

    /// <summary>The cylinder of each pulse.</summary>
    public IReadOnlyList<int> Cylinders { get; }

    private InjectorFlows Flows { get; }

    public static RailSet Of(IReadOnlyDictionary<string, Channel> channels, Channel pressure, IReadOnlyList<int> order)
    {
        var own = channels.Where(c => c.Key.StartsWith("pulse", StringComparison.Ordinal)).ToList();
        List<RailPulse> pulses = [.. own.SelectMany(c => RailPulses.Of(c.Value, TypedNumber.ParseWhole(c.Key[5..]))).OrderBy(p => p.From)];
        var hasPulses = pulses.Count > 0;
        if (!hasPulses)
            pulses = RailPulses.ByFlanks(pressure);
        pulses = [.. pulses.Where(p => p.From > pressure.Time.Start && p.To < pressure.Time.End)];
        if (pulses.Count == 0)
            return new(new Note("no-pulses", "No injector's pulse is seen. Fire them one after another with the engine standing."));
        if (pulses.Any(p => p.Cylinder is null) && pulses.Count % order.Count != 0)
            return new(
                new Note(
                    "pulses-and-order",
                    $"There are {pulses.Count} pulses for an order of {order.Count}: which belongs to which injector "
                        + "is not known. Fire each as "
                        + "often as the others, and capture their pulse."
                )
            );
        if (pulses.Any(p => p.Seconds < 2 * pressure.Time.Step))
            return new(new Note("too-slow", "A pulse has fewer than two samples of pressure: log faster, or fire longer pulses."));
        var drops = new RailDrops(pressure, pulses);
        if (drops.All.Any(d => d.Pressure <= 0))
            return new(new Note("empty", $"'{pressure.Name}' falls to zero: fill the rail before every pulse, or fire shorter ones."));
        if (drops.All.Any(d => !double.IsFinite(d.Drop) || !double.IsFinite(d.Pressure)))
            return new(new Note("gaps", $"'{pressure.Name}' has no values beside a pulse: its drop can't be told. Log it without gaps."));
        if (!IsSeen(drops))
            return new(
                new Note("no-drop", $"'{pressure.Name}' does not answer to the pulses: the sensor stands still, or the pump was running.")
            );
        var step = hasPulses ? own.Max(c => c.Value.Time.Step) : pressure.Time.Step;
        return new(
            drops,
            new InjectorFlows(drops, step, hasPulses),
            [.. pulses.Select((p, i) => p.Cylinder ?? order[i % order.Count])],
            hasPulses
        )
        {
            Step = step,
        };
    }

    public double[] FlowsOf(int cylinder) => [.. Flows.All.Where((_, i) => Cylinders[i] == cylinder)];

    public List<RailDrop> DropsOf(int cylinder) => [.. Drops.All.Where((_, i) => Cylinders[i] == cylinder)];

    /// <summary>How well a cylinder's flow is known, as a share: its drop's doubt, or what it varies by from round to round.</summary>
    public double DoubtOf(int cylinder)
    {
        var usual = Statistics.Median(Drops.All.Select(d => d.Drop));
        var own = DropsOf(cylinder);
        var byNoise = own.Average(d => d.Doubt) / Math.Max(1e-9, usual) / Math.Sqrt(own.Count);
        var flows = FlowsOf(cylinder);
        var byRounds =
            flows.Length > 2 ? Statistics.StandardDeviation(flows) / Math.Abs(Statistics.Mean(flows)) / Math.Sqrt(flows.Length) : 0;
        return Math.Max(byNoise, byRounds);
    }

    private static bool IsSeen(RailDrops drops)
    {
        var usual = Statistics.Median(drops.All.Select(d => d.Drop));
        return usual > Seen * Statistics.Median(drops.All.Select(d => d.Doubt))
            && usual > LeastDrop * Statistics.Median(drops.All.Select(d => d.Pressure));
    }
}
