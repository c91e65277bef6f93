using System.Text.RegularExpressions;
using Maschera.Core.Basics;

namespace Maschera.Core.Quantities;

/// <summary>A quantity that logs carry, with what is known of it.</summary>
/// <param name="Name">Its name for a person.</param>
/// <param name="Group">What it is grouped with on the bench.</param>
/// <param name="Units">Units it comes in, the one of the limits first.</param>
/// <param name="Words">Parts of names that mean it, in the common languages, the surest first.</param>
public sealed record Quantity(string Name, string Group, IReadOnlyList<string> Units, IReadOnlyList<string> Words)
{
    /// <summary>The least and greatest value that can be true, in the first unit.</summary>
    public (double Low, double High)? Possible { get; init; }

    /// <summary>
    /// How much it can jump between two values, however long they are apart, and how fast it can move a second; null where it
    /// can do anything.
    /// </summary>
    public (double Jump, double PerSecond)? Fastest { get; init; }

    /// <summary>True where pedal or speed drive it, so that it moves when they do.</summary>
    public bool IsDriven { get; init; }
}

/// <summary>The quantities known by name and unit.</summary>
public static partial class KnownQuantities
{
    private static readonly string[] s_temperature = ["°C", "°F", "K"];
    private static readonly string[] s_pressure = ["kPa", "bar", "mbar", "hPa", "Pa", "MPa", "psi", "inHg", "mmHg"];

    public static Quantity EngineSpeed { get; } =
        new(
            "Engine speed",
            "Speed",
            ["rpm", "1/min", "U/min", "min-1"],
            ["engine speed", "engine rpm", "rpm", "motordrehzahl", "drehzahl", "régime", "giri motore", "régimen"]
        )
        {
            Possible = (0, 12_000),
            Fastest = (1_200, 9_000),
        };
    public static Quantity VehicleSpeed { get; } =
        new(
            "Vehicle speed",
            "Speed",
            ["km/h", "mph", "m/s"],
            ["vehicle speed", "road speed", "fahrgeschwindigkeit", "geschwindigkeit", "vitesse véhicule", "velocità veicolo", "velocidad"]
        )
        {
            Possible = (0, 350),
            Fastest = (15, 40),
        };
    public static Quantity Pedal { get; } =
        new("Accelerator pedal", "Demand", ["%"], ["accelerator", "pedal", "fahrpedal", "gaspedal", "pédale", "acceleratore"])
        {
            Possible = (-3, 105),
        };
    public static Quantity Throttle { get; } =
        new("Throttle", "Demand", ["%", "°"], ["throttle", "drosselklappe", "papillon", "farfalla", "mariposa"])
        {
            Possible = (-5, 105),
            IsDriven = true,
        };
    public static Quantity Load { get; } =
        new("Engine load", "Demand", ["%", "mg/stroke"], ["engine load", "calculated load", "motorlast", "charge moteur", "carico motore"])
        {
            Possible = (-1, 200),
            IsDriven = true,
        };
    public static Quantity AirMass { get; } =
        new("Air mass flow", "Air", ["g/s", "kg/h"], ["air mass", "mass air", "air flow", "maf", "luftmasse", "masse d'air", "massa aria"])
        {
            Possible = (-5, 700),
            IsDriven = true,
        };
    public static Quantity ManifoldPressure { get; } =
        new(
            "Manifold pressure",
            "Air",
            s_pressure,
            [
                "manifold pressure",
                "manifold absolute",
                "map sensor",
                "intake pressure",
                "saugrohrdruck",
                "pression collecteur",
                "pressione collettore",
            ]
        )
        {
            Possible = (5, 450),
            IsDriven = true,
        };
    public static Quantity BoostPressure { get; } =
        new("Boost pressure", "Air", s_pressure, ["boost", "charge pressure", "ladedruck", "suralimentation", "sovralimentazione"])
        {
            Possible = (-100, 450),
            IsDriven = true,
        };
    public static Quantity Barometer { get; } =
        new("Barometer", "Air", s_pressure, ["barometric", "barometer", "ambient pressure", "atmosphär", "luftdruck außen", "atmosph"])
        {
            Possible = (50, 110),
            Fastest = (4, 1),
        };
    public static Quantity Coolant { get; } =
        new(
            "Coolant temperature",
            "Temperature",
            s_temperature,
            ["coolant", "ect", "kühlmittel", "kühlwasser", "refroidissement", "liquido raffr", "refrigerante"]
        )
        {
            Possible = (-38, 140),
            Fastest = (8, 4),
        };
    public static Quantity OilTemperature { get; } =
        new("Oil temperature", "Temperature", s_temperature, ["oil temp", "öltemperatur", "température huile", "temperatura olio"])
        {
            Possible = (-38, 180),
            Fastest = (8, 4),
        };
    public static Quantity FuelTemperature { get; } =
        new(
            "Fuel temperature",
            "Temperature",
            s_temperature,
            ["fuel temp", "kraftstofftemp", "température carburant", "temperatura carburante"]
        )
        {
            Possible = (-38, 130),
            Fastest = (8, 4),
        };
    public static Quantity IntakeAir { get; } =
        new(
            "Intake air temperature",
            "Temperature",
            s_temperature,
            [
                .. (string[])["intake air temp", "intake temp", "manifold air temp", "manifold temp", "iat"],
                .. (string[])["ansauglufttemp", "air d'admission", "aria aspirata"],
            ]
        )
        {
            Possible = (-38, 130),
            Fastest = (12, 12),
        };
    public static Quantity ChargeAir { get; } =
        new(
            "Charge air temperature",
            "Temperature",
            s_temperature,
            [
                .. (string[])["charge air temp", "boost air temp", "boost temp", "intercooler temp", "charge temp"],
                .. (string[])["ladelufttemp", "air de suralimentation", "aria di sovralimentazione"],
            ]
        )
        {
            Possible = (-38, 250),
            Fastest = (15, 25),
        };
    public static Quantity AmbientAir { get; } =
        new(
            "Ambient temperature",
            "Temperature",
            s_temperature,
            [
                .. (string[])["ambient air", "ambient temp", "outside temp", "umgebungstemp", "außentemp"],
                .. (string[])["température extérieure", "temperatura esterna"],
            ]
        )
        {
            Possible = (-50, 60),
            Fastest = (6, 2),
        };
    public static Quantity ExhaustTemperature { get; } =
        new("Exhaust temperature", "Temperature", s_temperature, ["exhaust gas temp", "exhaust temp", "catalyst temp", "egt", "abgastemp"])
        {
            Possible = (-38, 1_200),
        };
    public static Quantity Battery { get; } =
        new(
            "Battery voltage",
            "Electrical",
            ["V", "mV"],
            ["battery", "system voltage", "control module voltage", "batterie", "bordspannung", "tensione batteria"]
        )
        {
            Possible = (4, 18),
        };
    public static Quantity RailPressure { get; } =
        new("Rail pressure", "Fuel", s_pressure, ["rail press", "fuel rail", "raildruck", "pression rampe", "pressione rail"])
        {
            Possible = (-100, 350_000),
            IsDriven = true,
        };
    public static Quantity FuelPressure { get; } =
        new("Fuel pressure", "Fuel", s_pressure, ["fuel press", "kraftstoffdruck", "pression carburant", "pressione carburante"])
        {
            Possible = (-100, 350_000),
            IsDriven = true,
        };
    public static Quantity FuelTrim { get; } =
        new("Fuel trim", "Fuel", ["%"], ["fuel trim", "stft", "ltft", "lambda control", "gemischkorrektur"]) { Possible = (-100, 100) };
    public static Quantity Lambda { get; } = new("Lambda", "Fuel", ["", "V", "mA"], ["lambda", "equivalence ratio", "o2 sensor", "oxygen"]);
    public static Quantity FuelLevel { get; } =
        new("Fuel level", "Fuel", ["%", "l"], ["fuel level", "tank level", "tankinhalt", "niveau carburant", "livello carburante"]);
    public static Quantity Advance { get; } =
        new(
            "Ignition advance",
            "Ignition",
            ["°", "deg"],
            ["ignition advance", "timing advance", "spark advance", "zündwinkel", "avance à l'allumage", "anticipo"]
        )
        {
            Possible = (-70, 70),
        };

    /// <summary>All of them; among those whose words fit a name the one with the longest word is meant.</summary>
    public static IReadOnlyList<Quantity> All { get; } =
    [
        EngineSpeed,
        VehicleSpeed,
        Pedal,
        Throttle,
        Load,
        AirMass,
        ManifoldPressure,
        BoostPressure,
        Barometer,
        Coolant,
        OilTemperature,
        FuelTemperature,
        IntakeAir,
        ChargeAir,
        AmbientAir,
        ExhaustTemperature,
        Battery,
        RailPressure,
        FuelPressure,
        FuelTrim,
        Lambda,
        FuelLevel,
        Advance,
    ];

    /// <summary>The quantity of that name; null where there is none.</summary>
    public static Quantity? Find(string name) => All.FirstOrDefault(q => string.Equals(q.Name, name, StringComparison.OrdinalIgnoreCase));

    /// <summary>What a channel carries, by its name and unit; null where nothing fits.</summary>
    /// <param name="corrected">What a person said of channels of certain names: name to quantity, empty for none.</param>
    public static Quantity? Of(string name, string unit, IReadOnlyDictionary<string, string>? corrected = null)
    {
        if (corrected?.FirstOrDefault(c => string.Equals(c.Key, name, StringComparison.OrdinalIgnoreCase)) is { Key: not null } said)
            return Find(said.Value);
        var plain = Between().Replace(name, " ");
        return All.SelectMany(q => q.Words.Where(w => Holds(plain, w)).Select(w => (Quantity: q, Word: w)))
            .Where(x => x.Quantity.Units.Contains(unit, StringComparer.OrdinalIgnoreCase) || unit.Length == 0)
            .OrderByDescending(x => x.Word.Length)
            .Select(x => x.Quantity)
            .FirstOrDefault();
    }

    /// <summary>Short words stand alone, longer ones may be part of another.</summary>
    private static bool Holds(string name, string word) =>
        word.Length > 4 ? name.Contains(word, StringComparison.OrdinalIgnoreCase) : WholeWord.In(name, word).Success;

    [GeneratedRegex(@"[\s_\-.]+")]
    private static partial Regex Between();
}
