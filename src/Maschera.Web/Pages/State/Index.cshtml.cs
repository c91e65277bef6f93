using System.Diagnostics;
using System.Reflection;
using Maschera.App;
using Maschera.Store;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.Data.Sqlite;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Pages.State;

/// <summary>How the server does, for who runs the workshop: space, backup, versions, what was counted, errors of the week.</summary>
public sealed class IndexModel(MascheraDb db, DataFolder data, CounterTotals counters, IServiceProvider services) : PageModel
{
    private const int DaysBack = 7,
        MostErrors = 20;

    public long DatabaseBytes { get; private set; }
    public long FreeBytes => data.FreeBytes;
    public int Jobs { get; private set; }
    public int CaptureCount { get; private set; }
    public IReadOnlyList<(string What, long Sum)> Counted => counters.Now;

    /// <summary>When the process began, local.</summary>
    public DateTime Since => Process.GetCurrentProcess().StartTime;

    /// <summary>Where backups go each day; null where nobody said.</summary>
    public string? BackupTo => services.GetService<BackupPlace>()?.To;

    /// <summary>When the newest of them was made, local; null for none.</summary>
    public DateTime? LastBackup { get; private set; }

    public int ErrorCount { get; private set; }

    /// <summary>The newest errors, each text once, with how often it came.</summary>
    public IReadOnlyList<(string Text, int Times, DateTime Last)> Errors { get; private set; } = [];

    public static string Build =>
        typeof(IndexModel).Assembly.GetCustomAttribute<AssemblyInformationalVersionAttribute>()?.InformationalVersion.Split('+')[0] ?? "";

    public static string Sqlite => new SqliteConnection().ServerVersion;

    public async Task OnGetAsync(CancellationToken cancel)
    {
        DatabaseBytes = new FileInfo(data.Database).Length;
        (Jobs, CaptureCount) = (await db.LiveJobs.CountAsync(cancel), await db.Captures.CountAsync(c => c.DeletedAt == null, cancel));
        if (BackupTo is { } to && Directory.Exists(to))
            LastBackup = new DirectoryInfo(to).EnumerateFiles("maschera-*.db").MaxBy(f => f.LastWriteTimeUtc)?.LastWriteTime;
        var logged = LoggedError.Since(data, DateTime.UtcNow.AddDays(-DaysBack));
        ErrorCount = logged.Count;
        Errors =
        [
            .. logged
                .GroupBy(e => e.Text)
                .Select(g => (g.Key, g.Count(), g.Max(e => e.When).ToLocalTime()))
                .OrderByDescending(e => e.Item3)
                .Take(MostErrors),
        ];
    }
}
