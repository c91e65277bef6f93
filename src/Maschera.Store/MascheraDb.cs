using System.Diagnostics;
using System.Text.Json;
using Maschera.Store.People;
using Maschera.Store.Upkeep;
using Microsoft.Data.Sqlite;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Diagnostics;

namespace Maschera.Store;

/// <summary>The database: jobs, engines, captures and readings. Samples are written and read by <see cref="SampleStore"/>.</summary>
public sealed class MascheraDb(DbContextOptions<MascheraDb> options) : DbContext(options)
{
    private const int MostTries = 600;
    private static readonly TimeSpan TriesApart = TimeSpan.FromMilliseconds(100);

    public DbSet<StoredEngine> Engines => Set<StoredEngine>();
    public DbSet<Job> Jobs => Set<Job>();

    /// <summary>Captures that are whole.</summary>
    public DbSet<StoredCapture> Captures => Set<StoredCapture>();

    public DbSet<StoredChannel> Channels => Set<StoredChannel>();
    public DbSet<StoredReading> Readings => Set<StoredReading>();
    public DbSet<StoredCaliper> Calipers => Set<StoredCaliper>();
    public DbSet<StoredPin> Pins => Set<StoredPin>();
    public DbSet<StoredCode> Codes => Set<StoredCode>();
    public DbSet<StoredObservation> Observations => Set<StoredObservation>();
    public DbSet<StoredFigure> Figures => Set<StoredFigure>();
    public DbSet<StoredRemark> Remarks => Set<StoredRemark>();
    public DbSet<StoredWork> Work => Set<StoredWork>();
    public DbSet<StoredPractice> Practice => Set<StoredPractice>();
    public DbSet<StoredReportLink> ReportLinks => Set<StoredReportLink>();
    public DbSet<StoredCorrection> Corrections => Set<StoredCorrection>();

    /// <summary>Jobs that are not deleted.</summary>
    public IQueryable<Job> LiveJobs => Jobs.Where(job => job.DeletedAt == null);

    /// <summary>The same without those of the practice room.</summary>
    public IQueryable<Job> RealJobs => LiveJobs.Where(job => !Practice.Any(p => p.JobId == job.Id));

    /// <summary>Engines that are not deleted, by name.</summary>
    public IQueryable<StoredEngine> LiveEngines => Engines.Where(engine => engine.DeletedAt == null).OrderBy(engine => engine.Name);

    /// <summary>Options for a database file.</summary>
    public static DbContextOptions<MascheraDb> ForFile(string path)
    {
        var options = new DbContextOptionsBuilder<MascheraDb>();
        Use(options, path);
        return options.Options;
    }

    /// <summary>Puts a database file into options.</summary>
    public static void Use(DbContextOptionsBuilder options, string path) =>
        options
            .UseSqlite($"Data Source={path}")
            .ConfigureWarnings(w => w.Ignore(CoreEventId.PossibleIncorrectRequiredNavigationWithQueryFilterInteractionWarning));

    /// <summary>What was deleted stays this long, so that it can be brought back.</summary>
    public static readonly TimeSpan DeletedStays = TimeSpan.FromDays(30);

    /// <summary>What a killed process left half written, and uploads never brought in, stay this long.</summary>
    public static readonly TimeSpan LeftoverStays = TimeSpan.FromDays(7);

    /// <summary>Creates what is missing and brings an older database up to date; any process may call it at any time.</summary>
    public void Prepare()
    {
        Database.ExecuteSqlRaw("PRAGMA page_size = 16384");
        Database.ExecuteSqlRaw("PRAGMA journal_mode = WAL");
        if (Database.GetAppliedMigrations().Except(Database.GetMigrations()).Any())
            throw new UpkeepException("The database is of a newer build of Maschera: start that one, or restore an older backup.");
        if (!Database.GetPendingMigrations().Any() && !EarlierBuilds.HasOldSamples(this))
            return;
        // Held by the system and gone with the process, unlike the lock that a killed migration leaves in the database.
        using var alone = OneAtATime();
        EarlierBuilds.TakeOver(this);
        Database.ExecuteSqlRaw("DROP TABLE IF EXISTS __EFMigrationsLock");
        Database.Migrate();
        EarlierBuilds.MoveSamples(this);
    }

    /// <summary>
    /// Clears away what was deleted, and what a killed process left half written, when it has stayed as long as it may. For
    /// the server alone: another process beside it knows nothing of what a person may still take back.
    /// </summary>
    /// <param name="now">The present, UTC.</param>
    public void Sweep(DateTime now)
    {
        var (before, leftBefore) = (now - DeletedStays, now - LeftoverStays);
        Jobs.Where(job => job.DeletedAt < before).Select(job => job.Id).ToList().ForEach(RemoveJob);
        Engines.Where(engine => engine.DeletedAt < before && !Jobs.Any(job => job.EngineId == engine.Id)).ExecuteDelete();
        Codes.Where(code => code.DeletedAt < before).ExecuteDelete();
        Observations.Where(observation => observation.DeletedAt < before).ExecuteDelete();
        Figures.Where(figure => figure.DeletedAt < before).ExecuteDelete();
        Remarks.Where(remark => remark.DeletedAt < before).ExecuteDelete();
        Work.Where(work => work.DeletedAt < before).ExecuteDelete();
        ReportLinks.Where(link => link.EndsAt < before).ExecuteDelete();
        Remove([.. Captures.Where(capture => capture.DeletedAt < before).Select(capture => capture.Id)]);
        var halves = Captures
            .IgnoreQueryFilters()
            .Where(c => !c.IsWhole && c.TakenAt < leftBefore)
            .Select(c => new { c.Id, c.WriterProcess })
            .ToList();
        Remove([.. halves.Where(c => c.WriterProcess is not { } writer || !IsAlive(writer)).Select(c => c.Id)]);
        foreach (var copy in UnusedCopies())
            RemoveChannel(copy);
    }

    /// <summary>
    /// Smoothed copies that no lane draws any more. Two windows on one capture may save in turn, so nobody else drops them.
    /// </summary>
    private List<int> UnusedCopies()
    {
        var copies = Channels.Where(c => c.IsLaneCopy).Select(c => new { c.Id, c.Capture!.ArrangementJson }).ToList();
        return [.. copies.Where(c => !DrawnCopies(c.ArrangementJson).Contains(c.Id)).Select(c => c.Id)];
    }

    private static HashSet<int> DrawnCopies(string? arrangement)
    {
        if (arrangement is null)
            return [];
        using var json = JsonDocument.Parse(arrangement);
        return
        [
            .. from lane in json.RootElement.GetProperty("lanes").EnumerateArray()
            from channel in lane.GetProperty("channels").EnumerateArray()
            where channel.TryGetProperty("copy", out var copy) && copy.ValueKind == JsonValueKind.Number
            select channel.GetProperty("copy").GetInt32(),
        ];
    }

    /// <inheritdoc/>
    public override int SaveChanges(bool acceptAllChangesOnSuccess)
    {
        SayWho();
        return base.SaveChanges(acceptAllChangesOnSuccess);
    }

    /// <inheritdoc/>
    public override Task<int> SaveChangesAsync(bool acceptAllChangesOnSuccess, CancellationToken cancellationToken = default)
    {
        SayWho();
        return base.SaveChangesAsync(acceptAllChangesOnSuccess, cancellationToken);
    }

    /// <summary>Whoever is at work stands beside what they add.</summary>
    private void SayWho()
    {
        if (AtWork.Name is { } name)
            foreach (var added in ChangeTracker.Entries<IDoneBy>().Where(e => e.State == EntityState.Added))
                added.Entity.By ??= name;
    }

    private FileStream OneAtATime()
    {
        var path = new SqliteConnectionStringBuilder(Database.GetConnectionString()).DataSource + ".preparing";
        for (var tries = 0; ; tries++)
        {
            try
            {
                return new FileStream(path, FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None, 1, FileOptions.DeleteOnClose);
            }
            catch (IOException) when (tries < MostTries)
            {
                Thread.Sleep(TriesApart);
            }
        }
    }

    /// <summary>Takes captures away with their samples.</summary>
    public void Remove(IReadOnlyList<int> captures)
    {
        foreach (var capture in captures)
        {
            foreach (var channel in Channels.AsNoTracking().Where(c => c.CaptureId == capture).ToList())
                RemoveSamples(channel);
            Captures.IgnoreQueryFilters().Where(c => c.Id == capture).ExecuteDelete();
        }
    }

    /// <summary>Takes a channel away with its samples and what was measured on it.</summary>
    public void RemoveChannel(int channel)
    {
        if (Channels.AsNoTracking().FirstOrDefault(c => c.Id == channel) is { } row)
            RemoveSamples(row);
        Channels.Where(c => c.Id == channel).ExecuteDelete();
    }

    protected override void OnModelCreating(ModelBuilder modelBuilder)
    {
        modelBuilder
            .Entity<StoredCapture>()
            .Ignore(c => c.Conditions)
            .Ignore(c => c.Notes)
            .Ignore(c => c.OwnChannels)
            .Ignore(c => c.Facts)
            .Ignore(c => c.Sheet)
            .Ignore(c => c.Address)
            .HasQueryFilter(c => c.IsWhole);
        modelBuilder.Entity<StoredReading>().Ignore(r => r.Result).Ignore(r => r.IsUnusable);
        modelBuilder.Entity<StoredReportLink>().HasIndex(l => l.Sum).IsUnique();
        modelBuilder.Entity<StoredReading>().HasOne(r => r.Job).WithMany(j => j.Readings).HasForeignKey(r => r.JobId);
        modelBuilder.Entity<StoredReading>().HasOne(r => r.Capture).WithMany(c => c.Readings).HasForeignKey(r => r.CaptureId);
        modelBuilder.Entity<StoredCapture>().HasOne(c => c.Job).WithMany(j => j.Captures).HasForeignKey(c => c.JobId);
        modelBuilder.Entity<StoredCapture>().HasMany(c => c.Calipers).WithOne().HasForeignKey(c => c.CaptureId);
        modelBuilder.Entity<StoredCapture>().HasMany(c => c.Pins).WithOne().HasForeignKey(p => p.CaptureId);
        modelBuilder.Entity<StoredCaliper>().HasOne(c => c.Channel).WithMany().HasForeignKey(c => c.ChannelId);
        modelBuilder.Entity<StoredChannel>().HasOne(c => c.Capture).WithMany(c => c.Channels).HasForeignKey(c => c.CaptureId);
        modelBuilder.Entity<Job>().HasOne(j => j.Engine).WithMany().HasForeignKey(j => j.EngineId).OnDelete(DeleteBehavior.Restrict);
        modelBuilder.Entity<Job>().HasMany(j => j.Codes).WithOne().HasForeignKey(c => c.JobId);
        modelBuilder.Entity<StoredEngine>().HasMany<StoredFigure>().WithOne().HasForeignKey(f => f.EngineId);
        modelBuilder.Entity<Job>().HasMany(j => j.Observations).WithOne().HasForeignKey(o => o.JobId);
        modelBuilder.Entity<Job>().HasMany(j => j.Remarks).WithOne().HasForeignKey(r => r.JobId);
        modelBuilder.Entity<Job>().HasMany(j => j.Work).WithOne().HasForeignKey(w => w.JobId);
        modelBuilder.Entity<StoredPractice>().HasOne(p => p.Job).WithMany().HasForeignKey(p => p.JobId);
        modelBuilder.Entity<StoredCorrection>().HasIndex(c => c.Name).IsUnique();
        modelBuilder.Entity<StoredEngine>().HasIndex(e => e.Name);
    }

    private void RemoveJob(int job)
    {
        Remove([.. Captures.IgnoreQueryFilters().Where(c => c.JobId == job).Select(c => c.Id)]);
        Jobs.Where(j => j.Id == job).ExecuteDelete();
    }

    private void RemoveSamples(StoredChannel channel)
    {
        HeldChannels.Forget(Database.GetConnectionString()!, channel);
        var (from, to) = SampleStore.KeysOf(channel.Id);
        Database.ExecuteSql($"DELETE FROM Blocks WHERE Key BETWEEN {from} AND {to}");
        Database.ExecuteSql($"DELETE FROM Levels WHERE Key BETWEEN {from} AND {to}");
    }

    /// <summary>True where another process of that number runs: it may still be writing.</summary>
    private static bool IsAlive(int process)
    {
        if (process == Environment.ProcessId)
            return false;
        try
        {
            using var found = Process.GetProcessById(process);
            return !found.HasExited;
        }
        catch (ArgumentException)
        {
            return false;
        }
    }
}
