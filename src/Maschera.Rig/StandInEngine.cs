using Maschera.Core.Engines;

namespace Maschera.Rig;

/// <summary>A fault of one cylinder of the stand-in engine.</summary>
/// <param name="Cylinder">Its number.</param>
/// <param name="LeakPerSecond">
/// Flow through a narrow gap: share of a cylinder's charge at ambient density lost each second per bar of overpressure.
/// A sound cylinder has about 0.3, a burnt valve 5 and more.
/// </param>
public sealed record CylinderFault(int Cylinder, double LeakPerSecond)
{
    /// <summary>A hole of so many mm² to the outside, through which gas flows as through a nozzle.</summary>
    public double HoleMm2 { get; init; }

    /// <summary>Share of its lift to which the intake valve opens.</summary>
    public double IntakeLift { get; init; } = 1;
}

/// <summary>The starter, its battery and what they have to turn.</summary>
public sealed record StarterCircuit
{
    /// <summary>Open-circuit voltage, V.</summary>
    public double BatteryVolts { get; init; } = 12.6;

    /// <summary>Inner resistance of the battery, ohm.</summary>
    public double BatteryOhms { get; init; } = 0.006;

    /// <summary>Cables and motor, ohm.</summary>
    public double MotorOhms { get; init; } = 0.012;

    /// <summary>Motor constant at the crank, V s and also N m/A, through the pinion's ratio.</summary>
    public double VoltSeconds { get; init; } = 0.28;

    /// <summary>Crank, flywheel and geared-up armature, kg m².</summary>
    public double Inertia { get; init; } = 0.16;

    /// <summary>Dry friction at the crank, N m.</summary>
    public double FrictionNm { get; init; } = 24;

    /// <summary>Friction that grows with speed, N m s.</summary>
    public double DampingNms { get; init; } = 0.35;

    /// <summary>A starter and flywheel that suit an engine of so many cylinders.</summary>
    public static StarterCircuit For(int cylinders) =>
        new()
        {
            VoltSeconds = 0.2 + 0.02 * cylinders,
            Inertia = 0.08 + 0.03 * cylinders,
            FrictionNm = 12 + 4 * cylinders,
        };
}

/// <summary>
/// Gas in one cylinder of the stand-in engine: ideal gas, first law, orifice flow through the valves, a narrow-gap
/// leak and heat to the wall (Heywood, Internal Combustion Engine Fundamentals, ch. 14 and appendix C).
/// Pressures in Pa absolute, volumes in m³, temperatures in K.
/// </summary>
internal sealed class CylinderGas
{
    private const double Ambient = 101_325;
    private const double AmbientKelvin = 293;
    private const double GasConstant = 287;
    private const double Gamma = 1.4;

    /// <summary>Heat to the wall, W/K per cylinder: about what a cold cylinder at cranking speed loses.</summary>
    private const double WallWattsPerKelvin = 3.0;

    private readonly EngineTables _tables;
    private readonly double _swept;
    private readonly double _valveArea;
    private readonly double _leakPerSecond;
    private readonly double _hole;
    private readonly double _intakeLift = 1;
    private double _mass;
    private double _temperature = AmbientKelvin;
    private double _volume;
    private double _power;

    public CylinderGas(Engine engine, EngineTables tables, double soundLeak, IEnumerable<CylinderFault> faults, double startDegrees)
    {
        _leakPerSecond = soundLeak;
        foreach (var fault in faults)
        {
            _leakPerSecond += fault.LeakPerSecond;
            _hole += fault.HoleMm2 * 1e-6;
            _intakeLift *= fault.IntakeLift;
        }

        (_tables, _swept, _valveArea) = (tables, EngineTables.Swept(engine.Geometry!), 0.09 * EngineTables.Piston(engine.Geometry!));
        (_volume, _power) = (tables.Volume.At(startDegrees), tables.Power.At(startDegrees));
        _mass = Ambient * _volume / (GasConstant * _temperature);
    }

    /// <summary>The tables of an engine whose cylinders are of this kind.</summary>
    public static EngineTables TablesOf(Engine engine) => EngineTables.Of(engine, Gamma, share => Math.Sin(Math.PI * share));

    /// <summary>Pressure, Pa absolute.</summary>
    public double Pressure => _mass * GasConstant * _temperature / _volume;

    /// <summary>
    /// Goes on to <paramref name="degrees"/> after firing TDC (0-720) in <paramref name="dt"/> seconds.
    /// </summary>
    /// <returns>Torque on the crank, N m, and work put into the gas, J.</returns>
    public (double Torque, double Work) Advance(double degrees, double dt)
    {
        var (volume, power) = (_tables.Volume.At(degrees), _tables.Power.At(degrees));
        var gauge = Pressure - Ambient;
        var work = -gauge * (volume - _volume);
        _temperature *= _power / power;
        (_volume, _power) = (volume, power);
        _temperature -= WallWattsPerKelvin * (_temperature - AmbientKelvin) * dt / (_mass * GasConstant / (Gamma - 1));
        Exchange(degrees, dt);
        return ((Pressure - Ambient) * _tables.Slope.At(degrees), work);
    }

    private void Exchange(double degrees, double dt)
    {
        var open = _tables.Exhaust.At(degrees) + _intakeLift * _tables.Intake.At(degrees);
        var over = (Pressure - Ambient) / 1e5;
        var leak = _leakPerSecond * over * Ambient * _swept / (GasConstant * AmbientKelvin) * dt;
        var valve = open > 0 ? open * _valveArea * Math.Sign(over) * Math.Sqrt(2 * 1.2 * Math.Abs(Pressure - Ambient)) * dt : 0;
        leak += BreathingEngine.Flow(_hole, Pressure, _temperature, Ambient) * dt;
        leak -= BreathingEngine.Flow(_hole, Ambient, AmbientKelvin, Pressure) * dt;
        // A step never goes past pressure balance.
        var balance = (Pressure - Ambient) * _volume / (GasConstant * _temperature * Gamma);
        var out_ = Math.Clamp(leak + valve, -Math.Abs(balance), Math.Abs(balance));
        var carried = out_ > 0 ? _temperature : AmbientKelvin;
        var energy = _mass * _temperature - Gamma * out_ * carried;
        _mass -= out_;
        _temperature = energy / _mass;
    }
}
