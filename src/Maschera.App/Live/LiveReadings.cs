using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Signals;
using Maschera.Instruments;
using Maschera.Store;

namespace Maschera.App.Live;

/// <summary>A reading of what an instrument holds now.</summary>
/// <param name="Problem">Why it can't be understood; the result is null then.</param>
public sealed record LiveReading(IReading Kind, ReadingResult? Result, string? Problem);

/// <summary>Makes the readings that offer themselves for the running instrument's channels, of the last seconds it holds.</summary>
public static class LiveReadings
{
    /// <summary>Seconds read: some ten cycles at cranking speed.</summary>
    public const double Seconds = 5;

    /// <summary>Fewer seconds than this hold too few cycles for anything.</summary>
    private const double LeastSeconds = 1.5;

    /// <summary>The readings, made anew; empty while too little has come in or nothing offers itself.</summary>
    public static IReadOnlyList<LiveReading> Of(LiveSession session, Engine engine, CancellationToken cancel)
    {
        var (rate, probes) = (session.Settings.Rate, session.Settings.Probes);
        var end = session.Ring.Written;
        var first = Math.Max(session.Ring.Oldest(LiveRing.Group), end - (long)(Seconds * rate));
        if (end - first < LeastSeconds * rate)
            return [];
        var conditions = session.Conditions();
        var facts = new CaptureFacts([.. probes.Select(p => new ChannelFacts(p.Name, p.Unit, p.Role))], false, conditions.State);
        var made = new List<LiveReading>();
        foreach (var reading in ReadingRegistry.All)
        foreach (var suggestion in reading.Suggest(facts).Take(1))
        {
            var held = new Capture(
                "Live",
                [.. probes.Select((_, i) => Held(session, i, first, (int)(end - first), reading.UsefulRate))],
                []
            );
            made.Add(Made(reading, suggestion, held, engine, session, conditions, cancel));
        }

        return made;
    }

    private static LiveReading Made(
        IReading reading,
        Suggestion suggestion,
        Capture held,
        Engine engine,
        LiveSession session,
        Conditions conditions,
        CancellationToken cancel
    )
    {
        var known = reading.Roles.Select(r => r.Name).ToHashSet();
        try
        {
            var request = new ReadingRequest(held)
            {
                Engine = engine,
                Channels =
                    suggestion.Channels
                    ?? session
                        .Settings.Probes.Where(p => p.Role is not null && known.Contains(p.Role))
                        .ToDictionary(p => p.Role!, p => p.Name),
                Options = reading
                    .Options.Where(o => conditions.Tell(o.Name) is not null)
                    .ToDictionary(o => o.Name, o => conditions.Tell(o.Name)!),
            };
            return new LiveReading(reading, reading.Read(request, cancel), null);
        }
        catch (ReadingException error)
        {
            return new LiveReading(reading, null, error.Message);
        }
    }

    /// <summary>
    /// The held samples of a probe from sample number <paramref name="first"/> on; NaN where the ring went over them meanwhile.
    /// </summary>
    private static Channel Held(LiveSession session, int probe, long first, int count, double rate)
    {
        var counts = new short[count];
        var whole = session.Ring.TryCopy(probe, first, counts);
        var (name, unit) = (session.Settings.Probes[probe].Name, session.Settings.Probes[probe].Unit);
        var samples = Array.ConvertAll(counts, c => whole ? (float)session.Settings.ValueOf(probe, c) : float.NaN);
        var time = TimeAxis.Uniform(first / session.Settings.Rate, 1 / session.Settings.Rate, count);
        return new MemoryReader(new Channel(name, unit, time, samples)).LoadAtMost(rate);
    }
}
