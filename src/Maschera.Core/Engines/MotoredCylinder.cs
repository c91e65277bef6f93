namespace Maschera.Core.Engines;

/// <summary>Which of a cylinder's valves stay shut.</summary>
public enum ShutValve
{
    None,
    Exhaust,
    Intake,
}

/// <summary>
/// What decides the course of pressure in a cylinder that does not fire. Pressures are absolute, in any one unit; areas
/// are flow areas times the speed of the gas over the swept volume, per degree, so they fall as the speed rises.
/// </summary>
public sealed record CylinderState
{
    /// <summary>Pressure in the intake.</summary>
    public required double Intake { get; init; }

    /// <summary>Pressure in the exhaust.</summary>
    public required double Exhaust { get; init; }

    /// <summary>Flow area of the intake valves fully open, swept volumes a degree.</summary>
    public required double IntakeArea { get; init; }

    /// <summary>Flow area of the exhaust valves fully open.</summary>
    public required double ExhaustArea { get; init; }

    /// <summary>Flow area of a leak that is always open, to the pressure of the exhaust.</summary>
    public double LeakArea { get; init; }

    /// <summary>
    /// Exponent of the piston's work without heat or leaks: 1.40 of cold air, less where it is hot or the walls take heat.
    /// </summary>
    public double Exponent { get; init; } = 1.35;

    /// <summary>How a valve opens: the power of the half sine of its flow area over its opening; 1 opens fast, 3 slowly.</summary>
    public double LiftPower { get; init; } = 1.5;

    /// <summary>
    /// Pressures nearer than this share flow in proportion to their difference, as through long or rough passages; beyond it as
    /// through an orifice.
    /// </summary>
    public double Near { get; init; } = 0.02;

    /// <summary>Share of the wall's heat flow a degree; about 0.001.</summary>
    public double HeatLoss { get; init; }

    /// <summary>How much later the exhaust valves open and close than the timing says, degrees.</summary>
    public double ExhaustShift { get; init; }

    /// <summary>How much later the intake valves open and close, degrees.</summary>
    public double IntakeShift { get; init; }
}

/// <summary>
/// Pressure in one cylinder that does not fire, over a cycle: adiabatic work of the piston, flow through the valves and
/// a leak (compressible orifice, Heywood appendix C, its subsonic part as the ellipse of ISO 6358), heat to the walls
/// growing with p^0.8 (Woschni). Temperatures are shares of that of the intake.
/// </summary>
public sealed class MotoredCylinder
{
    /// <summary>Steps a degree.</summary>
    public const int PerDegree = 2;

    private const int Steps = 720 * PerDegree;
    private const double Gamma = 1.38,
        Critical = 0.528,
        MostFlow = 0.685,
        Wall = 1.25,
        ExhaustTemperature = 1.4;

    private readonly double[] _volume = new double[Steps],
        _work = new double[Steps],
        _surface = new double[Steps];
    private readonly ValveTiming _timing;
    private readonly ShutValve _shut;

    /// <summary>A cylinder of that crank and valve timing.</summary>
    public MotoredCylinder(SliderCrank crank, ValveTiming timing, ShutValve shut = ShutValve.None)
    {
        (_timing, _shut) = (timing, shut);
        var clearance = crank.Volume(0);
        for (var i = 0; i < Steps; i++)
        {
            _volume[i] = crank.Volume(i * Math.PI / 180 / PerDegree);
            // Head and piston, and as much liner as the piston lays bare, of an engine as long in the stroke as in the bore.
            _surface[i] = 1 + 2 * (_volume[i] - clearance);
        }

        for (var i = 0; i < Steps; i++)
            _work[i] = Math.Log(_volume[i] / _volume[(i + 1) % Steps]);
    }

    /// <summary>Absolute pressure at every step from firing TDC on, <see cref="PerDegree"/> a degree.</summary>
    public double[] Cycle(CylinderState state)
    {
        var pressures = new double[Steps];
        // In the middle of the exhaust stroke of a healthy cylinder the past is forgotten; with a valve shut a cycle more is run.
        var start = 180 * PerDegree;
        var count = _shut == ShutValve.None ? Steps + 90 * PerDegree : 3 * Steps;
        var gas = new Gas(state.Exhaust, state.Exhaust * _volume[start] / ExhaustTemperature);
        for (var n = 0; n < count; n++)
        {
            var i = (start + n) % Steps;
            pressures[i] = gas.Pressure;
            Step(ref gas, i, state);
        }

        return pressures;
    }

    /// <summary>Share of the charge that leaves through the leak between the intake's closing and the exhaust's opening.</summary>
    public double LostShare(CylinderState state)
    {
        if (state.LeakArea <= 0)
            return 0;
        var pressures = Cycle(state);
        var from = (int)((_timing.Ivc + state.IntakeShift) * PerDegree);
        var to = (int)((_timing.Evo + state.ExhaustShift + 720) * PerDegree);
        // Temperature follows the pressure as it would without loss: near enough for a share.
        double Mass(int i) => Math.Pow(pressures[i % Steps], 1 / state.Exponent) * _volume[i % Steps];
        return 1 - Mass(to) / Mass(from);
    }

    private struct Gas(double pressure, double mass)
    {
        public double Pressure = pressure,
            Mass = mass;
    }

    private void Step(ref Gas gas, int i, CylinderState state)
    {
        const double h = 1.0 / PerDegree;
        gas.Pressure *= Math.Exp(state.Exponent * _work[i]);
        var next = i + 1 == Steps ? 0 : i + 1;
        var volume = _volume[next];
        var degrees = (i + 1) * h;
        var temperature = gas.Pressure * volume / gas.Mass;
        var ratio = gas.Pressure / state.Intake;
        gas.Pressure -=
            h
            * (Gamma - 1)
            / volume
            * state.HeatLoss
            * _surface[next]
            * state.Intake
            * Math.Exp(0.8 * Math.Log(Math.Max(ratio, 1e-3)))
            * (temperature - Wall);
        if (
            _shut != ShutValve.Exhaust
            && Lift(degrees - state.ExhaustShift, _timing.Evo, _timing.Evc, state.LiftPower) is > 0 and var exhaust
        )
            Exchange(ref gas, volume, h * state.ExhaustArea * exhaust, state.Exhaust, ExhaustTemperature, state.Near);
        if (_shut != ShutValve.Intake && Lift(degrees - state.IntakeShift, _timing.Ivo, _timing.Ivc, state.LiftPower) is > 0 and var intake)
            Exchange(ref gas, volume, h * state.IntakeArea * intake, state.Intake, 1, state.Near);
        if (state.LeakArea > 0)
            Exchange(ref gas, volume, h * state.LeakArea, state.Exhaust, 1, state.Near);
    }

    /// <summary>Opening of a valve, 0 to 1: a power of a half sine from its opening to its closing.</summary>
    private static double Lift(double degrees, double opens, double closes, double power)
    {
        var length = closes - opens;
        if (length < 0)
            length += 720;
        var since = degrees - opens;
        since -= 720 * Math.Floor(since / 720);
        if (since >= length)
            return 0;
        var sine = Math.Sin(Math.PI * since / length);
        return Math.Pow(sine, power);
    }

    /// <summary>Gas through an opening for one step; implicit in the pressure, so a wide valve can't overshoot.</summary>
    private static void Exchange(ref Gas gas, double volume, double area, double outside, double outsideTemperature, double near)
    {
        var into = outside > gas.Pressure;
        var (high, low) = into ? (outside, gas.Pressure) : (gas.Pressure, outside);
        var temperature = into ? outsideTemperature : gas.Pressure * volume / gas.Mass;
        var root = Math.Sqrt(temperature);
        var ratio = low / high;
        double flow,
            slope;
        if (ratio > 1 - near)
        {
            slope = Ellipse(1 - near) / near;
            flow = slope * (1 - ratio);
        }
        else
        {
            flow = Ellipse(ratio);
            slope = ratio > Critical ? MostFlow * MostFlow * (ratio - Critical) / ((1 - Critical) * (1 - Critical)) / flow : 0;
        }

        // Pressure falls or rises by γ T dm / V; the change of the flow with the cylinder's pressure damps it.
        var gain = Gamma * temperature / volume * area / root;
        var rise = gain * high * flow;
        var damping = 1 + gain * (into ? slope : flow + slope * ratio);
        var change = rise / damping;
        var mass = change * volume / (Gamma * temperature);
        gas.Pressure += into ? change : -change;
        gas.Mass = Math.Max(1e-6, gas.Mass + (into ? mass : -mass));
    }

    private static double Ellipse(double ratio)
    {
        if (ratio <= Critical)
            return MostFlow;
        var x = (ratio - Critical) / (1 - Critical);
        return MostFlow * Math.Sqrt(1 - x * x);
    }
}
