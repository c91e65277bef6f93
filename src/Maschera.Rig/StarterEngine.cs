using Maschera.Core.Engines;

namespace Maschera.Rig;

/// <summary>Where the engine stands, and what its starter draws.</summary>
/// <param name="Degrees">Crank degrees turned, 0 at a firing TDC of the first cylinder of the firing order.</param>
/// <param name="Current">Starter current, A.</param>
/// <param name="Volts">Battery voltage, V.</param>
/// <param name="Speed">Speed of the crank, rad/s.</param>
/// <param name="Seconds">Time since the start, s.</param>
internal readonly record struct EngineState(double Degrees, double Current, double Volts, double Speed = 0, double Seconds = 0)
{
    /// <summary>What the instruments on the breathing engine show, one after another; null on other engines and while it stands.</summary>
    public double[]? Shown { get; init; }
}

/// <summary>An engine that can be watched live.</summary>
internal interface ILiveEngine
{
    /// <summary>The state now; <paramref name="keyed"/> while the key is turned.</summary>
    EngineState State(bool keyed);

    /// <summary>Goes on by one <see cref="StarterEngine.Step"/> from a state.</summary>
    void Turn(EngineState state);

    /// <summary>A sensor's volts at a state; the sync by its coil, called once for each state in turn.</summary>
    double Volts(string? role, EngineState state);
}

/// <summary>The stand-in engine on its starter, step by step; nothing fires.</summary>
internal sealed class StarterEngine : ILiveEngine
{
    /// <summary>Step of the simulation, s.</summary>
    public const double Step = 4e-5;

    /// <summary>A leak every sound cylinder has, see <see cref="CylinderFault.LeakPerSecond"/>.</summary>
    private const double SoundLeak = 0.3;

    private readonly Engine _engine;
    private readonly StarterCircuit _starter;
    private readonly double[] _angles;
    private readonly CylinderGas[] _gases;
    private readonly double[] _running;
    private readonly CoilPrimary _coil;
    private double _degrees;
    private double _speed;

    /// <summary>The engine stands at an angle drawn from <paramref name="random"/>.</summary>
    public StarterEngine(Engine engine, StarterCircuit starter, IReadOnlyList<CylinderFault> faults, Random random)
    {
        (_engine, _starter, _angles) = (engine, starter, engine.Angles());
        _coil = new CoilPrimary(engine, engine.FiringOrder[0]);
        _degrees = random.NextDouble() * 720;
        _running = new double[engine.Cylinders];
        var tables = CylinderGas.TablesOf(engine);
        _gases = [.. Enumerable.Range(0, engine.Cylinders).Select(Gas)];

        CylinderGas Gas(int place)
        {
            var leak = SoundLeak * (1 + 0.1 * (random.NextDouble() - 0.5));
            var own = faults.Where(f => f.Cylinder == engine.FiringOrder[place]);
            return new CylinderGas(engine, tables, leak, own, EngineSignals.After(_angles[place], _degrees));
        }
    }

    public void Turn(EngineState state) => Turn(state.Current);

    public double Volts(string? role, EngineState state) =>
        role switch
        {
            "current" => state.Current,
            "crank" => EngineSignals.CrankVolts(_engine.CrankWheel!, state.Degrees),
            "sync" => _coil.Volts(state),
            _ => state.Volts,
        };

    /// <summary>The state now.</summary>
    public EngineState State(bool keyed)
    {
        if (!keyed)
            return new EngineState(_degrees, 0, _starter.BatteryVolts);
        // The pinion's freewheel lets the engine run ahead: the motor never brakes it.
        var current = Math.Max(0, (_starter.BatteryVolts - _starter.VoltSeconds * _speed) / (_starter.BatteryOhms + _starter.MotorOhms));
        return new EngineState(_degrees, current, _starter.BatteryVolts - current * _starter.BatteryOhms);
    }

    /// <summary>Goes on by one step; <paramref name="compressed"/> is told each cylinder's work at the end of its compression, J.</summary>
    public void Turn(double current, Action<int, double>? compressed = null)
    {
        var torque = _starter.VoltSeconds * current;
        var moved = double.RadiansToDegrees(_speed) * Step;
        for (var place = 0; place < _gases.Length; place++)
        {
            var at = EngineSignals.After(_angles[place], _degrees + moved);
            var (gas, work) = _gases[place].Advance(at, Step);
            torque += gas;
            if (at > 540)
                _running[place] += work;
            else if (_running[place] != 0)
            {
                compressed?.Invoke(_engine.FiringOrder[place], _running[place]);
                _running[place] = 0;
            }
        }

        _degrees += moved;
        var drag = _starter.FrictionNm + _starter.DampingNms * _speed;
        if (_speed <= 0 && torque < drag)
            _speed = 0;
        else
            _speed = Math.Max(0, _speed + (torque - drag) / _starter.Inertia * Step);
    }
}

/// <summary>What sensors make of the crank's angle.</summary>
internal static class EngineSignals
{
    private const double SensorHigh = 5,
        SensorLow = 0.2;

    /// <summary>Degrees after a firing TDC that lies at <paramref name="tdc"/>, 0-720.</summary>
    public static double After(double tdc, double degrees) => Within(degrees - tdc, 720);

    /// <summary>Share burnt so many degrees after the burn began, over 55° (Wiebe; Heywood, ch. 9).</summary>
    public static double Burnt(double since)
    {
        var share = since / 55;
        return 1 - Math.Exp(-5 * share * share * share);
    }

    /// <summary>Degrees within a turn or a cycle, from 0 up to its length.</summary>
    private static double Within(double degrees, double length) => degrees - length * Math.Floor(degrees / length);

    /// <summary>A hall sensor on the crank wheel: high over a tooth, which takes half its pitch, V.</summary>
    public static double CrankVolts(CrankWheel wheel, double degrees)
    {
        var pitch = 360.0 / wheel.Teeth;
        var fromFirst = Within(degrees + (wheel.GapToTdc ?? 90), 360);
        var slot = (int)(fromFirst / pitch);
        return slot < wheel.Teeth - wheel.Missing.Sum() && fromFirst - slot * pitch < pitch / 2 ? SensorHigh : SensorLow;
    }
}

/// <summary>
/// The primary side of one cylinder's coil: battery, ground during the dwell before the spark 8° before TDC, then a
/// flyback.
/// </summary>
internal sealed class CoilPrimary(Engine engine, int cylinder)
{
    private const double SparkBeforeTdc = 8,
        DwellDegrees = 8,
        FlybackVolts = 55,
        DwellVolts = 0.6;

    private readonly double _tdc = engine.Angles()[engine.FiringOrder.ToList().IndexOf(cylinder)];
    private double _before = double.NaN;

    /// <summary>Volts at a state; call once for each state in turn.</summary>
    public double Volts(EngineState state)
    {
        var after = EngineSignals.After(_tdc, state.Degrees + SparkBeforeTdc);
        var sparks = _before > 700 && after < 20;
        var volts =
            sparks ? FlybackVolts
            : after > 720 - DwellDegrees && after != _before ? DwellVolts
            : state.Volts;
        _before = after;
        return volts;
    }
}
