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
public sealed record CrankWheel(int Teeth, IReadOnlyList<int> Missing, double? GapToTdc = null, int Extra = 0);

/// <summary>What turns the cam: "belt" or "chain", and the teeth of its wheel on the crank, so that one tooth is 360° over them.</summary>
public sealed record CamDrive(string Kind, int CrankTeeth)
{
    /// <summary>Crank degrees the cam is off when the drive has slipped by one tooth.</summary>
    public double DegreesPerTooth => 360.0 / CrankTeeth;
}

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
        (Name, FiringOrder, Stroke) = (name, firingOrder ?? [], stroke);

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
    public IReadOnlyList<EngineProblem> Problems()
    {
        var problems = new List<EngineProblem>();
        if (Cylinders is < 1 or > MostCylinders)
            problems.Add(new(nameof(Cylinders), $"An engine has 1 to {MostCylinders} cylinders, not {Cylinders}."));
        else
            CheckFiringOrder(problems);
        CheckAngles(problems);
        CheckBanks(problems);
        if (Stroke != 4)
            problems.Add(new(nameof(Stroke), "Only four-stroke engines can be read."));
        CheckWheel(problems);
        if (CamDrive is { CrankTeeth: < 8 or > 80 })
            problems.Add(new(nameof(CamDrive), "The cam drive's wheel on the crank has 8 to 80 teeth."));
        CheckGeometry(problems);
        if (Mounting is { IsKnown: false })
            problems.Add(
                new(
                    nameof(Mounting),
                    "Lengthwise the first end is front or rear and the first bank left or right; crosswise it is the other way round."
                )
            );
        return problems;
    }

    private void CheckFiringOrder(List<EngineProblem> problems)
    {
        void Add(string text) => problems.Add(new(nameof(FiringOrder), text));
        var outside = FiringOrder.Where(c => c < 1 || c > Cylinders).Distinct().ToList();
        var twice = FiringOrder.GroupBy(c => c).Where(g => g.Count() > 1).Select(g => g.Key).ToList();
        var missing = Enumerable.Range(1, Cylinders).Except(FiringOrder).ToList();
        if (outside.Count > 0)
            Add($"There is no cylinder {string.Join(", ", outside)} in an engine of {Cylinders}.");
        if (twice.Count > 0)
            Add($"Cylinder {string.Join(", ", twice)} stands in the firing order more than once.");
        if (missing.Count > 0)
            Add($"Cylinder {string.Join(", ", missing)} is missing from the firing order.");
    }

    private void CheckAngles(List<EngineProblem> problems)
    {
        if (FiringAngles is not { Count: > 0 } angles)
            return;
        void Add(string text) => problems.Add(new(nameof(FiringAngles), text));
        if (angles.Count != Cylinders)
            Add($"{angles.Count} firing angles for {Cylinders} cylinders: give one for each place of the firing order.");
        if (angles[0] != 0)
            Add("The first firing angle is 0: angles count from the first cylinder of the firing order.");
        if (angles.Zip(angles.Skip(1)).Any(pair => pair.Second < pair.First))
            Add("Firing angles rise along the firing order.");
        if (angles.Any(a => a is < 0 or >= 720))
            Add("Firing angles lie from 0 to below 720 degrees.");
    }

    private void CheckBanks(List<EngineProblem> problems)
    {
        if (Banks is not { Count: > 0 } banks)
            return;
        var all = banks.SelectMany(bank => bank).ToList();
        if (all.Count != Cylinders || all.Distinct().Count() != Cylinders || all.Any(c => c < 1 || c > Cylinders))
            problems.Add(new(nameof(Banks), "The banks together hold every cylinder once."));
    }

    private void CheckWheel(List<EngineProblem> problems)
    {
        if (CrankWheel is not { } wheel)
            return;
        if (wheel.Teeth is < 1 or > 720 || wheel.Missing.Any(m => m < 1) || wheel.Missing.Sum() >= wheel.Teeth)
            problems.Add(new(nameof(CrankWheel), "A trigger wheel has 1 to 720 tooth places, and fewer missing teeth than places."));
        if (wheel.GapToTdc is < 0 or > 360)
            problems.Add(new(nameof(CrankWheel), "The angle from the gap to TDC lies from 0 to 360 degrees."));
        if (wheel.Extra is not (0 or 1) || wheel.Extra == 1 && wheel.Missing.Count > 0)
            problems.Add(new(nameof(CrankWheel), "A wheel has one extra tooth or none, and gaps or an extra tooth, not both."));
    }

    private void CheckGeometry(List<EngineProblem> problems)
    {
        if (Geometry is not { } g)
            return;
        if (!(g.BoreMm > 0 && g.StrokeMm > 0 && g.RodMm > g.StrokeMm / 2 && g.CompressionRatio is > 1 and < 40))
            problems.Add(
                new(
                    nameof(Geometry),
                    "Bore and stroke are positive, the rod is longer than half the stroke, and the compression ratio lies between 1 and 40."
                )
            );
    }
}

/// <summary>What is wrong with one field of an engine.</summary>
public readonly record struct EngineProblem(string Field, string Text);
