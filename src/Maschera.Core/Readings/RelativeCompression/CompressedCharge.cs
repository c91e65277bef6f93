using Maschera.Core.Engines;

namespace Maschera.Core.Readings.RelativeCompression;

/// <summary>
/// Gas torque by whole degrees after TDC from -360, the work of compression, and the pressure at which the intake closes, over the one
/// outside.
/// </summary>
internal readonly record struct CompressedCharge(double[] Torque, double Work, double Filling)
{
    private const int First = -360;

    public double At(double afterTdc)
    {
        var place = afterTdc - First;
        var below = Math.Min((int)place, Torque.Length - 2);
        return Torque[below] + (place - below) * (Torque[below + 1] - Torque[below]);
    }

    /// <summary>Polytropic exponent of air in a cold cylinder at cranking speed.</summary>
    public const double Exponent = 1.3;

    /// <summary>
    /// Marches a charge from intake closing to exhaust opening, a degree a step: polytropic change of volume, and a
    /// leak whose mass flow grows with the overpressure (narrow gaps) and with the time a degree takes.
    /// </summary>
    /// <param name="intake">
    /// The intake of a cylinder that does not fill, marched too; null where the pressure is the one outside when it closes.
    /// </param>
    public static CompressedCharge March(
        ChargeVolumes volumes,
        double closing,
        double opening,
        Leak leak,
        Func<int, double> slowness,
        ThrottledIntake? intake = null
    )
    {
        var torque = new double[180 - First + 1];
        var first = (int)Math.Ceiling(-180 + closing + 1e-9);
        var last = (int)Math.Floor(180 - opening);
        // Valve events fall between whole degrees: the first step is the part of a degree that is left.
        var drawn = intake?.Draw(torque, volumes, first, slowness);
        var pressure = drawn ?? Math.Pow(volumes.At(-180 + closing) / volumes[first], Exponent);
        // Mass goes with pressure over temperature, temperature with the polytropic power of the pressure.
        var density = Math.Pow(pressure, 1 / Exponent);
        for (var degree = first; degree <= last; degree++)
        {
            if (degree > first)
            {
                pressure *= volumes.Pressed(degree);
                density *= volumes.Denser(degree);
            }

            var lost = Math.Clamp(leak.Flow(pressure) / (density * volumes[degree]) * slowness(degree), -0.3, 0.3);
            density *= Shrunk(lost);
            pressure *= Shrunk(Exponent * lost);
            torque[degree - First] = (1 - pressure) * volumes.Slope(degree);
        }

        double work = 0;
        foreach (var compressing in torque.AsSpan(-180 - First, 180))
            work += compressing;
        return new CompressedCharge(torque, work, drawn ?? 1);
    }

    /// <summary>The exponential of a small share taken away, at most 0.4: its series, to 4e-8 there.</summary>
    private static double Shrunk(double lost)
    {
        var x = -lost;
        return 1 + x * (1 + x / 2 * (1 + x / 3 * (1 + x / 4 * (1 + x / 5 * (1 + x / 6 * (1 + x / 7))))));
    }
}

/// <summary>How much a cylinder leaks, and by which law.</summary>
/// <param name="Size">Share of the charge lost in a degree at mean speed for each bar of overpressure.</param>
/// <param name="Hole">0 for narrow gaps, whose flow grows with the overpressure; 1 for a hole, whose flow grows as a nozzle's.</param>
internal readonly record struct Leak(double Size, double Hole)
{
    /// <summary>
    /// Isentropic exponent of air, and its flow function where the flow is choked (Saint-Venant and Wantzel; Heywood, appendix C).
    /// </summary>
    private const double Kappa = 1.4,
        Choked = 0.2588,
        ChokedRatio = 0.53,
        RootOfTemperature = 0.115;

    /// <summary>Mass flow at a pressure over the one outside; both laws are alike where the flow begins to choke.</summary>
    public double Flow(double pressure) => Size * ((1 - Hole) * (pressure - 1) + Hole * Nozzle(pressure));

    /// <summary>Steps of pressure a table of the nozzle's flow has, and where it ends: no starter compresses that far.</summary>
    private const double TableStep = 0.005,
        TableEnd = 120;

    private static readonly double[] s_nozzle =
    [
        .. Enumerable.Range(0, (int)(TableEnd / TableStep) + 2).Select(i => ExactNozzle(Math.Max(i * TableStep, 1e-6))),
    ];

    /// <summary>Flow through a hole, outward positive, over the choked flow from the pressure outside; from a table.</summary>
    public static double Nozzle(double pressure)
    {
        var place = Math.Clamp(pressure, 0, TableEnd) / TableStep;
        var below = (int)place;
        return s_nozzle[below] + (place - below) * (s_nozzle[below + 1] - s_nozzle[below]);
    }

    private static double ExactNozzle(double pressure)
    {
        var ratio = pressure > 1 ? 1 / pressure : pressure;
        var psi = ratio < ChokedRatio ? Choked : Math.Sqrt(Math.Max(0, Math.Pow(ratio, 2 / Kappa) - Math.Pow(ratio, (Kappa + 1) / Kappa)));
        return (pressure > 1 ? Math.Pow(pressure, 1 - RootOfTemperature) * psi : -psi) / Choked;
    }
}

/// <summary>Cylinder volume over its volume at bottom dead centre, by whole degrees.</summary>
internal sealed class ChargeVolumes
{
    private readonly SliderCrank _crank;
    private readonly double[] _volume;
    private readonly double[] _denser = new double[361];
    private readonly double[] _pressed = new double[361];
    private readonly double[] _slope;

    public ChargeVolumes(SliderCrank crank)
    {
        _crank = crank;
        var degrees = Enumerable.Range(-180, 361).ToList();
        _volume = [.. degrees.Select(d => At(d))];
        _slope = [.. degrees.Select(d => crank.VolumeSlope(double.DegreesToRadians(d)))];
        for (var place = 0; place < _volume.Length; place++)
        {
            // A cycle comes to its bottom twice: the degree before the first is the one before the last.
            _denser[place] = (place > 0 ? _volume[place - 1] : _volume[^2]) / _volume[place];
            _pressed[place] = Math.Pow(_denser[place], CompressedCharge.Exponent);
        }
    }

    /// <summary>Degrees after firing TDC, from -360: the piston comes by twice in a cycle.</summary>
    public double this[int degree] => _volume[Place(degree)];

    /// <summary>What the density is multiplied by in the degree up to this one, and the pressure, where nothing flows.</summary>
    public double Denser(int degree) => _denser[Place(degree)];

    public double Pressed(int degree) => _pressed[Place(degree)];

    public double At(double degree) => _crank.Volume(double.DegreesToRadians(degree)) / _crank.Volume(Math.PI);

    public double Slope(int degree) => _slope[Place(degree)];

    private static int Place(int degree) => degree < -180 ? degree + 540 : degree + 180;
}
