using System.Collections.Concurrent;
using Maschera.Instruments;
using Maschera.Rig.Instruments;
using Maschera.Store;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Hosting;

namespace Maschera.App.Live;

/// <summary>The instruments that run now. One that nobody watches is stopped after a while.</summary>
public sealed class LiveService(IServiceScopeFactory scopes) : BackgroundService
{
    private const int MostSessions = 2;
    private static readonly TimeSpan s_unwatched = TimeSpan.FromMinutes(10);

    private readonly ConcurrentDictionary<string, LiveSession> _sessions = new();

    public LiveSession? Find(string? id) => _sessions.GetValueOrDefault(id ?? "");

    /// <summary>Starts an instrument for a job.</summary>
    /// <exception cref="ScopeException">Too many run, or the settings make no sense.</exception>
    public LiveSession Start(int jobId, IScope scope, ScopeSettings settings, Func<Conditions> conditions)
    {
        foreach (var ended in _sessions.Values.Where(s => !s.IsRunning).ToList())
            _sessions.TryRemove(ended.Id, out _);
        if (_sessions.Count >= MostSessions)
            throw new ScopeException($"{MostSessions} instruments run already; stop one first.");
        var session = new LiveSession(jobId, scope, settings, conditions, scopes);
        _sessions[session.Id] = session;
        return session;
    }

    /// <summary>Stops an instrument; what was being recorded is kept.</summary>
    public async Task StopAsync(LiveSession session)
    {
        await session.StopAsync();
        if (_sessions.TryRemove(session.Id, out _))
            session.Dispose();
    }

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        try
        {
            while (true)
            {
                await Task.Delay(TimeSpan.FromSeconds(20), stoppingToken);
                foreach (
                    var session in _sessions
                        .Values.Where(s => DateTime.UtcNow - s.SeenAt > s_unwatched && s.Keeps.All(k => k.IsOver))
                        .ToList()
                )
                    await StopAsync(session);
            }
        }
        catch (OperationCanceledException)
        {
            foreach (var session in _sessions.Values.ToList())
                await StopAsync(session);
        }
    }
}
