using Maschera.Core.Signals;

namespace Maschera.Core.Quantities;

/// <summary>Another unit for the same quantity: value there = value here * <see cref="Factor"/> + <see cref="Offset"/>.</summary>
public readonly record struct UnitChoice(string Unit, double Factor, double Offset);

/// <summary>Units that measure the same quantity, by their size in the SI unit (BIPM, The International System of Units).</summary>
public static class UnitConversion
{
    private readonly record struct Size(string Unit, double Factor, double Offset = 0);

    private static readonly Size[][] s_families =
    [
        [
            new("bar", 1e5),
            new("mbar", 100),
            new("kPa", 1e3),
            new("hPa", 100),
            new("Pa", 1),
            new("MPa", 1e6),
            new("psi", 6894.757293168),
            new("inHg", 3386.389),
            new("mmHg", 133.322387415),
        ],
        [new("°C", 1, 273.15), new("°F", 5 / 9.0, 459.67 * 5 / 9.0), new("K", 1)],
        [new("km/h", 1 / 3.6), new("mph", 0.44704), new("m/s", 1)],
        [new("V", 1), new("mV", 1e-3), new("kV", 1e3)],
        [new("A", 1), new("mA", 1e-3), new("kA", 1e3)],
        [new("s", 1), new("ms", 1e-3), new("µs", 1e-6)],
        [new("Hz", 1), new("kHz", 1e3), new("rpm", 1 / 60.0)],
        [new("g/s", 1), new("kg/h", 1 / 3.6)],
        [new("Nm", 1), new("lb ft", 1.3558179483314)],
    ];

    /// <summary>
    /// What a value in <paramref name="unit"/> is multiplied by for <paramref name="to"/>; null where they measure something else.
    /// </summary>
    public static double? Factor(string unit, string to) =>
        For(unit).Where(u => string.Equals(u.Unit, to, StringComparison.OrdinalIgnoreCase)).Select(u => (double?)u.Factor).FirstOrDefault();

    /// <summary>A channel in the unit a rule is written in; as it is where it measures something else, or nothing says.</summary>
    public static Channel In(Channel channel, string unit)
    {
        var choice = For(channel.Unit).FirstOrDefault(u => string.Equals(u.Unit, unit, StringComparison.OrdinalIgnoreCase));
        if (choice == default || choice is { Factor: 1, Offset: 0 })
            return channel;
        return channel with { Unit = unit, Samples = Array.ConvertAll(channel.Samples, v => (float)(v * choice.Factor + choice.Offset)) };
    }

    /// <summary>The units a value can be shown in, its own first; only its own where no other is known.</summary>
    public static IReadOnlyList<UnitChoice> For(string unit)
    {
        foreach (var family in s_families)
        {
            var own = Array.FindIndex(family, s => string.Equals(s.Unit, unit, StringComparison.OrdinalIgnoreCase));
            if (own < 0)
                continue;
            var from = family[own];
            return
            [
                new(unit, 1, 0),
                .. family
                    .Where((_, i) => i != own)
                    .Select(to => new UnitChoice(to.Unit, from.Factor / to.Factor, (from.Offset - to.Offset) / to.Factor)),
            ];
        }

        return [new(unit, 1, 0)];
    }
}
