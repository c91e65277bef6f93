using Maschera.Core.Signals;
using Maschera.Instruments;

namespace Maschera.App.Live;

/// <summary>What happens once a trigger has fired.</summary>
public enum TriggerAction
{
    /// <summary>The picture stands still there.</summary>
    Hold,

    /// <summary>The stretch round it is kept as a capture.</summary>
    Keep,
}

/// <summary>A trigger on a channel of the session.</summary>
public sealed record ArmedTrigger(int Channel, TriggerSetting Setting, TriggerAction Action, double KeepSeconds);

/// <summary>Watches one channel for the event a trigger is set to; armed by the page, fed by the instrument.</summary>
internal sealed class TriggerWatch(ScopeSettings settings)
{
    private readonly Lock _gate = new();
    private Trigger? _watch;
    private double _firedAt = double.NaN;
    private float[] _values = [];

    public ArmedTrigger? Armed { get; private set; }

    /// <summary>Where the trigger fired, s; null where it has not.</summary>
    public double? FiredAt => Volatile.Read(ref _firedAt) is var at && double.IsNaN(at) ? null : at;

    public void Arm(ArmedTrigger? trigger)
    {
        lock (_gate)
        {
            Volatile.Write(ref _firedAt, double.NaN);
            Armed = trigger;
            _watch = trigger is null ? null : new Trigger(trigger.Setting, 1 / settings.Rate);
        }
    }

    /// <summary>Looks through a block; the trigger and where it fired, once it does.</summary>
    public (ArmedTrigger Trigger, double At)? Feed(ScopeBlock block)
    {
        lock (_gate)
        {
            if (_watch is null || Armed is not { } armed)
                return null;
            if (_values.Length != block.Length)
                _values = new float[block.Length];
            for (var i = 0; i < block.Length; i++)
                _values[i] = (float)settings.ValueOf(armed.Channel, block.Counts[armed.Channel][i]);
            if (_watch.Feed(_values, block.First / settings.Rate) is not { } at)
                return null;
            _watch = null;
            Volatile.Write(ref _firedAt, at);
            return (armed, at);
        }
    }
}
