using Maschera.Store;
using Maschera.Store.Upkeep;

namespace Maschera.Web;

/// <summary>Where backups go each day.</summary>
internal sealed record BackupPlace(string To);

/// <summary>Backs the data folder up once a day while the server runs, the first time right after its start.</summary>
internal sealed partial class DailyBackup(DataFolder data, string to, ILogger<DailyBackup> log) : BackgroundService
{
    private const int KeepDays = 30;

    private static readonly TimeSpan s_each = TimeSpan.FromDays(1),
        s_again = TimeSpan.FromHours(1);

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        try
        {
            while (!stoppingToken.IsCancellationRequested)
                await Task.Delay(await Task.Run(Make, stoppingToken) ? s_each : s_again, stoppingToken);
        }
        catch (OperationCanceledException) when (stoppingToken.IsCancellationRequested)
        {
            // As in Sweeping: a server that does not come up says why, and nothing else.
        }
    }

    /// <summary>One that fails is said on the console and tried again after an hour; the server goes on.</summary>
    private bool Make()
    {
        try
        {
            Backup.Make(data.Root, to, DateTime.UtcNow, KeepDays);
            return true;
        }
        catch (UpkeepException error)
        {
            Failed(log, error.Message);
            return false;
        }
    }

    [LoggerMessage(LogLevel.Error, "Backup: {Problem}")]
    private static partial void Failed(ILogger logger, string problem);
}
