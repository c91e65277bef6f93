using Maschera.Core.Basics;

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
        PerSubsonic = 1 / (1 - Critical),
        MostFlow = 0.685,
        Wall = 1.25,
        ExhaustTemperature = 1.4;

    private readonly double[] _volume = new double[Steps],
        _perVolume = new double[Steps],
        _work = new double[Steps],
        _surface = new double[Steps];
    private readonly ValveTiming _timing;
    private readonly ShutValve _shut;
    private readonly LastTwo<double[]> _pistons = new(),
        _openings = new();

    /// <summary>A cylinder of that crank and valve timing.</summary>
    public MotoredCylinder(SliderCrank crank, ValveTiming timing, ShutValve shut = ShutValve.None)
    {
        (_timing, _shut) = (timing, shut);
        var clearance = crank.Volume(0);
        for (var i = 0; i < Steps; i++)
        {
            _volume[i] = crank.Volume(i * Math.PI / 180 / PerDegree);
            _perVolume[i] = 1 / _volume[i];
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
        var course = new Course(
            _pistons.Of(state.Exponent, exponent => Array.ConvertAll(_work, work => Math.Exp(exponent * work))),
            _shut == ShutValve.Exhaust ? new double[Steps] : Areas(_timing.Evo, _timing.Evc, state.ExhaustShift, state.ExhaustArea, state),
            _shut == ShutValve.Intake ? new double[Steps] : Areas(_timing.Ivo, _timing.Ivc, state.IntakeShift, state.IntakeArea, state),
            state
        );
        for (var (n, i) = (0, start); n < count; n++)
        {
            pressures[i] = gas.Pressure;
            var next = i + 1 == Steps ? 0 : i + 1;
            Step(ref gas, i, next, course);
            i = next;
        }

        return pressures;
    }

    /// <summary>Share of the charge that leaves through the leak between the intake's closing and the exhaust's opening.</summary>
    public double LostShare(CylinderState state)
    {
        if (state.LeakArea <= 0)
            return 0;
        return 1 - Kept(state) / Kept(state with { LeakArea = 0 });
    }

    /// <summary>
    /// The same, with what the walls take of the pressure counted as lost: where no other capture tells heat from a leak.
    /// </summary>
    public double LostInAll(CylinderState state) => 1 - Kept(state);

    /// <summary>
    /// Mass where the exhaust opens over the mass where the intake closed, as pressure and volume tell it: what the walls take of the
    /// pressure counts in it too, and is the same in a tight cylinder.
    /// </summary>
    private double Kept(CylinderState state)
    {
        var pressures = Cycle(state);
        var from = (int)((_timing.Ivc + state.IntakeShift) * PerDegree);
        var to = (int)((_timing.Evo + state.ExhaustShift + 720) * PerDegree);
        double Mass(int i) => Math.Pow(pressures[i % Steps], 1 / state.Exponent) * _volume[i % Steps];
        return Mass(to) / Mass(from);
    }

    private struct Gas(double pressure, double mass)
    {
        public double Pressure = pressure,
            Mass = mass;
    }

    /// <summary>What a state gives every step: the piston's work on the pressure, the valves' areas a step after it, and more.</summary>
    private readonly struct Course(double[] piston, double[] exhaust, double[] intake, CylinderState state)
    {
        public readonly double[] Piston = piston,
            Exhaust = exhaust,
            Intake = intake;
        public readonly double Heat = (Gamma - 1) / PerDegree * state.HeatLoss * state.Intake,
            PerIntake = 1 / state.Intake,
            Leak = state.LeakArea / PerDegree;
        public readonly Outside Outlet = new(state.Exhaust, ExhaustTemperature),
            Inlet = new(state.Intake, 1),
            Crankcase = new(state.Exhaust, 1);
        public readonly Nearness Near = new(state.Near);
    }

    private void Step(ref Gas gas, int i, int next, in Course course)
    {
        gas.Pressure *= course.Piston[i];
        var (volume, perVolume) = (_volume[next], _perVolume[next]);
        var ratio = (float)(gas.Pressure * course.PerIntake);
        gas.Pressure -=
            course.Heat
            * perVolume
            * _surface[next]
            * MathF.Exp(0.8f * MathF.Log(MathF.Max(ratio, 1e-3f)))
            * (gas.Pressure * volume / gas.Mass - Wall);
        if (course.Exhaust[i] > 0)
            Exchange(ref gas, volume, perVolume, course.Exhaust[i], course.Outlet, course.Near);
        if (course.Intake[i] > 0)
            Exchange(ref gas, volume, perVolume, course.Intake[i], course.Inlet, course.Near);
        if (course.Leak > 0)
            Exchange(ref gas, volume, perVolume, course.Leak, course.Crankcase, course.Near);
    }

    /// <summary>Places of the table of an opening, over which is gone in straight lines: off by less than a hundred-thousandth.</summary>
    private const int Places = 1024;

    /// <summary>
    /// Flow area a step of a valve at the end of every step: fully open times a power of a half sine from its opening to its closing.
    /// </summary>
    private double[] Areas(double opens, double closes, double shift, double area, CylinderState state)
    {
        var opening = _openings.Of(state.LiftPower, Opening);
        var length = closes - opens + (closes < opens ? 720 : 0);
        var areas = new double[Steps];
        var first = (int)Math.Floor((opens + shift) * PerDegree);
        for (var step = first; step < (opens + shift + length) * PerDegree; step++)
        {
            var place = ((step + 1.0) / PerDegree - opens - shift) / length * Places;
            if (place <= 0 || place >= Places)
                continue;
            var at = (int)place;
            var i = (step % Steps + Steps) % Steps;
            areas[i] = area / PerDegree * (opening[at] + (place - at) * (opening[at + 1] - opening[at]));
        }

        return areas;
    }

    private static double[] Opening(double power)
    {
        var opening = new double[Places + 1];
        for (var i = 1; i <= Places / 2; i++)
            opening[i] = opening[Places - i] = Math.Pow(Math.Sin(Math.PI * i / Places), power);
        return opening;
    }

    /// <summary>What lies beyond an opening: its pressure, temperature, and what follows from both.</summary>
    private readonly record struct Outside(double Pressure, double Temperature)
    {
        public double Root { get; } = Math.Sqrt(Temperature);
        public double PerPressure { get; } = 1 / Pressure;
        public double MassOfRise { get; } = 1 / (Gamma * Temperature);
    }

    /// <summary>Gas through an opening for one step; implicit in the pressure, so a wide valve can't overshoot.</summary>
    private static void Exchange(ref Gas gas, double volume, double perVolume, double area, in Outside outside, in Nearness near)
    {
        var into = outside.Pressure > gas.Pressure;
        var ratio = into ? gas.Pressure * outside.PerPressure : outside.Pressure / gas.Pressure;
        var high = into ? outside.Pressure : gas.Pressure;
        var root = into ? outside.Root : Math.Sqrt(gas.Pressure * volume / gas.Mass);
        var (flow, slope) = near.Flow(ratio);
        // Pressure falls or rises by γ T dm / V; the change of the flow with the cylinder's pressure damps it.
        var gain = Gamma * root * perVolume * area;
        var change = gain * high * flow / (1 + gain * (into ? slope : flow + slope * ratio));
        if (into)
        {
            gas.Pressure += change;
            gas.Mass += change * volume * outside.MassOfRise;
        }
        else
        {
            gas.Mass = Math.Max(1e-6, gas.Mass * (1 - change * ratio * outside.PerPressure / Gamma));
            gas.Pressure -= change;
        }
    }

    /// <summary>Flow through an opening by the ratio of the pressures: along a line where they are near, else on the ellipse.</summary>
    private readonly struct Nearness(double near)
    {
        private readonly double _from = 1 - near,
            _slope = Ellipse(1 - near) / near;

        public (double Flow, double Slope) Flow(double ratio)
        {
            if (ratio > _from)
                return (_slope * (1 - ratio), _slope);
            if (ratio <= Critical)
                return (MostFlow, 0);
            var x = (ratio - Critical) * PerSubsonic;
            var root = Math.Sqrt(1 - x * x);
            return (MostFlow * root, MostFlow * PerSubsonic * x / root);
        }
    }

    private static double Ellipse(double ratio)
    {
        if (ratio <= Critical)
            return MostFlow;
        var x = (ratio - Critical) * PerSubsonic;
        return MostFlow * Math.Sqrt(1 - x * x);
    }
}
