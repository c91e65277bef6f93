using Microsoft.EntityFrameworkCore;

namespace Maschera.Store;

/// <summary>The database: jobs, engines, captures and readings. Samples are written and read by <see cref="SampleStore"/>.</summary>
public sealed class MascheraDb(DbContextOptions<MascheraDb> options) : DbContext(options)
{
    public DbSet<StoredEngine> Engines => Set<StoredEngine>();
    public DbSet<Job> Jobs => Set<Job>();
    public DbSet<StoredCapture> Captures => Set<StoredCapture>();
    public DbSet<StoredChannel> Channels => Set<StoredChannel>();
    public DbSet<StoredReading> Readings => Set<StoredReading>();

    /// <summary>Jobs that are not deleted.</summary>
    public IQueryable<Job> LiveJobs => Jobs.Where(job => job.DeletedAt == null);

    /// <summary>Options for a database file.</summary>
    public static DbContextOptions<MascheraDb> ForFile(string path) =>
        new DbContextOptionsBuilder<MascheraDb>().UseSqlite($"Data Source={path}").Options;

    /// <summary>
    /// Creates what is missing, and clears away what was deleted before the last stop.
    /// </summary>
    public void Prepare()
    {
        Database.EnsureCreated();
        Database.ExecuteSqlRaw("PRAGMA journal_mode = WAL");
        Database.ExecuteSqlRaw(SampleStore.Schema);
        Jobs.Where(job => job.DeletedAt != null).ExecuteDelete();
        Captures.Where(capture => capture.DeletedAt != null).ExecuteDelete();
        Database.ExecuteSqlRaw("DELETE FROM SampleBlocks WHERE ChannelId NOT IN (SELECT Id FROM Channels)");
    }

    protected override void OnModelCreating(ModelBuilder modelBuilder)
    {
        modelBuilder.Entity<StoredCapture>().Ignore(c => c.Conditions).Ignore(c => c.Notes);
        modelBuilder.Entity<StoredReading>().Ignore(r => r.Result);
        modelBuilder.Entity<StoredReading>().HasOne(r => r.Job).WithMany(j => j.Readings).HasForeignKey(r => r.JobId);
        modelBuilder.Entity<StoredReading>().HasOne(r => r.Capture).WithMany(c => c.Readings).HasForeignKey(r => r.CaptureId);
        modelBuilder.Entity<StoredCapture>().HasOne(c => c.Job).WithMany(j => j.Captures).HasForeignKey(c => c.JobId);
        modelBuilder.Entity<StoredChannel>().HasOne(c => c.Capture).WithMany(c => c.Channels).HasForeignKey(c => c.CaptureId);
        modelBuilder.Entity<Job>().HasOne(j => j.Engine).WithMany().HasForeignKey(j => j.EngineId).OnDelete(DeleteBehavior.Restrict);
        modelBuilder.Entity<StoredEngine>().HasIndex(e => e.Name);
    }
}
