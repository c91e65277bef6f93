using System.Collections.Concurrent;
using Maschera.Core.Engines;
using Maschera.Core.Readings;
using Maschera.Core.Readings.Misfire;
using Maschera.Core.Signals;
using Maschera.Store;

namespace Maschera.Web.Services;

/// <summary>A capture's angle clock, and where its cycle begins.</summary>
/// <param name="Clock">The clock; null where none could be made.</param>
/// <param name="Tdc">Degrees on the clock of a firing TDC of the first cylinder of the firing order; null where the turn is unknown.</param>
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
        var roles = string.Join(";", capture.OwnChannels.Select(c => $"{c.Id}={c.Role}")) + capture.ConditionsJson + capture.Job.Engine.Json;
        if (_clocks.TryGetValue((capture.Id, roles), out var known)) return known;
        if (_clocks.Count >= Held) _clocks.Clear();
        return _clocks[(capture.Id, roles)] = Make(capture, engine, samples);
    }

    private static CaptureClock Make(StoredCapture capture, Engine engine, SampleStore samples)
    {
        var crank = capture.OwnChannels.FirstOrDefault(c => c.Role == "crank");
        if (crank is null) return new CaptureClock(null, null, [new Note("no-crank", "No channel of this capture is marked as the crank sensor, so there are no crank degrees. Name one when bringing the file in.")]);
        var (clock, problem) = AngleClock.Make(samples.Reader(crank).LoadAtMost(UsefulRate), engine);
        if (clock is null) return new CaptureClock(null, null, [problem!]);
        var sync = capture.OwnChannels.FirstOrDefault(c => c.Role == "sync");
        var cylinder = capture.Conditions.SyncCylinder ?? engine.FiringOrder[0];
        if (!engine.FiringOrder.Contains(cylinder)) cylinder = engine.FiringOrder[0];
        var phase = CyclePhase.Find(clock, engine, sync is null ? null : samples.Reader(sync).LoadAtMost(UsefulRate), capture.Conditions.SyncKind ?? "ignition", cylinder);
        return new CaptureClock(clock, phase.Tdc, [.. clock.Notes, .. phase.Doubt is { } doubt ? (Note[])[doubt] : []]);
    }
}
