using System.Diagnostics;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Diagnostics;

namespace Maschera.Store;

/// <summary>The database: jobs, engines, captures and readings. Samples are written and read by <see cref="SampleStore"/>.</summary>
public sealed class MascheraDb(DbContextOptions<MascheraDb> options) : DbContext(options)
{
    public DbSet<StoredEngine> Engines => Set<StoredEngine>();
    public DbSet<Job> Jobs => Set<Job>();

    /// <summary>Captures that are whole.</summary>
    public DbSet<StoredCapture> Captures => Set<StoredCapture>();

    public DbSet<StoredChannel> Channels => Set<StoredChannel>();
    public DbSet<StoredReading> Readings => Set<StoredReading>();
    public DbSet<StoredCaliper> Calipers => Set<StoredCaliper>();
    public DbSet<StoredPin> Pins => Set<StoredPin>();
    public DbSet<StoredCode> Codes => Set<StoredCode>();
    public DbSet<StoredCorrection> Corrections => Set<StoredCorrection>();

    /// <summary>Jobs that are not deleted.</summary>
    public IQueryable<Job> LiveJobs => Jobs.Where(job => job.DeletedAt == null);

    /// <summary>Options for a database file.</summary>
    public static DbContextOptions<MascheraDb> ForFile(string path) =>
        new DbContextOptionsBuilder<MascheraDb>().UseSqlite($"Data Source={path}").Options;

    /// <summary>
    /// Creates what is missing, brings an older database up to date, and clears away what was deleted before the last
    /// stop and what was left half written.
    /// </summary>
    public void Prepare()
    {
        Database.ExecuteSqlRaw("PRAGMA page_size = 16384");
        Database.ExecuteSqlRaw("PRAGMA journal_mode = WAL");
        Upgrade.Before(this);
        Database.EnsureCreated();
        Database.ExecuteSqlRaw(SampleStore.Schema);
        Upgrade.After(this);
        Jobs.Where(job => job.DeletedAt != null).Select(job => job.Id).ToList().ForEach(RemoveJob);
        Codes.Where(code => code.DeletedAt != null).ExecuteDelete();
        Remove([.. Captures.Where(capture => capture.DeletedAt != null).Select(capture => capture.Id)]);
        var halves = Captures.IgnoreQueryFilters().Where(c => !c.IsWhole).Select(c => new { c.Id, c.WriterProcess }).ToList();
        Remove([.. halves.Where(c => c.WriterProcess is not { } writer || !IsAlive(writer)).Select(c => c.Id)]);
    }

    /// <summary>Takes captures away with their samples.</summary>
    public void Remove(IReadOnlyList<int> captures)
    {
        foreach (var capture in captures)
        {
            foreach (var channel in Channels.Where(c => c.CaptureId == capture).Select(c => c.Id).ToList()) RemoveSamples(channel);
            Captures.IgnoreQueryFilters().Where(c => c.Id == capture).ExecuteDelete();
        }
    }

    /// <summary>Takes a channel away with its samples and what was measured on it.</summary>
    public void RemoveChannel(int channel)
    {
        RemoveSamples(channel);
        Channels.Where(c => c.Id == channel).ExecuteDelete();
    }

    protected override void OnConfiguring(DbContextOptionsBuilder optionsBuilder) =>
        optionsBuilder.ConfigureWarnings(w => w.Ignore(CoreEventId.PossibleIncorrectRequiredNavigationWithQueryFilterInteractionWarning));

    protected override void OnModelCreating(ModelBuilder modelBuilder)
    {
        modelBuilder.Entity<StoredCapture>().Ignore(c => c.Conditions).Ignore(c => c.Notes).Ignore(c => c.OwnChannels).HasQueryFilter(c => c.IsWhole);
        modelBuilder.Entity<StoredReading>().Ignore(r => r.Result);
        modelBuilder.Entity<StoredReading>().HasOne(r => r.Job).WithMany(j => j.Readings).HasForeignKey(r => r.JobId);
        modelBuilder.Entity<StoredReading>().HasOne(r => r.Capture).WithMany(c => c.Readings).HasForeignKey(r => r.CaptureId);
        modelBuilder.Entity<StoredCapture>().HasOne(c => c.Job).WithMany(j => j.Captures).HasForeignKey(c => c.JobId);
        modelBuilder.Entity<StoredCapture>().HasMany(c => c.Calipers).WithOne().HasForeignKey(c => c.CaptureId);
        modelBuilder.Entity<StoredCapture>().HasMany(c => c.Pins).WithOne().HasForeignKey(p => p.CaptureId);
        modelBuilder.Entity<StoredCaliper>().HasOne(c => c.Channel).WithMany().HasForeignKey(c => c.ChannelId);
        modelBuilder.Entity<StoredChannel>().HasOne(c => c.Capture).WithMany(c => c.Channels).HasForeignKey(c => c.CaptureId);
        modelBuilder.Entity<Job>().HasOne(j => j.Engine).WithMany().HasForeignKey(j => j.EngineId).OnDelete(DeleteBehavior.Restrict);
        modelBuilder.Entity<Job>().HasMany(j => j.Codes).WithOne().HasForeignKey(c => c.JobId);
        modelBuilder.Entity<StoredCorrection>().HasIndex(c => c.Name).IsUnique();
        modelBuilder.Entity<StoredEngine>().HasIndex(e => e.Name);
    }

    private void RemoveJob(int job)
    {
        Remove([.. Captures.IgnoreQueryFilters().Where(c => c.JobId == job).Select(c => c.Id)]);
        Jobs.Where(j => j.Id == job).ExecuteDelete();
    }

    private void RemoveSamples(int channel)
    {
        var (from, to) = SampleStore.KeysOf(channel);
        Database.ExecuteSql($"DELETE FROM Blocks WHERE Key BETWEEN {from} AND {to}");
        Database.ExecuteSql($"DELETE FROM Levels WHERE Key BETWEEN {from} AND {to}");
    }

    /// <summary>True where another process of that number runs: it may still be writing.</summary>
    private static bool IsAlive(int process)
    {
        if (process == Environment.ProcessId) return false;
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
