namespace Maschera.Core.Signals;

/// <summary>What a trigger waits for.</summary>
public enum TriggerKind
{
    /// <summary>The signal lies beyond the level.</summary>
    Level,

    /// <summary>The signal passes the level.</summary>
    Edge,

    /// <summary>A pulse beyond the level is shorter or longer than a time.</summary>
    PulseWidth,

    /// <summary>The signal does something it has not done before.</summary>
    Changed,
}

/// <summary>A trigger as set.</summary>
/// <param name="Kind">What it waits for.</param>
/// <param name="Level">The level, in the channel's unit.</param>
/// <param name="Upwards">True for above, rising, or high pulses; false for the other way.</param>
/// <param name="Width">Limit of a pulse's width, s.</param>
/// <param name="Longer">True for pulses longer than the limit, false for shorter ones.</param>
public sealed record TriggerSetting(TriggerKind Kind, double Level, bool Upwards, double Width, bool Longer);

/// <summary>Watches samples as they come and tells the first place where what was set happens.</summary>
public sealed class Trigger
{
    /// <summary>How far the signal must go back beyond the level to be armed again, as a share of its reach so far.</summary>
    private const double Hysteresis = 0.05;

    private readonly TriggerSetting _setting;
    private readonly double _step;
    private readonly ChangeWatch _change;
    private double _low = double.PositiveInfinity,
        _high = double.NegativeInfinity;
    private bool? _beyond;
    private double _since;

    /// <param name="setting">What to wait for.</param>
    /// <param name="step">Sample interval, s.</param>
    public Trigger(TriggerSetting setting, double step)
    {
        (_setting, _step) = (setting, step);
        _change = new ChangeWatch(step);
    }

    /// <summary>Goes on with samples, the first of them at <paramref name="start"/> s; the time of the event, or null.</summary>
    public double? Feed(ReadOnlySpan<float> samples, double start)
    {
        for (var i = 0; i < samples.Length; i++)
            if (Happens(samples[i], start + i * _step))
                return start + i * _step;
        return null;
    }

    private bool Happens(float value, double time)
    {
        if (_setting.Kind == TriggerKind.Changed)
            return _change.Happens(value);
        if (value < _low)
            _low = value;
        if (value > _high)
            _high = value;
        var slack = Hysteresis * (_high - _low);
        // Upside down, "below" is "above" of the negative.
        var (signal, level) = _setting.Upwards ? (value, _setting.Level) : (-value, -_setting.Level);
        var beyond = signal > level || _beyond == true && signal > level - slack;
        var was = _beyond;
        _beyond = beyond;
        if (beyond && was != true)
            _since = was is null ? double.NaN : time;
        return _setting.Kind switch
        {
            TriggerKind.Level => beyond,
            TriggerKind.Edge => beyond && was == false,
            _ when double.IsNaN(_since) => false,
            // A long pulse is told while it lasts, a short one once it is over.
            _ => _setting.Longer ? beyond && time - _since > _setting.Width : !beyond && was == true && time - _since < _setting.Width,
        };
    }

    /// <summary>
    /// Learns least, greatest, mean and number of crossings in windows of 0.25 s over two seconds, and tells when a
    /// window leaves what they spanned by more than that span again (and a twentieth of the signal's reach).
    /// </summary>
    private sealed class ChangeWatch(double step)
    {
        private const double WindowSeconds = 0.25;
        private const int Learned = 8;
        private const double Slack = 0.05;

        private readonly int _length = Math.Max(8, (int)(WindowSeconds / step));
        private readonly List<double[]> _windows = [];
        private double _least = double.PositiveInfinity,
            _greatest = double.NegativeInfinity,
            _sum;
        private double _mid = double.NaN;
        private int _count,
            _crossings;
        private bool _above;

        public bool Happens(float value)
        {
            if (value < _least)
                _least = value;
            if (value > _greatest)
                _greatest = value;
            _sum += value;
            if (value > _mid != _above)
            {
                _above = !_above;
                _crossings++;
            }

            if (++_count < _length)
                return false;
            double[] window = [_least, _greatest, _sum / _count, _crossings];
            (_mid, _least, _greatest, _sum, _count, _crossings) = (
                (_least + _greatest) / 2,
                double.PositiveInfinity,
                double.NegativeInfinity,
                0,
                0,
                0
            );
            if (_windows.Count < Learned)
            {
                _windows.Add(window);
                return false;
            }

            var reach = _windows.Max(w => w[1]) - _windows.Min(w => w[0]);
            for (var i = 0; i < window.Length; i++)
            {
                // The first window knows no middle yet, so its crossings don't count.
                var known = _windows.Skip(1).Select(w => w[i]).ToList();
                var room = known.Max() - known.Min() + (i < 3 ? Slack * reach : 2 + Slack * known.Max());
                if (window[i] > known.Max() + room || window[i] < known.Min() - room)
                    return true;
            }

            return false;
        }
    }
}
