using Maschera.Core.Signals;

namespace Maschera.Rig.Road;

/// <summary>A made-up test of a valve: 40 s of rest, then trials of five to seven seconds with twelve to eighteen between.</summary>
public sealed class CommandedValve(int seed)
{
    private readonly Random _random = new(seed);

    /// <summary>What the valve moves, bar; 0 for one that does nothing.</summary>
    public double Change { get; init; }

    /// <summary>What the other valve moves, bar.</summary>
    public double OtherChange { get; init; }

    /// <summary>Dead time of the response, s.</summary>
    public double Delay { get; init; } = 0.4;

    /// <summary>Amplitude of the pressure's own movement, bar.</summary>
    public double Hunting { get; init; }

    /// <summary>Amplitude of a slow swell of 23 s, bar.</summary>
    public double Swell { get; init; }

    /// <summary>Rest before the first trial and the least between two, s.</summary>
    public double Lead { get; init; } = 40;
    public double Pause { get; init; } = 12;

    /// <summary>Whether the other valve is tried between the trials of this one, not behind them.</summary>
    public bool InTurn { get; init; }

    /// <summary>bar/s.</summary>
    public double Drift { get; init; }

    /// <summary>How many trials.</summary>
    public int Count { get; init; } = 4;

    /// <summary>Trials, from 0, at which the valve does nothing.</summary>
    public int[] Silent { get; init; } = [];

    /// <summary>Whether the last trial goes on to the end.</summary>
    public bool Lasting { get; init; }

    /// <summary>The current on the wire, A, by the seconds since a trial began; null where it is not captured.</summary>
    public Func<double, double>? Drive { get; init; }

    /// <summary>The trials, s; known once it was logged.</summary>
    public List<(double From, double To)> Trials { get; } = [];

    /// <summary>Until 20 % of the change: the dead time and a part of the lag.</summary>
    public double StartsAfter => Delay + 0.5 * -Math.Log(0.8);

    /// <summary>True while it is commanded.</summary>
    public bool IsOn(double t) => Trials.Any(trial => t >= trial.From && t < trial.To);

    /// <summary>Both commands, oil pressure, and the wire's current where it is captured.</summary>
    public Capture Log()
    {
        var at = Lead;
        for (var i = 0; i < Count; i++)
        {
            var length = 5 + 2 * _random.NextDouble();
            Trials.Add((at, Lasting && i == Count - 1 ? 1e9 : at + length));
            at += length + Pause + 6 * _random.NextDouble();
        }

        var others = InTurn
            ? Trials.Select(t => (From: t.To + Pause / 3, To: t.To + 2 * Pause / 3)).ToList()
            : [.. Enumerable.Range(0, 3).Select(i => (From: at + 20 * i, To: at + 20 * i + 5.5))];
        var end = InTurn || Pause < 12 ? at : at + 70;
        List<double> times = [];
        for (var t = 0.0; t < end; t += 0.08 + 0.04 * _random.NextDouble())
            times.Add(t);
        double own = 0,
            other = 0;
        List<float> response = [];
        for (var i = 0; i < times.Count; i++)
        {
            var late = times[i] - Delay;
            var live = Trials.FindIndex(trial => late >= trial.From && late < trial.To) is var k && k >= 0 && !Silent.Contains(k);
            own += ((live ? Change : 0) - own) * 0.18;
            other += ((others.Any(o => late >= o.From && late < o.To) ? OtherChange : 0) - other) * 0.18;
            var level =
                2.5
                + own
                + other
                + Hunting * Math.Sin(times[i] / 0.7)
                + Swell * Math.Sin(times[i] / 3.7)
                + Drift * times[i]
                + 0.02 * Gauss();
            response.Add((float)Math.Round(level, 2));
        }

        var axis = TimeAxis.FromStamps([.. times]);
        List<Channel> channels =
        [
            new("Bypass valve", "%", axis, [.. times.Select(t => IsOn(t) ? 65f : 5f)]),
            new("Other valve", "%", axis, [.. times.Select(t => others.Any(o => t >= o.From && t < o.To) ? 80f : 0f)]),
            new("Oil pressure", "bar", axis, [.. response]),
        ];
        if (Drive is not null)
            channels.Add(new("Valve current", "A", axis, [.. times.Select(DriveAt)]));
        return new Capture("valves.csv", channels, []);
    }

    private float DriveAt(double t)
    {
        var trial = Trials.FirstOrDefault(trial => t >= trial.From && t < trial.To);
        return (float)((trial.To > 0 ? Drive!(t - trial.From) : 0) + Math.Abs(0.02 * Gauss()));
    }

    private double Gauss() => Math.Sqrt(-2 * Math.Log(1 - _random.NextDouble())) * Math.Cos(Math.Tau * _random.NextDouble());
}
