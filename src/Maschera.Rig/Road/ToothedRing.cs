using Maschera.Core.Signals;

namespace Maschera.Rig.Road;

/// <summary>A ring of 24 to 96 places at a few revolutions a second, or turned by hand with stops.</summary>
public sealed record ToothedRing
{
    private readonly Random _random;

    public ToothedRing(int seed)
    {
        _random = new Random(seed);
        Places = 24 + _random.Next(73);
        MarkAt = 0.3 + 5 * _random.NextDouble();
    }

    /// <summary>Teeth, those that are gone counted.</summary>
    public int Places { get; }

    /// <summary>Where the mark stands, in places.</summary>
    public double MarkAt { get; }

    /// <summary>Teeth that are gone, from 0.</summary>
    public List<int> Gone { get; } = [];

    /// <summary>Pulses that get lost once.</summary>
    public HashSet<(int Turn, int Tooth)> LostAt { get; init; } = [];

    /// <summary>A coil instead of a hall sensor.</summary>
    public bool IsSine { get; init; }

    /// <summary>Whether a mark is captured with it.</summary>
    public bool HasMark { get; init; } = true;

    /// <summary>Turned by hand so many times, with pauses; 0 for a steady drive.</summary>
    public int ByHand { get; init; }

    /// <summary>Pulled by hand at the same place of every revolution.</summary>
    public bool PulledAlike { get; init; }

    /// <summary>How far off centre it runs: share of a pitch.</summary>
    public double Eccentric { get; init; }

    /// <summary>How fine it is captured.</summary>
    public double SamplesAPulse { get; init; } = 18;

    /// <summary>The sensor's channel.</summary>
    public string Name { get; init; } = "Wheel sensor";

    /// <summary>Size of the signal; 1 for a sound sensor at its gap.</summary>
    public double Strength { get; init; } = 1;

    /// <summary>V that a hall sensor's low level is lifted by: a resistance in its ground.</summary>
    public double Lift { get; init; }

    /// <summary>Share by which the signal swells and fades within a turn: a ring or hub that wobbles.</summary>
    public double Wobble { get; init; }

    /// <summary>V of a standing part that the signal rides on.</summary>
    public double Standing { get; init; }

    /// <summary>The sensor's signal, and the mark.</summary>
    public Capture Capture()
    {
        var turns = ByHand > 0 ? ByHand : 6.4;
        var step = ByHand > 0 ? 0.0008 : 1 / (2.0 * Places * SamplesAPulse);
        List<float> signal = [];
        List<float> mark = [];
        var (place, speed, hold) = (ByHand > 0 ? 0.75 : 0.0, 2.0, 0.4);
        for (var t = 0.0; place < turns * Places + (ByHand > 0 ? 0.75 : 0); t += step)
        {
            if (PulledAlike)
                speed = 0.2 + 1.5 * Math.Pow(Math.Sin(Math.PI * place / Places), 2);
            else if (ByHand > 0)
                (speed, hold) = Hand(t, step, hold);
            else
                speed = 2 + 0.25 * Math.Sin(0.9 * t);
            place += speed * Places * step;
            signal.Add((float)(Sensor(place, speed) + 0.02 * (_random.NextDouble() - 0.5)));
            var sinceMark = (place - MarkAt + Places) % Places;
            mark.Add(sinceMark < 0.5 ? 4.6f : 0.1f);
        }

        if (ByHand > 0)
            signal.AddRange(Enumerable.Repeat(signal[^1], 300));
        var axis = TimeAxis.Uniform(0, step, signal.Count);
        List<Channel> channels = [new(Name, "V", axis, [.. signal])];
        if (HasMark)
            channels.Add(new("Mark", "V", axis, [.. mark]));
        return new Capture("ring.csv", channels, []);
    }

    /// <summary>Pulls of a quarter to half a second with pauses between.</summary>
    private (double Speed, double Hold) Hand(double t, double step, double hold)
    {
        hold -= step;
        if (hold < -0.6 - 0.2 * Math.Sin(t))
            hold = 0.3 + 0.3 * _random.NextDouble();
        return (hold > 0 ? 0.25 + 0.15 * Math.Sin(3 * t) : 0, hold);
    }

    private double Sensor(double place, double speed)
    {
        var bent = place + Eccentric * Places / Math.Tau * Math.Sin(Math.Tau * place / Places);
        var (turn, tooth) = ((int)(bent / Places), (int)(bent % Places));
        var there = !Gone.Contains(tooth) && !LostAt.Contains((turn, tooth));
        var phase = bent % 1;
        if (IsSine)
            return Standing + (there ? Size(place) * 0.4 * speed * Math.Sin(Math.Tau * phase) : 0);
        // The tooth stands in the middle of its place.
        return Standing + (there && phase is > 0.25 and < 0.75 ? 0.4 + 4.4 * Strength : 0.4 + Lift);
    }

    private double Size(double place) => Strength * (1 + Wobble * Math.Sin(Math.Tau * place / Places));
}
