using Maschera.Core.Engines;

namespace Maschera.Rig;

/// <summary>What all cylinders of a stand-in have alike, over a cycle: degrees after firing TDC.</summary>
/// <param name="Volume">m³.</param>
/// <param name="Slope">Its change a radian, m³.</param>
/// <param name="Power">Its power γ - 1, by which it is compressed without heat.</param>
/// <param name="Intake">Lift of the intake valve, 0 to 1.</param>
/// <param name="Exhaust">Lift of the exhaust valve.</param>
internal sealed record EngineTables(CycleTable Volume, CycleTable Slope, CycleTable Power, CycleTable Intake, CycleTable Exhaust)
{
    /// <summary>Works them out.</summary>
    /// <param name="gamma">Ratio of specific heats.</param>
    /// <param name="lift">Lift by the share of the time it is open, 0 to 1.</param>
    /// <exception cref="ArgumentException">The engine lacks geometry or valve timing.</exception>
    public static EngineTables Of(Engine engine, double gamma, Func<double, double> lift, double intakeShift = 0, double exhaustShift = 0)
    {
        if (engine.Geometry is not { } g || engine.ValveTiming is not { } timing)
            throw new ArgumentException("The stand-in engine needs geometry and valve timing.", nameof(engine));
        var (crank, swept) = (SliderCrank.Of(g, g.CompressionRatio), Swept(g));
        double Volume(double at) => swept * crank.Volume(double.DegreesToRadians(at));
        CycleTable Lift(double opens, double closes) =>
            new(at =>
                EngineSignals.After(opens, at) is var into && EngineSignals.After(opens, closes) is var length && into < length
                    ? lift(into / length)
                    : 0
            );
        return new(
            new(Volume),
            new(at => swept * crank.VolumeSlope(double.DegreesToRadians(at))),
            new(at => Math.Pow(Volume(at), gamma - 1)),
            Lift(timing.Ivo + intakeShift, timing.Ivc + intakeShift),
            Lift(timing.Evo + exhaustShift, timing.Evc + exhaustShift)
        );
    }

    /// <summary>Area of a piston, m².</summary>
    public static double Piston(EngineGeometry g) => Math.PI / 4 * g.BoreMm * g.BoreMm * 1e-6;

    /// <summary>Volume swept by a piston, m³.</summary>
    public static double Swept(EngineGeometry g) => Piston(g) * g.StrokeMm * 1e-3;
}
