using Maschera.Core.Quantities;
using Maschera.Core.Signals;

namespace Maschera.Core.Readings.Plausibility;

/// <summary>With the key on and the engine not turning, air, pressure and speed stand, whatever the foot does.</summary>
internal static class StandingEngine
{
    /// <summary>Slower than this it does not turn, rpm.</summary>
    private const double Turning = 50;

    /// <summary>Air mass, g/s, and manifold pressure, kPa, of an engine that may not turn.</summary>
    private const double NoAir = 0.5,
        LeastAtmosphere = 60,
        MostAtmosphere = 106;

    /// <summary>A battery that nothing charges, and one that is charged, V.</summary>
    private const double LeastAlone = 10,
        MostAlone = 13,
        Charged = 13.3;

    /// <summary>Faster than this it rolls, km/h.</summary>
    private const double Rolling = 3;

    /// <summary>What moves by this share of its range within a stretch tells that the engine turns there.</summary>
    private const double Moves = 0.2;

    /// <summary>True where a value that stands does so because the engine does, or may, as far as the log tells.</summary>
    public static bool Explains(Watched channel, IReadOnlyList<Watched> channels, double from, double to)
    {
        if (channels.Where(c => c != channel && Flows(c)).Any(c => MovesWithin(c, from, to)))
            return false;
        if (channel.Is(KnownQuantities.EngineSpeed))
            return Middle(channel, from, to) < Turning;
        return channels.FirstOrDefault(c => c.Is(KnownQuantities.EngineSpeed) && c.IsLog) is { } speed
            ? Middle(speed, from, to) < Turning
            : !channels.Any(c => Runs(c, from, to)) && channels.Any(c => MayBeAtRest(c, from, to));
    }

    /// <summary>What only a turning engine moves.</summary>
    private static bool Flows(Watched channel) =>
        channel.IsLog
        && (channel.Is(KnownQuantities.AirMass) || channel.Is(KnownQuantities.ManifoldPressure) || channel.Is(KnownQuantities.EngineSpeed));

    /// <summary>Without the engine's speed: a vehicle that rolls, a battery that is charged.</summary>
    private static bool Runs(Watched channel, double from, double to) =>
        channel.Is(KnownQuantities.VehicleSpeed) && channel.InQuantity(Middle(channel, from, to)) > Rolling
        || channel.Is(KnownQuantities.Battery) && channel.InQuantity(Middle(channel, from, to)) > Charged;

    /// <summary>Without the engine's speed: air that stands at none, a manifold at the pressure outside, a battery left alone.</summary>
    private static bool MayBeAtRest(Watched channel, double from, double to) =>
        channel.Is(KnownQuantities.AirMass) && Math.Abs(channel.InQuantity(Middle(channel, from, to))) < NoAir
        || channel.Is(KnownQuantities.ManifoldPressure)
            && channel.InQuantity(Middle(channel, from, to)) is > LeastAtmosphere and < MostAtmosphere
        || channel.Is(KnownQuantities.Battery) && channel.InQuantity(Middle(channel, from, to)) is > LeastAlone and < MostAlone;

    private static double Middle(Watched channel, double from, double to) =>
        Statistics.Median(channel.Within(from, to).Select(v => (double)v));

    private static bool MovesWithin(Watched channel, double from, double to)
    {
        var within = channel.Within(from, to).Where(float.IsFinite).DefaultIfEmpty().ToList();
        return channel.Range > 0 && within.Max() - within.Min() > Moves * channel.Range;
    }
}
