using Maschera.Store;
using Microsoft.EntityFrameworkCore;

namespace Maschera.App;

/// <summary>A job with all that is there of it, to be read.</summary>
public static class WholeJob
{
    /// <summary>The job; null where there is none. What is deleted is left out.</summary>
    public static async Task<Job?> OfAsync(MascheraDb db, int id)
    {
        var job = await Of(db.LiveJobs).FirstOrDefaultAsync(j => j.Id == id);
        if (job is null)
            return null;
        foreach (var capture in job.Captures)
            capture.Readings.AddRange(job.Readings.Where(r => r.CaptureId == capture.Id && !capture.Readings.Contains(r)));
        foreach (var reading in job.Readings)
            reading.Capture = job.Captures.First(c => c.Id == reading.CaptureId);
        return job;
    }

    /// <summary>The same for many jobs.</summary>
    public static IQueryable<Job> Of(IQueryable<Job> jobs) =>
        jobs.AsNoTracking()
            .AsSplitQuery()
            .Include(j => j.Engine)
            .Include(j => j.Readings.Where(r => r.Capture!.DeletedAt == null))
            .Include(j => j.Codes.Where(c => c.DeletedAt == null))
            .Include(j => j.Remarks.Where(r => r.DeletedAt == null))
            .Include(j => j.Work.Where(w => w.DeletedAt == null))
            .Include(j => j.Observations.Where(o => o.DeletedAt == null))
            .Include(j => j.Captures.Where(c => c.DeletedAt == null));
}
