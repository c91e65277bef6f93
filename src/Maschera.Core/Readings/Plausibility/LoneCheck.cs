using Maschera.Core.Quantities;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Plausibility;

/// <summary>Values of a log that stand alone, far from those before and after, which agree.</summary>
internal static class LoneCheck
{
    /// <summary>Within longer steps what is measured may well go away and come back, s.</summary>
    private const double MostStep = 0.12;

    /// <summary>
    /// So far from the neighbours, as a share of what the channel reaches without its outermost hundredths, and so many times what
    /// values usually stand off; the neighbours lie within this share of it.
    /// </summary>
    private const double OfReach = 0.3,
        Clear = 8,
        NeighboursWithin = 0.25;

    /// <summary>And by this share of what the quantity can be or its supply gives: a last place that flickers is no spike.</summary>
    private const double OfPossible = 0.02;

    private const int Least = 3;

    public static IEnumerable<Finding> Find(IReadOnlyList<Watched> channels)
    {
        var logged = channels.Where(c => c is { IsLog: true, Switches: false } && c.Time.Step < MostStep).ToList();
        // What goes away and comes back with the foot is the engine's own.
        var foot = logged.Where(c => c.Is(KnownQuantities.Pedal)).SelectMany(c => Lone(c).Select(i => c.Time[i])).ToHashSet();
        foreach (var channel in logged.Where(IsGentle))
        {
            var lone = Lone(channel).Where(i => !foot.Contains(channel.Time[i])).ToList();
            if (lone.Count >= Least)
                yield return new Finding(
                    channel.Name,
                    "spikes",
                    channel.Time[lone[0]],
                    channel.Time[lone[^1]],
                    lone.Count,
                    $"{lone.Count} values of {channel.Name} stand alone, by up to {lone.Max(i => Math.Abs(Off(channel, i))):0.##} "
                        + $"{channel.Channel.Unit}".TrimEnd()
                        + ", between values that agree: a loose contact, or values that stand for another. Move plug and loom and watch."
                );
        }
    }

    /// <summary>What has some air, metal or fuel to move and can't be away for a single value.</summary>
    private static bool IsGentle(Watched channel) =>
        channel.Quantity is { IsDriven: true }
        || channel.Is(KnownQuantities.EngineSpeed)
        || channel.Is(KnownQuantities.VehicleSpeed)
        || channel is { Supply: not null, IsSupply: false };

    private static List<int> Lone(Watched channel)
    {
        var samples = channel.Samples;
        var usual = Statistics.Median(Enumerable.Range(1, Math.Max(0, samples.Length - 2)).Select(i => Math.Abs(Off(channel, i))));
        var reach = channel.Quantile(0.99) - channel.Quantile(0.01);
        return
        [
            .. Enumerable
                .Range(1, Math.Max(0, samples.Length - 2))
                .Where(i =>
                    Math.Abs(Off(channel, i)) > Math.Max(OfReach * reach, Clear * usual)
                    && IsMuch(channel, Off(channel, i))
                    && Math.Abs(samples[i + 1] - samples[i - 1]) < NeighboursWithin * Math.Abs(Off(channel, i))
                    && channel.Time[i + 1] - channel.Time[i - 1] < 3 * MostStep
                ),
        ];
    }

    /// <summary>What a value stands off the middle of its neighbours.</summary>
    private static double Off(Watched channel, int i) => channel.Samples[i] - (channel.Samples[i - 1] + channel.Samples[i + 1]) / 2.0;

    private static bool IsMuch(Watched channel, double off) =>
        channel.Supply is { } supply ? Math.Abs(off) > OfPossible * supply
        // From a tank's pump to a diesel's rail fuel stands at 3 to 3,000 bar.
        : channel.Is(KnownQuantities.FuelPressure) || channel.Is(KnownQuantities.RailPressure)
            ? Math.Abs(off) > OfReach * Math.Abs(channel.Quantile(0.5))
        : channel.Quantity?.Possible is var (low, high)
            ? Math.Abs(channel.InQuantity(off) - channel.InQuantity(0)) > OfPossible * (high - low)
        : true;
}
