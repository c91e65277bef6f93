using Maschera.Core.Engines;

namespace Maschera.Rig;

/// <summary>
/// The stand-in engine with the gas in every cylinder, in its intake, exhaust, crankcase and coolant: first law and ideal
/// gas, compressible flow through valves and leaks (Heywood, appendix C), a burn after Wiebe, heat to the walls by
/// Newton's law, and a crank that the gas turns. SI units, pressures absolute.
/// </summary>
internal sealed class BreathingEngine
{
    /// <summary>Step of the simulation, s.</summary>
    public const double Step = 2e-5;

    private const double Ambient = 101_325,
        AmbientKelvin = 300,
        ExhaustKelvin = 650,
        GasConstant = 287,
        Gamma = 1.38;

    /// <summary>Ratio of pressures below which the flow no longer grows.</summary>
    private const double Choked = 0.528;

    /// <summary>The power 1/γ of ratios from 0 to 1, laid on the degrees of a cycle.</summary>
    private static readonly CycleTable s_roots = new(at => Math.Pow(at / 720, 1 / Gamma));

    private static readonly double s_choked = Passing(Choked);

    private readonly BreathingPlan _plan;
    private readonly Random _random;
    private readonly StarterCircuit _starter;
    private readonly double[] _angles;
    private readonly int[] _order;
    private readonly Cylinder[] _cylinders;
    private readonly double _displacement,
        _inertia,
        _outlet;
    private double _throttle,
        _load;

    /// <summary>The engine turning at about its speed.</summary>
    /// <exception cref="ArgumentException">It lacks geometry or valve timing.</exception>
    public BreathingEngine(BreathingPlan plan)
    {
        var engine = plan.Engine;
        // A cam with short ramps: open soon, then nearly flat.
        var tables = EngineTables.Of(engine, Gamma, share => Math.Pow(Math.Sin(Math.PI * share), 1.3), plan.IntakeShift, plan.ExhaustShift);
        (_plan, _random, _angles) = (plan, new Random(plan.Seed), engine.Angles());
        _order = [.. engine.FiringOrder];
        _starter = StarterCircuit.For(engine.Cylinders);
        _inertia = 0.05 + 0.05 * engine.Cylinders;
        Degrees = 720 * _random.NextDouble();
        Speed = (plan.Running ? plan.SpeedRpm : 200) * Math.Tau / 60;
        _cylinders =
        [
            .. Enumerable
                .Range(0, engine.Cylinders)
                .Select(place => new Cylinder(plan, tables, place, EngineSignals.After(_angles[place], Degrees))),
        ];
        _displacement = engine.Cylinders * _cylinders[0].Swept;
        _outlet = 0.35 * _displacement * (1 - plan.ExhaustBlocked);
        Intake = plan.Running ? plan.IntakeBar * 1e5 : Ambient;
        _throttle = plan.Running ? NeededThrottle() : 0.3 * _displacement;
        _load = 8 * engine.Cylinders;
    }

    /// <summary>Crank degrees turned, 0 at a firing TDC of the first cylinder of the firing order.</summary>
    public double Degrees { get; private set; }

    /// <summary>Speed of the crank, rad/s.</summary>
    public double Speed { get; private set; }

    public double Seconds { get; private set; }

    /// <summary>Pressure in the intake, Pa.</summary>
    public double Intake { get; private set; }

    /// <summary>Pressure in the exhaust manifold, Pa.</summary>
    public double Exhaust { get; private set; } = Ambient;

    /// <summary>Pressure in the crankcase, Pa.</summary>
    public double Crankcase { get; private set; } = Ambient;

    /// <summary>Pressure over the coolant, Pa.</summary>
    public double Coolant { get; private set; } = Ambient;

    /// <summary>Pressure in a cylinder, Pa.</summary>
    public double Pressure(int cylinder) => _cylinders[Place(cylinder)].Pressure;

    /// <summary>Degrees after a cylinder's firing TDC, 0-720.</summary>
    public double After(int cylinder) => EngineSignals.After(_angles[Place(cylinder)], Degrees);

    /// <summary>Goes on by one step.</summary>
    public void Advance()
    {
        Degrees += double.RadiansToDegrees(Speed) * Step;
        var torque = 0.0;
        double toIntake = 0,
            toExhaust = 0,
            toCrankcase = 0,
            toCoolant = 0,
            volumes = 0;
        for (var place = 0; place < _cylinders.Length; place++)
        {
            var cylinder = _cylinders[place];
            torque += cylinder.Advance(EngineSignals.After(_angles[place], Degrees), Speed, this, _random);
            toIntake += cylinder.ToIntake;
            toExhaust += cylinder.ToExhaust;
            toCrankcase += cylinder.ToCrankcase;
            toCoolant += cylinder.ToCoolant;
            volumes += cylinder.Volume;
        }

        Breathe(toIntake, toExhaust, toCrankcase, toCoolant, volumes);
        Turn(torque);
        Seconds += Step;
    }

    /// <summary>Opening through which choked flow feeds the engine at the plan's speed and intake pressure, m².</summary>
    private double NeededThrottle()
    {
        const double filling = 0.8,
            choked = 0.685;
        var feed = filling * _plan.SpeedRpm / 120 * _displacement * _plan.IntakeBar * 1e5 / (GasConstant * AmbientKelvin);
        return feed / (choked * Ambient / Math.Sqrt(GasConstant * AmbientKelvin));
    }

    private int Place(int cylinder) => Array.IndexOf(_order, cylinder);

    private void Turn(double torque)
    {
        var drag = 4 + 2.5 * _cylinders.Length;
        if (!_plan.Running)
        {
            var current = Math.Max(0, (_starter.BatteryVolts - _starter.VoltSeconds * Speed) / (_starter.BatteryOhms + _starter.MotorOhms));
            Speed = Math.Max(
                0.5,
                Speed + (torque + _starter.VoltSeconds * current - _starter.FrictionNm - _starter.DampingNms * Speed) / _inertia * Step
            );
            return;
        }

        var over = Speed - _plan.SpeedRpm * Math.Tau / 60;
        _load += 1.2 * over * Step * _inertia * 4;
        Speed = Math.Max(5, Speed + (torque - drag - _load - 1.5 * _inertia * over) / _inertia * Step);
    }

    /// <summary>Plenum, exhaust, crankcase and coolant take what the cylinders give, and lose it outside.</summary>
    private void Breathe(double toIntake, double toExhaust, double toCrankcase, double toCoolant, double volumes)
    {
        const double closer = 0.02,
            vent = 0.08,
            bleed = 0.12;
        if (_plan.Running)
            _throttle = Math.Max(0, _throttle + closer * _displacement * (_plan.IntakeBar * 1e5 - Intake) / Ambient * Step);
        Intake += (toIntake + Flow(_throttle, Ambient, AmbientKelvin, Intake) * Step) * GasConstant * AmbientKelvin / (1.5 * _displacement);
        Exhaust +=
            (toExhaust - Flow(_outlet, Exhaust, ExhaustKelvin, Ambient) * Step + Flow(_outlet, Ambient, ExhaustKelvin, Exhaust) * Step)
            * GasConstant
            * ExhaustKelvin
            / (1.2 * _displacement);
        const double caseVolume = 4e-3;
        _blown += toCrankcase * GasConstant * 350 / caseVolume - (_blown) / vent * Step;
        Crankcase = Ambient * (1 + (volumes - _cylinders.Length * 0.6 * _cylinders[0].Swept) / caseVolume * 0.2) + _blown;
        Coolant += toCoolant * GasConstant * 350 / 1e-3 - (Coolant - Ambient) / bleed * Step;
    }

    private double _blown;

    /// <summary>Mass flow through an opening, kg/s; 0 against the pressure.</summary>
    internal static double Flow(double area, double high, double kelvin, double low)
    {
        if (low >= high || area <= 0)
            return 0;
        var ratio = low / high;
        return area * high / Math.Sqrt(GasConstant * kelvin) * (ratio <= Choked ? s_choked : Passing(ratio));
    }

    /// <summary>Compressible flow by the ratio of pressures: its powers 2/γ and 1 + 1/γ from the one of 1/γ.</summary>
    private static double Passing(double ratio)
    {
        var root = s_roots.At(720 * ratio);
        return Math.Sqrt(Math.Max(0, 2 * Gamma / (Gamma - 1) * (root * root - ratio * root)));
    }

    /// <summary>Gas in one cylinder.</summary>
    private sealed class Cylinder
    {
        private const double WallKelvin = 380,
            WallWatts = 220,
            Discharge = 0.6,
            BurnHeat = 1.25e6;

        private readonly EngineTables _tables;
        private readonly BreathingFault _fault;
        private readonly double _bore,
            _intakeArea,
            _exhaustArea;
        private readonly bool _fires;
        private double _mass,
            _kelvin = AmbientKelvin,
            _heat,
            _burnt,
            _last,
            _power;

        public Cylinder(BreathingPlan plan, EngineTables tables, int place, double at)
        {
            var g = plan.Engine.Geometry!;
            var number = plan.Engine.FiringOrder[place];
            (_tables, _bore) = (tables, g.BoreMm * 1e-3);
            _fault = plan.Faults.FirstOrDefault(f => f.Cylinder == number) ?? new BreathingFault(number);
            _fires = plan.Running && plan.Measured != number;
            var piston = EngineTables.Piston(g);
            Swept = EngineTables.Swept(g);
            (_intakeArea, _exhaustArea) = (0.11 * piston, 0.085 * piston);
            (Volume, _power) = (tables.Volume.At(at), tables.Power.At(at));
            _mass = (plan.Running ? plan.IntakeBar * 1e5 : Ambient) * Volume / (GasConstant * _kelvin);
            _last = at;
        }

        public double Swept { get; }
        public double Volume { get; private set; }
        public double Pressure => _mass * GasConstant * _kelvin / Volume;

        /// <summary>Mass that went to each vessel in the last step, kg; negative where it came from there.</summary>
        public double ToIntake { get; private set; }

        public double ToExhaust { get; private set; }
        public double ToCrankcase { get; private set; }
        public double ToCoolant { get; private set; }

        /// <summary>Goes on by one step to an angle after firing TDC.</summary>
        /// <returns>Torque on the crank, N m.</returns>
        public double Advance(double degrees, double speed, BreathingEngine engine, Random random)
        {
            var power = _tables.Power.At(degrees);
            _kelvin *= _power / power;
            (Volume, _power) = (_tables.Volume.At(degrees), power);
            var wall = 2 * Math.PI / 4 * _bore * _bore + 4 * (Volume - 0.1 * Swept) / _bore;
            var heat = -WallWatts * wall * (_kelvin - WallKelvin) * Step + Burn(degrees, random);
            _kelvin = Math.Max(200, _kelvin + heat / (_mass * GasConstant / (Gamma - 1)));
            (ToIntake, ToExhaust, ToCrankcase, ToCoolant) = (0, 0, 0, 0);
            var exhaust = _fault.ExhaustOpens * _tables.Exhaust.At(degrees);
            var intake = _fault.IntakeOpens * _tables.Intake.At(degrees);
            if (exhaust > 0)
                ToExhaust += Exchange(Discharge * _exhaustArea * exhaust, engine.Exhaust, ExhaustKelvin);
            if (intake > 0)
                ToIntake += Exchange(Discharge * _intakeArea * intake, engine.Intake, AmbientKelvin);
            Leak(engine);
            _last = degrees;
            return (Pressure - Ambient) * _tables.Slope.At(degrees);
        }

        /// <summary>A little past the rings in any engine, and the fault's own.</summary>
        private void Leak(BreathingEngine engine)
        {
            const double rings = 0.02e-6;
            ToCrankcase += Exchange(rings, engine.Crankcase, AmbientKelvin);
            if (_fault.LeakMm2 <= 0)
                return;
            var area = Discharge * _fault.LeakMm2 * 1e-6;
            switch (_fault.LeakTo)
            {
                case LeakTo.Crankcase:
                    ToCrankcase += Exchange(area, engine.Crankcase, AmbientKelvin);
                    break;
                case LeakTo.Intake:
                    ToIntake += Exchange(area, engine.Intake, AmbientKelvin);
                    break;
                case LeakTo.Exhaust:
                    ToExhaust += Exchange(area, engine.Exhaust, ExhaustKelvin);
                    break;
                default:
                    if (Pressure > engine.Coolant)
                        ToCoolant += Exchange(area, engine.Coolant, AmbientKelvin);
                    break;
            }
        }

        /// <summary>Heat of the burn in this step, J: decided 20° before TDC, burnt from 12° before over 55° (Wiebe).</summary>
        private double Burn(double degrees, Random random)
        {
            if (!_fires)
                return 0;
            if (_last < 700 && degrees is >= 700 and < 719)
            {
                var fails = random.NextDouble() < _fault.Misfires;
                _heat = fails ? 0 : _fault.Heat * BurnHeat * _mass * (1 + 0.05 * Noise.Gaussian(random));
                _burnt = 0;
            }

            var since = EngineSignals.After(-12, degrees);
            if (since > 70 || _heat == 0)
                return 0;
            var share = EngineSignals.Burnt(since);
            var now = Math.Max(0, share - _burnt) * _heat;
            _burnt = Math.Max(_burnt, share);
            return now;
        }

        /// <summary>Gas through an opening in this step; never past the balance of pressures. Mass out of the cylinder, kg.</summary>
        private double Exchange(double area, double outside, double outsideKelvin)
        {
            var pressure = Pressure;
            var flow = (pressure > outside ? Flow(area, pressure, _kelvin, outside) : -Flow(area, outside, outsideKelvin, pressure)) * Step;
            var carried = flow > 0 ? _kelvin : outsideKelvin;
            var balance = (pressure - outside) * Volume / (GasConstant * carried * Gamma);
            var mass = Math.Abs(flow) > Math.Abs(balance) ? balance : flow;
            var energy = _mass * _kelvin - Gamma * mass * carried;
            _mass = Math.Max(1e-9, _mass - mass);
            _kelvin = Math.Clamp(energy / _mass, 150, 4000);
            return mass;
        }
    }
}
