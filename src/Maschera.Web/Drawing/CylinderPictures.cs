using Maschera.Core.Engines;
using Maschera.Core.Readings;

namespace Maschera.Web.Drawing;

/// <summary>One cylinder on the firing wheel.</summary>
/// <param name="Degrees">Its firing TDC on 0-720.</param>
/// <param name="Label">Its number, or its position in brackets.</param>
/// <param name="Percent">Its figure; null without one.</param>
/// <param name="Odd">True where it stands out.</param>
public sealed record WheelSpoke(double Degrees, string Label, double? Percent, bool Odd)
{
    /// <summary>False where the spoke's length is a picture and no figure.</summary>
    public bool ShowsPercent { get; init; } = true;
}

/// <summary>The round picture of one 720° cycle, a cylinder at each firing TDC.</summary>
public sealed record FiringWheel(IReadOnlyList<WheelSpoke> Spokes, string Title)
{
    public const double Radius = 96;
    public const double Hub = 22;

    /// <summary>Where an angle lies on a circle round (0, 0), the first TDC on top, running clockwise.</summary>
    public static (double X, double Y) Point(double degrees, double radius)
    {
        var angle = degrees / 720 * Math.Tau - Math.PI / 2;
        return (radius * Math.Cos(angle), radius * Math.Sin(angle));
    }

    /// <summary>Length of a spoke: the rim is 100 %, nothing is the hub.</summary>
    public static double Reach(double? percent) => Hub + (Radius - Hub) * Math.Clamp((percent ?? 100) / 100, 0, 1.15);

    /// <summary>The wheel of an engine alone.</summary>
    public static FiringWheel Of(Engine engine)
    {
        var angles = engine.Angles();
        return new([.. engine.FiringOrder.Select((c, i) => new WheelSpoke(angles[i], $"{c}", null, false))], "Firing order");
    }

    /// <summary>The wheel of one result; of the engine alone where it shows nothing.</summary>
    public static FiringWheel Of(Engine engine, CylinderWheel? wheel)
    {
        if (wheel is null)
            return Of(engine);
        var angles = engine.Angles();
        return new(
            [
                .. wheel
                    .Cells.Take(angles.Length)
                    .Select(
                        (cell, i) => new WheelSpoke(angles[i], cell.Label, cell.Percent, cell.Odd) { ShowsPercent = wheel.ShowsPercent }
                    ),
            ],
            wheel.Title
        );
    }

    /// <summary>The wheel of the newest reading that shows something; of the engine alone where none does.</summary>
    public static FiringWheel Of(Engine engine, IReadOnlyList<ReadingResult> oldestFirst) =>
        Of(
            engine,
            oldestFirst
                .Reverse()
                .Select(r => r.Reading)
                .Distinct()
                .Select(kind => ReadingRegistry.Find(kind)?.Wheel(engine, [.. oldestFirst.Where(r => r.Reading == kind)]))
                .FirstOrDefault(wheel => wheel is not null)
        );
}
