using System.Collections.Concurrent;
using Maschera.Core.Basics;
using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Readings.CamTiming;
using Maschera.Core.Readings.Misfire;
using Maschera.Core.Readings.RelativeCompression;
using Maschera.Core.Signals;
using Maschera.Core.Timing;
using Maschera.Store;

namespace Maschera.App;

/// <summary>A capture's angle clock, and where its cycle begins.</summary>
/// <param name="Clock">The clock; null where none could be made.</param>
/// <param name="Tdc">
/// Degrees on the clock of a firing TDC of the first cylinder of the firing order; null where the turn is unknown.
/// </param>
/// <param name="Notes">Why not, and every doubt.</param>
public sealed record CaptureClock(AngleClock? Clock, double? Tdc, IReadOnlyList<Note> Notes);

/// <summary>Makes angle clocks of stored captures and holds the last few.</summary>
public sealed class ClockService
{
    private const int Held = 8;

    /// <summary>Edges are known well enough at this rate, Hz; more is only slower to load.</summary>
    private const double UsefulRate = 500_000;

    private readonly ConcurrentDictionary<(int Capture, string Roles), CaptureClock> _clocks = new();

    /// <summary>The clock of a capture, from the channels that stand for crank and sync.</summary>
    public CaptureClock Of(StoredCapture capture, SampleStore samples)
    {
        var engine = capture.Job!.Engine!.ToEngine();
        var roles =
            string.Join(";", capture.OwnChannels.Select(c => $"{c.Id}={c.Role}")) + capture.ConditionsJson + capture.Job.Engine.Json;
        if (_clocks.TryGetValue((capture.Id, roles), out var known))
            return known;
        if (_clocks.Count >= Held)
            _clocks.Clear();
        return _clocks[(capture.Id, roles)] = Make(capture, engine, samples);
    }

    /// <summary>
    /// Whether the cycle of one capture is the other's turned by a whole turn, told by their cams; 0 or 360°, 0 where
    /// both know their firing TDC or a cam is missing.
    /// </summary>
    public double TurnAgainst(StoredCapture capture, StoredCapture other, SampleStore samples)
    {
        var (mine, theirs) = (Of(capture, samples), Of(other, samples));
        if (mine.Tdc is not null && theirs.Tdc is not null || mine.Clock is null || theirs.Clock is null)
            return 0;
        return Pattern(capture, mine.Clock) is { } a && Pattern(other, theirs.Clock) is { } b ? a.TurnFrom(b) : 0;

        CamPattern? Pattern(StoredCapture of, AngleClock clock) =>
            of.OwnChannels.FirstOrDefault(c => c.Role == "cam") is { } cam
                ? CamPattern.Of(SensorEdges.Find(samples.Reader(cam).LoadAtMost(UsefulRate)).Edges, clock)
                : null;
    }

    /// <summary>From the sync of one cylinder, or from the compressions in the starter's current.</summary>
    private static CaptureClock WithoutWheel(StoredCapture capture, Engine engine, SampleStore samples)
    {
        var (sync, cylinder) = Sync(capture, engine);
        if (sync is not null)
        {
            var (byMarks, silent) = MarkClock.FromSync(
                samples.Reader(sync).LoadAtMost(UsefulRate),
                capture.Conditions.SyncKind ?? "ignition",
                cylinder,
                engine
            );
            if (byMarks is not null)
                return new CaptureClock(byMarks, 0, byMarks.Notes);
            if (capture.OwnChannels.All(c => c.Role != "current"))
                return new CaptureClock(null, null, [silent!]);
        }

        if (capture.OwnChannels.FirstOrDefault(c => c.Role == "current") is not { } current)
            return new CaptureClock(
                null,
                null,
                [
                    new Note(
                        "no-crank",
                        "No channel of this capture is marked as the crank sensor, a sync or the starter current, so there are no "
                            + "crank degrees. Name one when bringing the file in."
                    ),
                ]
            );
        var reading = new RelativeCompressionReading();
        var load = samples.Reader(current).LoadAtMost(reading.UsefulRate);
        var humps = (
            (RelativeCompressionResult)
                reading.Read(
                    new ReadingRequest(new Capture(capture.Name, [load], []))
                    {
                        Engine = engine,
                        Channels = new Dictionary<string, string> { ["current"] = current.Name },
                    }
                )
        ).Humps;
        var (clock, problem) = MarkClock.FromCompressions(humps, engine);
        return clock is null ? new CaptureClock(null, null, [problem!]) : new CaptureClock(clock, null, clock.Notes);
    }

    private static (StoredChannel? Channel, int Cylinder) Sync(StoredCapture capture, Engine engine)
    {
        var cylinder = capture.Conditions.SyncCylinder ?? engine.FiringOrder[0];
        return (
            capture.OwnChannels.FirstOrDefault(c => c.Role == "sync"),
            engine.FiringOrder.Contains(cylinder) ? cylinder : engine.FiringOrder[0]
        );
    }

    private static CaptureClock Make(StoredCapture capture, Engine engine, SampleStore samples)
    {
        var crank = capture.OwnChannels.FirstOrDefault(c => c.Role == "crank");
        if (crank is null)
            return WithoutWheel(capture, engine, samples);
        var (clock, problem) = AngleClock.Make(samples.Reader(crank).LoadAtMost(UsefulRate), engine);
        if (clock is null)
            return new CaptureClock(null, null, [problem!]);
        var (sync, cylinder) = Sync(capture, engine);
        var phase = CyclePhase.Find(
            clock,
            engine,
            sync is null ? null : samples.Reader(sync).LoadAtMost(UsefulRate),
            capture.Conditions.SyncKind ?? "ignition",
            cylinder
        );
        return new CaptureClock(clock, phase.Tdc, [.. clock.Notes, .. phase.Doubt is { } doubt ? (Note[])[doubt] : []]);
    }
}
