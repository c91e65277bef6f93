using Maschera.Store;

namespace Maschera.Web;

/// <summary>Clears away what has stayed as long as it may, some times a day while the server runs.</summary>
internal sealed class Sweeping(DataFolder data, IServiceScopeFactory scopes) : BackgroundService
{
    private static readonly TimeSpan s_each = TimeSpan.FromHours(6);

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var clock = new PeriodicTimer(s_each);
        try
        {
            while (await clock.WaitForNextTickAsync(stoppingToken))
                await Task.Run(Sweep, stoppingToken);
        }
        catch (OperationCanceledException) when (stoppingToken.IsCancellationRequested)
        {
            // The server stops, or never came up: the host would call that a failure of its own and print all of it.
        }
    }

    private void Sweep()
    {
        using var scope = scopes.CreateScope();
        scope.ServiceProvider.GetRequiredService<MascheraDb>().Sweep(DateTime.UtcNow);
        data.Sweep(DateTime.UtcNow);
    }
}
