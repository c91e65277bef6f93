using Maschera.Core.Engines;
using Maschera.Core.Signals;

namespace Maschera.Core.Tests;

/// <summary>
/// An engine on its starter that is not the stand-in: cylinders that are springs of air, a starter whose torque falls with speed,
/// friction, and a flywheel so light that the speed halves within some teeth.
/// </summary>
/// <param name="Cylinders">Fire evenly in the order of their numbers.</param>
/// <param name="Wheel">Teeth with their gaps spread evenly.</param>
internal sealed record StarterBench(int Cylinders, CrankWheel Wheel)
{
    private const double Seconds = 4,
        Rate = 20_000;

    /// <summary>A cylinder's air when its valve has shut, J; pressure times volume.</summary>
    private const double Air = 45;

    /// <summary>The starter at the crank: torque at standstill in Nm, and the speed at which none is left, rad/s.</summary>
    private const double Stall = 190,
        Idle = 38;

    private const double Friction = 25;

    /// <summary>Turning mass of crank and flywheel, kg m².</summary>
    public double Inertia { get; init; } = 0.14;

    public int Seed { get; init; } = 1;

    public bool IsInductive { get; init; }

    /// <summary>The hall sensor is high in the gap.</summary>
    public bool IsInverted { get; init; }

    /// <summary>Time before the key, s.</summary>
    public double Stands { get; init; }

    /// <summary>How far the cam is late, degrees.</summary>
    public double Offset { get; init; }

    /// <summary>Share of its air that the first cylinder loses.</summary>
    public double Lost { get; init; }

    /// <summary>Of both sensors, V.</summary>
    public double Noise { get; init; } = 0.02;

    /// <summary>Crank and cam sensor, and the lowest against the highest speed within the last second.</summary>
    public (Capture Capture, double Swing) Crank()
    {
        var random = new Random(Seed);
        var count = (int)(Seconds * Rate);
        var (crank, cam) = (new float[count], new float[count]);
        var (degrees, speed) = (720 * random.NextDouble(), 0.0);
        var (slowest, fastest) = (double.MaxValue, 0.0);
        for (var i = 0; i < count; i++)
        {
            if (i > Stands * Rate)
                speed = Math.Max(0, speed + Torque(degrees, speed) / Inertia / Rate);
            degrees += speed * 180 / Math.PI / Rate;
            if (i > count - Rate)
                (slowest, fastest) = (Math.Min(slowest, speed), Math.Max(fastest, speed));
            double Volts(double volts) => volts + Noise * LogMaker.Gaussian(random);
            crank[i] = (float)Volts(
                IsInductive ? 0.05 * speed * Wave(degrees)
                : IsHigh(degrees) ? 5
                : 0.2
            );
            cam[i] = (float)Volts(CamIsHigh(degrees - Offset) ? 5 : 0.2);
        }

        var time = TimeAxis.Uniform(0, 1 / Rate, count);
        return (
            new Capture("on the starter", [new("Crank sensor", "V", time, crank), new("Cam sensor", "V", time, cam)], []),
            slowest / fastest
        );
    }

    private double Torque(double degrees, double speed)
    {
        var gas = Enumerable.Range(0, Cylinders).Sum(k => (k == 0 ? 1 - Lost : 1) * Gas(degrees - 720.0 * k / Cylinders));
        return Stall * (1 - speed / Idle) - Friction + gas;
    }

    /// <summary>Torque of one cylinder's air, Nm, its compression ending at 0: shut from 140° before to 140° after.</summary>
    private static double Gas(double degrees)
    {
        var at = Math.IEEERemainder(degrees, 720);
        if (Math.Abs(at) > 140)
            return 0;
        double Energy(double x) => Air / 0.35 * (Math.Pow(Volume(140) / Volume(x), 0.35) - 1);
        return -(Energy(at + 0.5) - Energy(at - 0.5)) * 180 / Math.PI;
    }

    /// <summary>Volume over that of the piston's top, with a compression ratio of 10.</summary>
    private static double Volume(double degrees) => 1 + 4.5 * (1 - Math.Cos(degrees * Math.PI / 180));

    private (double Phase, bool IsThere) Tooth(double degrees)
    {
        var place = ((degrees % 360) + 360) % 360 / (360.0 / Wheel.Teeth);
        if (Wheel.Missing.Count == 0)
            return (place - (int)place, true);
        var part = Wheel.Teeth / Wheel.Missing.Count;
        return (place - (int)place, (int)place % part < part - Wheel.Missing[(int)place / part]);
    }

    private bool IsHigh(double degrees)
    {
        var (phase, there) = Tooth(degrees);
        return (there && phase < 0.5) != IsInverted;
    }

    private double Wave(double degrees)
    {
        var (phase, there) = Tooth(degrees);
        return there ? Math.Sin(Math.Tau * phase) : 0;
    }

    private static bool CamIsHigh(double degrees) =>
        (((degrees % 720) + 720) % 720) is > 50 and < 190 or > 310 and < 360 or > 560 and < 640;
}
