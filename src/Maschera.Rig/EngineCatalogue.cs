using Maschera.Core.Engines;

namespace Maschera.Rig;

/// <summary>The made-up engines of the demonstration world, and common layouts to start an engine from.</summary>
public static class EngineCatalogue
{
    private static readonly ValveTiming s_petrol = new(134, 372, 348, 588);
    private static readonly ValveTiming s_diesel = new(140, 370, 350, 575);

    public static Engine Orsa { get; } =
        Build(
            "Orsa 1.4",
            [1, 3, 4, 2],
            "petrol",
            new(82, 66.2, 122, 10.2),
            60,
            90,
            [
                [1, 2, 3, 4],
            ],
            new CamDrive("belt", 24),
            new Mounting("left")
        );

    public static Engine Tasso { get; } =
        Build(
            "Tasso V6",
            [1, 4, 2, 5, 3, 6],
            "petrol",
            new(86, 82, 150, 10.8),
            60,
            84,
            [
                [1, 2, 3],
                [4, 5, 6],
            ],
            new CamDrive("chain", 23),
            new Mounting("front", "right")
        );

    public static Engine Ghiro { get; } =
        Build(
            "Ghiro 1.0",
            [1, 3, 2],
            "petrol",
            new(72, 81.8, 134, 11.0),
            60,
            78,
            [
                [1, 2, 3],
            ],
            new CamDrive("belt", 22),
            new Mounting("right")
        );

    public static Engine Camoscio { get; } =
        Build(
            "Camoscio 2.0 D",
            [1, 3, 4, 2],
            "diesel",
            new(84, 90, 150, 16.5),
            60,
            108,
            [
                [1, 2, 3, 4],
            ],
            new CamDrive("belt", 20),
            new Mounting("front")
        );

    /// <summary>The demonstration engines.</summary>
    public static IReadOnlyList<Engine> Demo { get; } = [Orsa, Tasso, Ghiro, Camoscio];

    /// <summary>Common layouts: cylinders, firing order and angles only.</summary>
    public static IReadOnlyList<Engine> Layouts { get; } =
    [
        Layout("Twin, 360°", [1, 2]),
        Layout("V-twin, 90° odd-fire", [1, 2], [0, 450]),
        Layout("Three in line", [1, 3, 2]),
        Layout("Four in line", [1, 3, 4, 2]),
        Layout("Flat four", [1, 3, 2, 4]),
        Layout("Five in line", [1, 2, 4, 5, 3]),
        Layout("Six in line", [1, 5, 3, 6, 2, 4]),
        Layout("V6, 60°", [1, 4, 2, 5, 3, 6]),
        Layout("V6, 90° odd-fire", [1, 6, 5, 4, 3, 2], [0, 90, 240, 330, 480, 570]),
        Layout("V8, cross-plane", [1, 8, 4, 3, 6, 5, 7, 2]),
        Layout("V10, 72°", [1, 6, 5, 10, 2, 7, 3, 8, 4, 9]),
        Layout("V12", [1, 12, 5, 8, 3, 10, 6, 7, 2, 11, 4, 9]),
    ];

    private static Engine Layout(string name, int[] order, double[]? angles = null) =>
        new()
        {
            Name = name,
            Cylinders = order.Length,
            FiringOrder = order,
            FiringAngles = angles,
        };

    private static Engine Build(
        string name,
        int[] order,
        string fuel,
        EngineGeometry geometry,
        int teeth,
        double gapToTdc,
        int[][] banks,
        CamDrive drive,
        Mounting mounting
    ) =>
        new()
        {
            Name = name,
            Cylinders = order.Length,
            FiringOrder = order,
            Banks = banks,
            Fuel = fuel,
            Geometry = geometry,
            ValveTiming = fuel == "diesel" ? s_diesel : s_petrol,
            CrankWheel = new CrankWheel(teeth, [2], gapToTdc),
            CamLimits = new CamLimits(6, 10),
            CamDrive = drive,
            Mounting = mounting,
        };
}
