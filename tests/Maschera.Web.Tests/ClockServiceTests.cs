using Maschera.App;
using Maschera.Core.Engines;
using Maschera.Core.Signals;
using Maschera.Formats;
using Maschera.Rig;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Tests;

/// <summary>Crank degrees of stored captures: from the wheel, from a sync, from compressions, or the reason why there are none.</summary>
public sealed class ClockServiceTests : IAsyncLifetime
{
    private ServerOnFolder _server = null!;
    private int _job;

    public async ValueTask InitializeAsync() =>
        _server = await ServerOnFolder.StartAsync(
            (db, _) => _job = OneJob.Take(db, System.Text.Json.JsonSerializer.Serialize(EngineCatalogue.Orsa, EngineFile.Json)).Id
        );

    public ValueTask DisposeAsync() => _server.DisposeAsync();

    [Fact]
    public void With_a_wheel_and_a_sync_degrees_and_the_turn_are_known()
    {
        using var db = _server.Open();
        var clock = Of(db, Running(), new Conditions("idle", null, null, null, "ignition", 1));
        Assert.NotNull(clock.Clock);
        Assert.Null(clock.Clock.Source);
        Assert.NotNull(clock.Tdc);
        Assert.Equal(800, clock.Clock.SpeedRpm, 20.0);
    }

    [Fact]
    public void Without_a_crank_the_sync_alone_gives_degrees_with_their_doubt()
    {
        using var db = _server.Open();
        var clock = Of(db, Without(Running(), "Crank"), new Conditions("idle", null, null, null, "ignition", 1));
        Assert.NotNull(clock.Clock?.Source);
        Assert.Equal(0, clock.Tdc);
        Assert.Contains(clock.Notes, n => n.Code == "no-wheel-clock");
        Assert.Equal(800, clock.Clock!.SpeedRpm, 20.0);
    }

    [Fact]
    public void A_starter_s_current_gives_degrees_from_its_compressions()
    {
        using var db = _server.Open();
        var capture = CrankingRun.Record(new CrankingPlan(EngineCatalogue.Orsa) { Rate = 5_000, Cranking = 4 }).Capture;
        var clock = Of(db, capture with { Channels = [capture.Channels[0]] }, new Conditions("cranking", null, null, null));
        Assert.NotNull(clock.Clock?.Source);
        Assert.Null(clock.Tdc);
        Assert.InRange(clock.Clock!.SpeedRpm, 120, 350);
    }

    [Fact]
    public void A_capture_with_nothing_to_go_by_says_what_to_name()
    {
        using var db = _server.Open();
        var clock = Of(
            db,
            new Capture("volts", [OneJob.Made("Something", "V", 1e-3, 4_000, i => Math.Sin(i * 0.01))], []),
            new Conditions(null, null, null, null)
        );
        Assert.Null(clock.Clock);
        Assert.Equal("no-crank", Assert.Single(clock.Notes).Code);
    }

    [Fact]
    public void A_clock_is_held_until_roles_or_conditions_change()
    {
        using var db = _server.Open();
        var id = OneJob.Keep(db, _job, "running", Running(), new Conditions("idle", null, null, null, "ignition", 1));
        var service = new ClockService();
        var samples = new SampleStore(db);
        var first = service.Of(Load(db, id), samples);
        Assert.Same(first, service.Of(Load(db, id), samples));
        var row = db.Captures.Single(c => c.Id == id);
        row.Conditions = row.Conditions with { SyncCylinder = 4 };
        db.SaveChanges();
        var turned = service.Of(Load(db, id), samples);
        Assert.NotSame(first, turned);
        // The gap's place stays, the turn is the other one: cylinders 1 and 4 fire a turn apart.
        Assert.Equal(360, Math.Abs(Math.IEEERemainder(turned.Tdc!.Value - first.Tdc!.Value, 720)), 1.0);
        Assert.Equal(0, service.TurnAgainst(Load(db, id), Load(db, id), samples));
    }

    private CaptureClock Of(MascheraDb db, Capture capture, Conditions conditions)
    {
        var id = OneJob.Keep(db, _job, capture.Name, capture, conditions);
        return new ClockService().Of(Load(db, id), new SampleStore(db));
    }

    private static StoredCapture Load(MascheraDb db, int id)
    {
        db.ChangeTracker.Clear();
        return db.Captures.Include(c => c.Channels).Include(c => c.Job!).ThenInclude(j => j.Engine).Single(c => c.Id == id);
    }

    private static Capture Running() =>
        RunningRun
            .Record(
                new RunningPlan(EngineCatalogue.Orsa)
                {
                    SpeedRpm = 800,
                    Seconds = 3,
                    Rate = 20_000,
                }
            )
            .Capture;

    private static Capture Without(Capture capture, string word) =>
        capture with
        {
            Channels = [.. capture.Channels.Where(c => !c.Name.Contains(word, StringComparison.OrdinalIgnoreCase))],
        };
}
