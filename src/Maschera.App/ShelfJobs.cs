using Maschera.Core.Expressions;
using Maschera.Formats;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;

namespace Maschera.App;

/// <summary>Known-good captures that came without a job of their own lie in one closed job for each engine.</summary>
public static class ShelfJobs
{
    /// <summary>The job that holds them.</summary>
    public static Job For(MascheraDb db, int engineId)
    {
        var engine = db.Engines.First(e => e.Id == engineId);
        var name = $"Known-good {engine.Name}";
        if (db.LiveJobs.Include(j => j.Engine).FirstOrDefault(j => j.Vehicle == name && j.EngineId == engineId) is { } there)
            return there;
        var job = new Job
        {
            Vehicle = name,
            Complaint = "None: captures to compare with",
            EngineId = engineId,
            CreatedAt = DateTime.UtcNow,
            ClosedAt = DateTime.UtcNow,
        };
        db.Jobs.Add(job);
        db.SaveChanges();
        return job;
    }
}
