using System.Runtime.CompilerServices;
using Maschera.App.Live;
using Maschera.Core.Engines;
using Maschera.Core.Signals;
using Maschera.Instruments;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;

namespace Maschera.Web.Tests;

/// <summary>An instrument that runs: what it does wrong harms nobody else, and nothing that is kept stands in its way.</summary>
public sealed class LiveSessionTests : IAsyncLifetime
{
    private const double Rate = 10_000;

    private ServerOnFolder _server = null!;
    private int _job;

    public async ValueTask InitializeAsync() => _server = await ServerOnFolder.StartAsync((db, _) => _job = OneJob.Take(db).Id);

    public ValueTask DisposeAsync() => _server.DisposeAsync();

    [Fact]
    public async Task An_instrument_that_breaks_off_says_so_and_the_server_goes_on()
    {
        var session = Start(new Scripted { FailAfter = 5 });
        await Until(() => !session.IsRunning);
        Assert.Contains("broke off: a cable was pulled", session.Error, StringComparison.Ordinal);
        await session.StopAsync();
        Assert.True((await _server.Client.GetAsync("/")).IsSuccessStatusCode);
    }

    [Fact]
    public async Task What_an_instrument_that_breaks_off_delivered_is_kept()
    {
        var session = Start(new Scripted { FailAfter = 40 });
        await Until(() => session.Ring.Written >= 1_000);
        var keep = session.Record();
        await Until(() => keep.IsOver);
        Assert.Null(keep.Error);
        Assert.NotNull(keep.CaptureId);
        await session.StopAsync();
    }

    [Fact]
    public async Task Trials_marked_by_a_key_are_a_command_in_what_is_kept()
    {
        var session = Start(new Scripted());
        await Until(() => session.Ring.Written > 1_000);
        for (var trial = 0; trial < 3; trial++)
        {
            session.Trial(true);
            session.Trial(true);
            var at = session.Ring.Written;
            await Until(() => session.Ring.Written > at + 500);
            session.Trial(false);
            at = session.Ring.Written;
            await Until(() => session.Ring.Written > at + 500);
        }

        var keep = session.KeepLast(session.Now);
        await Until(() => keep.IsOver);
        await session.StopAsync();
        using var db = _server.Open();
        var row = db.Channels.Single(c => c.CaptureId == keep.CaptureId && c.Name == TrialMarks.Channel);
        Assert.Equal("command", row.Role);
        var samples = new SampleStore(db).Reader(row).LoadAtMost(double.PositiveInfinity).Samples;
        Assert.Equal(3, samples.Zip(samples.Skip(1)).Count(pair => pair is (0, 1)));
        Assert.Equal(3, samples.Zip(samples.Skip(1)).Count(pair => pair is (1, 0)));
    }

    [Fact]
    public async Task A_recording_that_began_before_the_first_trial_says_that_it_has_no_place_for_them()
    {
        var session = Start(new Scripted());
        await Until(() => session.Ring.Written > 1_000);
        var keep = session.Record();
        Assert.Throws<ScopeException>(() => session.Trial(true));
        session.Finish(keep.Id);
        await Until(() => keep.IsOver);
        session.Trial(true);
        Assert.True(session.Trials.IsOn);
        await session.StopAsync();
    }

    [Fact]
    public async Task Only_one_recording_starts_however_many_ask_at_once()
    {
        var session = Start(new Scripted());
        await Until(() => session.Ring.Written > 1_000);
        var asked = await Task.WhenAll(
            Enumerable
                .Range(0, 16)
                .Select(_ =>
                    Task.Run(() =>
                    {
                        try
                        {
                            return session.Record();
                        }
                        catch (ScopeException)
                        {
                            return null;
                        }
                    })
                )
        );
        Assert.Single(asked, keep => keep is not null);
        Assert.Single(session.Keeps);
        var before = session.Ring.Written;
        await Until(() => session.Ring.Written > before + 2_000);
        await session.StopAsync();
        Assert.Null(session.Keeps[0].Error);
    }

    [Fact]
    public async Task The_instrument_goes_on_while_what_is_kept_waits_for_the_database()
    {
        var session = Start(new Scripted());
        await Until(() => session.Ring.Written > 5_000);
        using var db = _server.Open();
        using (var lockout = await db.Database.BeginTransactionAsync())
        {
            db.Database.ExecuteSqlRaw("UPDATE Jobs SET Vehicle = Vehicle");
            var keep = session.KeepLast(0.3);
            session.Arm(new ArmedTrigger(0, new TriggerSetting(TriggerKind.Level, 0, true, 0, false), TriggerAction.Keep, 0.1));
            var before = session.Ring.Written;
            await Until(() => session.Ring.Written > before + 20_000);
            Assert.False(keep.IsOver);
        }

        await Until(() => session.Keeps.All(k => k.IsOver));
        Assert.All(session.Keeps, k => Assert.Null(k.Error));
        await session.StopAsync();
    }

    [Fact]
    public async Task Lost_samples_are_bridged_and_noted_with_the_capture()
    {
        var session = Start(new Scripted { LoseAt = 10 });
        await Until(() => session.Lost.Count > 0 && session.Ring.Written > 10_000);
        var keep = session.KeepLast(0.8);
        await Until(() => keep.IsOver);
        await session.StopAsync();
        using var db = _server.Open();
        Assert.Contains(db.Captures.First(c => c.Id == keep.CaptureId).Notes, n => n.Code == "lost-samples");
    }

    [Fact]
    public async Task Nothing_is_read_live_of_a_channel_that_stands_for_nothing()
    {
        var session = Start(new Scripted());
        await Until(() => session.Ring.Written > 2 * Rate);
        Assert.Empty(
            LiveReadings.Of(session, new Engine { Cylinders = 4, FiringOrder = [1, 3, 4, 2] }, TestContext.Current.CancellationToken)
        );
        await session.StopAsync();
    }

    [Fact]
    public void A_ring_that_is_overrun_tells_what_it_no_longer_holds()
    {
        var ring = new LiveRing(1);
        var block = new short[1 << 20];
        for (var n = 0; ring.Written < ring.Capacity + 3L * block.Length; n++)
        {
            Array.Fill(block, (short)n);
            ring.Append([block]);
        }

        var read = new short[1_000];
        Assert.False(ring.TryCopy(0, 0, read));
        Assert.False(ring.TryCopy(0, ring.Oldest(0) - 1, read));
        Assert.True(ring.TryCopy(0, ring.Oldest(LiveRing.Group), read));
        Assert.False(ring.TryCopy(0, ring.Written - 10, read));
        Assert.Null(ring.Extremes(0, 0, 1_000));
        Assert.NotNull(ring.Extremes(0, ring.Written - 1_000, ring.Written));
    }

    [Fact]
    public async Task Triggers_and_stretches_that_make_no_sense_are_refused()
    {
        var session = Start(new Scripted());
        ArmedTrigger Trigger(int channel, double level, double keep) =>
            new(channel, new TriggerSetting(TriggerKind.Level, level, true, 0, false), TriggerAction.Keep, keep);
        Assert.Throws<ScopeException>(() => session.Arm(Trigger(5, 0, 1)));
        Assert.Throws<ScopeException>(() => session.Arm(Trigger(0, double.NaN, 1)));
        Assert.Throws<ScopeException>(() => session.Arm(Trigger(0, 0, 0)));
        Assert.Throws<ScopeException>(() => session.Arm(Trigger(0, 0, 1e9)));
        Assert.Throws<ScopeException>(() => session.KeepLast(0));
        Assert.Throws<ScopeException>(() => session.KeepLast(1e9));
        await session.StopAsync();
    }

    private LiveSession Start(IScope scope) =>
        new(
            _job,
            scope,
            new ScopeSettings(Rate, [new Probe("A", "V", 10, null)]),
            () => new Conditions("idle", null, null, null),
            _server.App.Services.GetRequiredService<IServiceScopeFactory>()
        );

    private static async Task Until(Func<bool> holds)
    {
        for (var waited = 0; !holds(); waited += 10)
        {
            Assert.True(waited < 60_000, "It did not come to it within a minute.");
            await Task.Delay(10);
        }
    }

    /// <summary>A sine at ten times its pace, which fails or loses samples as asked.</summary>
    private sealed class Scripted : IScope
    {
        private const int BlockSamples = 500;

        public int FailAfter { get; init; } = int.MaxValue;
        public int LoseAt { get; init; } = int.MaxValue;
        public ScopeAbilities Abilities { get; } = new("scripted", 1, [Rate], 16, [new Probe("A", "V", 10, null)]);

        public async IAsyncEnumerable<ScopeBlock> RunAsync(ScopeSettings settings, [EnumeratorCancellation] CancellationToken cancel)
        {
            long first = 0;
            for (var n = 0; !cancel.IsCancellationRequested; n++)
            {
                if (n == FailAfter)
                    throw new InvalidOperationException("a cable was pulled.");
                if (n == LoseAt)
                    first += 3_000;
                var at = first;
                yield return new ScopeBlock(
                    at,
                    [
                        [.. Enumerable.Range(0, BlockSamples).Select(i => (short)(9_000 * Math.Sin((at + i) / 50.0)))],
                    ]
                );
                first += BlockSamples;
                await Task.Delay(5, CancellationToken.None);
            }
        }
    }
}
