using System.Globalization;

namespace Maschera.Core.Vehicle;

/// <summary>Names of on-board monitors and their tests (SAE J1979, service $06).</summary>
public static class OnBoardMonitors
{
    /// <summary>The monitor of misfires over all cylinders; those of cylinder 1 to 12 follow.</summary>
    public const byte GeneralMisfire = 0xA1;

    /// <summary>The test of the average of the last ten driving cycles, and that of the last or running one.</summary>
    public const byte TenCycleAverage = 0x0B,
        LastCycle = 0x0C;

    private const int MostCylinders = 12;

    private static readonly (byte First, string[] Names)[] s_runs =
    [
        (0x21, [.. Enumerable.Range(1, 4).Select(b => $"Catalyst bank {b}")]),
        (0x31, [.. Enumerable.Range(1, 4).Select(b => $"Exhaust gas recirculation bank {b}")]),
        (0x35, [.. Enumerable.Range(1, 4).Select(b => $"Variable valve timing bank {b}")]),
        (
            0x39,
            [
                "Evaporative system, cap off",
                "Evaporative system, 0.090 inch",
                "Evaporative system, 0.040 inch",
                "Evaporative system, 0.020 inch",
                "Purge flow",
            ]
        ),
        (0x61, [.. Enumerable.Range(1, 4).Select(b => $"Heated catalyst bank {b}")]),
        (0x71, [.. Enumerable.Range(1, 4).Select(n => $"Secondary air {n}")]),
        (0x81, [.. Enumerable.Range(1, 4).Select(b => $"Fuel system bank {b}")]),
        (0x85, [.. Enumerable.Range(1, 2).Select(b => $"Boost pressure control bank {b}")]),
        (0x90, [.. Enumerable.Range(1, 2).Select(b => $"NOx adsorber bank {b}")]),
        (0x98, [.. Enumerable.Range(1, 2).Select(b => $"NOx catalyst bank {b}")]),
        (0xA1, ["Misfire, all cylinders", .. Enumerable.Range(1, MostCylinders).Select(c => $"Misfire cylinder {c}")]),
        (0xB0, [.. Enumerable.Range(1, 2).Select(b => $"Particulate filter bank {b}")]),
    ];

    private static readonly string[] s_tests =
    [
        "Rich to lean threshold",
        "Lean to rich threshold",
        "Low voltage for switch time",
        "High voltage for switch time",
        "Rich to lean switch time",
        "Lean to rich switch time",
        "Least voltage of the test",
        "Greatest voltage of the test",
        "Time between transitions",
        "Sensor period",
        "Misfires, average of the last ten driving cycles",
        "Misfires, last or running driving cycle",
    ];

    /// <summary>The monitor's name; its number where the standard has none or leaves it to the maker.</summary>
    public static string Name(byte monitor)
    {
        // Four sensors on each of four banks, and their heaters.
        if (monitor is >= 0x01 and <= 0x10)
            return $"Oxygen sensor bank {(monitor - 1) / 4 + 1} sensor {(monitor - 1) % 4 + 1}";
        if (monitor is >= 0x41 and <= 0x50)
            return $"Oxygen sensor heater bank {(monitor - 0x41) / 4 + 1} sensor {(monitor - 0x41) % 4 + 1}";
        foreach (var (first, names) in s_runs)
            if (monitor >= first && monitor < first + names.Length)
                return names[monitor - first];
        return (monitor >= 0xE1 ? "Maker's own monitor " : "Monitor ") + monitor.ToString("X2", CultureInfo.InvariantCulture);
    }

    /// <summary>The test's name; its number where the maker defines it.</summary>
    public static string TestName(byte test) =>
        test is >= 1 and <= 12 ? s_tests[test - 1] : "Maker's own test " + test.ToString("X2", CultureInfo.InvariantCulture);

    /// <summary>The cylinder whose misfires a monitor counts; null for other monitors.</summary>
    public static int? Cylinder(byte monitor) =>
        monitor is > GeneralMisfire and <= GeneralMisfire + MostCylinders ? monitor - GeneralMisfire : null;
}
