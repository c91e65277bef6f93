using Maschera.Core.Logs;
using Maschera.Core.Quantities;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Plausibility;

/// <summary>Values that contradict each other.</summary>
internal static class ConditionCheck
{
    /// <summary>With the engine off the manifold holds outside air, to within this, kPa.</summary>
    private const double StillAir = 6;

    /// <summary>An engine bay warms the air of the intake by no more than this, K.</summary>
    private const double BayWarmth = 50;

    /// <summary>Shortest stretch that tells something, s.</summary>
    private const double Least = 2;

    public static IEnumerable<Finding> Find(IReadOnlyList<Watched> channels)
    {
        Watched? Channel(Quantity quantity) => channels.FirstOrDefault(c => c.IsLog && c.Is(quantity));
        var (speed, pedal) = (Channel(KnownQuantities.EngineSpeed), Channel(KnownQuantities.Pedal));
        if (
            speed is not null
            && Channel(KnownQuantities.ManifoldPressure) is { } manifold
            && Channel(KnownQuantities.Barometer) is { } barometer
        )
            foreach (var finding in EngineOff(speed, manifold, barometer))
                yield return finding;
        if (
            Channel(KnownQuantities.IntakeAir) is { } intake
            && Channel(KnownQuantities.AmbientAir) is { } ambient
            && TooWarm(intake, ambient) is { } warm
        )
            yield return warm;
        if (speed is null || pedal is null)
            yield break;
        foreach (
            var pressure in channels.Where(c =>
                c.IsLog
                && (
                    c.Is(KnownQuantities.ManifoldPressure)
                    || c.Is(KnownQuantities.FuelPressure)
                    || c.Is(KnownQuantities.RailPressure)
                    || c.Is(KnownQuantities.BoostPressure)
                )
            )
        )
        foreach (var finding in AtIdle(speed, pedal, pressure))
            yield return finding;
    }

    private static IEnumerable<Finding> EngineOff(Watched speed, Watched manifold, Watched barometer)
    {
        foreach (var (first, last) in speed.Runs(i => speed.Samples[i] == 0))
        {
            var (from, to) = (speed.Time[first], speed.Time[last]);
            if (to - from < Least)
                continue;
            // A second for the air to come to rest.
            var off = Times(from + 1, to, manifold, barometer)
                .Select(t => manifold.InQuantity(At(manifold, t)) - barometer.InQuantity(At(barometer, t)))
                .Where(double.IsFinite)
                .ToArray();
            if (off.Length < 3 || Math.Abs(Statistics.Median(off)) < StillAir)
                continue;
            yield return new Finding(
                manifold.Name,
                "out-of-range",
                from,
                to,
                1,
                $"With the engine off {manifold.Name} and {barometer.Name} differ by {Math.Abs(Statistics.Median(off)):0.#} kPa "
                    + $"{RailCheck.Said(from, to)}: both measure the same air then, one of them is wrong."
            );
        }
    }

    private static Finding? TooWarm(Watched intake, Watched ambient)
    {
        var off = intake.InQuantity(intake.Quantile(0.5)) - ambient.InQuantity(ambient.Quantile(0.5));
        if (off < BayWarmth && off > -10)
            return null;
        return new Finding(
            intake.Name,
            "out-of-range",
            intake.Time.Start,
            intake.Time.End,
            1,
            $"{intake.Name} lies {Math.Abs(off):0} K {(off > 0 ? "above" : "below")} {ambient.Name}: "
                + $"{(off > 0 ? "more than the warmth of an engine bay explains" : "air gets no colder on its way in")}."
        );
    }

    /// <summary>Foot off, speed steady, and a pressure that triples.</summary>
    private static IEnumerable<Finding> AtIdle(Watched speed, Watched pedal, Watched pressure)
    {
        var idle = speed.Quantile(0.02) is var low and > 300 and < 1_200 ? low : double.NaN;
        foreach (
            var (first, last) in speed.Runs(i =>
                Math.Abs(speed.Samples[i] - idle) < 0.12 * idle && Resampling.Held(pedal.Channel, speed.Time[i]) < 3
            )
        )
        {
            var (from, to) = (speed.Time[first], speed.Time[last]);
            if (to - from < 2 * Least)
                continue;
            var values = Times(from + Least, to, pressure).Select(t => At(pressure, t)).Where(double.IsFinite).ToArray();
            if (values.Length < 6)
                continue;
            var sorted = Statistics.Sorted(values);
            var (least, most) = (Statistics.Quantile(sorted, 0.05), Statistics.Quantile(sorted, 0.95));
            if (!(least > 0) || most < 3 * least)
                continue;
            yield return new Finding(
                pressure.Name,
                "out-of-range",
                from,
                to,
                1,
                $"At a steady idle, foot off, {pressure.Name} goes from {least:0.#} to {most:0.#} {pressure.Channel.Unit} "
                    + $"{RailCheck.Said(from, to)}: the state does not explain it."
            );
        }
    }

    private static double At(Watched channel, double seconds) => Resampling.Held(channel.Channel, seconds);

    /// <summary>Times between two ends, as far apart as the coarsest of the channels has values.</summary>
    private static IEnumerable<double> Times(double from, double to, params Watched[] channels)
    {
        var step = Math.Max(0.05, channels.Max(c => c.Time.Step));
        var count = (int)Math.Floor((to - from) / step) + 1;
        return Enumerable.Range(0, Math.Max(0, count)).Select(i => from + i * step);
    }
}
