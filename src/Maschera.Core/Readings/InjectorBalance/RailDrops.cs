using Maschera.Core.Signals;

namespace Maschera.Core.Readings.InjectorBalance;

/// <summary>One pulse's drop.</summary>
/// <param name="Pulse">The pulse.</param>
/// <param name="Drop">Leak taken out.</param>
/// <param name="Pressure">The mean of before and after.</param>
/// <param name="Doubt">Standard error of the drop.</param>
/// <param name="Slope">How fast the pressure falls within the pulse, leak taken out; NaN where too few samples tell.</param>
internal readonly record struct RailDrop(RailPulse Pulse, double Drop, double Pressure, double Doubt, double Slope);

/// <summary>The drop of every pulse: levels before and behind it, brought to its middle by what leaks away.</summary>
internal sealed class RailDrops
{
    /// <summary>The pressure settles so long behind a pulse, as a share of it and at least in s.</summary>
    private const double SettleShare = 0.25,
        LeastSettle = 0.04;

    /// <summary>A level is taken over this share of the time to the next pulse, and no longer than so many s.</summary>
    private const double LevelShare = 0.3,
        LongestLevel = 3;

    /// <summary>So many stretches tell how the leak goes with the pressure.</summary>
    private const int LeastForLine = 6;

    private readonly double _leak,
        _leakGrowth;
    private readonly Channel _pressure;
    private readonly IReadOnlyList<RailPulse> _pulses;

    public RailDrops(Channel pressure, IReadOnlyList<RailPulse> pulses)
    {
        (_pressure, _pulses) = (pressure, pulses);
        (_leak, _leakGrowth) = Leak();
        All = [.. Enumerable.Range(0, pulses.Count).Select(Measure)];
    }

    public IReadOnlyList<RailDrop> All { get; }

    /// <summary>What leaks away in a second at a pressure; positive when pressure is lost.</summary>
    public double LeakAt(double pressure) => Math.Max(0, _leak + _leakGrowth * pressure);

    private double Settle(int pulse) => Math.Max(Math.Max(LeastSettle, 2 * _pressure.Time.Step), SettleShare * _pulses[pulse].Seconds);

    private double Before(int pulse) => pulse == 0 ? _pressure.Time.Start : _pulses[pulse - 1].To + Settle(pulse - 1);

    private double After(int pulse) => pulse + 1 < _pulses.Count ? _pulses[pulse + 1].From : _pressure.Time.End;

    private (double From, double To) Early(int pulse)
    {
        var room = _pulses[pulse].From - Before(pulse);
        return (_pulses[pulse].From - Math.Min(LongestLevel, LevelShare * room), _pulses[pulse].From - _pressure.Time.Step);
    }

    private (double From, double To) Late(int pulse)
    {
        var from = _pulses[pulse].To + Settle(pulse);
        return (from, from + Math.Min(LongestLevel, LevelShare * (After(pulse) - from)));
    }

    /// <summary>
    /// The leak's rate as a line over the pressure, from the stretches before and behind each pulse; where few tell it, in proportion.
    /// A stretch that rises or falls quite otherwise was refilled and is left out.
    /// </summary>
    private (double Leak, double Growth) Leak()
    {
        List<(double Pressure, double Rate)> rates = [];
        for (var pulse = 0; pulse < _pulses.Count; pulse++)
            foreach (var (from, to) in (ReadOnlySpan<(double, double)>)[Early(pulse), Late(pulse)])
                if (Line(from, to) is var (level, slope, count) && count >= 4 && level > 0)
                    rates.Add((level, -slope));
        if (rates.Count == 0)
            return (0, 0);
        var share = Math.Max(0, Statistics.Median(rates.Select(r => r.Rate / r.Pressure)));
        var apart = 3 * Statistics.Scatter(rates.Select(r => r.Rate - share * r.Pressure), 0);
        var kept = rates.Where(r => Math.Abs(r.Rate - share * r.Pressure) <= apart).ToList();
        if (kept.Count < LeastForLine || kept.Max(r => r.Pressure) < 1.2 * kept.Min(r => r.Pressure))
            return (0, share);
        var line = LeastSquares.Linear(
            [
                [.. kept.Select(_ => 1.0)],
                [.. kept.Select(r => r.Pressure)],
            ],
            [.. kept.Select(r => r.Rate)]
        );
        return (line[0], line[1]);
    }

    private RailDrop Measure(int pulse)
    {
        var own = _pulses[pulse];
        var middle = (own.From + own.To) / 2;
        var (before, after) = (Level(Early(pulse), middle), Level(Late(pulse), middle));
        var drop = before.Value - after.Value;
        var mean = (before.Value + after.Value) / 2;
        var inside = Line(own.From + 0.15 * own.Seconds + LeastSettle / 4, own.To - 0.1 * own.Seconds);
        return new(
            own,
            drop,
            mean,
            Math.Sqrt(before.Error * before.Error + after.Error * after.Error),
            inside.Count >= 8 ? -inside.Slope - LeakAt(mean) : double.NaN
        );
    }

    /// <summary>The mean of a stretch, brought to another moment by the leak, and its standard error.</summary>
    private (double Value, double Error) Level((double From, double To) stretch, double at)
    {
        var values = Inside(stretch.From, stretch.To).ToList();
        if (values.Count == 0)
            return (double.NaN, double.NaN);
        var level = values.Average(v => v.Value);
        var moment = values.Average(v => v.Seconds);
        var brought = level - LeakAt(level) * (at - moment);
        return (brought, Statistics.StandardDeviation([.. values.Select(v => v.Value)]) / Math.Sqrt(values.Count));
    }

    private (double Level, double Slope, int Count) Line(double from, double to)
    {
        var values = Inside(from, to).ToList();
        if (values.Count < 2)
            return (double.NaN, double.NaN, values.Count);
        var (level, moment) = (values.Average(v => v.Value), values.Average(v => v.Seconds));
        var spread = values.Sum(v => (v.Seconds - moment) * (v.Seconds - moment));
        return (level, spread > 0 ? values.Sum(v => (v.Seconds - moment) * (v.Value - level)) / spread : double.NaN, values.Count);
    }

    private IEnumerable<(double Seconds, double Value)> Inside(double from, double to)
    {
        for (var i = _pressure.Time.IndexAtOrAfter(from); i < _pressure.Time.Count && _pressure.Time[i] <= to; i++)
            if (float.IsFinite(_pressure.Samples[i]))
                yield return (_pressure.Time[i], _pressure.Samples[i]);
    }
}
