using Maschera.Core.Engines;

namespace Maschera.Core.Readings.CylinderPressure;

/// <summary>What decides how an engine's speed swings.</summary>
/// <param name="Ease">How easily torque changes the speed: (swept volume times pressure) over (inertia times speed squared).</param>
/// <param name="Burn">What a burn adds to the compressed charge's pressure; 0 where nothing fires.</param>
/// <param name="Damping">Share of a change of speed that the drive takes back a degree.</param>
internal readonly record struct SwingFigures(double Ease, double Burn, double Damping);

/// <summary>
/// How the crank's speed swings within a cycle because of the gas: the measured cylinder's own pressure, the compressions
/// of the others and, where they fire, their burns. Without a crank sensor, degrees between the towers follow from it.
/// Energy of the crank: J w dw/dθ = torque - mean torque - D (w - mean w).
/// </summary>
internal sealed class SpeedSwing
{
    private const int Steps = 720;

    /// <summary>A sound compression and expansion.</summary>
    private const double Polytrope = 1.33;

    /// <summary>Cycles run until the swing repeats.</summary>
    private const int Rounds = 3;

    private readonly double[] _slope = new double[Steps],
        _byIntake = new double[Steps],
        _byExhaust = new double[Steps],
        _byBurn = new double[Steps];

    /// <summary>The torque tables of an engine's other cylinders, around the one that was measured.</summary>
    public SpeedSwing(Engine engine, SliderCrank crank, ValveTiming timing, int measured)
    {
        var angles = engine.Angles();
        for (var i = 0; i < Steps; i++)
            _slope[i] = crank.VolumeSlope(Radians(i)) * Math.PI / 180;
        var closed = crank.Volume(timing.Ivc * Math.PI / 180);
        for (var place = 0; place < angles.Length; place++)
        {
            if (place == measured)
                continue;
            for (var i = 0; i < Steps; i++)
            {
                var after = (int)((i - angles[place] + angles[measured] + 2 * Steps) % Steps);
                var slope = _slope[after];
                var compressed = Math.Pow(closed / crank.Volume(Radians(after)), Polytrope) * slope;
                if (after < timing.Evo || after >= timing.Ivc)
                    _byIntake[i] += compressed;
                else if (after < 360)
                    _byExhaust[i] += slope;
                else
                    _byIntake[i] += slope;
                _byExhaust[i] -= slope;
                if (after < timing.Evo || after > 700)
                    _byBurn[i] += compressed * Burnt(after > 700 ? after - Steps : after);
            }
        }
    }

    /// <summary>
    /// Degrees after firing TDC at even steps of time over one cycle, the first half a step after <paramref name="start"/>.
    /// </summary>
    /// <param name="pressures">The measured cylinder's pressure, <see cref="MotoredCylinder.PerDegree"/> a degree.</param>
    /// <param name="intake">Pressure in the intake.</param>
    /// <param name="exhaust">Pressure in the exhaust.</param>
    /// <param name="start">Degrees at which the time starts.</param>
    /// <param name="swing">How the speed swings, its ease at the cycle's own speed.</param>
    public double[] Degrees(double[] pressures, double intake, double exhaust, double start, in SwingFigures swing)
    {
        var (ease, burn, damping) = swing;
        var torque = new double[Steps];
        for (var i = 0; i < Steps; i++)
            torque[i] =
                (pressures[i * MotoredCylinder.PerDegree] - exhaust) * _slope[i]
                + intake * _byIntake[i]
                + exhaust * _byExhaust[i]
                + intake * burn * _byBurn[i];
        var mean = torque.Average();
        var (speed, seconds) = (1.0, new double[Steps + 1]);
        for (var round = 0; round < Rounds; round++)
        {
            double sum = 0,
                offset = 0;
            for (var i = 0; i < Steps; i++)
            {
                seconds[i + 1] = (sum += 1 / speed);
                offset += speed;
                speed = Math.Clamp(speed + ease * (torque[i] - mean) / speed - damping * (speed - 1), 0.2, 5);
            }

            // The swing turns about a mean speed of 1.
            speed += 1 - offset / Steps;
        }

        return Invert(seconds, start);
    }

    /// <summary>Degrees at even times from the times at even degrees.</summary>
    private static double[] Invert(double[] seconds, double start)
    {
        var period = seconds[Steps];
        double TimeAt(double degrees)
        {
            var turns = Math.Floor(degrees / Steps);
            var within = degrees - turns * Steps;
            var i = Math.Min((int)within, Steps - 1);
            return turns * period + seconds[i] + (within - i) * (seconds[i + 1] - seconds[i]);
        }

        var found = new double[Steps];
        var from = TimeAt(start);
        var (at, turn) = (0, 0.0);
        for (var k = 0; k < Steps; k++)
        {
            var wanted = from + (k + 0.5) / Steps * period;
            turn = Math.Floor(wanted / period);
            var within = wanted - turn * period;
            if (at >= Steps || seconds[at] > within)
                at = 0;
            while (at + 1 < Steps && seconds[at + 1] <= within)
                at++;
            found[k] = turn * Steps + at + (within - seconds[at]) / (seconds[at + 1] - seconds[at]);
        }

        return found;
    }

    private static double Radians(int degrees) => degrees * Math.PI / 180;

    /// <summary>Share burnt, from 12° before TDC over 55° (Wiebe; Heywood, ch. 9).</summary>
    private static double Burnt(double after) => after < -12 ? 0 : 1 - Math.Exp(-5 * Math.Pow((after + 12) / 55, 3));
}
