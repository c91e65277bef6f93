using Maschera.Core.Engines;

namespace Maschera.Rig;

/// <summary>What an instrument on the breathing engine shows: a transducer, a pick-up with its own frequency response, a sensor.</summary>
internal sealed class GasInput(
    string name,
    string unit,
    string role,
    double noise,
    double range,
    double fastest,
    bool alternating,
    Func<double> value
)
{
    public const double Ambient = 101_325;

    /// <summary>Below this a pick-up hears nothing, Hz.</summary>
    private const double Slowest = 1.0;

    /// <summary>Length of pipe from the valves to the pick-up at the tail, m, and the speed of sound in it, m/s.</summary>
    private const double Pipe = 3,
        Sound = 480;

    private static readonly double s_slow = 1 - Math.Exp(-Math.Tau * Slowest * BreathingEngine.Step);

    private readonly double _fast = 1 - Math.Exp(-Math.Tau * fastest * BreathingEngine.Step);

    private double _slow = double.NaN,
        _smooth = double.NaN;

    public string Name => name;
    public string Unit => unit;
    public string Role => role;
    public double Noise => noise;
    public double Range => range;

    /// <summary>What it shows now, without noise.</summary>
    public double Value => alternating ? _smooth - _slow : _smooth;

    /// <summary>Goes on by one step of the engine: first-order low and high pass.</summary>
    public void Filter()
    {
        var now = value();
        if (double.IsNaN(_smooth))
            (_smooth, _slow) = (now, now);
        _smooth = fastest > 0 ? _smooth + (now - _smooth) * _fast : now;
        _slow += (_smooth - _slow) * s_slow;
    }

    /// <summary>The instruments a plan asks for.</summary>
    public static IReadOnlyList<GasInput> Of(BreathingPlan plan, BreathingEngine engine)
    {
        List<GasInput> inputs = [];
        if (plan.Measured is { } measured)
            inputs.Add(
                new(
                    "Cylinder pressure",
                    "bar",
                    "pressure",
                    plan.NoiseBar,
                    plan.RangeBar,
                    2500,
                    false,
                    () => (engine.Pressure(measured) - Ambient) / 1e5 * plan.Scale + plan.ZeroBar
                )
            );
        inputs.Add(new("Ignition", "V", "sync", 0.05, 100, 0, false, Coil(plan, engine)));
        if (plan.CrankSensor && plan.Engine.CrankWheel is { } wheel)
            inputs.Add(new("Crank sensor", "V", "crank", 0.02, 10, 0, false, () => EngineSignals.CrankVolts(wheel, engine.Degrees)));
        return plan.PickUps ? [.. inputs, .. PickUps(engine)] : inputs;
    }

    private static Func<double> Coil(BreathingPlan plan, BreathingEngine engine)
    {
        var coil = plan.Measured ?? plan.Engine.FiringOrder[0];
        var lead = plan.Running ? 14 : 6;
        return () =>
            EngineSignals.After(720 - lead, engine.After(coil)) is var since && since < 0.006 * engine.Speed + 0.15 ? 55
            : since > 690 ? 0.6
            : 13.8;
    }

    /// <summary>Piezo discs: volts by change of pressure, deaf below a hertz and above a few hundred; and a plain gauge.</summary>
    private static IEnumerable<GasInput> PickUps(BreathingEngine engine)
    {
        var pipe = new Queue<double>(Enumerable.Repeat(0.0, (int)(Pipe / Sound / BreathingEngine.Step)));
        double AtTail()
        {
            pipe.Enqueue((engine.Exhaust - Ambient) / 4e3);
            return pipe.Dequeue();
        }

        return
        [
            new("Intake pulse", "V", "intake-pulse", 0.01, 5, 300, true, () => (engine.Intake - Ambient) / 4e3),
            new("Exhaust pulse", "V", "exhaust-pulse", 0.01, 5, 200, true, AtTail),
            new("Crankcase pulse", "V", "crankcase-pulse", 0.01, 5, 200, true, () => (engine.Crankcase - Ambient) / 1e3),
            new("Coolant pulse", "V", "coolant-pulse", 0.01, 5, 100, true, () => (engine.Coolant - Ambient) / 1e3),
            new("Exhaust back pressure", "bar", "back-pressure", 0.001, 2, 500, false, () => (engine.Exhaust - Ambient) / 1e5),
        ];
    }
}
