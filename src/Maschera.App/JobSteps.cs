using Maschera.Core.Readings;
using Maschera.Store;

namespace Maschera.App;

/// <summary>Where a job stands in the eight steps of the work.</summary>
public static class JobSteps
{
    /// <summary>The steps, in the order they are worked.</summary>
    public static IReadOnlyList<string> Names { get; } =
    [
        "Take the job in",
        "Look before unplugging",
        "Cheap mechanical check",
        "Timing",
        "Into the cylinder",
        "Prove the circuit",
        "Decide",
        "Repair and prove",
    ];

    /// <summary>
    /// True for each step that has left something behind: intake, usable readings (load those of captures that are there), what
    /// is proposed, what is fitted, a closed job.
    /// </summary>
    public static bool[] Done(Job job)
    {
        var done = new bool[Names.Count];
        done[(int)JobStep.TakeIn] = true;
        foreach (var reading in job.Readings.Where(r => !r.IsUnusable))
            if (ReadingRegistry.Find(reading.Kind) is { } known)
                done[(int)known.Step] = true;
        done[(int)JobStep.Decide] |= job.FoundFault is not null || job.Work.Exists(w => w.DeletedAt is null);
        done[(int)JobStep.Prove] |= job.ClosedAt is not null || job.Work.Exists(w => w is { DeletedAt: null, FittedAt: not null });
        return done;
    }

    /// <summary>The furthest step reached.</summary>
    public static string Stands(Job job)
    {
        var at = Array.LastIndexOf(Done(job), true);
        return $"{at + 1} of {Names.Count}: {Names[at]}";
    }
}
