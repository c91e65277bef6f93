using System.Text.Json.Serialization;
using Maschera.Core.Timing;

namespace Maschera.Core.Engines;

/// <summary>A trigger wheel on the crank. <paramref name="Teeth"/> counts the missing ones too.</summary>
/// <param name="Teeth">Tooth places round the wheel.</param>
/// <param name="Missing">The size of each gap, in order round the wheel; empty on a plain wheel.</param>
/// <param name="GapToTdc">
/// Crank degrees from the first tooth edge after the first gap to the firing TDC of the first cylinder of the firing order.
/// </param>
/// <param name="Extra">
/// 1 where a tooth more between two others marks the turn instead of a gap; <paramref name="GapToTdc"/> then counts from
/// the tooth after it.
/// </param>
public sealed record CrankWheel(int Teeth, IReadOnlyList<int> Missing, double? GapToTdc = null, int Extra = 0)
{
    /// <summary>A file that says nothing of gaps means a plain wheel.</summary>
    public IReadOnlyList<int> Missing { get; init; } = Missing ?? [];
}

/// <summary>What turns the cam: "belt" or "chain", and the teeth of its wheel on the crank, so that one tooth is 360° over them.</summary>
public sealed record CamDrive(string Kind, int CrankTeeth)
{
    /// <summary>Crank degrees the cam is off when the drive has slipped by one tooth.</summary>
    public double DegreesPerTooth => 360.0 / CrankTeeth;
}

/// <summary>Plugs that something lies over, as the intake over one bank, and how many minutes more it takes to reach one.</summary>
public sealed record PlugAccess(IReadOnlyList<int> Cylinders, double Minutes);

/// <summary>Valve events in degrees after firing TDC, 0-720.</summary>
public sealed record ValveTiming(double Evo, double Evc, double Ivo, double Ivc);

/// <summary>Bore, stroke and rod in mm, and the geometric compression ratio.</summary>
public sealed record EngineGeometry(double BoreMm, double StrokeMm, double RodMm, double CompressionRatio)
{
    /// <summary>Swept volume of a cylinder, cm³.</summary>
    [JsonIgnore]
    public double SweptCm3 => Math.PI / 4 * BoreMm * BoreMm * StrokeMm * 1e-3;
}

/// <summary>Cam offsets in crank degrees from which to watch and from which to call a fault.</summary>
public sealed record CamLimits(double Watch, double Fault);

/// <summary>
/// An edge of the cam sensor: its direction, "rise" or "fall", and crank degrees after the first tooth edge behind the
/// first gap, 0-720.
/// </summary>
public sealed record CamEdge(string Direction, double Degrees);

/// <summary>
/// An engine as the readings need it. Only <see cref="Cylinders"/> and <see cref="FiringOrder"/> are required.
/// Angles are crank degrees over a four-stroke cycle of 720.
/// </summary>
public sealed record Engine
{
    /// <summary>The most cylinders an engine may have here.</summary>
    public const int MostCylinders = 16;

    /// <summary>An engine file's three fields that are something where they are left out.</summary>
    [JsonConstructor]
    public Engine(string name = "", IReadOnlyList<int>? firingOrder = null, int stroke = 4) =>
        (Name, FiringOrder, Stroke) = (name ?? "", firingOrder ?? [], stroke);

    public string Name { get; init; }
    public int Cylinders { get; init; }
    public IReadOnlyList<int> FiringOrder { get; init; }

    /// <summary>Firing TDC of each place of the firing order, the first at 0; null means evenly spaced.</summary>
    public IReadOnlyList<double>? FiringAngles { get; init; }

    public IReadOnlyList<IReadOnlyList<int>>? Banks { get; init; }
    public int Stroke { get; init; }
    public string? Fuel { get; init; }
    public CrankWheel? CrankWheel { get; init; }
    public ValveTiming? ValveTiming { get; init; }
    public EngineGeometry? Geometry { get; init; }
    public CamLimits? CamLimits { get; init; }
    public CamDrive? CamDrive { get; init; }

    /// <summary>How it sits in the vehicle; null where nobody said.</summary>
    public Mounting? Mounting { get; init; }

    /// <summary>Plugs that are hard to reach; null where none is.</summary>
    public PlugAccess? PlugAccess { get; init; }

    /// <summary>The cam sensor's edges on a known-good engine; null where none is stored.</summary>
    public IReadOnlyList<CamEdge>? CamPattern { get; init; }

    /// <summary>True for compression ignition.</summary>
    public bool IsDiesel => string.Equals(Fuel, "diesel", StringComparison.OrdinalIgnoreCase);

    /// <summary>Firing TDC of each place of the firing order, degrees on 0-720.</summary>
    public double[] Angles() =>
        FiringAngles is { Count: > 0 } given ? [.. given] : [.. Enumerable.Range(0, Cylinders).Select(i => i * 720.0 / Cylinders)];

    /// <summary>True where the firings are evenly spaced.</summary>
    public bool FiresEvenly()
    {
        var angles = Angles();
        return angles.Select((angle, i) => Math.Abs(angle - i * 720.0 / angles.Length)).All(off => off < 0.5);
    }

    /// <summary>Everything wrong with this engine, each with the field it belongs to; empty where all is well.</summary>
    public IReadOnlyList<EngineProblem> Problems() => new EngineCheck(this).Problems();
}

/// <summary>What is wrong with one field of an engine.</summary>
public readonly record struct EngineProblem(string Field, string Text);
