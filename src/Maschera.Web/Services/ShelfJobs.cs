using Maschera.Formats;
using Maschera.Store;
using Microsoft.EntityFrameworkCore;

namespace Maschera.Web.Services;

/// <summary>Known-good captures that came without a job of their own lie in one closed job for each engine.</summary>
public static class ShelfJobs
{
    /// <summary>The job that holds them.</summary>
    public static Job For(MascheraDb db, int engineId)
    {
        var engine = db.Engines.First(e => e.Id == engineId);
        var name = $"Known-good {engine.Name}";
        if (db.LiveJobs.Include(j => j.Engine).FirstOrDefault(j => j.Vehicle == name && j.EngineId == engineId) is { } there) return there;
        var job = new Job { Vehicle = name, Complaint = "None: captures to compare with", EngineId = engineId, CreatedAt = DateTime.UtcNow, ClosedAt = DateTime.UtcNow };
        db.Jobs.Add(job);
        db.SaveChanges();
        return job;
    }

    /// <summary>The conditions a bundle says of itself.</summary>
    public static Conditions ConditionsOf(BundleHead bundle)
    {
        var said = bundle.Conditions ?? new Dictionary<string, string>();
        double? Number(string name) => double.TryParse(said.GetValueOrDefault(name), System.Globalization.CultureInfo.InvariantCulture, out var number) ? number : null;
        return new Conditions(said.GetValueOrDefault("state"), Number("coolantCelsius"), said.GetValueOrDefault("disabled"), said.GetValueOrDefault("remark"), said.GetValueOrDefault("syncKind"), (int?)Number("syncCylinder"));
    }
}
