using Maschera.Core.Engines;

namespace Maschera.Core.Readings.RelativeCompression;

/// <summary>Gas torque by whole degrees after TDC from -180, and the work of compression.</summary>
internal readonly record struct CompressedCharge(double[] Torque, double Work)
{
    public double At(double afterTdc)
    {
        var place = afterTdc + 180;
        var below = Math.Min((int)place, 359);
        return Torque[below] + (place - below) * (Torque[below + 1] - Torque[below]);
    }

    /// <summary>Polytropic exponent of air in a cold cylinder at cranking speed.</summary>
    private const double Exponent = 1.3;

    /// <summary>
    /// Marches a charge from intake closing to exhaust opening, a degree a step: polytropic change of volume, and a
    /// leak whose mass flow grows with the overpressure (narrow gaps) and with the time a degree takes.
    /// </summary>
    /// <param name="filling">Pressure at which the intake closes, over the pressure outside: 1, and less in a cylinder that does not fill.</param>
    public static CompressedCharge March(
        ChargeVolumes volumes,
        double closing,
        double opening,
        Leak leak,
        Func<int, double> slowness,
        double filling = 1
    )
    {
        var torque = new double[361];
        var work = 0.0;
        var first = (int)Math.Ceiling(-180 + closing + 1e-9);
        var last = (int)Math.Floor(180 - opening);
        // Valve events fall between whole degrees: the first step is the part of a degree that is left.
        var logPressure = Math.Log(filling) + Exponent * (Math.Log(volumes.At(-180 + closing)) - volumes.Log(first));
        for (var degree = first; degree <= last; degree++)
        {
            if (degree > first)
                logPressure += Exponent * (volumes.Log(degree - 1) - volumes.Log(degree));
            // Mass goes with pressure over temperature, temperature with the polytropic power of the pressure.
            var density = Math.Exp(logPressure / Exponent);
            var lost = leak.Flow(Math.Exp(logPressure)) / (density * volumes[degree]) * slowness(degree);
            logPressure -= Exponent * Math.Clamp(lost, -0.3, 0.3);
            torque[degree + 180] = (1 - Math.Exp(logPressure)) * volumes.Slope(degree);
            if (degree < 0)
                work += torque[degree + 180];
        }

        return new CompressedCharge(torque, work);
    }
}

/// <summary>How much a cylinder leaks, and by which law.</summary>
/// <param name="Size">Share of the charge lost in a degree at mean speed for each bar of overpressure.</param>
/// <param name="Hole">0 for narrow gaps, whose flow grows with the overpressure; 1 for a hole, whose flow grows as a nozzle's.</param>
internal readonly record struct Leak(double Size, double Hole)
{
    /// <summary>Isentropic exponent of air, and its flow function where the flow is choked (Saint-Venant and Wantzel; Heywood, appendix C).</summary>
    private const double Kappa = 1.4,
        Choked = 0.2588,
        ChokedRatio = 0.53,
        RootOfTemperature = 0.115;

    /// <summary>Mass flow at a pressure over the one outside; both laws are alike where the flow begins to choke.</summary>
    public double Flow(double pressure) => Size * ((1 - Hole) * (pressure - 1) + Hole * Nozzle(pressure));

    private static double Nozzle(double pressure)
    {
        var ratio = pressure > 1 ? 1 / pressure : pressure;
        var psi = ratio < ChokedRatio ? Choked : Math.Sqrt(Math.Max(0, Math.Pow(ratio, 2 / Kappa) - Math.Pow(ratio, (Kappa + 1) / Kappa)));
        return (pressure > 1 ? Math.Pow(pressure, 1 - RootOfTemperature) * psi : -psi) / Choked;
    }
}

/// <summary>Cylinder volume over its volume at bottom dead centre, by whole degrees.</summary>
internal sealed class ChargeVolumes(SliderCrank crank)
{
    private static ChargeVolumes? s_last;
    private readonly double[] _volume =
    [
        .. Enumerable.Range(-180, 361).Select(d => crank.Volume(double.DegreesToRadians(d)) / crank.Volume(Math.PI)),
    ];
    private readonly double[] _log =
    [
        .. Enumerable.Range(-180, 361).Select(d => Math.Log(crank.Volume(double.DegreesToRadians(d)) / crank.Volume(Math.PI))),
    ];
    private readonly double[] _slope = [.. Enumerable.Range(-180, 361).Select(d => crank.VolumeSlope(double.DegreesToRadians(d)))];

    public double this[int degree] => _volume[degree + 180];

    public double Log(int degree) => _log[degree + 180];

    public static ChargeVolumes Of(SliderCrank crank)
    {
        var last = s_last;
        if (last is not null && last.Crank == crank)
            return last;
        return s_last = new ChargeVolumes(crank);
    }

    private SliderCrank Crank => crank;

    public double At(double degree) => crank.Volume(double.DegreesToRadians(degree)) / crank.Volume(Math.PI);

    public double Slope(int degree) => _slope[degree + 180];
}
