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
        var captures = job.Captures.ToDictionary(c => c.Id);
        var readings = await HeldReadings.OfAsync(db, db.Readings.Where(r => r.JobId == id && r.Capture!.DeletedAt == null));
        foreach (var reading in readings.Where(r => captures.ContainsKey(r.CaptureId)))
        {
            (reading.Job, reading.Capture) = (job, captures[reading.CaptureId]);
            job.Readings.Add(reading);
            reading.Capture.Readings.Add(reading);
        }

        return job;
    }

    private static IQueryable<Job> Of(IQueryable<Job> jobs) =>
        jobs.AsNoTracking()
            .AsSplitQuery()
            .Include(j => j.Engine)
            .Include(j => j.Codes.Where(c => c.DeletedAt == null))
            .Include(j => j.Remarks.Where(r => r.DeletedAt == null))
            .Include(j => j.Work.Where(w => w.DeletedAt == null))
            .Include(j => j.Observations.Where(o => o.DeletedAt == null))
            .Include(j => j.Captures.Where(c => c.DeletedAt == null));
}
