using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Readings.Contribution;
using Maschera.Core.Readings.Misfire;
using Maschera.Core.Readings.CylinderPressure;
using Maschera.Core.Readings.Pulses;
using Maschera.Core.Readings.RelativeCompression;

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

    /// <summary>The wheel of the newest usable reading that has one; of the engine alone where none has.</summary>
    public static FiringWheel Of(Engine engine, IEnumerable<ReadingResult?> readings)
    {
        var all = readings.OfType<ReadingResult>().ToList();
        var wheel = Newest(engine, all);
        var pressures = all.OfType<CylinderPressureResult>().Where(p => p is { IsUnusable: false, Cylinder: not null, PeakBar: not null }).ToList();
        return pressures.Count > 1 && all[^1] is CylinderPressureResult || wheel is null && pressures.Count > 0 ? Of(engine, pressures) : wheel ?? Of(engine);
    }

    private static FiringWheel? Newest(Engine engine, IEnumerable<ReadingResult> readings) => readings.Where(r => !r.IsUnusable).Select(r => r switch
    {
        RelativeCompressionResult compression => Of(engine, compression),
        MisfireResult misfire => Of(engine, misfire),
        ContributionResult contribution => Of(engine, contribution),
        PulsesResult pulses => Of(engine, pulses),
        _ => null,
    }).LastOrDefault(wheel => wheel is not null);

    /// <summary>The wheel of misfires: a spoke is as long as the share of firings that took place.</summary>
    public static FiringWheel Of(Engine engine, MisfireResult result)
    {
        var angles = engine.Angles();
        return new([.. engine.FiringOrder.Select((number, i) => result.Cylinders.First(c => c.Cylinder == number) is var c
            ? new WheelSpoke(angles[i], $"{number}", c.Firings > 0 ? 100.0 * (c.Firings - c.Misfires) / c.Firings : null, c.Misfires > 0 && result.Verdict != "random") : null!)], "Share of firings that took place");
    }

    /// <summary>The wheel of pulses: a spoke is as long as the pulse is deep, 100 % at the rim.</summary>
    public static FiringWheel Of(Engine engine, PulsesResult result)
    {
        var angles = engine.Angles();
        return new([.. engine.FiringOrder.Select((number, i) => result.Cylinders.First(c => c.Cylinder == number) is var c ? new WheelSpoke(angles[i], $"{number}", Math.Max(0, c.DepthPercent), c.IsOdd) : null!)], $"Depth of the pulse at the {result.At}");
    }

    /// <summary>The wheel of peak pressures: the rim is the highest peak of the cylinders measured.</summary>
    public static FiringWheel Of(Engine engine, IReadOnlyList<CylinderPressureResult> results)
    {
        var angles = engine.Angles();
        var newest = results.GroupBy(r => r.Cylinder).ToDictionary(g => g.Key!.Value, g => g.Last());
        var most = newest.Values.Max(r => r.PeakBar!.Value);
        return new([.. engine.FiringOrder.Select((number, i) => newest.TryGetValue(number, out var own) ? new WheelSpoke(angles[i], $"{number}", 100 * own.PeakBar!.Value / most, own.Verdict != "normal") : new WheelSpoke(angles[i], $"{number}", null, false))], "Peak pressure of the cylinders measured");
    }

    /// <summary>The wheel of logged balance: the rim is the usual cylinder, a shorter spoke gives less; without the odd ones all reach it.</summary>
    public static FiringWheel Of(Engine engine, ContributionResult result)
    {
        var angles = engine.Angles();
        var most = Math.Max(1e-9, result.Cylinders.Max(c => Math.Abs(c.Weak)));
        return new([.. engine.FiringOrder.Select((number, i) => result.Cylinders.FirstOrDefault(c => c.Cylinder == number) is { } c
            ? new WheelSpoke(angles[i], $"{number}", 100 - (c.IsOdd ? 60 * c.Weak / most : 0), c.IsOdd) { ShowsPercent = false } : new WheelSpoke(angles[i], $"{number}", null, false))], "Contribution: shorter gives less");
    }

    /// <summary>The wheel of a reading.</summary>
    public static FiringWheel Of(Engine engine, RelativeCompressionResult result)
    {
        var angles = engine.Angles();
        return new(
            [.. result.Positions.Select((p, i) => new WheelSpoke(angles[i], p.Cylinder?.ToString(System.Globalization.CultureInfo.InvariantCulture) ?? $"({p.Position})", p.Percent, result.Low.Any(l => l.Position == p.Position)))],
            "Compression work on the firing wheel");
    }
}
