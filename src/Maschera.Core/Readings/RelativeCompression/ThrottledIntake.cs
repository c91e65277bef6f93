namespace Maschera.Core.Readings.RelativeCompression;

/// <summary>
/// The intake of a cylinder that does not fill: a valve that opens by a squared sine of which the first part is lost, as of a worn cam,
/// and less of it than it should, as of a blocked port.
/// </summary>
/// <param name="Height">Choked flow at the widest opening, in volumes at bottom dead centre a degree at mean speed.</param>
/// <param name="Lost">Share of the lift that is lost before the valve opens, 0 to less than 1.</param>
/// <param name="Closes">Where the sound intake closes, degrees after bottom dead centre.</param>
internal readonly record struct ThrottledIntake(double Height, double Lost, double Closes)
{
    /// <summary>The sound intake opens some degrees before gas-exchange TDC, and the exhaust closes some behind it.</summary>
    private const double Opens = -370;
    private const int ExhaustCloses = -350;

    /// <summary>
    /// Marches the pressure, over the one outside, from where the exhaust closes to a degree after firing TDC; what the piston draws goes
    /// into the torque by degrees from -360.
    /// </summary>
    public double Draw(double[] torque, ChargeVolumes volumes, int until, Func<int, double> slowness)
    {
        var pressure = 1.0;
        for (var degree = ExhaustCloses; degree < until; degree++)
        {
            torque[degree + 360] = (1 - pressure) * volumes.Slope(degree);
            var next = volumes[degree + 1];
            pressure *= volumes.Pressed(degree + 1);
            var most = Math.Abs(1 - pressure) / CompressedCharge.Exponent;
            var drawn = -Height * Lift(degree) * Leak.Nozzle(pressure) * slowness(degree) / next;
            pressure += CompressedCharge.Exponent * Math.Clamp(drawn, -most, most);
        }

        return pressure;
    }

    private double Lift(int degree)
    {
        var share = (degree + 0.5 - Opens) / (Closes - 180 - Opens);
        var sine = Math.Sin(Math.PI * Math.Clamp(share, 0, 1));
        return Math.Max(0, sine * sine - Lost) / (1 - Lost);
    }
}
