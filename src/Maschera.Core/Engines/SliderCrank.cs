namespace Maschera.Core.Engines;

/// <summary>
/// The centred slider-crank (Heywood, Internal Combustion Engine Fundamentals, ch. 2): volumes in units of the swept
/// volume, angles in radians after TDC.
/// </summary>
public readonly record struct SliderCrank(double CompressionRatio, double RodRatio)
{
    /// <summary>Rod length over crank radius of an ordinary engine, used where the geometry is not given.</summary>
    public const double UsualRodRatio = 3.3;

    /// <summary>The crank of an engine, or an ordinary one.</summary>
    public static SliderCrank Of(EngineGeometry? geometry, double usualCompressionRatio) =>
        geometry is null
            ? new(usualCompressionRatio, UsualRodRatio)
            : new(geometry.CompressionRatio, 2 * geometry.RodMm / geometry.StrokeMm);

    /// <summary>The same with more clearance, in swept volumes: a transducer's hose on the cylinder, say.</summary>
    public SliderCrank WithVolume(double more) => this with { CompressionRatio = 1 + 1 / (1 / (CompressionRatio - 1) + more) };

    /// <summary>Cylinder volume over swept volume.</summary>
    public double Volume(double angle)
    {
        var sine = Math.Sin(angle);
        return 1 / (CompressionRatio - 1) + (1 - Math.Cos(angle) + RodRatio - Math.Sqrt(RodRatio * RodRatio - sine * sine)) / 2;
    }

    /// <summary>Change of <see cref="Volume"/> a radian; positive after TDC.</summary>
    public double VolumeSlope(double angle)
    {
        var (sine, cosine) = Math.SinCos(angle);
        return sine / 2 * (1 + cosine / Math.Sqrt(RodRatio * RodRatio - sine * sine));
    }
}
